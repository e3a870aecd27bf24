/**
 * Copies at their places, and the bytes each place stores once.
 *
 * A chain holds the copies of one workload at one place by the instant of their content. Content that two neighbours
 * share is stored once, so adding or removing a copy changes the stored bytes only by what its neighbours do not have
 * (content.ts says why neighbours suffice). Image content is stored once a place for all clones of the image.
 */
import type { DiskContent } from '@/standin/world/content';
import type { EpochMs } from '@/core/units';

/** Share left after compression; common practice, no source. */
export const COMPRESSED = 0.5;
/** Part of the filled bytes of a system disk that is still its image's. */
const IMAGE_SHARE = 0.8;

export interface Copy {
  readonly key: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
  /** Disks that are in it. */
  readonly diskIds: readonly number[];
  /** Blocks that read back wrong. */
  readonly rottenBlocks: RottenBlock[];
  /** Nobody may delete it before. */
  lockedUntilMs?: EpochMs;
  /** Came on a disk: the ground of the first copy, no copy itself. */
  readonly shipped?: boolean;
}

export interface RottenBlock {
  readonly diskId: number;
  readonly block: number;
}

export class CopyStore {
  private readonly chains = new Map<string, Copy[]>();
  private readonly used = new Map<string, number>();
  private readonly images = new Map<string, Set<number>>();
  private readonly byKey = new Map<string, Copy>();
  /** What came and went since somebody drained it: for whoever keeps the store durable. */
  readonly changes: Array<{ readonly place: string; readonly copy: Copy; readonly gone: boolean }> = [];

  constructor(private readonly disk: (id: number) => DiskContent) {}

  usedBytes(place: string): number {
    return Math.round(this.used.get(place) ?? 0);
  }

  find(place: string, key: string): Copy | undefined {
    return this.byKey.get(`${place}/${key}`);
  }

  /** Overrides the counted bytes of a place, when a store is read back. */
  setUsedBytes(place: string, bytes: number): void {
    this.used.set(place, bytes);
  }

  all(place: string): Copy[] {
    return [...this.byKey].filter(([key]) => key.startsWith(`${place}/`)).map(([, copy]) => copy);
  }

  /** Newest content of a workload at a place not after an instant. */
  before(place: string, workloadId: number, takenMs: EpochMs): Copy | undefined {
    return this.chains.get(`${place}/${workloadId}`)?.findLast((copy) => copy.takenMs <= takenMs);
  }

  /** Bytes to read and to send for content of `takenMs`, given what the place already has. */
  difference(
    place: string,
    workloadId: number,
    diskIds: readonly number[],
    takenMs: EpochMs,
  ): { inspected: number; send: number } {
    const base = this.before(place, workloadId, takenMs);
    let inspected = 0;
    let send = 0;
    for (const id of diskIds) {
      const disk = this.disk(id);
      if (!base?.diskIds.includes(id)) {
        inspected += disk.filledBytes;
        send += this.firstCopyBytes(place, disk);
        continue;
      }
      const blocks = disk.changedBlocks(base.takenMs, takenMs);
      inspected += blocks * disk.blockBytes;
      send += blocks * disk.extentBytes * COMPRESSED;
    }
    return { inspected, send: Math.round(send) };
  }

  /** Adds a copy; the same key twice has one effect. Returns the bytes that the place stores more. */
  add(place: string, copy: Copy): number {
    const chainKey = `${place}/${copy.workloadId}`;
    const chain = this.chains.get(chainKey) ?? [];
    if (this.byKey.has(`${place}/${copy.key}`)) return 0;
    let index = chain.length;
    while (index > 0 && (chain[index - 1] as Copy).takenMs > copy.takenMs) index--;
    const stored = this.marginal(place, chain[index - 1], copy, chain[index]);
    chain.splice(index, 0, copy);
    this.byKey.set(`${place}/${copy.key}`, copy);
    this.changes.push({ place, copy, gone: false });
    this.chains.set(chainKey, chain);
    for (const id of copy.diskIds) this.imagesOf(place).add(this.disk(id).spec.imageSeed);
    this.used.set(place, (this.used.get(place) ?? 0) + stored);
    const ground = copy.shipped ? undefined : chain.find((other) => other.shipped);
    if (ground) this.remove(place, copy.workloadId, ground.key);
    return Math.round(stored);
  }

