/**
 * Smoothing: start times moved inside what a lane allows, so that fewer runs contend. Runs of one cadence repeat, so the
 * plan is a circle of time bins; each lane takes the offset at which the highest bin it would touch is lowest, the
 * heaviest lanes first, and then all of them once more with the others in place.
 */

export interface SmoothLane {
  readonly id: string;
  /** Bins it keeps busy with this weight, from its start; at least 1. */
  readonly lengthBins: number;
  readonly weight: number;
  /** It repeats after so many bins; must divide the length of the circle. */
  readonly everyBins: number;
  /** Offsets it may have: from the first, up to and with the last. */
  readonly firstBin: number;
  readonly lastBin: number;
  /** Where it starts today. */
  readonly nowBin: number;
}

export interface Smoothing {
  readonly offsets: ReadonlyMap<string, number>;
  readonly peakBefore: number;
  readonly peakAfter: number;
  /** No choice of offsets has a lower peak than this. */
  readonly bound: number;
  /** How far the peak is above the bound: 0 is the best there is. */
  readonly above: number;
}

/** Rounds of improvement after the first placing. */
const ROUNDS = 2;

/** Chooses offsets on a circle of `bins`. O(rounds x lanes x offsets x bins touched). */
export function smooth(lanes: readonly SmoothLane[], bins: number): Smoothing {
  for (const lane of lanes)
    if (bins % lane.everyBins !== 0)
      throw new RangeError(`${lane.id} repeats every ${lane.everyBins} bins, which does not divide ${bins}.`);
  const load = new Float64Array(bins);
  const put = (lane: SmoothLane, offset: number, sign: 1 | -1): void => {
    for (const bin of touched(lane, offset, bins)) load[bin] = (load[bin] as number) + sign * lane.weight;
  };
  for (const lane of lanes) put(lane, lane.nowBin, 1);
  const peakBefore = highest(load);
  const offsets = new Map<string, number>();
  load.fill(0);
  const ordered = lanes.toSorted((a, b) => b.weight * b.lengthBins - a.weight * a.lengthBins);
  for (const lane of ordered) {
    const best = bestOffset(lane, load, bins);
    offsets.set(lane.id, best);
    put(lane, best, 1);
  }
  for (let round = 0; round < ROUNDS; round++)
    for (const lane of ordered) {
      put(lane, offsets.get(lane.id) as number, -1);
      const best = bestOffset(lane, load, bins);
      offsets.set(lane.id, best);
      put(lane, best, 1);
    }
  const found = highest(load);
  const bound = peakBound(lanes, bins);
  // Never worse than it is: then the times of today stay.
  if (found > peakBefore) {
    for (const lane of lanes) offsets.set(lane.id, lane.nowBin);
    return { offsets, peakBefore, peakAfter: peakBefore, bound, above: above(peakBefore, bound) };
  }
  return { offsets, peakBefore, peakAfter: found, bound, above: above(found, bound) };
}

/**
 * A counting bound: the mean of all work over the circle, the heaviest lane by itself, and, for every stretch of bins, the
 * mean of the work that must fall inside it. O(bins^2 + lanes).
 */
export function peakBound(lanes: readonly SmoothLane[], bins: number): number {
  const workOf = (lane: SmoothLane): number =>
    lane.weight * Math.min(lane.lengthBins, lane.everyBins) * (bins / lane.everyBins);
  const mean = lanes.reduce((sum, lane) => sum + workOf(lane), 0) / bins;
  let bound = Math.max(
    mean,
    0,
    ...lanes.map((lane) => lane.weight * Math.max(1, Math.ceil(lane.lengthBins / lane.everyBins))),
  );
  // Work that starts and ends inside a stretch whatever its offset; lanes that repeat more often are left to the mean.
  const once = lanes.filter((lane) => lane.everyBins === bins);
  for (const from of new Set(once.map((lane) => lane.firstBin)))
    for (const to of new Set(once.map((lane) => lane.lastBin + lane.lengthBins))) {
      if (to <= from || to - from > bins) continue;
      const inside = once.filter((lane) => lane.firstBin >= from && lane.lastBin + lane.lengthBins <= to);
      bound = Math.max(bound, inside.reduce((sum, lane) => sum + lane.weight * lane.lengthBins, 0) / (to - from));
    }
  return bound;
}

function bestOffset(lane: SmoothLane, load: Float64Array, bins: number): number {
  let best = lane.firstBin;
  let least = Infinity;
  let leastSum = Infinity;
  for (let offset = lane.firstBin; offset <= lane.lastBin; offset++) {
    let peak = 0;
    let sum = 0;
    for (const bin of touched(lane, offset, bins)) {
      const value = load[bin] as number;
      peak = Math.max(peak, value);
      sum += value;
    }
    if (peak < least || (peak === least && sum < leastSum)) [best, least, leastSum] = [offset, peak, sum];
  }
  return best;
}

function* touched(lane: SmoothLane, offset: number, bins: number): Generator<number> {
  for (let start = offset; start < offset + bins; start += lane.everyBins)
    for (let i = 0; i < lane.lengthBins; i++) yield (start + i) % bins;
}

const highest = (load: Float64Array): number => load.reduce((a, b) => Math.max(a, b), 0);
const above = (peak: number, bound: number): number => (bound > 0 ? Math.max(0, peak / bound - 1) : 0);
