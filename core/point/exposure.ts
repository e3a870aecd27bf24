/**
 * Exposure: the data-loss window. It counts from when the data was *taken*, and only points that are usable count.
 * e(x) = x - max{ taken_i : usable_i <= x }; a late, older point never resets it (check 4-B3).
 */
import type { DurationMs, EpochMs } from '@/core/units';

/** What exposure needs of a point: when its data was taken, when it was complete at its place, when it went. */
export interface ExposurePoint {
  readonly takenAtMs: EpochMs;
  readonly usableFromMs: EpochMs;
  readonly goneAtMs: EpochMs | null;
}

/** Exposure at an instant in ms, or null if there was no usable point at all. O(points). */
export function exposureAt(points: readonly ExposurePoint[], atMs: EpochMs): DurationMs | null {
  let newest: EpochMs | null = null;
  for (const point of points) {
    if (point.usableFromMs > atMs || point.takenAtMs > atMs) continue;
    if (point.goneAtMs !== null && point.goneAtMs <= atMs) continue;
    if (newest === null || point.takenAtMs > newest) newest = point.takenAtMs;
  }
  return newest === null ? null : atMs - newest;
}

/** Exposure over a span. `worstMs` null: at some moment there was no usable point. */
export interface ExposureSummary {
  readonly worstMs: DurationMs | null;
  readonly leastMs: DurationMs | null;
  readonly meanMs: number | null;
  /** Share of the span with exposure at or under the limit, 0..1. */
  readonly shareWithin: number;
}

/** One stretch in which exposure rises without a break: `newestTakenMs` is what it counts from. */
interface Rise {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly newestTakenMs: EpochMs | null;
}

/** Worst, least, mean and share within `limitMs` over [fromMs, toMs). O(n log n). */
export function summariseExposure(
  points: readonly ExposurePoint[],
  fromMs: EpochMs,
  toMs: EpochMs,
  limitMs: DurationMs,
): ExposureSummary {
  const rises = risesOf(points, fromMs, toMs);
  let within = 0;
  let area = 0;
  let worst: number | null = 0;
  let least: number | null = null;
  for (const { fromMs: a, toMs: b, newestTakenMs: taken } of rises) {
    if (taken === null) {
      worst = null;
      continue;
    }
    if (worst !== null) worst = Math.max(worst, b - taken);
    least = least === null ? a - taken : Math.min(least, a - taken);
    area += ((b - taken) ** 2 - (a - taken) ** 2) / 2;
    within += Math.max(0, Math.min(b, taken + limitMs) - a);
  }
  const span = toMs - fromMs;
  const complete = rises.every((rise) => rise.newestTakenMs !== null);
  return {
    worstMs: worst,
    leastMs: least,
    meanMs: complete && span > 0 ? area / span : null,
    shareWithin: span > 0 ? within / span : 0,
  };
}

/** Intervals in [fromMs, toMs) during which exposure was above the limit (or there was no usable point). */
export function spansOver(
  points: readonly ExposurePoint[],
  fromMs: EpochMs,
  toMs: EpochMs,
  limitMs: DurationMs,
): Array<{ readonly fromMs: EpochMs; readonly toMs: EpochMs }> {
  const spans: Array<{ fromMs: EpochMs; toMs: EpochMs }> = [];
  for (const rise of risesOf(points, fromMs, toMs)) {
    const start = rise.newestTakenMs === null ? rise.fromMs : Math.max(rise.fromMs, rise.newestTakenMs + limitMs);
    if (start >= rise.toMs) continue;
    const last = spans.at(-1);
    if (last && last.toMs === start) last.toMs = rise.toMs;
    else spans.push({ fromMs: start, toMs: rise.toMs });
  }
  return spans;
}

/** A point becomes usable, or goes: in the order of time, at one instant the comings first. */
interface Turn {
  readonly atMs: EpochMs;
  readonly takenAtMs: EpochMs;
  readonly comes: boolean;
}

function turnsOf(points: readonly ExposurePoint[]): Turn[] {
  const turns = points.flatMap(({ takenAtMs, usableFromMs, goneAtMs }): Turn[] => {
    const coming = { atMs: Math.max(takenAtMs, usableFromMs), takenAtMs, comes: true };
    if (goneAtMs === null) return [coming];
    return goneAtMs <= coming.atMs ? [] : [coming, { atMs: goneAtMs, takenAtMs, comes: false }];
  });
  return turns.sort((a, b) => a.atMs - b.atMs || Number(b.comes) - Number(a.comes));
}

function risesOf(points: readonly ExposurePoint[], fromMs: EpochMs, toMs: EpochMs): Rise[] {
  const rises: Rise[] = [];
  /** Taken instants of the points that are usable, ascending. */
  const usable: EpochMs[] = [];
  let start = fromMs;
  for (const { atMs, takenAtMs, comes } of turnsOf(points)) {
    if (atMs >= toMs) break;
    const newest = newestAt(usable);
    if (comes) insert(usable, takenAtMs);
    else usable.splice(usable.lastIndexOf(takenAtMs), 1);
    if (newestAt(usable) === newest || atMs <= start) continue;
    rises.push({ fromMs: start, toMs: atMs, newestTakenMs: newest });
    start = atMs;
  }
  if (start < toMs) rises.push({ fromMs: start, toMs, newestTakenMs: newestAt(usable) });
  return rises;
}

const newestAt = (usable: readonly EpochMs[]): EpochMs | null => usable.at(-1) ?? null;

function insert(sorted: EpochMs[], value: EpochMs): void {
  let at = sorted.length;
  while (at > 0 && (sorted[at - 1] as EpochMs) > value) at--;
  sorted.splice(at, 0, value);
}

/** Worst exposure of a regular lane: cadence + time until usable (design fact 1). */
export function worstOfRegular(cadenceMs: DurationMs, untilUsableMs: DurationMs): DurationMs {
  return cadenceMs + untilUsableMs;
}

/** Largest cadence that still meets an RPO when a run takes `untilUsableMs`; 0 or less: none does. */
export function largestCadence(rpoMs: DurationMs, untilUsableMs: DurationMs): DurationMs {
  return rpoMs - untilUsableMs;
}

export const STANDINGS = ['over', 'closing', 'inside'] as const;
/** Exposure against the RPO. Closing is inside, but over within two hours if nothing changes. */
export type Standing = (typeof STANDINGS)[number];

/** How far ahead "closing" looks. */
export const CLOSING_HORIZON_MS: DurationMs = 2 * 3_600_000;

/**
 * Where a workload stands.
 *
 * @param exposureMs null: no usable point at all, which is over
 * @param nextUsableMs when the next point is expected to be usable; null: nothing is expected
 */
export function standingOf(
  exposureMs: DurationMs | null,
  rpoMs: DurationMs,
  nowMs: EpochMs,
  nextUsableMs: EpochMs | null,
): Standing {
  if (exposureMs === null || exposureMs > rpoMs) return 'over';
  const overAt = nowMs - exposureMs + rpoMs;
  const closing = overAt <= nowMs + CLOSING_HORIZON_MS && (nextUsableMs === null || nextUsableMs > overAt);
  return closing ? 'closing' : 'inside';
}
