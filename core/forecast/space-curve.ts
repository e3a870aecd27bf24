/**
 * Space of a repository or datastore over the days to come, from what its lanes will hold: their ladders fill, level off
 * and thin, which a trend of past samples cannot know.
 *
 * Model: a lane holds one full copy, which is there already, and with each further point the blocks changed since the
 * point kept before it: min(most, rate x gap). When a point between two others goes, its changes merge into the newer one.
 */
import { letGoBy, type Ladder, type LadderPoint } from '@/core/protect/ladder';
import { groupBy } from '@/core/group-by';
import { occurrences, type Cadence } from '@/core/time/cadence';
import { DAY, type EpochMs } from '@/core/units';

export interface SpaceLane {
  readonly cadence: Cadence;
  readonly ladder: Ladder;
  /** Since when it has taken points. */
  readonly sinceMs: EpochMs;
  /** Bytes a point adds a ms since the one before, and the most it can add. */
  readonly bytesPerMs: number;
  readonly mostBytes: number;
}

/** A year is as far as the curve goes. */
export const MAX_DAYS = 365;

/**
 * Bytes in use at `fromMs` and at the end of each day after it, `days` + 1 values.
 *
 * @param usedBytes in use at `fromMs`
 * @param growth factor by which the rates of change grow in a year, 1: none
 * @throws RangeError for days outside 1..365
 *
 * Cost: O(days x (classes x points + lanes x points)); lanes of one cadence, ladder and first day are one class, since
 * thinning day by day leaves what thinning once would.
 */
export function spaceCurve(
  lanes: readonly SpaceLane[],
  usedBytes: number,
  fromMs: EpochMs,
  days: number,
  growth = 1,
): Float64Array {
  if (!(days >= 1 && days <= MAX_DAYS)) throw new RangeError(`A curve covers 1 to ${MAX_DAYS} days, not ${days}.`);
  const curve = new Float64Array(days + 1).fill(usedBytes);
  const classes = groupBy(lanes, ({ cadence, ladder, sinceMs }) =>
    JSON.stringify([cadence, ladder, Math.floor(sinceMs / DAY)]),
  );
  for (const members of classes.values()) addClass(curve, members, fromMs, growth);
  return curve;
}

function addClass(curve: Float64Array, members: readonly SpaceLane[], fromMs: EpochMs, growth: number): void {
  const { cadence, ladder, sinceMs } = members[0] as SpaceLane;
  const take = (from: EpochMs, to: EpochMs): LadderPoint[] =>
    occurrences(cadence, from, to).map((takenAtMs) => ({ id: String(takenAtMs), takenAtMs }));
  let kept = thinned(ladder, take(Math.min(sinceMs, fromMs), fromMs), fromMs);
  const now = bytesOf(kept, members, fromMs, growth);
  for (let day = 1; day < curve.length; day++) {
    const endMs = fromMs + day * DAY;
    kept = thinned(ladder, [...kept, ...take(endMs - DAY, endMs)], endMs);
    curve[day] = (curve[day] as number) + bytesOf(kept, members, fromMs, growth) - now;
  }
}

function thinned(ladder: Ladder, points: readonly LadderPoint[], atMs: EpochMs): LadderPoint[] {
  const gone = new Set(letGoBy(ladder, points, atMs));
  return points.filter((point) => !gone.has(point.id));
}

function bytesOf(kept: readonly LadderPoint[], members: readonly SpaceLane[], fromMs: EpochMs, growth: number): number {
  let bytes = 0;
  for (let i = 1; i < kept.length; i++) {
    const { takenAtMs } = kept[i] as LadderPoint;
    const gap = takenAtMs - (kept[i - 1] as LadderPoint).takenAtMs;
    const grown = growth === 1 ? 1 : growth ** (Math.max(0, takenAtMs - fromMs) / (365 * DAY));
    for (const { bytesPerMs, mostBytes } of members) bytes += Math.min(mostBytes, bytesPerMs * grown * gap);
  }
  return bytes;
}
