/**
 * Wall-clock time in IANA zones.
 *
 * Invariants:
 * - an instant always has one local reading; a local reading may have none or two instants, and `fromLocal` picks one
 *   (zone.test.ts, checks 1-D01..30);
 * - the transitions of a zone are read once from the tz data of the runtime and kept for the life of the process.
 */
import { Temporal } from 'temporal-polyfill';
import { DAY, type DurationMs, type EpochMs } from '@/core/units';

/** Thrown for a zone name that the runtime's tz data does not have. */
export class UnknownZone extends Error {
  readonly code = 'unknown-zone';
  override readonly name = 'UnknownZone';
  constructor(readonly zone: string) {
    super(`There is no time zone "${zone}". Use an IANA name such as Europe/Oslo.`);
  }
}

/** A wall-clock reading. `month` 1..12, `day` 1..31, `weekday` 1 (Monday) .. 7 (Sunday). */
export interface LocalTime {
  readonly year: number;
  readonly month: number;
  readonly day: number;
  readonly hour: number;
  readonly minute: number;
  readonly second: number;
  readonly weekday: number;
}

interface Transitions {
  /** Instants at which the offset changes, ascending. */
  readonly at: readonly EpochMs[];
  /** offset[i] holds before at[i]; one longer than `at`. */
  readonly offset: readonly DurationMs[];
  /** The stretch that was looked up last: most look-ups come one near the other. */
  recent: { readonly fromMs: EpochMs; readonly toMs: EpochMs; readonly offset: DurationMs };
}

const FIRST = '1970-01-01T00:00Z';
const LAST_MS = Date.UTC(2100, 0, 1);
const cache = new Map<string, Transitions>();

function transitionsOf(zone: string): Transitions {
  const known = cache.get(zone);
  if (known) return known;
  let at: Temporal.ZonedDateTime;
  try {
    at = Temporal.Instant.from(FIRST).toZonedDateTimeISO(zone);
  } catch {
    throw new UnknownZone(zone);
  }
  const instants: number[] = [];
  const offsets = [at.offsetNanoseconds / 1e6];
  for (let next = at.getTimeZoneTransition('next'); next; next = next.getTimeZoneTransition('next')) {
    if (next.epochMilliseconds >= LAST_MS) break;
    instants.push(next.epochMilliseconds);
    offsets.push(next.offsetNanoseconds / 1e6);
  }
  const result = { at: instants, offset: offsets, recent: { fromMs: 0, toMs: 0, offset: 0 } };
  cache.set(zone, result);
  return result;
}

/** True if the runtime knows the IANA name. */
export function isZone(zone: string): boolean {
  try {
    transitionsOf(zone);
    return true;
  } catch {
    return false;
  }
}

/** Offset from UTC in force at an instant, in ms (east positive). O(log transitions). */
export function offsetAt(zone: string, atMs: EpochMs): DurationMs {
  const known = transitionsOf(zone);
  if (atMs >= known.recent.fromMs && atMs < known.recent.toMs) return known.recent.offset;
  const { at, offset } = known;
  let low = 0;
  let high = at.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((at[middle] as number) <= atMs) low = middle + 1;
    else high = middle;
  }
  known.recent = { fromMs: at[low - 1] ?? -Infinity, toMs: at[low] ?? Infinity, offset: offset[low] as number };
  return known.recent.offset;
}

/** The wall clock of `zone` at an instant. */
export function toLocal(zone: string, atMs: EpochMs): LocalTime {
  const shifted = new Date(atMs + offsetAt(zone, atMs));
  return {
    year: shifted.getUTCFullYear(),
    month: shifted.getUTCMonth() + 1,
    day: shifted.getUTCDate(),
    hour: shifted.getUTCHours(),
    minute: shifted.getUTCMinutes(),
    second: shifted.getUTCSeconds(),
    weekday: ((shifted.getUTCDay() + 6) % 7) + 1,
  };
}

/**
 * The instant of a wall-clock reading. A reading that exists twice means its first occurrence; one that does not exist
 * is read with the offset before the gap (RFC 5545 3.3.5, from memory).
 *
 * @param wallMs the reading as if it were UTC, in ms (Date.UTC of its fields)
 */
export function fromLocal(zone: string, wallMs: number): EpochMs {
  const { recent } = transitionsOf(zone);
  // Offsets are less than a day: this far inside a stretch the reading has one instant, by its offset.
  if (wallMs - DAY >= recent.fromMs && wallMs + DAY < recent.toMs) return wallMs - recent.offset;
  const before = offsetAt(zone, wallMs - DAY);
  const after = offsetAt(zone, wallMs + DAY);
  if (before === after) return wallMs - before;
  const first = wallMs - before;
  if (offsetAt(zone, first) === before) return first;
  const second = wallMs - after;
  return offsetAt(zone, second) === after ? second : first;
}
