/** How well a promise was kept: share of time inside the RPO by workload, tier and application; lag; copies demanded. */
import type { DurationMs, EpochMs } from '@/core/units';

export interface MissSpan {
  readonly workloadId: number;
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs | null;
}
export interface Kept {
  /** Share of time inside the RPO, 0..1. */
  readonly share: number;
  readonly overMs: DurationMs;
  readonly misses: number;
  readonly longestMs: DurationMs;
}

/** Attainment of each workload over [fromMs, toMs), from its spans over the RPO. O(spans). */
export function attainment(
  workloadIds: readonly number[],
  spans: readonly MissSpan[],
  fromMs: EpochMs,
  toMs: EpochMs,
): Map<number, Kept> {
  const found = new Map(workloadIds.map((id) => [id, { overMs: 0, misses: 0, longestMs: 0 }]));
  for (const span of spans) {
    const own = found.get(span.workloadId);
    const length = Math.min(span.toMs ?? toMs, toMs) - Math.max(span.fromMs, fromMs);
    if (!own || length <= 0) continue;
    own.overMs += length;
    own.misses++;
    own.longestMs = Math.max(own.longestMs, length);
  }
  const whole = toMs - fromMs;
  return new Map([...found].map(([id, own]) => [id, { ...own, share: whole > 0 ? 1 - own.overMs / whole : 1 }]));
}

/** The same for a group: time counts for every workload alike, so the share is the mean of theirs; of none, 1. */
export function groupAttainment(kept: readonly Kept[]): Kept {
  const sum = kept.reduce((total, k) => total + k.share, 0);
  return {
    share: kept.length ? sum / kept.length : 1,
    overMs: kept.reduce((total, k) => total + k.overMs, 0),
    misses: kept.reduce((total, k) => total + k.misses, 0),
    longestMs: kept.reduce((most, k) => Math.max(most, k.longestMs), 0),
  };
}

/** How far a replica is behind its source: since its newest content was taken, and what is still to send. */
export function replicaLag(newestTakenMs: EpochMs | null, atMs: EpochMs, bytesPerMs: number, mostBytes: number) {
  if (newestTakenMs === null) return { lagMs: null, toSendBytes: mostBytes };
  const lagMs = Math.max(0, atMs - newestTakenMs);
  return { lagMs, toSendBytes: Math.min(mostBytes, Math.round(lagMs * bytesPerMs)) };
}

/** A place that holds usable content of a workload; its live disks count as one, the original. */
export interface CopyPlace {
  readonly siteId: number;
  /** What kind of storage it is: two copies on one kind share its weakness. */
  readonly storage: string;
  readonly immutable: boolean;
  /** Newest content there was read back and equals its source; null: never read back. */
  readonly verified: boolean | null;
}
export interface CopyDemand {
  readonly copies: number;
  readonly storages: number;
  readonly offSite: number;
  readonly immutable: number;
}
/** Three copies on two kinds of storage, one off-site, one immutable, no error at verification: common practice, no source. */
export const THREE_TWO_ONE_ONE_ZERO: CopyDemand = { copies: 3, storages: 2, offSite: 1, immutable: 1 };

export interface CopyFinding {
  readonly rule: 'copies' | 'storages' | 'off-site' | 'immutable' | 'errors';
  readonly wanted: number;
  readonly found: number;
  readonly met: boolean;
}

/** Checks copies against what is demanded. `original` counts as a copy; an unverified copy is no error, a failed one is. */
export function copyFindings(
  original: CopyPlace,
  copies: readonly CopyPlace[],
  demand: CopyDemand = THREE_TWO_ONE_ONE_ZERO,
): CopyFinding[] {
  const good = copies.filter((copy) => copy.verified !== false);
  const all = [original, ...good];
  const atLeast = (rule: CopyFinding['rule'], wanted: number, found: number): CopyFinding => ({
    rule,
    wanted,
    found,
    met: found >= wanted,
  });
  const errors = copies.length - good.length;
  return [
    atLeast('copies', demand.copies, all.length),
    atLeast('storages', demand.storages, new Set(all.map((copy) => copy.storage)).size),
    atLeast('off-site', demand.offSite, good.filter((copy) => copy.siteId !== original.siteId).length),
    atLeast('immutable', demand.immutable, good.filter((copy) => copy.immutable).length),
    { rule: 'errors', wanted: 0, found: errors, met: errors === 0 },
  ];
}
