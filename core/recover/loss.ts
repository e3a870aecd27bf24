/**
 * What would be lost if a part were gone: for any failure at an instant, per workload the best point that survives, its
 * age, where it can be brought back and how long that takes, against RPO and RTO, with the reason.
 *
 * Points are first brought down to the newest usable one per workload and place (`survey`), so a failure costs
 * O(workloads x places of one), and a sweep of all parts the parts times that.
 */
import type { DurationMs, EpochMs } from '@/core/units';

/** Every part that can be lost is named by its kind and id, "site:2", "link:1", "repository:3". */
export type PartId = string;

export interface LossWorkload {
  readonly id: number;
  readonly applicationId: number;
  readonly tier: number;
  readonly rpoMs: DurationMs;
  readonly rtoMs: DurationMs;
  readonly siteId: number;
  /** Parts without which it does not run: its site, cluster, host, datastore. */
  readonly runsOn: readonly PartId[];
  readonly cores: number;
  readonly memoryBytes: number;
  readonly bootMs: DurationMs;
  /** Disks without which it does not boot. */
  readonly bootDisks: readonly number[];
}
export interface LossPoint {
  readonly workloadId: number;
  readonly place: PartId;
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly goneMs: EpochMs | null;
  readonly corrupt: boolean;
  readonly diskIds: readonly number[];
  readonly bytes: number;
}
export interface LossPlace {
  readonly id: PartId;
  readonly siteId: number;
  /** Parts without which nothing comes back from it: its site, its mover. */
  readonly needs: readonly PartId[];
  /** Machines start from it where it lies, without being copied first. */
  readonly startsAtOnce: boolean;
  /** What can be read from it, in bytes a ms. */
  readonly bytesPerMs: number;
}
export interface LossCluster {
  readonly id: PartId;
  readonly siteId: number;
  readonly needs: readonly PartId[];
  readonly freeCores: number;
  readonly freeMemoryBytes: number;
}
export interface LossFacts {
  readonly workloads: readonly LossWorkload[];
  readonly points: readonly LossPoint[];
  readonly places: readonly LossPlace[];
  readonly clusters: readonly LossCluster[];
  /** Ways between two sites; a restore to another site than the copy's needs one. */
  readonly links: ReadonlyArray<{
    readonly id: PartId;
    readonly sites: readonly [number, number];
    readonly bytesPerMs: number;
  }>;
}

export interface Failure {
  readonly lost: ReadonlySet<PartId>;
  /** What was written since then must not be trusted: every workload goes back to before it. */
  readonly badSinceMs?: EpochMs;
}

export type Fate =
  | { readonly kind: 'runs' }
  | {
      readonly kind: 'back';
      readonly place: PartId;
      readonly cluster: PartId;
      readonly takenMs: EpochMs;
      readonly ageMs: DurationMs;
      readonly tookMs: DurationMs;
      readonly withinRpo: boolean;
      readonly withinRto: boolean;
    }
  | { readonly kind: 'lost'; readonly reason: 'no-point' | 'no-room' | 'no-way' };

interface Candidate {
  readonly place: LossPlace;
  readonly takenMs: EpochMs;
  readonly bytes: number;
}
/** Usable points by workload, newest first; per place only the newest, unless an instant is asked for. */
export interface Survey {
  readonly facts: LossFacts;
  readonly atMs: EpochMs;
  readonly candidates: ReadonlyMap<number, readonly Candidate[]>;
}

/** Brings the points down to those that count at `atMs`, all taken before `beforeMs`. O(points). */
export function survey(facts: LossFacts, atMs: EpochMs, beforeMs: EpochMs = Infinity): Survey {
  const places = new Map(facts.places.map((place) => [place.id, place]));
  const boot = new Map(facts.workloads.map((w) => [w.id, w.bootDisks]));
  const newest = new Map<number, Map<PartId, Candidate>>();
  for (const point of facts.points) {
    const place = places.get(point.place);
    const needed = boot.get(point.workloadId);
    if (!place || !needed || !isUsable(point, atMs, beforeMs) || !needed.every((id) => point.diskIds.includes(id)))
      continue;
    const mine = newest.get(point.workloadId) ?? new Map<PartId, Candidate>();
    if ((mine.get(point.place)?.takenMs ?? -Infinity) < point.takenMs)
      mine.set(point.place, { place, takenMs: point.takenMs, bytes: point.bytes });
    newest.set(point.workloadId, mine);
  }
  const candidates = new Map(
    [...newest].map(([id, mine]) => [id, [...mine.values()].sort((a, b) => b.takenMs - a.takenMs)]),
  );
  return { facts, atMs, candidates };
}

