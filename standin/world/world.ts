/**
 * The simulated world: sites, links, disks, copies, clones and faults. Time is an argument and only goes forward.
 * Every change carries a key; the same key twice has one effect.
 */
import { hash } from 'node:crypto';
import { TransferSimulation } from '@/core/flow/transfers';
import type { CauseCode } from '@/core/protect/cause';
import type { Fault } from '@/core/protect/fault';
import type { DiskRole, LaneKind } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { chance, DiskContent } from '@/standin/world/content';
import { CopyStore, type Copy } from '@/standin/world/copies';
import type { Estate, EstatePlace, EstateWorkload } from '@/standin/world/estate';

/** The world says no: with a cause that the catalogue knows. */
export class WorldRefusal extends Error {
  override readonly name = 'WorldRefusal';
  constructor(
    readonly code: CauseCode,
    readonly subject: string,
    detail: string,
  ) {
    super(detail);
  }
}

export interface Snapshot {
  readonly key: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
}
interface PlaceName {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
}
interface Transfer {
  readonly key: string;
  readonly workloadId: number;
  readonly place: EstatePlace;
  readonly copy: Copy;
  readonly totalBytes: number;
  /** Reading, opening and closing take at least until here, however fast the line is. */
  readonly notBeforeMs: EpochMs;
  readonly linkName: string | null;
  completedMs: EpochMs | null;
  storedBytes: number;
  failure: WorldRefusal | null;
}

/** Fixed cost of a run besides its bytes, in ms: common practice, no source. */
const SETUP_MS = { snapshot: [3_000, 9_000], replica: [12_000, 40_000], backup: [45_000, 150_000] } as const;

export class World {
  readonly copies: CopyStore;
  readonly snapshots = new Map<string, Snapshot>();
  readonly transfers = new Map<string, Transfer>();
  private readonly disks = new Map<number, DiskContent>();
  private readonly workloads = new Map<number, EstateWorkload>();
  private readonly places = new Map<string, EstatePlace>();
  private readonly lines: TransferSimulation;
  private faultList: Fault[] = [];

  constructor(
    readonly estate: Estate,
    atMs: EpochMs,
  ) {
    for (const workload of estate.workloads) {
      this.workloads.set(workload.id, workload);
      for (const disk of workload.disks) this.disks.set(disk.id, new DiskContent(disk, estate.bornMs));
    }
    for (const place of estate.places) this.places.set(placeKey(place), place);
    this.copies = new CopyStore((id) => this.disks.get(id) as DiskContent);
    this.lines = new TransferSimulation(atMs, new Map());
    this.setCapacities();
  }

  get nowMs(): EpochMs {
    return this.lines.atMs;
  }
  get faults(): readonly Fault[] {
    return this.faultList;
  }

  /** Carries time forward; an instant in the past is ignored. Transfers that completed on the way are stored. */
  advance(toMs: EpochMs): void {
    // At least once: what was started with nothing to send completes at this very instant.
    do {
      const hourEnd = (Math.floor(this.nowMs / 3_600_000) + 1) * 3_600_000;
      const until = Math.max(this.nowMs, Math.min(toMs, hourEnd));
      for (const done of this.lines.advance(until)) this.complete(done.key, done.atMs);
      if (this.nowMs === hourEnd) this.setCapacities();
    } while (this.nowMs < toMs);
  }

  setFault(fault: Fault): void {
    this.clearFault(fault.kind, fault.subject);
    this.faultList.push(fault);
    this.setCapacities();
    for (const transfer of this.transfers.values()) {
      if (transfer.completedMs !== null || transfer.failure) continue;
      if (fault.kind === 'link-cut' && transfer.linkName === fault.subject)
        this.fail(transfer, new WorldRefusal('link-down', fault.subject, 'The connection was reset while sending.'));
    }
    if (fault.kind === 'rotten-block') this.rot(fault.subject);
  }

