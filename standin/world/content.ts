/**
 * What is on a simulated disk, at any instant, from nothing but its seed.
 *
 * A disk is a list of blocks; a block's content is named by (seed, block, version). Versions only grow: block b has been
 * rewritten floor((W(t) + phase_b) / period_b) times, where W is elapsed time warped by the daily and weekly shape of
 * the disk's role. Blocks never written still carry the content of the image they were cloned from, so clones share it.
 * Because versions only grow, content of t1 that is still there at t2 was there all along: bytes that a chain of copies
 * stores once follow exactly from its neighbours.
 */
import { hash } from 'node:crypto';
import type { DiskRole } from '@/core/protect/policy';
import { HOUR, type EpochMs } from '@/core/units';

export interface DiskSpec {
  readonly id: number;
  readonly seed: number;
  /** Disks with the same image share the content of blocks never written. */
  readonly imageSeed: number;
  readonly role: DiskRole;
  readonly sizeBytes: number;
  /** Share of the blocks that is written at all, 0..1. */
  readonly activeShare: number;
  /** Mean warped time between two writes of an active block, in ms; hot blocks are written more often. */
  readonly periodMs: number;
}

const BLOCKS = 2048;
const GROUP = 64;
const GROUPS = BLOCKS / GROUP;
/** Part of a block that a write really changes. */
const EXTENT_SHARE = 1 / 16;
/** Share of a disk that holds anything. */
const FILLED_SHARE = 0.6;

/** Relative write rate by hour of the week (UTC), Monday first: busy by day, quiet at night and on Sunday. */
function shapeOf(role: DiskRole): Float64Array {
  const shape = new Float64Array(168);
  for (let i = 0; i < 168; i++) {
    const hour = i % 24;
    const day = Math.floor(i / 24);
    const busy = hour >= 5 && hour < 20 ? 1.6 : 0.35;
    const weekend = day >= 5 ? 0.6 : 1;
    shape[i] = role === 'system' || role === 'config' ? 1 : busy * weekend;
  }
  return shape;
}

