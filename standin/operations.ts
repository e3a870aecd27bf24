/** What the stand-in's controller can be asked, by name: plain JSON in, plain JSON out. The HTTP server and the seeding share it. */
import type { Fault, FaultKind } from '@/core/protect/fault';
import type { Throttle } from '@/core/flow/throttle';
import type { Consistency, DiskRole, Sending } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { CloneYard, type CheckKind } from '@/standin/world/clones';
import { placeKey, type PlaceName } from '@/standin/world/estate';
import type { SnapshotName } from '@/standin/world/snapshots';
import type { StreamOrder, TransferOrder } from '@/standin/world/sending';
import type { World } from '@/standin/world/world';

type CopyName = PlaceName & { readonly copyKey: string };

export class Controller {
  constructor(
    readonly world: World,
    readonly yard = new CloneYard(world),
  ) {}

  readonly operations = {
    snapshot: (q: { key: string; workloadId: number; consistency: Consistency }) => ({
      takenMs: this.world.takeSnapshot(q.key, q.workloadId, q.consistency).takenMs,
    }),
    readChanges: (q: { snapshotKey: string; place: PlaceName; excludeRoles: DiskRole[] }) =>
      this.world.readChanges(q.snapshotKey, q.place, q.excludeRoles),
    snapshotTogether: (q: { key: string; own: SnapshotName; members: SnapshotName[]; consistency: Consistency }) => {
      const { takenMs, consistency } = this.world.takeTogether(q.key, q.own, q.members, q.consistency);
      return { takenMs, consistency };
    },
    startTransfer: (q: TransferOrder) => {
      this.world.startTransfer(q);
      return {};
    },
    shipDisk: (q: { snapshotKey: string; place: PlaceName; excludeRoles: DiskRole[] }) => ({
      arrivesMs: this.world.shipDisk(q.snapshotKey, q.place, q.excludeRoles),
    }),
    openStream: (q: StreamOrder) => {
      this.world.openStream(q);
      return {};
    },
    markStream: (q: { key: string; copyKey: string; atMs: EpochMs }) => ({
      mark: this.world.markStream(q.key, q.copyKey, q.atMs),
    }),
    closeStream: (q: { key: string }) => {
      this.world.streams.close(q.key);
      return {};
    },
    streams: () => ({ streams: this.world.streams.list() }),
    /** What a link may carry at which hours. */
    throttle: (q: { linkId: number; throttles: Throttle[] }) => {
      this.world.transfers.throttle(q.linkId, q.throttles);
      return {};
    },
    progress: (q: { keys: string[] }) => ({ transfers: q.keys.map((key) => this.world.transfers.progress(key)) }),
    startCopy: (q: { key: string; from: CopyName; place: PlaceName; sending?: Sending }) => {
      this.world.startCopy(q.key, q.from, q.place, q.sending);
      return {};
    },
    /** A copy needs its transfer no longer: its numbers were read. */
    forgetTransfer: (q: { key: string }) => {
      this.world.transfers.forget(q.key);
      return {};
    },
    verifyCopy: (q: { place: PlaceName; copyKey: string }) => this.world.verifyCopy(q.place, q.copyKey),
    releaseSnapshot: (q: { snapshotKey: string }) => {
      // First, so that a snapshot that stays does not keep the transfer in memory.
      this.world.transfers.forget(q.snapshotKey.replace(/^s/, 'c'));
      this.world.releaseSnapshot(q.snapshotKey);
      return {};
    },
    cancelTransfer: (q: { key: string }) => {
      this.world.cancelTransfer(q.key);
      return {};
    },
    repairCopy: (q: { place: PlaceName; copyKey: string; from: CopyName }) => {
      this.world.repairCopy(q.place, q.copyKey, q.from);
      return {};
    },
    lockCopy: (q: { place: PlaceName; copyKey: string; untilMs: EpochMs }) => {
      this.world.lockCopy(q.place, q.copyKey, q.untilMs);
      return {};
    },
    deleteCopy: (q: { place: PlaceName; copyKey: string }) => ({
      freedBytes: this.world.deleteCopy(q.place, q.copyKey),
    }),
    /** What lies at a place, whoever put it there. */
    inventory: (q: { place: PlaceName }) => {
      const place = this.world.place(q.place);
      this.world.requireSite(place.siteId);
      const copies = this.world.copies.all(placeKey(place)).filter((copy) => !copy.shipped);
      return { copies: copies.map(({ key, workloadId, takenMs }) => ({ copyKey: key, workloadId, takenMs })) };
    },
    snapshots: () => ({ snapshots: [...this.world.snapshots.byKey.values()] }),
    clone: (q: { key: string; copyKey: string; place: PlaceName; networkId: number; address: string }) => ({
      readyMs: this.yard.create({
        key: q.key,
        copyKey: q.copyKey,
        placeKind: q.place.kind,
        placeId: q.place.id,
        networkId: q.networkId,
        address: q.address,
      }).readyMs,
    }),
    boot: (q: { cloneKey: string }) => ({ bootedMs: this.yard.boot(q.cloneKey) }),
    check: (q: { cloneKey: string; check: CheckKind }) => this.yard.check(q.cloneKey, q.check),
    contentDigest: (q: { cloneKey: string }) => ({ digest: this.yard.digest(q.cloneKey) }),
    removeClone: (q: { cloneKey: string }) => {
      this.yard.remove(q.cloneKey);
      return {};
    },
    status: () => this.status(),
    setFault: (q: Fault) => {
      this.world.setFault(q);
      return {};
    },
    clearFault: (q: { kind: string; subject: string }) => {
      this.world.clearFault(q.kind, q.subject);
      return {};
    },
    faults: () => ({ faults: this.world.faults.all }),
  };

  /** Carries the world to the instant of the request, then does it. */
  call(name: OperationName, atMs: EpochMs, body: unknown): unknown {
    this.world.transfers.advance(atMs);
    return (this.operations[name] as (q: unknown) => unknown)(body);
  }

  private status() {
    const { estate, faults, transfers } = this.world;
    const used = (kind: PlaceName['kind']) =>
      estate.places
        .filter((place) => place.kind === kind)
        .map((place) => ({ id: place.id, usedBytes: this.world.usedBytes(place) }));
    const named = (kind: FaultKind): string[] =>
      faults.all.filter((fault) => fault.kind === kind).map((fault) => fault.subject);
    const silent = [...named('site-down'), ...named('name-lookup'), ...named('site-credentials')];
    return {
      sitesUp: estate.sites.filter((site) => !silent.includes(site.name)).map((site) => site.name),
      links: estate.links.map((link) => ({
        id: link.id,
        name: link.name,
        factor: transfers.linkFactor(link),
        throttles: transfers.throttlesOf(link.id),
      })),
      repositories: used('repository'),
      datastores: used('datastore'),
      defaultPasswords: named('default-password'),
      wrongClocks: named('clock-drift'),
      movingDisks: named('disks-moving'),
    };
  }
}

export type OperationName = keyof Controller['operations'];

/** Operations that change nothing, so nothing has to be made durable after them. */
export const READ_ONLY: ReadonlySet<OperationName> = new Set<OperationName>([
  'readChanges',
  'progress',
  'verifyCopy',
  'inventory',
  'snapshots',
  'streams',
  'contentDigest',
  'status',
  'faults',
]);