  clearFault(kind: string, subject: string): void {
    this.faultList = this.faultList.filter((fault) => fault.kind !== kind || fault.subject !== subject);
    this.setCapacities();
  }

  hasFault(kind: Fault['kind'], subject: string): Fault | undefined {
    return this.faultList.find((fault) => fault.kind === kind && fault.subject === subject);
  }

  workload(id: number): EstateWorkload {
    const workload = this.workloads.get(id);
    if (!workload) throw new WorldRefusal('unknown-subject', `workload ${id}`, 'The controller has no such machine.');
    return workload;
  }

  place(name: PlaceName): EstatePlace {
    const place = this.places.get(placeKey(name));
    if (!place) throw new WorldRefusal('unknown-subject', placeKey(name), 'The controller has no such place.');
    return place;
  }

  /** Throws a refusal if the site of that id does not answer. */
  requireSite(siteId: number): void {
    const site = this.estate.sites.find((s) => s.id === siteId);
    if (site && this.hasFault('site-down', site.name))
      throw new WorldRefusal('site-no-answer', site.name, 'No answer within the time limit.');
  }

  takeSnapshot(key: string, workloadId: number, freeze: boolean): Snapshot {
    const known = this.snapshots.get(key);
    if (known) return known;
    const workload = this.workload(workloadId);
    this.requireSite(workload.siteId);
    if (freeze && (!workload.guestAgent || this.hasFault('guest-credentials', workload.name)))
      throw new WorldRefusal('guest-credentials', workload.name, 'The guest agent answered: credentials not accepted.');
    const snapshot = { key, workloadId, takenMs: this.nowMs };
    this.snapshots.set(key, snapshot);
    return snapshot;
  }

  readChanges(snapshotKey: string, placeName: PlaceName, excludeRoles: readonly DiskRole[]) {
    const snapshot = this.requireSnapshot(snapshotKey);
    const workload = this.workload(snapshot.workloadId);
    const place = this.place(placeName);
    const disks = includedDisks(workload, excludeRoles);
    const { inspected, send } = this.copies.difference(placeKey(place), workload.id, disks, snapshot.takenMs);
    const contents = disks.map((id) => ({
      diskId: id,
      digest: (this.disks.get(id) as DiskContent).digest(snapshot.takenMs),
    }));
    return {
      inspectedBytes: inspected,
      sendBytes: send,
      digest: pointDigest(contents.map((c) => c.digest)),
      disks: contents,
    };
  }

  startTransfer(
    key: string,
    snapshotKey: string,
    kind: LaneKind,
    placeName: PlaceName,
    excludeRoles: readonly DiskRole[],
  ): void {
    const known = this.transfers.get(key);
    if (known && !known.failure) return;
    const snapshot = this.requireSnapshot(snapshotKey);
    const workload = this.workload(snapshot.workloadId);
    const place = this.place(placeName);
    this.requireSite(place.siteId);
    const link = this.linkBetween(workload.siteId, place.siteId);
    if (link && this.hasFault('link-cut', link.name))
      throw new WorldRefusal('link-down', link.name, 'No route to the receiving mover.');
    const diskIds = includedDisks(workload, excludeRoles);
    const bytes =
      kind === 'snapshot' ? 0 : this.copies.difference(placeKey(place), workload.id, diskIds, snapshot.takenMs).send;
    if (this.isFull(place, bytes))
      throw new WorldRefusal('repository-full', place.name, 'No space left for new content.');
    const [least, most] = SETUP_MS[kind];
    const setup = Math.round(least + chance(workload.id, snapshot.takenMs & 0xffff) * (most - least));
    const copy: Copy = { key, workloadId: workload.id, takenMs: snapshot.takenMs, diskIds, rottenBlocks: [] };
    this.transfers.set(key, {
      key,
      workloadId: workload.id,
      place,
      copy,
      totalBytes: bytes,
      notBeforeMs: this.nowMs + setup,
      linkName: link?.name ?? null,
      completedMs: null,
      storedBytes: 0,
      failure: null,
    });
    const over = [`mover:${workload.siteId}`, ...(link ? [`link:${link.id}`] : []), placeKey(place)];
    this.lines.start(key, kind === 'snapshot' ? [] : over, bytes);
  }