function isUsable(point: LossPoint, atMs: EpochMs, beforeMs: EpochMs): boolean {
  return (
    !point.corrupt &&
    point.usableMs <= atMs &&
    point.takenMs < beforeMs &&
    (point.goneMs === null || point.goneMs > atMs)
  );
}

/** Fate of every workload, in their order. What was written since `badSinceMs` was left out by the survey. */
export function fates(surveyed: Survey, failure: Failure): Fate[] {
  const { facts } = surveyed;
  const found: Fate[] = facts.workloads.map(() => ({ kind: 'runs' }));
  const down = facts.workloads
    .map((workload, index) => ({ workload, index }))
    .filter(
      ({ workload }) => failure.badSinceMs !== undefined || workload.runsOn.some((part) => failure.lost.has(part)),
    );
  // Who is worth most is brought back first; it takes room and the line before the others.
  down.sort((a, b) => a.workload.tier - b.workload.tier || a.workload.id - b.workload.id);
  const recovery = new Recovery(
    facts,
    failure,
    down.map(({ workload }) => workload),
  );
  for (const { workload, index } of down) found[index] = recovery.bringBack(workload, surveyed);
  return found;
}

interface Room {
  readonly cluster: LossCluster;
  cores: number;
  memory: number;
}

/** Room and lines as they are used up by one workload after the other. */
class Recovery {
  private readonly rooms: readonly Room[];
  /** When each place and link has read or sent what was asked of it before, in ms from the beginning. */
  private readonly busyUntil = new Map<PartId, DurationMs>();

  constructor(
    private readonly facts: LossFacts,
    private readonly failure: Failure,
    down: readonly LossWorkload[],
  ) {
    // What went down in a cluster that still stands gives its room back.
    const freed = new Map<PartId, { cores: number; memory: number }>();
    for (const workload of down)
      for (const part of workload.runsOn) {
        const sum = freed.get(part) ?? { cores: 0, memory: 0 };
        freed.set(part, { cores: sum.cores + workload.cores, memory: sum.memory + workload.memoryBytes });
      }
    this.rooms = facts.clusters
      .filter((cluster) => ![cluster.id, ...cluster.needs].some((part) => failure.lost.has(part)))
      .map((cluster) => ({
        cluster,
        cores: cluster.freeCores + (freed.get(cluster.id)?.cores ?? 0),
        memory: cluster.freeMemoryBytes + (freed.get(cluster.id)?.memory ?? 0),
      }));
  }

  bringBack(workload: LossWorkload, { candidates, atMs }: Survey): Fate {
    const usable = (candidates.get(workload.id) ?? []).filter(
      ({ place }) => ![place.id, ...place.needs].some((part) => this.failure.lost.has(part)),
    );
    if (!usable.length) return { kind: 'lost', reason: 'no-point' };
    let reason: 'no-room' | 'no-way' = 'no-room';
    for (const candidate of usable) {
      const way = this.wayFor(workload, candidate);
      if (typeof way === 'string') reason = way;
      else return this.take(workload, candidate, way, atMs);
    }
    return { kind: 'lost', reason };
  }

