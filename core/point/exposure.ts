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

/** A stretch in which a stream was never more than `lagMs` behind. */
export interface ExposureFlow {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly lagMs: DurationMs;
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
/** Exposure between two instants: it rises with time, or stays; null: there was no usable point. */
interface Slope {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly exposureMs: readonly [first: DurationMs, last: DurationMs] | null;
}

/** Worst exposure over each of several spans that end at `toMs`; null: at some moment of it there was no usable point. */
export function worstExposures(
  points: readonly ExposurePoint[],
  flows: readonly ExposureFlow[],
  toMs: EpochMs,
  spans: readonly DurationMs[],
): Array<DurationMs | null> {
  const slopes = slopesOf(risesOf(points, toMs - Math.max(...spans), toMs), flows);
  return spans.map((span) => {
    // Exposure is worst where a slope ends, so one that begins earlier counts as well.
    const lasts = slopes.filter((slope) => slope.toMs > toMs - span).map(({ exposureMs }) => exposureMs?.[1] ?? null);
    return lasts.includes(null) ? null : Math.max(0, ...(lasts as number[]));
  });
}

/** Worst, least, mean and share within `limitMs` over [fromMs, toMs). O(n log n) in points, O(n²) in flows, which are few. */
export function summariseExposure(
  points: readonly ExposurePoint[],
  fromMs: EpochMs,
  toMs: EpochMs,
  limitMs: DurationMs,
  flows: readonly ExposureFlow[] = [],
): ExposureSummary {
  let within = 0;
  let area = 0;
  let worst: number | null = 0;
  let least: number | null = null;
  let complete = true;
  for (const { fromMs: a, toMs: b, exposureMs } of slopesOf(risesOf(points, fromMs, toMs), flows)) {
    if (!exposureMs) {
      worst = null;
      complete = false;
      continue;
    }
    const [first, last] = exposureMs;
    if (worst !== null) worst = Math.max(worst, last);
    least = least === null ? first : Math.min(least, first);
    area += ((first + last) / 2) * (b - a);
    within += last <= limitMs ? b - a : Math.min(b - a, Math.max(0, limitMs - first));
  }
  const span = toMs - fromMs;
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

/** Exposure is never more than the lag of a stream that flows: rises are cut where they reach it. */
function slopesOf(rises: readonly Rise[], flows: readonly ExposureFlow[]): Slope[] {
  const turns = [...new Set(flows.flatMap(({ fromMs, toMs }) => [fromMs, toMs]))].sort((a, b) => a - b);
  return rises.flatMap((rise) => {
    const cuts = [rise.fromMs, ...turns.filter((at) => at > rise.fromMs && at < rise.toMs), rise.toMs];
    return cuts.slice(1).flatMap((toMs, i) => slopesBelow({ ...rise, fromMs: cuts[i] as EpochMs, toMs }, flows));
  });
}

/** Of a rise in which no flow begins or ends. */
function slopesBelow({ fromMs, toMs, newestTakenMs: taken }: Rise, flows: readonly ExposureFlow[]): Slope[] {
  const lags = flows.flatMap((flow) => (flow.fromMs <= fromMs && flow.toMs >= toMs ? [flow.lagMs] : []));
  const lagMs = lags.length ? Math.min(...lags) : Infinity;
  const kneeMs = Math.min(
    toMs,
    taken === null ? (lagMs === Infinity ? toMs : fromMs) : Math.max(fromMs, taken + lagMs),
  );
  const rising: Slope = {
    fromMs,
    toMs: kneeMs,
    exposureMs: taken === null ? null : [fromMs - taken, kneeMs - taken],
  };
  const level: Slope = { fromMs: kneeMs, toMs, exposureMs: [lagMs, lagMs] };
  return [rising, level].filter((slope) => slope.fromMs < slope.toMs);
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
