/** What a number of drills says, and what it does not: quantiles, intervals for success, and bounds after no failure. */
import jstat from 'jstat';

/** Two-sided 95 % quantile of the normal distribution. */
export const Z95 = 1.959963984540054;

/**
 * Quantile by linear interpolation at h = (n - 1) p (type 7 of Hyndman & Fan 1996, from memory); NaN for no values.
 * O(n log n).
 */
export function quantile(values: readonly number[], p: number): number {
  return quantileOfSorted(
    values.toSorted((a, b) => a - b),
    p,
  );
}

/** The same for values that are ascending already. O(1). */
export function quantileOfSorted(sorted: ArrayLike<number>, p: number): number {
  const h = (sorted.length - 1) * p;
  const low = Math.floor(h);
  const below = sorted[low] ?? NaN;
  return below + (h - low) * ((sorted[low + 1] ?? below) - below);
}

export interface Interval {
  readonly low: number;
  readonly high: number;
}

/** Wilson's 95 % interval for the probability behind x successes in n (Wilson 1927, from memory). No drill: all of 0..1. */
export function wilson(successes: number, n: number, z = Z95): Interval {
  if (n === 0) return { low: 0, high: 1 };
  const p = successes / n;
  const centre = p + (z * z) / (2 * n);
  const half = z * Math.sqrt((p * (1 - p)) / n + (z * z) / (4 * n * n));
  const scale = 1 + (z * z) / n;
  return {
    low: successes === 0 ? 0 : Math.max(0, (centre - half) / scale),
    high: successes === n ? 1 : Math.min(1, (centre + half) / scale),
  };
}

/** Clopper and Pearson's exact 95 % interval (1934, from memory): never too narrow. */
export function clopperPearson(successes: number, n: number, confidence = 0.95): Interval {
  if (n === 0) return { low: 0, high: 1 };
  const tail = (1 - confidence) / 2;
  return {
    low: successes === 0 ? 0 : jstat.jStat.beta.inv(tail, successes, n - successes + 1),
    high: successes === n ? 1 : jstat.jStat.beta.inv(1 - tail, successes + 1, n - successes),
  };
}

/** After n drills without failure: with this confidence the probability of failure is at most this. One-sided, exact. */
export function failureAtMost(n: number, confidence = 0.95): number {
  return n === 0 ? 1 : 1 - (1 - confidence) ** (1 / n);
}

/** The rule of three: 3 / n, never above 1. Good enough from some thirty drills on. */
export const ruleOfThree = (n: number): number => (n === 0 ? 1 : Math.min(1, 3 / n));

/** Drills without failure that it takes to claim a success probability with a confidence. */
export function drillsNeeded(success: number, confidence = 0.95): number {
  return Math.ceil(Math.log(1 - confidence) / Math.log(success));
}

/** Plain words for a record: few drills must not look like certainty. */
export function confidenceWords(successes: number, n: number): string {
  if (n === 0) return 'never drilled: nothing is known';
  const { low, high } = wilson(successes, n);
  const percent = (share: number): string => `${Math.round(share * 100)}%`;
  const drills = n === 1 ? '1 drill' : `${n} drills`;
  return `${successes} of ${drills} passed: between ${percent(low)} and ${percent(high)} would, with 95% confidence`;
}
