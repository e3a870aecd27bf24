/** What copies read back as: their digests, blocks that spoil, and their repair from another copy. */
import type { EpochMs } from '@/core/units';
import type { DiskContent } from '@/standin/world/content';
import type { Copy, CopyStore } from '@/standin/world/copies';
import { pointDigest, rottenOf } from '@/standin/world/digest';
import { WorldRefusal } from '@/standin/world/refusal';

export class Reading {
  constructor(
    private readonly copies: CopyStore,
    private readonly disk: (id: number) => DiskContent,
  ) {}

  /** Of disks as they were at an instant. */
  of(diskIds: readonly number[], atMs: EpochMs) {
    const disks = diskIds.map((id) => ({ diskId: id, digest: this.disk(id).digest(atMs) }));
    return { digest: pointDigest(disks.map((disk) => disk.digest)), disks };
  }

  /** Of a copy as it lies at its place. */
  digestOf(copy: Copy): string {
    return pointDigest(
      copy.diskIds.map((id) => {
        const rotten = rottenOf(copy, id);
        const disk = this.disk(id);
        return rotten.length ? disk.digestFromScratch(copy.takenMs, rotten) : disk.digest(copy.takenMs);
      }),
    );
  }

  /** The same, computed from nothing but its blocks. */
  digestFromScratch(copy: Copy): string {
    return pointDigest(copy.diskIds.map((id) => this.disk(id).digestFromScratch(copy.takenMs, rottenOf(copy, id))));
  }

  /** Writes the rotten blocks of a copy anew from another copy of the same content. */
  repair(place: string, copy: Copy, source: Copy): void {
    const whole = copy.diskIds.every((id) => source.diskIds.includes(id)) && source.takenMs === copy.takenMs;
    if (source.workloadId !== copy.workloadId || !whole)
      throw new WorldRefusal('unknown-subject', copy.key, 'The other copy does not hold the same content.');
    const spoiled = copy.rottenBlocks.some((r) =>
      source.rottenBlocks.some((s) => s.diskId === r.diskId && s.block === r.block),
    );
    if (spoiled) throw new WorldRefusal('corrupt-copy', copy.key, 'The other copy is spoiled in the same block.');
    this.copies.mend(place, copy);
  }

  /** Spoils a cold block of the newest copy at a place, and so each copy that shares it. */
  rot(place: string): void {
    const newest = this.copies.all(place).sort((a, b) => b.takenMs - a.takenMs)[0];
    const diskId = newest?.diskIds.at(-1);
    if (!newest || diskId === undefined) return;
    this.copies.rot(place, newest, diskId, this.disk(diskId).coldBlock);
  }
}
