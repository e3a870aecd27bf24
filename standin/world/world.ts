/**
 * The simulated world: sites, disks, copies, what is on its way, and faults. Time is an argument and only goes forward.
 * Every change carries a key; the same key twice has one effect.
 */
import { hash } from 'node:crypto';
import type { Fault } from '@/core/protect/fault';
import type { DiskRole, LaneKind } from '@/core/protect/policy';
import { MINUTE, type EpochMs } from '@/core/units';
import { DiskContent } from '@/standin/world/content';
import { CopyStore, type Copy } from '@/standin/world/copies';
import { placeKey, type Estate, type EstatePlace, type EstateWorkload } from '@/standin/world/estate';
import { Faults } from '@/standin/world/faults';
import { WorldRefusal } from '@/standin/world/refusal';
import { Transfers } from '@/standin/world/transfers';

export interface Snapshot {
  readonly key: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
}
export interface PlaceName {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
}

/** How far a drifting clock is ahead. */
const DRIFT_MS = 20 * MINUTE;

export class World {
  readonly copies: CopyStore;
  readonly faults = new Faults();
  readonly transfers: Transfers;
  readonly snapshots = new Map<string, Snapshot>();
  private readonly disks = new Map<number, DiskContent>();
  private readonly workloads = new Map<number, EstateWorkload>();
  private readonly places = new Map<string, EstatePlace>();

  constructor(
    readonly estate: Estate,
    atMs: EpochMs,
  ) {
    for (const workload of estate.workloads) {
      this.workloads.set(workload.id, workload);
      for (const disk of workload.disks) this.disks.set(disk.id, new DiskContent(disk, estate.bornMs));
    }
    for (const place of estate.places) this.places.set(placeKey(place), place);
    this.copies = new CopyStore((id) => this.disk(id));
    this.transfers = new Transfers(estate, this.faults, this.copies, atMs);
  }

  get nowMs(): EpochMs {
    return this.transfers.nowMs;
  }

  setFault(fault: Fault): void {
    this.faults.set(fault);
    this.transfers.faultsChanged();
    if (fault.kind === 'rotten-block') this.rot(fault.subject);
  }

