/** How many hosts are needed at least, and what first fit makes of it, in one dimension. Sizes in any one unit. */

/** Bins of a capacity in the order in which first fit opens them. O(items x bins). */
export function firstFit(items: readonly number[], capacity: number): number[][] {
  const bins: Array<{ left: number; items: number[] }> = [];
  for (const item of items) {
    if (item > capacity) throw new RangeError(`${item} does not fit into ${capacity}.`);
    let bin = bins.find((b) => b.left >= item);
    if (!bin) bins.push((bin = { left: capacity, items: [] }));
    bin.left -= item;
    bin.items.push(item);
  }
  return bins.map((bin) => bin.items);
}

/** First fit by falling size: at most 11/9 of the best and 6/9 more (Dosa 2007, from memory). */
export function firstFitDecreasing(items: readonly number[], capacity: number): number[][] {
  return firstFit(
    items.toSorted((a, b) => b - a),
    capacity,
  );
}

/** Most bins that first fit decreasing can need where `best` suffice. */
export const firstFitWorst = (best: number): number => Math.floor((11 * best + 6) / 9);

/** Lower bound by volume. */
export const volumeBound = (items: readonly number[], capacity: number): number =>
  Math.ceil(items.reduce((sum, item) => sum + item, 0) / capacity - 1e-12);

/**
 * Lower bound L2 (Martello & Toth, Knapsack Problems, ch. 8, from memory): for each threshold a, items above c - a and
 * above c / 2 have a bin each; what the smaller ones from a on need beyond the room beside them comes on top. O(n^2).
 */
export function martelloTothBound(items: readonly number[], capacity: number): number {
  const thresholds = [0, ...items.filter((item) => item <= capacity / 2)];
  return Math.max(
    ...thresholds.map((a) => {
      const large = items.filter((w) => w > capacity - a);
      const half = items.filter((w) => w <= capacity - a && w > capacity / 2);
      const small = items.filter((w) => w <= capacity / 2 && w >= a);
      const beside = half.length * capacity - total(half);
      return large.length + half.length + Math.max(0, Math.ceil((total(small) - beside) / capacity - 1e-12));
    }),
  );
}

const total = (list: readonly number[]): number => list.reduce((sum, item) => sum + item, 0);
