/**
 * The simulated world: sites, disks, copies, what is on its way, and faults. Time is an argument and only goes forward.
 * Every change carries a key; the same key twice has one effect.
 */
import type { Fault } from '@/core/protect/fault';
import { USUAL_SENDING, type Consistency, type DiskRole, type LaneKind, type Sending } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { DiskContent } from '@/standin/world/content';
import { COMPRESSED, CopyStore, type Copy } from '@/standin/world/copies';
import { Reading } from '@/standin/world/reading';
import { placeKey, type Estate, type EstatePlace, type EstateWorkload, type PlaceName } from '@/standin/world/estate';
import { Faults } from '@/standin/world/faults';
import { WorldRefusal } from '@/standin/world/refusal';
import { senderLimit, wireShareOf, type StreamOrder, type TransferOrder } from '@/standin/world/sending';
import { Shipments } from '@/standin/world/shipments';
import { Snapshots, type Snapshot, type SnapshotName } from '@/standin/world/snapshots';
import { Streams, type Stream } from '@/standin/world/streams';
import { Transfers } from '@/standin/world/transfers';

export class World {
  readonly copies: CopyStore;
  readonly faults = new Faults();
  readonly transfers: Transfers;
  readonly snapshots: Snapshots;
  readonly streams: Streams;
  readonly shipments: Shipments;
  readonly reading: Reading;
  private readonly disks = new Map<number, DiskContent>();
  private readonly workloads = new Map<number, EstateWorkload>();
  private readonly places = new Map<string, EstatePlace>();
  /** Bytes of working disks by datastore: an estate does not change. */
  private readonly working = new Map<number, number>();

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
    this.snapshots = new Snapshots(estate, this.faults);
    this.streams = new Streams(this.transfers, (id) => this.disk(id));
    this.shipments = new Shipments(this.copies);
    this.reading = new Reading(this.copies, (id) => this.disk(id));
  }

  get nowMs(): EpochMs {
    return this.transfers.nowMs;
  }

  setFault(fault: Fault): void {
    this.streams.advance();
    this.faults.set(fault);
    this.transfers.faultsChanged();
    const place = fault.kind === 'rotten-block' && this.estate.places.find((p) => p.name === fault.subject);
    if (place) this.reading.rot(placeKey(place));
  }

  clearFault(kind: string, subject: string): void {
    this.streams.advance();
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

  /** What a place holds: copies, and on a datastore the working disks of its machines and the journals of streams. */
  usedBytes({ kind, id }: EstatePlace): number {
    const copies = this.copies.usedBytes(placeKey({ kind, id }));
    return kind === 'datastore' ? copies + this.workingBytes(id) + this.streams.journalBytes(id) : copies;
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

  takeSnapshot(key: string, workloadId: number, consistency: Consistency): Snapshot {
    const workload = this.workload(workloadId);
    this.requireSite(workload.siteId);
    return this.snapshots.take(key, workload, consistency, this.nowMs);
  }

  /** Several machines at the same instant. */
  takeTogether(key: string, own: SnapshotName, names: readonly SnapshotName[], consistency: Consistency) {
    const named = (name: SnapshotName) => ({ key: name.key, workload: this.workload(name.workloadId) });
    const members = names.map(named);
    for (const { workload } of members) this.requireSite(workload.siteId);
    return this.snapshots.takeTogether(key, named(own), members, consistency, this.nowMs);
  }

  readChanges(snapshotKey: string, placeName: PlaceName, excludeRoles: readonly DiskRole[]) {
    const snapshot = this.snapshots.require(snapshotKey);
    const workload = this.workload(snapshot.workloadId);
    const place = this.place(placeName);
    const disks = includedDisks(workload, excludeRoles);
    const { inspected, send } = this.copies.difference(placeKey(place), workload.id, disks, snapshot.takenMs);
    return { inspectedBytes: inspected, sendBytes: send, ...this.reading.of(disks, snapshot.takenMs) };
  }

  /** Sends what a snapshot holds to a place. */
  startTransfer({ key, snapshotKey, kind, place, excludeRoles, sending }: TransferOrder): void {
    if (this.transfers.isUnderWay(key)) return;
    const { workload, takenMs, diskIds } = this.captured(snapshotKey, excludeRoles);
    const copy: Copy = { key, workloadId: workload.id, takenMs, diskIds, rottenBlocks: [] };
    this.begin(key, kind, workload.siteId, this.place(place), copy, sending);
  }

  /** Sends what a snapshot holds on a disk, unless it is on its way or there; when it is, or was, read in. */
  shipDisk(snapshotKey: string, placeName: PlaceName, excludeRoles: readonly DiskRole[]): EpochMs {
    const { workload, takenMs, diskIds } = this.captured(snapshotKey, excludeRoles);
    const place = placeKey(this.place(placeName));
    return this.shipments.send({ place, workloadId: workload.id, takenMs, diskIds }, this.nowMs);
  }

  /** Sends every write on from the instant of a copy; the same key twice has one effect. */
  openStream({ key, copyKey, place: placeName, journalMs, sending = USUAL_SENDING }: StreamOrder): void {
    const place = this.place(placeName);
    const { workloadId, takenMs, diskIds } = this.requireCopy(placeName, copyKey);
    const { siteId: fromSiteId } = this.workload(workloadId);
    const wireShare = wireShareOf(sending);
    this.streams.open({ key, workloadId, fromSiteId, place, diskIds, journalMs, wireShare, throughMs: takenMs });
  }

  /** Makes a copy of what a stream had at an instant, or the newest before it; null: there is no such stream. */
  markStream(key: string, copyKey: string, atMs: EpochMs) {
    this.streams.advance();
    const stream = this.streams.byKey.get(key);
    if (!stream) return null;
    const { place, workloadId, diskIds } = stream;
    this.requireSite(place.siteId);
    const known = this.copies.find(placeKey(place), copyKey);
    const takenMs = known?.takenMs ?? this.journalInstant(stream, atMs);
    if (!known) this.requireWritable(place);
    const copy = { key: copyKey, workloadId, takenMs, diskIds, rottenBlocks: [] };
    const storedBytes = this.copies.add(placeKey(place), copy);
    return { takenMs, storedBytes, ...this.reading.of(diskIds, takenMs) };
  }

  /** Sends a copy from one place to another; what is rotten in it goes along. */
  startCopy(key: string, from: PlaceName & { readonly copyKey: string }, to: PlaceName, sending?: Sending): void {
    if (this.transfers.isUnderWay(key)) return;
    const source = this.requireCopy(from, from.copyKey);
    const fromSiteId = this.place(from).siteId;
    this.requireSite(fromSiteId);
    const { workloadId, takenMs, diskIds } = source;
    const copy = { key, workloadId, takenMs, diskIds, rottenBlocks: [...source.rottenBlocks] };
    this.begin(key, 'copy', fromSiteId, this.place(to), copy, sending);
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
    return { digest: this.reading.digestOf(copy), storedBytes: this.transfers.storedBytes(key) };
  }

  /** Writes the rotten blocks of a copy anew from another copy of the same content. */
  repairCopy(placeName: PlaceName, key: string, from: PlaceName & { readonly copyKey: string }): void {
    for (const name of [placeName, from]) this.requireSite(this.place(name).siteId);
    const copy = this.requireCopy(placeName, key);
    const source = this.requireCopy(from, from.copyKey);
    this.requireWritable(this.place(placeName));
    this.reading.repair(placeKey(placeName), copy, source);
  }

  releaseSnapshot(key: string): void {
    const snapshot = this.snapshots.byKey.get(key);
    this.snapshots.release(key, snapshot && this.workload(snapshot.workloadId));
  }

  /** Deletes a copy; an unknown one is no error. Returns the bytes set free: what no other copy there needs. */
  deleteCopy(placeName: PlaceName, key: string): number {
    const place = this.place(placeName);
    const copy = this.copies.find(placeKey(place), key);
    if (!copy) return 0;
    this.requireSite(place.siteId);
    this.requireWritable(place);
    return this.remove(place, copy);
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

  /** Things in flight, as plain data: they come, change seldom, and go. */
  inFlight() {
    return { ...this.snapshots.inFlight(), transfers: this.transfers.inFlight() };
  }

  /** What else is to be known of the present, as plain data: small, and different at each instant. */
  moment() {
    return {
      nowMs: this.nowMs,
      faults: [...this.faults.all],
      ...this.transfers.moment(),
      streams: this.streams.inFlight(),
      shipments: this.shipments.inFlight(),
    };
  }

  /** Takes up what `moment` and `inFlight` gave, after a restart. */
  restore(moment: ReturnType<World['moment']>, inFlight: ReturnType<World['inFlight']>): void {
    this.faults.restore(moment.faults);
    this.snapshots.restore(inFlight);
    this.transfers.restore(moment, inFlight.transfers);
    this.streams.restore(moment.streams);
    this.shipments.restore(moment.shipments);
  }

  private begin(
    key: string,
    kind: LaneKind,
    fromSiteId: number,
    place: EstatePlace,
    copy: Copy,
    sending: Sending = USUAL_SENDING,
  ): void {
    this.requireSite(place.siteId);
    this.requireWritable(place);
    const { send } = this.copies.difference(placeKey(place), copy.workloadId, copy.diskIds, copy.takenMs);
    const bytes = kind === 'snapshot' ? 0 : Math.round((send / COMPRESSED) * wireShareOf(sending));
    if (this.isFull(place, kind === 'snapshot' ? 0 : send))
      throw new WorldRefusal('repository-full', place.name, 'No space left for new content.');
    const mover = this.estate.movers.find((m) => m.siteId === fromSiteId);
    const demandBps = senderLimit(sending, mover?.rateBps);
    this.transfers.start({ key, kind, fromSiteId, place, copy, bytes, demandBps });
  }

  private captured(snapshotKey: string, excludeRoles: readonly DiskRole[]) {
    const { workloadId, takenMs } = this.snapshots.require(snapshotKey);
    const workload = this.workload(workloadId);
    return { workload, takenMs, diskIds: includedDisks(workload, excludeRoles) };
  }

  /** The newest instant of a journal not after `atMs`; refuses where there is none, or where the stream is held up. */
  private journalInstant(stream: Stream, atMs: EpochMs): EpochMs {
    const obstacle = stream.throughMs < atMs ? this.streams.obstacle(stream) : null;
    if (obstacle) throw obstacle;
    const instant = this.streams.instantAt(stream, atMs);
    if (instant !== null) return instant;
    const { name } = this.workload(stream.workloadId);
    const spans = stream.spans.map(({ fromMs, toMs }) => `${isoOf(fromMs)} to ${isoOf(toMs)}`).join(', ');
    throw new WorldRefusal('not-in-journal', name, `It holds ${spans}.`);
  }

  private workingBytes(datastoreId: number): number {
    const known = this.working.get(datastoreId);
    if (known !== undefined) return known;
    const disks = this.estate.workloads.filter((w) => w.datastoreId === datastoreId).flatMap((w) => w.disks);
    const bytes = disks.reduce((sum, disk) => sum + this.disk(disk.id).filledBytes, 0);
    this.working.set(datastoreId, bytes);
    return bytes;
  }

  private remove(place: EstatePlace, copy: Copy): number {
    if ((copy.lockedUntilMs ?? 0) > this.nowMs)
      throw new WorldRefusal(
        'immutable',
        place.name,
        `Locked until ${new Date(copy.lockedUntilMs as number).toISOString()}.`,
      );
    return this.copies.remove(placeKey(place), copy.workloadId, copy.key);
  }

  private isFull(place: EstatePlace, bytes: number): boolean {
    if (this.faults.has('repository-full', place.name)) return true;
    return place.kind === 'repository' && this.copies.usedBytes(placeKey(place)) + bytes > place.capacityBytes;
  }

  private requireWritable(place: EstatePlace): void {
    if (this.faults.has('repository-read-only', place.name))
      throw new WorldRefusal('repository-read-only', place.name, 'The storage answered: read-only.');
  }

  private disk(id: number): DiskContent {
    const disk = this.disks.get(id);
    if (!disk) throw new WorldRefusal('unknown-subject', `disk ${id}`, 'The controller has no such disk.');
    return disk;
  }
}

const isoOf = (atMs: EpochMs): string => new Date(atMs).toISOString();

function includedDisks(workload: EstateWorkload, excludeRoles: readonly DiskRole[]): number[] {
  return workload.disks.filter((disk) => !excludeRoles.includes(disk.role)).map((disk) => disk.id);
}
