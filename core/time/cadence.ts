/**
 * Cadences: when a lane is due.
 *
 * - `every` counts elapsed time on a fixed grid, so it has no hole and no double at a zone change (check 1-E07).
 * - `rule` is a recurrence rule of RFC 5545 from a local start in a zone (recurrence.ts).
 * - `continuous` is never due: it always runs. `after` is due when another lane of the policy has a new point.
 * - `by-hand` is never due.
 */
import { instanceAfter, instanceBefore, instancesBetween, type Recurrence } from '@/core/time/recurrence';
import { BadRule, parseRule } from '@/core/time/recurrence-text';
import { describeRule, spanWords } from '@/core/time/rule-words';
import { openSpans, type Opening, type Span } from '@/core/time/window';
import { fromLocal, UnknownZone, isZone } from '@/core/time/zone';
import { assertNever, DAY, type DurationMs, type EpochMs } from '@/core/units';

export interface RuleCadence {
  readonly kind: 'rule';
  readonly zone: string;
  /** Local reading of the start, "2026-01-05T22:00". */
  readonly start: string;
  /** Text of the rule, "FREQ=WEEKLY;BYDAY=MO". */
  readonly rule: string;
  /** Local readings left out. */
  readonly except?: readonly string[];
}

export type Cadence =
  | { readonly kind: 'every'; readonly everyMs: DurationMs; readonly offsetMs: DurationMs }
  | RuleCadence
  | { readonly kind: 'continuous' }
  | { readonly kind: 'after'; readonly lane: string }
  | { readonly kind: 'by-hand' };

/** Shortest and longest span of an `every` cadence. */
export const EVERY_MIN_MS: DurationMs = 30_000;
export const EVERY_MAX_MS: DurationMs = 31 * DAY;

/** First due instant strictly after `afterMs`, or null if the lane is never due again. */
export function nextAfter(cadence: Cadence, afterMs: EpochMs): EpochMs | null {
  switch (cadence.kind) {
    case 'every': {
      const { everyMs, offsetMs } = cadence;
      return (Math.floor((afterMs - offsetMs) / everyMs) + 1) * everyMs + offsetMs;
    }
    case 'rule':
      return instanceAfter(recurrenceOf(cadence), afterMs);
    case 'continuous':
    case 'after':
    case 'by-hand':
      return null;
    default:
      return assertNever(cadence);
  }
}

/** Last due instant strictly before `beforeMs`, or null. */
export function previousBefore(cadence: Cadence, beforeMs: EpochMs): EpochMs | null {
  switch (cadence.kind) {
    case 'every': {
      const { everyMs, offsetMs } = cadence;
      return (Math.ceil((beforeMs - offsetMs) / everyMs) - 1) * everyMs + offsetMs;
    }
    case 'rule':
      return instanceBefore(recurrenceOf(cadence), beforeMs);
    case 'continuous':
    case 'after':
    case 'by-hand':
      return null;
    default:
      return assertNever(cadence);
  }
}

/** Due instants in [fromMs, toMs), ascending, none twice. O(instants). */
export function occurrences(cadence: Cadence, fromMs: EpochMs, toMs: EpochMs): EpochMs[] {
  switch (cadence.kind) {
    case 'every': {
      const found: EpochMs[] = [];
      for (let at = nextAfter(cadence, fromMs - 1) as EpochMs; at < toMs; at += cadence.everyMs) found.push(at);
      return found;
    }
    case 'rule':
      return instancesBetween(recurrenceOf(cadence), fromMs, toMs);
    case 'continuous':
    case 'after':
    case 'by-hand':
      return [];
    default:
      return assertNever(cadence);
  }
}

/**
 * Instants in [fromMs, toMs) at which a lane may start: due instants that are open, and, for due instants that are not,
 * the next opening, once. Nothing outside a window, and no stampede when it opens.
 */
export function startsWithin(cadence: Cadence, opening: Opening, fromMs: EpochMs, toMs: EpochMs): EpochMs[] {
  const spans = openSpans(opening, fromMs, toMs);
  const starts: EpochMs[] = [];
  let s = 0;
  for (const due of occurrences(cadence, fromMs, toMs)) {
    while (s < spans.length && (spans[s] as Span).toMs <= due) s++;
    const span = spans[s];
    if (!span) break;
    const at = Math.max(due, span.fromMs);
    if (at !== starts.at(-1)) starts.push(at);
  }
  return starts;
}

/** How far ahead the gaps of a rule are looked at: leap days and fifth weeks fall inside. */
const GAP_SPAN_MS: DurationMs = 4 * 366 * DAY;
const gaps = new Map<string, DurationMs | null>();

/** The longest wait between two due instants; null if the lane is not due by itself. Input to worst exposure. */
export function longestGap(cadence: Cadence): DurationMs | null {
  switch (cadence.kind) {
    case 'every':
      return cadence.everyMs;
    case 'continuous':
      return 0;
    case 'rule': {
      const key = keyOf(cadence);
      const known = gaps.get(key);
      if (known !== undefined) return known;
      const { zone, startWallMs } = recurrenceOf(cadence);
      const first = fromLocal(zone, startWallMs);
      const found = occurrences(cadence, first, first + GAP_SPAN_MS);
      const gap = found.length < 2 ? null : Math.max(...found.slice(1).map((at, i) => at - (found[i] as number)));
      gaps.set(key, gap);
      return gap;
    }
    case 'after':
    case 'by-hand':
      return null;
    default:
      return assertNever(cadence);
  }
}

/** Plain words: "every 15 min", "every weekday at 22:00, Europe/Oslo". */
export function describeCadence(cadence: Cadence): string {
  switch (cadence.kind) {
    case 'every':
      return `every ${spanWords(cadence.everyMs)}`;
    case 'rule':
      return describeRule(recurrenceOf(cadence));
    case 'continuous':
      return 'continuously';
    case 'after':
      return `after each ${cadence.lane}`;
    case 'by-hand':
      return 'by hand';
    default:
      return assertNever(cadence);
  }
}

const parsed = new Map<string, Recurrence>();

/** The recurrence of a rule cadence; throws BadRule or UnknownZone. Kept, as every due instant asks for it. */
export function recurrenceOf(cadence: RuleCadence): Recurrence {
  const key = keyOf(cadence);
  const known = parsed.get(key);
  if (known) return known;
  if (!isZone(cadence.zone)) throw new UnknownZone(cadence.zone);
  const recurrence: Recurrence = {
    zone: cadence.zone,
    startWallMs: wallOf('start', cadence.start),
    rule: parseRule(cadence.rule),
    exceptWallMs: (cadence.except ?? []).map((text) => wallOf('except', text)),
  };
  parsed.set(key, recurrence);
  return recurrence;
}

const keyOf = (c: RuleCadence): string => [c.zone, c.start, c.rule, ...(c.except ?? [])].join('|');

function wallOf(part: string, text: string): number {
  const wall = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/.test(text) ? Date.parse(`${text}Z`) : NaN;
  if (Number.isNaN(wall)) throw new BadRule(part, `"${text}" must be a local time such as 2026-01-05T22:00.`);
  return wall;
}
