/**
 * How fast a repository or datastore fills, from samples of what it used.
 *
 * The trend is the least-squares line of the samples (simple linear regression). It says "if it goes on like this":
 * a ladder that is not full yet grows faster than it will later, so the date is early rather than late.
 */
import { linearRegression } from 'simple-statistics';
import { DAY, type EpochMs } from '@/core/units';

/** From this share of its capacity on a place takes no new first full copies, so that what is there can go on. */
export const CRITICAL_SHARE = 0.95;

export interface SpaceSample {
  readonly atMs: EpochMs;
  readonly usedBytes: number;
}
export interface SpaceTrend {
  /** Growth; below 0 where it shrinks. */
  readonly bytesPerDay: number;
  /** Instant at which the capacity is reached, null if never at this trend; `fromMs` if it is reached already. */
  readonly fullMs: EpochMs | null;
}

/** Trend of samples in any order, seen from `fromMs`. Null with fewer than two different instants. O(n). */
export function spaceTrend(samples: readonly SpaceSample[], capacityBytes: number, fromMs: EpochMs): SpaceTrend | null {
  const newest = samples.reduce<SpaceSample | null>((a, b) => (a && a.atMs >= b.atMs ? a : b), null);
  if (!newest || samples.every((s) => s.atMs === newest.atMs)) return null;
  // Days relative to `fromMs`: instants squared would lose digits.
  const { m: bytesPerDay } = linearRegression(samples.map((s) => [(s.atMs - fromMs) / DAY, s.usedBytes]));
  const left = capacityBytes - newest.usedBytes;
  if (left <= 0) return { bytesPerDay, fullMs: fromMs };
  const fullMs = bytesPerDay > 0 ? newest.atMs + (left / bytesPerDay) * DAY : null;
  return { bytesPerDay, fullMs: fullMs === null ? null : Math.max(fromMs, Math.round(fullMs)) };
}
