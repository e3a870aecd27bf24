/**
 * Cadences: when a lane is due.
 *
 * - `every` counts elapsed time on a fixed grid, so it has no hole and no double at a zone change (check 1-E07).
 * - `weekly` names wall-clock times on weekdays in a zone; a time that does not exist runs at the instant the offset
 *   before the gap gives, one that exists twice at its first (RFC 5545 3.8.5.3, from memory; docs/decisions.md).
 * - `by-hand` is never due.
 */
import { fromLocal, offsetAt } from '@/core/time/zone';
import { assertNever, DAY, HOUR, MINUTE, type DurationMs, type EpochMs } from '@/core/units';

export type Cadence =
  | { readonly kind: 'every'; readonly everyMs: DurationMs; readonly offsetMs: DurationMs }
  | {
      readonly kind: 'weekly';
      readonly zone: string;
      /** 1 Monday .. 7 Sunday, at least one. */
      readonly weekdays: readonly number[];
      /** Minutes since local midnight, 0..1439, at least one. */
      readonly timesMin: readonly number[];
    }
  | { readonly kind: 'by-hand' };

/** Shortest and longest span of an `every` cadence. */
export const EVERY_MIN_MS: DurationMs = 30_000;
export const EVERY_MAX_MS: DurationMs = 31 * DAY;

/** First due instant strictly after `afterMs`, or null if the lane is never due. O(days until it). */
export function nextAfter(cadence: Cadence, afterMs: EpochMs): EpochMs | null {
  switch (cadence.kind) {
    case 'by-hand':
      return null;
    case 'every': {
      const { everyMs, offsetMs } = cadence;
      return (Math.floor((afterMs - offsetMs) / everyMs) + 1) * everyMs + offsetMs;
    }
    case 'weekly': {
      const day = localDay(cadence.zone, afterMs);
      // A gap moves an occurrence at most into the next day, so the day before is looked at too.
      for (let d = day - 1; d <= day + 8; d++) {
        const due = weeklyOn(cadence, d).find((at) => at > afterMs);
        if (due !== undefined) return due;
      }
      return null;
    }
    default:
      return assertNever(cadence);
  }
}

/** Due instants in [fromMs, toMs), ascending, none twice. */
export function occurrences(cadence: Cadence, fromMs: EpochMs, toMs: EpochMs): EpochMs[] {
  const found: EpochMs[] = [];
  for (let at = nextAfter(cadence, fromMs - 1); at !== null && at < toMs; at = nextAfter(cadence, at)) found.push(at);
  return found;
}

/** The longest wait between two due instants in ordinary weeks; null if never due. Input to worst exposure. */
export function longestGap(cadence: Cadence): DurationMs | null {
  switch (cadence.kind) {
    case 'by-hand':
      return null;
    case 'every':
      return cadence.everyMs;
    case 'weekly': {
      const slots = cadence.weekdays
        .flatMap((weekday) => cadence.timesMin.map((minute) => (weekday - 1) * 1440 + minute))
        .sort((a, b) => a - b);
      const gaps = slots.map((slot, i) => (slots[i + 1] ?? (slots[0] as number) + 7 * 1440) - slot);
      return Math.max(...gaps) * MINUTE;
    }
    default:
      return assertNever(cadence);
  }
}

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

/** Plain words: "every 15 min", "every weekday at 22:00, Europe/Oslo". */
export function describeCadence(cadence: Cadence): string {
  switch (cadence.kind) {
    case 'by-hand':
      return 'by hand';
    case 'every':
      return `every ${spanWords(cadence.everyMs)}`;
    case 'weekly': {
      const days = [...cadence.weekdays].sort((a, b) => a - b).join('');
      const when =
        days === '1234567'
          ? 'every day'
          : days === '12345'
            ? 'every weekday'
            : `every ${cadence.weekdays.map((day) => WEEKDAYS[day - 1]).join(', ')}`;
      return `${when} at ${cadence.timesMin.map(clockWords).join(', ')}, ${cadence.zone}`;
    }
    default:
      return assertNever(cadence);
  }
}

function clockWords(minutes: number): string {
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
}

function spanWords(ms: DurationMs): string {
  if (ms % DAY === 0) return ms === DAY ? 'day' : `${ms / DAY} days`;
  if (ms % HOUR === 0) return ms === HOUR ? 'hour' : `${ms / HOUR} h`;
  return ms % MINUTE === 0 ? `${ms / MINUTE} min` : `${ms / 1000} s`;
}

function localDay(zone: string, atMs: EpochMs): number {
  return Math.floor((atMs + offsetAt(zone, atMs)) / DAY);
}

type Weekly = Extract<Cadence, { kind: 'weekly' }>;

/** Due instants of one local day, ascending; a spring gap can fold two wall times onto one instant (check 1-E06). */
function weeklyOn(cadence: Weekly, day: number): EpochMs[] {
  const weekday = ((((day + 3) % 7) + 7) % 7) + 1;
  if (!cadence.weekdays.includes(weekday)) return [];
  const instants = cadence.timesMin.map((minute) => fromLocal(cadence.zone, day * DAY + minute * MINUTE));
  return [...new Set(instants)].sort((a, b) => a - b);
}