/** 32-bit mix (murmur3 finaliser). */
export function mix(a: number, b: number): number {
  let h = Math.imul(a ^ 0x9e3779b9, 0x85ebca6b) ^ Math.imul(b + 0x7f4a7c15, 0xc2b2ae35);
  h ^= h >>> 16;
  h = Math.imul(h, 0x85ebca6b);
  h ^= h >>> 13;
  h = Math.imul(h, 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

/** Same seed, same number in [0, 1). */
export function chance(seed: number, index: number): number {
  return mix(seed, index) / 2 ** 32;
}

const warps = new Map<DiskRole, { shape: Float64Array; sum: Float64Array }>();

/** Elapsed time since 1970 warped by the role's shape, in ms. O(1). */
function warped(role: DiskRole, atMs: EpochMs): number {
  let warp = warps.get(role);
  if (!warp) {
    const shape = shapeOf(role);
    const sum = new Float64Array(169);
    shape.forEach((value, i) => (sum[i + 1] = (sum[i] as number) + value));
    warps.set(role, (warp = { shape, sum }));
  }
  // 1970-01-01 was a Thursday: Monday of that week is three days earlier.
  const hours = atMs / HOUR + 72;
  const week = Math.floor(hours / 168);
  const inWeek = hours - week * 168;
  const whole = Math.floor(inWeek);
  const total = warp.sum[168] as number;
  return (week * total + (warp.sum[whole] as number) + (inWeek - whole) * (warp.shape[whole] as number)) * HOUR;
}

export class DiskContent {
  readonly blockBytes: number;
  readonly extentBytes: number;
  private readonly period: Float64Array;
  private readonly phase: Float64Array;
  private readonly origin: number;
  private last: { readonly atMs: EpochMs; readonly digest: string } | null = null;
  private cache: { versions: Float64Array; ids: Buffer; groups: Buffer } | null = null;

  /** @param bornMs before this instant the disk is exactly its image */
  constructor(
    readonly spec: DiskSpec,
    private readonly bornMs: EpochMs,
  ) {
    this.blockBytes = Math.ceil(spec.sizeBytes / BLOCKS);
    this.extentBytes = Math.ceil(this.blockBytes * EXTENT_SHARE);
    const active = Math.max(1, Math.round(BLOCKS * spec.activeShare));
    this.period = new Float64Array(active);
    this.phase = new Float64Array(active);
    for (let b = 0; b < active; b++) {
      // The first tenth is the hot set.
      const heat = b < active / 10 ? 0.05 : 1;
      this.period[b] = spec.periodMs * heat * (0.5 + chance(spec.seed, b));
      this.phase[b] = chance(spec.seed + 1, b) * (this.period[b] as number);
    }
    this.origin = warped(spec.role, bornMs);
  }

  /** Bytes of the disk that hold anything, for a first full copy. */
  get filledBytes(): number {
    return Math.round(this.spec.sizeBytes * FILLED_SHARE);
  }

  /** Blocks whose content differs between two instants. O(active blocks). */
  changedBlocks(fromMs: EpochMs, toMs: EpochMs): number {
    const a = this.writeTime(fromMs);
    const b = this.writeTime(toMs);
    let changed = 0;
    for (let i = 0; i < this.period.length; i++) {
      const period = this.period[i] as number;
      const phase = this.phase[i] as number;
      if (Math.floor((a + phase) / period) !== Math.floor((b + phase) / period)) changed++;
    }
    return changed;
  }

  /** A block that is written now and then, of the cold part. */
  get coldBlock(): number {
    return this.period.length - 1;
  }

  /** How often a block had been rewritten at an instant; 0: still its image's. */
  versionOf(block: number, atMs: EpochMs): number {
    const period = this.period[block];
    if (period === undefined) return 0;
    return Math.floor((this.writeTime(atMs) + (this.phase[block] as number)) / period);
  }

  /** SHA-256 over the group hashes, each SHA-256 over the 64 block names of the group. O(changed groups) after the first. */
  digest(atMs: EpochMs): string {
    if (this.last?.atMs === atMs) return this.last.digest;
    const state = (this.cache ??= this.freshState());
    const at = this.writeTime(atMs);
    const dirty = new Uint8Array(GROUPS);
    for (let b = 0; b < this.period.length; b++) {
      const version = Math.floor((at + (this.phase[b] as number)) / (this.period[b] as number));
      if (version === state.versions[b]) continue;
      state.versions[b] = version;
      this.writeName(state.ids, b, version);
      dirty[(b / GROUP) | 0] = 1;
    }
    for (let g = 0; g < GROUPS; g++) if (dirty[g]) hashGroup(state.ids, state.groups, g);
    this.last = { atMs, digest: hash('sha256', state.groups, 'hex') };
    return this.last.digest;
  }

  /** The digest computed from nothing but the seed, with rotten blocks as they read back; used where a copy is opened. */
  digestFromScratch(atMs: EpochMs, rottenBlocks: readonly number[]): string {
    const fresh = new DiskContent(this.spec, this.bornMs);
    fresh.digest(atMs);
    const state = fresh.cache as { ids: Buffer; groups: Buffer };
    for (const block of rottenBlocks) {
      state.ids.writeUInt32LE(0xdeadbeef, (block % BLOCKS) * 8);
      hashGroup(state.ids, state.groups, Math.floor((block % BLOCKS) / GROUP));
    }
    return hash('sha256', state.groups, 'hex');
  }

  private writeTime(atMs: EpochMs): number {
    return Math.max(0, warped(this.spec.role, atMs) - this.origin);
  }

  private freshState(): { versions: Float64Array; ids: Buffer; groups: Buffer } {
    const ids = Buffer.alloc(BLOCKS * 8);
    const versions = new Float64Array(this.period.length);
    for (let b = 0; b < BLOCKS; b++) this.writeName(ids, b, 0);
    const groups = Buffer.alloc(GROUPS * 32);
    for (let g = 0; g < GROUPS; g++) hashGroup(ids, groups, g);
    return { versions, ids, groups };
  }

  private writeName(ids: Buffer, block: number, version: number): void {
    const seed = version === 0 ? this.spec.imageSeed : this.spec.seed;
    ids.writeUInt32LE(mix(seed, block), block * 8);
    ids.writeUInt32LE(mix(seed ^ version, block + version), block * 8 + 4);
  }
}

function hashGroup(ids: Buffer, groups: Buffer, group: number): void {
  const digest = hash('sha256', ids.subarray(group * GROUP * 8, (group + 1) * GROUP * 8), 'buffer');
  (digest as unknown as Buffer).copy(groups, group * 32);
}
