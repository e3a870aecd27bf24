/** Availability of independent parts in a row, beside each other, and k of n. Shares in 0..1; by definition. */

/** All must work. */
export const inSeries = (parts: readonly number[]): number => parts.reduce((product, a) => product * a, 1);

/** One must work. */
export const inParallel = (parts: readonly number[]): number => 1 - parts.reduce((product, a) => product * (1 - a), 1);

/** Probability that at least `k` of the parts work, which may differ (Poisson-binomial sum). O(n^2). */
export function atLeast(k: number, parts: readonly number[]): number {
  let working = [1];
  for (const a of parts) {
    const next = new Array<number>(working.length + 1).fill(0);
    working.forEach((p, n) => {
      next[n] = (next[n] as number) + p * (1 - a);
      next[n + 1] = (next[n + 1] as number) + p * a;
    });
    working = next;
  }
  return working.slice(Math.max(0, k)).reduce((sum, p) => sum + p, 0);
}

/** Share of time that a part works, from the mean times between failures and to repair, in one unit. */
export const availability = (betweenFailures: number, toRepair: number): number =>
  betweenFailures / (betweenFailures + toRepair);

/** Unavailable time in a span, in the unit of the span. */
export const downtime = (available: number, span: number): number => (1 - available) * span;

/** Probability to survive a time without failure at a constant rate. */
export const survival = (betweenFailures: number, time: number): number => Math.exp(-time / betweenFailures);