  /** Stops a transfer and takes back what it stored; an unknown one is no error. */
  cancelTransfer(key: string): void {
    this.lines.stop(key);
    this.transfers.delete(key);
    for (const place of this.estate.places) this.deleteCopy(place, key);
  }

  progress(key: string) {
    const transfer = this.transfers.get(key);
    if (!transfer) throw new WorldRefusal('unknown-subject', key, 'The controller has no such transfer.');
    const line = this.lines.get(key);
    return {
      key,
      totalBytes: transfer.totalBytes,
      sentBytes: Math.round(line?.sentBytes ?? (transfer.completedMs === null ? 0 : transfer.totalBytes)),
      rateBps: Math.round(Math.min(line?.rateBps ?? 0, 1e15)),
      completedMs: transfer.completedMs !== null && transfer.completedMs <= this.nowMs ? transfer.completedMs : null,
      failure: transfer.failure
        ? { code: transfer.failure.code, subject: transfer.failure.subject, detail: transfer.failure.message }
        : null,
    };
  }

  /** Instant of the next completion, or null. */
  nextEventMs(): EpochMs | null {
    let next = this.lines.nextCompletionMs() ?? Infinity;
    for (const transfer of this.transfers.values())
      if (transfer.completedMs !== null && transfer.completedMs > this.nowMs)
        next = Math.min(next, transfer.completedMs);
    return next === Infinity ? null : next;
  }

  /** Reads a copy back: its digest as it lies there, and the bytes it added. */
  verifyCopy(placeName: PlaceName, key: string): { digest: string; storedBytes: number } {
    const copy = this.requireCopy(placeName, key);
    const contents = copy.diskIds.map((id) => {
      const disk = this.disks.get(id) as DiskContent;
      return copy.rottenBlocks.length
        ? disk.digestFromScratch(copy.takenMs, copy.rottenBlocks)
        : disk.digest(copy.takenMs);
    });
    return { digest: pointDigest(contents), storedBytes: this.transfers.get(key)?.storedBytes ?? 0 };
  }

  releaseSnapshot(key: string): void {
    this.snapshots.delete(key);
  }

  /** Forgets a finished transfer; its copy stays. */
  forgetTransfer(key: string): void {
    this.transfers.delete(key);
  }

  deleteCopy(placeName: PlaceName, key: string): void {
    const place = placeKey(this.place(placeName));
    const copy = this.copies.find(place, key);
    if (copy) this.copies.remove(place, copy.workloadId, key);
  }

  requireCopy(placeName: PlaceName, key: string): Copy {
    const place = placeKey(this.place(placeName));
    const copy = this.copies.find(place, key);
    if (!copy)
      throw new WorldRefusal(
        'unknown-subject',
        `copy ${key}`,
        `There is no such copy at ${this.place(placeName).name}.`,
      );
    return copy;
  }

  /** Digest of what a copy holds, computed from nothing but its blocks. */
  digestFromScratch(copy: Copy): string {
    return pointDigest(
      copy.diskIds.map((id) => (this.disks.get(id) as DiskContent).digestFromScratch(copy.takenMs, copy.rottenBlocks)),
    );
  }

  linkFactor(link: Estate['links'][number]): number {
    if (this.hasFault('link-cut', link.name)) return 0;
    const slow = this.hasFault('link-slow', link.name)?.factor ?? 1;
    const hour = Math.floor(this.nowMs / 3_600_000) % 24;
    const weather = link.slow && hour >= link.slow.fromHour && hour < link.slow.toHour ? link.slow.factor : 1;
    return slow * weather;
  }

