/**
 * Windows and blackouts: when something may start. Weekly stretches of local time, over midnight where they end before
 * they begin, and dated ones. Open is: inside a window (or there is none), and outside every blackout.
 *
 * Invariants (window.test.ts): the open spans of a stretch are ascending, do not touch, and an instant is open just when
 * it lies in one of them.
 */
import { weekdayOf } from '@/core/time/calendar';
import { fromLocal, offsetAt } from '@/core/time/zone';
import { assertNever, DAY, MINUTE, type EpochMs } from '@/core/units';

export type Window =
  | {
      readonly kind: 'weekly';
      readonly zone: string;
      /** Days on which it begins, 1 Monday .. 7 Sunday. */
      readonly weekdays: readonly number[];
      /** Minutes since local midnight, 0..1439. `toMin` at or before `fromMin` means the next day. */
      readonly fromMin: number;
      readonly toMin: number;
    }
  | { readonly kind: 'dated'; readonly fromMs: EpochMs; readonly toMs: EpochMs };

export interface Opening {
  /** None: open at all times. */
  readonly windows: readonly Window[];
  readonly blackouts: readonly Window[];
}

/** A half-open stretch of time. */
export interface Span {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
}

export const ALWAYS: Opening = { windows: [], blackouts: [] };

/** Stretches of [fromMs, toMs) in which something may start. O(days x windows, sorted). */
export function openSpans(opening: Opening, fromMs: EpochMs, toMs: EpochMs): Span[] {
  const whole = [{ fromMs, toMs }];
  const open = opening.windows.length
    ? merge(opening.windows.flatMap((window) => spansOf(window, fromMs, toMs)))
    : whole;
  const shut = merge(opening.blackouts.flatMap((window) => spansOf(window, fromMs, toMs)));
  return open.flatMap((span) => without(span, shut));
}

/** The rest of [fromMs, toMs): stretches in which nothing may start. */
export function shutSpans(opening: Opening, fromMs: EpochMs, toMs: EpochMs): Span[] {
  return without({ fromMs, toMs }, openSpans(opening, fromMs, toMs));
}

/** True if something may start at this instant. */
export function isOpen(opening: Opening, atMs: EpochMs): boolean {
  return openSpans(opening, atMs, atMs + 1).length > 0;
}

/** First open instant at or after `atMs`; null if there is none within a year. */
export function nextOpen(opening: Opening, atMs: EpochMs): EpochMs | null {
  for (let days = 2; days <= 512; days *= 4) {
    const [first] = openSpans(opening, atMs, atMs + days * DAY);
    if (first) return first.fromMs;
  }
  return null;
}

/** Stretches of a window that touch [fromMs, toMs), cut to it. */
function spansOf(window: Window, fromMs: EpochMs, toMs: EpochMs): Span[] {
  switch (window.kind) {
    case 'dated':
      return cut(window, fromMs, toMs);
    case 'weekly': {
      const { zone, fromMin, toMin } = window;
      const endMin = toMin <= fromMin ? toMin + 1440 : toMin;
      const first = Math.floor((fromMs + offsetAt(zone, fromMs)) / DAY) - 2;
      const last = Math.floor((toMs + offsetAt(zone, toMs)) / DAY) + 1;
      const spans: Span[] = [];
      for (let day = first; day <= last; day++) {
        if (!window.weekdays.includes(weekdayOf(day))) continue;
        const span = {
          fromMs: fromLocal(zone, day * DAY + fromMin * MINUTE),
          toMs: fromLocal(zone, day * DAY + endMin * MINUTE),
        };
        spans.push(...cut(span, fromMs, toMs));
      }
      return spans;
    }
    default:
      return assertNever(window);
  }
}

function cut(span: Span, fromMs: EpochMs, toMs: EpochMs): Span[] {
  const from = Math.max(span.fromMs, fromMs);
  const to = Math.min(span.toMs, toMs);
  return from < to ? [{ fromMs: from, toMs: to }] : [];
}

function merge(spans: readonly Span[]): Span[] {
  const merged: Span[] = [];
  for (const span of spans.toSorted((a, b) => a.fromMs - b.fromMs)) {
    const last = merged.at(-1);
    if (last && span.fromMs <= last.toMs) merged[merged.length - 1] = { ...last, toMs: Math.max(last.toMs, span.toMs) };
    else merged.push(span);
  }
  return merged;
}

/** What is left of a span outside of merged others. */
function without(span: Span, shut: readonly Span[]): Span[] {
  const left: Span[] = [];
  let fromMs = span.fromMs;
  for (const other of shut) {
    if (other.toMs <= fromMs || other.fromMs >= span.toMs) continue;
    if (other.fromMs > fromMs) left.push({ fromMs, toMs: other.fromMs });
    fromMs = other.toMs;
  }
  if (fromMs < span.toMs) left.push({ fromMs, toMs: span.toMs });
  return left;
}