  /** Where a copy can be brought back, nearest first: its own site without a line, then others over one. */
  private wayFor(
    workload: LossWorkload,
    { place }: Candidate,
  ): { room: Room; link: LossFacts['links'][number] | null } | 'no-room' | 'no-way' {
    const fits = this.rooms.filter((room) => room.cores >= workload.cores && room.memory >= workload.memoryBytes);
    if (!fits.length) return 'no-room';
    const here = fits.find((room) => room.cluster.siteId === place.siteId);
    if (here) return { room: here, link: null };
    // A machine that starts from where its copy lies cannot start elsewhere without being sent.
    for (const room of fits) {
      const link = this.facts.links.find(
        (l) => !this.failure.lost.has(l.id) && l.sites.includes(place.siteId) && l.sites.includes(room.cluster.siteId),
      );
      if (link) return { room, link };
    }
    return 'no-way';
  }

  private take(
    workload: LossWorkload,
    candidate: Candidate,
    { room, link }: { room: Room; link: LossFacts['links'][number] | null },
    atMs: EpochMs,
  ): Fate {
    room.cores -= workload.cores;
    room.memory -= workload.memoryBytes;
    const { place, takenMs, bytes } = candidate;
    const copied = place.startsAtOnce && !link ? 0 : this.queue(place.id, place.bytesPerMs, bytes, link);
    const tookMs = Math.round(copied + workload.bootMs);
    const ageMs = atMs - takenMs;
    return {
      kind: 'back',
      place: place.id,
      cluster: room.cluster.id,
      takenMs,
      ageMs,
      tookMs,
      withinRpo: ageMs <= workload.rpoMs,
      withinRto: tookMs <= workload.rtoMs,
    };
  }

  /** One after the other at full rate: the whole ends as early as with shared rates, and who comes first is back first. */
  private queue(place: PartId, bytesPerMs: number, bytes: number, link: LossFacts['links'][number] | null): DurationMs {
    const rate = Math.min(bytesPerMs, link?.bytesPerMs ?? Infinity);
    const start = Math.max(this.busyUntil.get(place) ?? 0, link ? (this.busyUntil.get(link.id) ?? 0) : 0);
    const end = start + bytes / rate;
    this.busyUntil.set(place, end);
    if (link) this.busyUntil.set(link.id, end);
    return end;
  }
}

export interface LossRow {
  readonly parts: readonly PartId[];
  readonly down: number;
  readonly back: number;
  readonly overRpo: number;
  readonly overRto: number;
  readonly lost: number;
  /** Applications of which something is lost or late. */
  readonly applications: readonly number[];
  readonly worstAgeMs: DurationMs;
  readonly longestMs: DurationMs;
}

/** One row for a failure. */
export function lossRow(surveyed: Survey, failure: Failure): LossRow {
  const row = { down: 0, back: 0, overRpo: 0, overRto: 0, lost: 0, worstAgeMs: 0, longestMs: 0 };
  const applications = new Set<number>();
  fates(surveyed, failure).forEach((fate, i) => {
    if (fate.kind === 'runs') return;
    row.down++;
    const { applicationId } = surveyed.facts.workloads[i] as LossWorkload;
    if (fate.kind === 'lost') {
      row.lost++;
      applications.add(applicationId);
      return;
    }
    row.back++;
    if (!fate.withinRpo) row.overRpo++;
    if (!fate.withinRto) row.overRto++;
    if (!fate.withinRpo || !fate.withinRto) applications.add(applicationId);
    row.worstAgeMs = Math.max(row.worstAgeMs, fate.ageMs);
    row.longestMs = Math.max(row.longestMs, fate.tookMs);
  });
  return { parts: [...failure.lost], ...row, applications: [...applications].sort((a, b) => a - b) };
}

/** Every single part, the worst first. O(parts x workloads). */
export function lossSweep(surveyed: Survey, parts: readonly PartId[]): LossRow[] {
  const rows = parts.map((part) => lossRow(surveyed, { lost: new Set([part]) }));
  return rows.sort((a, b) => b.lost - a.lost || b.overRpo + b.overRto - a.overRpo - a.overRto || b.down - a.down);
}

/** Every pair of parts; for many parts this is many rows, so it is for when somebody asks. */
export function pairSweep(surveyed: Survey, parts: readonly PartId[]): LossRow[] {
  return parts.flatMap((a, i) => parts.slice(i + 1).map((b) => lossRow(surveyed, { lost: new Set([a, b]) })));
}