  /** What is in flight, as plain data. */
  inFlight() {
    const transfers = [...this.transfers.values()].map((t) => ({
      ...t,
      sentBytes: this.lines.get(t.key)?.sentBytes ?? null,
      failure: t.failure ? { code: t.failure.code, subject: t.failure.subject, detail: t.failure.message } : null,
    }));
    return { nowMs: this.nowMs, faults: [...this.faultList], snapshots: [...this.snapshots.values()], transfers };
  }

  /** Takes up what `inFlight` gave, after a restart. */
  restore(state: { readonly faults: unknown[]; readonly snapshots: unknown[]; readonly transfers: unknown[] }): void {
    this.faultList = state.faults as Fault[];
    this.setCapacities();
    for (const snapshot of state.snapshots as Snapshot[]) this.snapshots.set(snapshot.key, snapshot);
    for (const saved of state.transfers as ReturnType<World['inFlight']>['transfers']) {
      const { sentBytes, failure, ...transfer } = saved;
      const refusal = failure ? new WorldRefusal(failure.code, failure.subject, failure.detail) : null;
      this.transfers.set(transfer.key, { ...transfer, failure: refusal });
      if (sentBytes === null) continue;
      const link = this.estate.links.find((l) => l.name === transfer.linkName);
      const over = [
        `mover:${this.workload(transfer.workloadId).siteId}`,
        ...(link ? [`link:${link.id}`] : []),
        placeKey(transfer.place),
      ];
      this.lines.start(transfer.key, transfer.totalBytes === 0 ? [] : over, transfer.totalBytes, { sentBytes });
    }
  }

  private linkBetween(a: number, b: number) {
    if (a === b) return undefined;
    return this.estate.links.find((l) => (l.siteA === a && l.siteB === b) || (l.siteA === b && l.siteB === a));
  }

  private isFull(place: EstatePlace, bytes: number): boolean {
    if (this.hasFault('repository-full', place.name)) return true;
    return place.kind === 'repository' && this.copies.usedBytes(placeKey(place)) + bytes > place.capacityBytes;
  }

  private setCapacities(): void {
    for (const mover of this.estate.movers) this.lines.setCapacity(`mover:${mover.siteId}`, mover.rateBps);
    for (const link of this.estate.links)
      this.lines.setCapacity(`link:${link.id}`, link.rateBps * this.linkFactor(link));
  }

  private complete(key: string, atMs: EpochMs): void {
    const transfer = this.transfers.get(key);
    if (!transfer || transfer.failure) return;
    transfer.completedMs = Math.max(atMs, transfer.notBeforeMs);
    transfer.storedBytes = this.copies.add(placeKey(transfer.place), transfer.copy);
  }

  private fail(transfer: Transfer, refusal: WorldRefusal): void {
    this.lines.stop(transfer.key);
    transfer.failure = refusal;
  }

  /** Spoils the newest copy at the named place. */
  private rot(placeName: string): void {
    const place = this.estate.places.find((p) => p.name === placeName);
    const newest = place && this.copies.all(placeKey(place)).sort((a, b) => b.takenMs - a.takenMs)[0];
    if (!place || !newest) return;
    newest.rottenBlocks.push(7);
    this.copies.changes.push({ place: placeKey(place), copy: newest, gone: false });
  }

  private requireSnapshot(key: string): Snapshot {
    const snapshot = this.snapshots.get(key);
    if (!snapshot) throw new WorldRefusal('unknown-subject', `snapshot ${key}`, 'The controller has no such snapshot.');
    return snapshot;
  }
}

export function placeKey(place: PlaceName): string {
  return `${place.kind}:${place.id}`;
}

/** Digest of a point: SHA-256 over the digests of its disks in the order of their ids. */
export function pointDigest(diskDigests: readonly string[]): string {
  return hash('sha256', diskDigests.join('\n'), 'hex');
}

function includedDisks(workload: EstateWorkload, excludeRoles: readonly DiskRole[]): number[] {
  return workload.disks.filter((disk) => !excludeRoles.includes(disk.role)).map((disk) => disk.id);
}
