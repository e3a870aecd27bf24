/**
 * How many different blocks a number of writes touches: what a snapshot reserve must hold and what merging changes saves.
 * Classical occupancy (Feller, An Introduction to Probability Theory I, from memory): n uniform writes on D blocks.
 */

/** Expected different blocks: D (1 - (1 - 1/D)^n), by expm1 and log1p so that nothing cancels for large D. */
export function expectedBlocks(blocks: number, writes: number): number {
  return blocks === 0 ? 0 : -blocks * Math.expm1(writes * Math.log1p(-1 / blocks));
}

/** The same for many blocks and writes: D (1 - e^(-n/D)). */
export function expectedBlocksContinuous(blocks: number, writes: number): number {
  return blocks === 0 ? 0 : -blocks * Math.expm1(-writes / blocks);
}

/** Variance of the number of different blocks. The formula cancels for large D: use it below some 100,000 blocks. */
export function varianceOfBlocks(blocks: number, writes: number): number {
  if (blocks === 0) return 0;
  const one = Math.exp(writes * Math.log1p(-1 / blocks));
  const two = blocks > 2 ? Math.exp(writes * Math.log1p(-2 / blocks)) : writes === 0 ? 1 : 0;
  return blocks * (blocks - 1) * two + blocks * one - blocks * blocks * one * one;
}

/** Writes after which a share of the blocks is touched, exactly or for many blocks. */
export function writesForShare(share: number, blocks = Infinity): number {
  return blocks === Infinity ? -Math.log1p(-share) : Math.log1p(-share) / Math.log1p(-1 / blocks);
}

/** A part of a disk that takes a part of its writes. */
export interface Region {
  readonly blocks: number;
  readonly writeShare: number;
}

/** Expected different blocks when regions take different shares of the writes; regions are independent. */
export function expectedInRegions(regions: readonly Region[], writes: number): number {
  return regions.reduce(
    (sum, { blocks, writeShare }) => sum + -blocks * Math.expm1(writes * Math.log1p(-writeShare / blocks)),
    0,
  );
}

/** Bytes a snapshot must be able to hold: what is expected and a margin of deviations, for uniform writes. */
export function snapshotReserve(blocks: number, blockBytes: number, writes: number, deviations = 3): number {
  const spread =
    blocks <= 100_000
      ? Math.sqrt(Math.max(0, varianceOfBlocks(blocks, writes)))
      : Math.sqrt(expectedBlocks(blocks, writes));
  return Math.min(blocks, expectedBlocks(blocks, writes) + deviations * spread) * blockBytes;
}
