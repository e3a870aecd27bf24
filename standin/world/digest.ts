/** Digests of points, and what of a copy reads back wrong. */
import { hash } from 'node:crypto';
import type { Copy } from '@/standin/world/copies';

/** Digest of a point: SHA-256 over the digests of its disks in the order of their ids. */
export function pointDigest(diskDigests: readonly string[]): string {
  return hash('sha256', diskDigests.join('\n'), 'hex');
}

/** Blocks of a disk that are spoiled in a copy. */
export const rottenOf = (copy: Copy, diskId: number): number[] =>
  copy.rottenBlocks.filter((rotten) => rotten.diskId === diskId).map((rotten) => rotten.block);