  clearFault(kind: string, subject: string): void {
    this.faults.clear(kind, subject);
    this.transfers.faultsChanged();
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

  /** Throws a refusal if the site of that id cannot be worked with. */
  requireSite(siteId: number): void {
    const site = this.estate.sites.find((s) => s.id === siteId);
    if (!site) return;
    if (this.faults.has('site-down', site.name))
      throw new WorldRefusal('site-no-answer', site.name, 'No answer within the time limit.');
    if (this.faults.has('name-lookup', site.name))
      throw new WorldRefusal('name-lookup', site.name, 'What answers there is not the controller of this site.');
    if (this.faults.has('site-credentials', site.name))
      throw new WorldRefusal('site-credentials', site.name, 'The controller answered: credentials expired.');
  }

  /** The instant it was taken is told by the clock of the site, right or wrong. */
  takeSnapshot(key: string, workloadId: number, freeze: boolean): Snapshot {
    const workload = this.workload(workloadId);
    this.requireSite(workload.siteId);
    const known = this.snapshots.get(key);
    if (known) return this.asSiteTells(known, workload);
    if (workload.cluster !== undefined && this.faults.has('host-lost', workload.cluster))
      throw new WorldRefusal('host-lost', workload.cluster, `${workload.name} does not run.`);
    if (freeze) this.requireFreeze(workload);
    const snapshot = { key, workloadId, takenMs: this.nowMs };
    this.snapshots.set(key, snapshot);
    return this.asSiteTells(snapshot, workload);
  }

  readChanges(snapshotKey: string, placeName: PlaceName, excludeRoles: readonly DiskRole[]) {
    const snapshot = this.requireSnapshot(snapshotKey);
    const workload = this.workload(snapshot.workloadId);
    const place = this.place(placeName);
    const disks = includedDisks(workload, excludeRoles);
    const { inspected, send } = this.copies.difference(placeKey(place), workload.id, disks, snapshot.takenMs);
    const contents = disks.map((id) => ({ diskId: id, digest: this.disk(id).digest(snapshot.takenMs) }));
    return {
      inspectedBytes: inspected,
      sendBytes: send,
      digest: pointDigest(contents.map((c) => c.digest)),
      disks: contents,
    };
  }

  /** Sends what a snapshot holds to a place. */
  startTransfer(
    key: string,
    snapshotKey: string,
    kind: LaneKind,
    placeName: PlaceName,
    excludeRoles: readonly DiskRole[],
  ): void {
    if (this.transfers.isUnderWay(key)) return;
    const snapshot = this.requireSnapshot(snapshotKey);
    const workload = this.workload(snapshot.workloadId);
    const diskIds = includedDisks(workload, excludeRoles);
    const copy: Copy = { key, workloadId: workload.id, takenMs: snapshot.takenMs, diskIds, rottenBlocks: [] };
    this.begin(key, kind, workload.siteId, this.place(placeName), copy);
  }

  /** Sends a copy from one place to another; what is rotten in it goes along. */
  startCopy(key: string, from: PlaceName & { readonly copyKey: string }, to: PlaceName): void {
    if (this.transfers.isUnderWay(key)) return;
    const source = this.requireCopy(from, from.copyKey);
    const fromSiteId = this.place(from).siteId;
    this.requireSite(fromSiteId);
    this.begin(key, 'copy', fromSiteId, this.place(to), {
      workloadId: source.workloadId,
      takenMs: source.takenMs,
      diskIds: source.diskIds,
      key,
      rottenBlocks: [...source.rottenBlocks],
    });
  }

  /** Stops a transfer and takes back what it stored; an unknown one is no error. */
  cancelTransfer(key: string): void {
    this.transfers.cancel(key);
    for (const place of this.estate.places) {
      const copy = this.copies.find(placeKey(place), key);
      if (copy) this.remove(place, copy);
    }
  }

  /** Reads a copy back: its digest as it lies there, and the bytes it added. */
  verifyCopy(placeName: PlaceName, key: string): { digest: string; storedBytes: number } {
    this.requireSite(this.place(placeName).siteId);
    const copy = this.requireCopy(placeName, key);
    const contents = copy.diskIds.map((id) => this.diskDigest(copy, id));
    return { digest: pointDigest(contents), storedBytes: this.transfers.storedBytes(key) };
  }

  /** Writes the rotten blocks of a copy anew from another copy of the same content. */
  repairCopy(placeName: PlaceName, key: string, from: PlaceName & { readonly copyKey: string }): void {
    for (const name of [placeName, from]) this.requireSite(this.place(name).siteId);
    const copy = this.requireCopy(placeName, key);
    const source = this.requireCopy(from, from.copyKey);
    this.requireWritable(this.place(placeName));
    const whole = copy.diskIds.every((id) => source.diskIds.includes(id)) && source.takenMs === copy.takenMs;
    if (source.workloadId !== copy.workloadId || !whole)
      throw new WorldRefusal('unknown-subject', key, 'The other copy does not hold the same content.');
    const spoiled = copy.rottenBlocks.some((r) =>
      source.rottenBlocks.some((s) => s.diskId === r.diskId && s.block === r.block),
    );
    if (spoiled) throw new WorldRefusal('corrupt-copy', key, 'The other copy is spoiled in the same block.');
    this.copies.mend(placeKey(placeName), copy);
  }

  releaseSnapshot(key: string): void {
    const snapshot = this.snapshots.get(key);
    const workload = snapshot && this.workload(snapshot.workloadId);
    if (workload && this.faults.has('stuck-snapshot', workload.name))
      throw new WorldRefusal('stuck-snapshot', workload.name, 'Something still reads its disks.');
    this.snapshots.delete(key);
  }

  /** Deletes a copy; an unknown one is no error. */
  deleteCopy(placeName: PlaceName, key: string): void {
    const place = this.place(placeName);
    const copy = this.copies.find(placeKey(place), key);
    if (!copy) return;
    this.requireSite(place.siteId);
    this.requireWritable(place);
    this.remove(place, copy);
  }

  lockCopy(placeName: PlaceName, key: string, untilMs: EpochMs): void {
    this.requireSite(this.place(placeName).siteId);
    this.copies.lock(placeKey(placeName), this.requireCopy(placeName, key), untilMs);
  }

  requireCopy(placeName: PlaceName, key: string): Copy {
    const place = this.place(placeName);
    const copy = this.copies.find(placeKey(place), key);
    if (!copy) throw new WorldRefusal('unknown-subject', `copy ${key}`, `There is no such copy at ${place.name}.`);
    return copy;
  }

  /** Digest of what a copy holds, computed from nothing but its blocks. */
  digestFromScratch(copy: Copy): string {
    return pointDigest(copy.diskIds.map((id) => this.disk(id).digestFromScratch(copy.takenMs, rottenOf(copy, id))));
  }

  /** What is in flight, as plain data. */
  inFlight() {
    return {
      nowMs: this.nowMs,
      faults: [...this.faults.all],
      snapshots: [...this.snapshots.values()],
      transfers: this.transfers.inFlight(),
    };
  }

  /** Takes up what `inFlight` gave, after a restart. */
  restore(state: { readonly faults: unknown[]; readonly snapshots: unknown[]; readonly transfers: unknown[] }): void {
    this.faults.restore(state.faults as Fault[]);
    for (const snapshot of state.snapshots as Snapshot[]) this.snapshots.set(snapshot.key, snapshot);
    this.transfers.restore(state.transfers as ReturnType<Transfers['inFlight']>);
  }

  private begin(key: string, kind: LaneKind, fromSiteId: number, place: EstatePlace, copy: Copy): void {
    this.requireSite(place.siteId);
    this.requireWritable(place);
    const { send } = this.copies.difference(placeKey(place), copy.workloadId, copy.diskIds, copy.takenMs);
    const bytes = kind === 'snapshot' ? 0 : send;
    if (this.isFull(place, bytes))
      throw new WorldRefusal('repository-full', place.name, 'No space left for new content.');
    this.transfers.start({ key, kind, fromSiteId, place, copy, bytes });
  }

  private remove(place: EstatePlace, copy: Copy): void {
    if ((copy.lockedUntilMs ?? 0) > this.nowMs)
      throw new WorldRefusal(
        'immutable',
        place.name,
        `Locked until ${new Date(copy.lockedUntilMs as number).toISOString()}.`,
      );
    this.copies.remove(placeKey(place), copy.workloadId, copy.key);
  }

  private requireFreeze(workload: EstateWorkload): void {
    if (!workload.guestAgent || this.faults.has('guest-agent-missing', workload.name))
      throw new WorldRefusal(
        'guest-agent-missing',
        workload.name,
        'Nothing answers on the channel of the guest agent.',
      );
    if (this.faults.has('guest-credentials', workload.name))
      throw new WorldRefusal('guest-credentials', workload.name, 'The guest agent answered: credentials not accepted.');
    if (this.faults.has('freeze-timeout', workload.name))
      throw new WorldRefusal('freeze-timeout', workload.name, 'The guest did not hold still within 60 s.');
  }

  private asSiteTells(snapshot: Snapshot, workload: EstateWorkload): Snapshot {
    const site = this.estate.sites.find((s) => s.id === workload.siteId);
    const drifts = site !== undefined && this.faults.has('clock-drift', site.name);
    return drifts ? { ...snapshot, takenMs: snapshot.takenMs + DRIFT_MS } : snapshot;
  }

  private isFull(place: EstatePlace, bytes: number): boolean {
    if (this.faults.has('repository-full', place.name)) return true;
    return place.kind === 'repository' && this.copies.usedBytes(placeKey(place)) + bytes > place.capacityBytes;
  }

  private requireWritable(place: EstatePlace): void {
    if (this.faults.has('repository-read-only', place.name))
      throw new WorldRefusal('repository-read-only', place.name, 'The storage answered: read-only.');
  }

  /** Spoils a cold block of the newest copy at the named place, and so each copy that shares it. */
  private rot(placeName: string): void {
    const place = this.estate.places.find((p) => p.name === placeName);
    const newest = place && this.copies.all(placeKey(place)).sort((a, b) => b.takenMs - a.takenMs)[0];
    const diskId = newest?.diskIds.at(-1);
    if (!place || !newest || diskId === undefined) return;
    this.copies.rot(placeKey(place), newest, diskId, this.disk(diskId).coldBlock);
  }

  private diskDigest(copy: Copy, diskId: number): string {
    const rotten = rottenOf(copy, diskId);
    const disk = this.disk(diskId);
    return rotten.length ? disk.digestFromScratch(copy.takenMs, rotten) : disk.digest(copy.takenMs);
  }

  private disk(id: number): DiskContent {
    const disk = this.disks.get(id);
    if (!disk) throw new WorldRefusal('unknown-subject', `disk ${id}`, 'The controller has no such disk.');
    return disk;
  }

  private requireSnapshot(key: string): Snapshot {
    const snapshot = this.snapshots.get(key);
    if (!snapshot) throw new WorldRefusal('unknown-subject', `snapshot ${key}`, 'The controller has no such snapshot.');
    return snapshot;
  }
}

/** Digest of a point: SHA-256 over the digests of its disks in the order of their ids. */
export function pointDigest(diskDigests: readonly string[]): string {
  return hash('sha256', diskDigests.join('\n'), 'hex');
}

const rottenOf = (copy: Copy, diskId: number): number[] =>
  copy.rottenBlocks.filter((rotten) => rotten.diskId === diskId).map((rotten) => rotten.block);

function includedDisks(workload: EstateWorkload, excludeRoles: readonly DiskRole[]): number[] {
  return workload.disks.filter((disk) => !excludeRoles.includes(disk.role)).map((disk) => disk.id);
}