  /** Locks a copy; a lock is only ever made longer. */
  lock(place: string, copy: Copy, untilMs: EpochMs): void {
    copy.lockedUntilMs = Math.max(copy.lockedUntilMs ?? 0, untilMs);
    this.changes.push({ place, copy, gone: false });
  }

  /** Removes a copy; an unknown one is no error. Returns the bytes set free. */
  remove(place: string, workloadId: number, key: string): number {
    const chain = this.chains.get(`${place}/${workloadId}`) ?? [];
    const index = chain.findIndex((copy) => copy.key === key);
    if (index < 0) return 0;
    const [copy] = chain.splice(index, 1) as [Copy];
    this.byKey.delete(`${place}/${key}`);
    this.changes.push({ place, copy, gone: true });
    const freed = this.marginal(place, chain[index - 1], copy, chain[index]);
    this.used.set(place, Math.max(0, (this.used.get(place) ?? 0) - freed));
    return Math.round(freed);
  }

  /**
   * Spoils one stored block: of the disk `diskId` as it was in `copy`. Every copy at the place that holds this very
   * content reads back wrong from now on, since the place stores it once.
   */
  rot(place: string, copy: Copy, diskId: number, block: number): void {
    const disk = this.disk(diskId);
    const version = disk.versionOf(block, copy.takenMs);
    for (const other of this.all(place))
      for (const id of other.diskIds) {
        const same = id === diskId || (version === 0 && this.disk(id).spec.imageSeed === disk.spec.imageSeed);
        if (!same || this.disk(id).versionOf(block, other.takenMs) !== version) continue;
        if (other.rottenBlocks.some((rotten) => rotten.diskId === id && rotten.block === block)) continue;
        other.rottenBlocks.push({ diskId: id, block });
        this.changes.push({ place, copy: other, gone: false });
      }
  }

  /** Makes a copy good again; whatever shares its content at the place is good with it. */
  mend(place: string, copy: Copy): void {
    for (const { diskId, block } of [...copy.rottenBlocks]) {
      const disk = this.disk(diskId);
      const version = disk.versionOf(block, copy.takenMs);
      for (const other of this.all(place)) {
        const at = other.rottenBlocks.findIndex(
          (r) =>
            r.block === block &&
            (r.diskId === diskId || (version === 0 && this.disk(r.diskId).spec.imageSeed === disk.spec.imageSeed)) &&
            this.disk(r.diskId).versionOf(block, other.takenMs) === version,
        );
        if (at < 0) continue;
        other.rottenBlocks.splice(at, 1);
        this.changes.push({ place, copy: other, gone: false });
      }
    }
  }

  /** Bytes that only `copy` needs, between its neighbours. */
  private marginal(place: string, before: Copy | undefined, copy: Copy, after: Copy | undefined): number {
    let bytes = 0;
    for (const id of copy.diskIds) {
      const disk = this.disk(id);
      const extent = disk.extentBytes * COMPRESSED;
      const hasBefore = before?.diskIds.includes(id);
      const hasAfter = after?.diskIds.includes(id);
      if (!hasBefore && !hasAfter) bytes += this.firstCopyBytes(place, disk);
      else if (hasBefore && hasAfter && before && after)
        bytes +=
          extent *
          (disk.changedBlocks(before.takenMs, copy.takenMs) +
            disk.changedBlocks(copy.takenMs, after.takenMs) -
            disk.changedBlocks(before.takenMs, after.takenMs));
      else {
        const other = (hasBefore ? before : after) as Copy;
        bytes +=
          extent * disk.changedBlocks(Math.min(other.takenMs, copy.takenMs), Math.max(other.takenMs, copy.takenMs));
      }
    }
    return Math.max(0, bytes);
  }

  private firstCopyBytes(place: string, disk: DiskContent): number {
    const shared = disk.spec.role === 'system' && this.imagesOf(place).has(disk.spec.imageSeed);
    return disk.filledBytes * COMPRESSED * (shared ? 1 - IMAGE_SHARE : 1);
  }

  private imagesOf(place: string): Set<number> {
    let images = this.images.get(place);
    if (!images) this.images.set(place, (images = new Set()));
    return images;
  }
}
