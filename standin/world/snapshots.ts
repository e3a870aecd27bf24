/** Snapshots on working disks: of one machine, or of several at the same instant. */
import type { Consistency } from '@/core/protect/policy';
import { MINUTE, type EpochMs } from '@/core/units';
import type { Estate, EstateWorkload } from '@/standin/world/estate';
import type { Faults } from '@/standin/world/faults';
import { WorldRefusal } from '@/standin/world/refusal';

export interface Snapshot {
  readonly key: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
}
export interface SnapshotName {
  readonly key: string;
  readonly workloadId: number;
}
interface NamedWorkload {
  readonly key: string;
  readonly workload: EstateWorkload;
}
/** Machines that were captured at one instant. */
interface Capture {
  readonly key: string;
  readonly takenMs: EpochMs;
  readonly consistency: Consistency;
  readonly snapshotKeys: readonly string[];
}

/** How far a drifting clock is ahead. */
const DRIFT_MS = 20 * MINUTE;

export class Snapshots {
  readonly byKey = new Map<string, Snapshot>();
  private readonly captures = new Map<string, Capture>();

  constructor(
    private readonly estate: Estate,
    private readonly faults: Faults,
  ) {}

  /** The instant it was taken is told by the clock of the site, right or wrong. */
  take(key: string, workload: EstateWorkload, consistency: Consistency, nowMs: EpochMs): Snapshot {
    const known = this.byKey.get(key);
    if (known) return this.asSiteTells(known, workload);
    this.requireTakeable(workload, consistency);
    const snapshot = { key, workloadId: workload.id, takenMs: nowMs };
    this.byKey.set(key, snapshot);
    return this.asSiteTells(snapshot, workload);
  }

  /** All or none: one machine that cannot be captured keeps the others from it. The same key twice has one effect. */
  takeTogether(
    key: string,
    own: NamedWorkload,
    members: readonly NamedWorkload[],
    consistency: Consistency,
    nowMs: EpochMs,
  ): { readonly takenMs: EpochMs; readonly consistency: Consistency } {
    const known = this.captures.get(key);
    if (known && this.byKey.has(own.key)) return known;
    if (known) return { takenMs: this.take(own.key, own.workload, consistency, nowMs).takenMs, consistency };
    for (const { workload } of members) this.requireTakeable(workload, consistency);
    for (const member of members)
      this.byKey.set(member.key, { key: member.key, workloadId: member.workload.id, takenMs: nowMs });
    const { takenMs } = this.asSiteTells({ ...own, workloadId: own.workload.id, takenMs: nowMs }, own.workload);
    const capture = { key, takenMs, consistency, snapshotKeys: members.map((member) => member.key) };
    this.captures.set(key, capture);
    return capture;
  }

  require(key: string): Snapshot {
    const snapshot = this.byKey.get(key);
    if (!snapshot) throw new WorldRefusal('unknown-subject', `snapshot ${key}`, 'The controller has no such snapshot.');
    return snapshot;
  }

  /** Lets a snapshot go; an unknown one is no error. */
  release(key: string, workload: EstateWorkload | undefined): void {
    if (workload && this.faults.has('stuck-snapshot', workload.name))
      throw new WorldRefusal('stuck-snapshot', workload.name, 'Something still reads its disks.');
    this.byKey.delete(key);
    for (const { key: capture, snapshotKeys } of this.captures.values())
      if (snapshotKeys.includes(key) && !snapshotKeys.some((other) => this.byKey.has(other)))
        this.captures.delete(capture);
  }

  /** As plain data. */
  inFlight() {
    return { snapshots: [...this.byKey.values()], captures: [...this.captures.values()] };
  }

  /** Takes up what `inFlight` gave, after a restart. */
  restore({ snapshots, captures }: ReturnType<Snapshots['inFlight']>): void {
    for (const snapshot of snapshots) this.byKey.set(snapshot.key, snapshot);
    // One that an older version left says nothing of it: it is not told better than it may be.
    for (const capture of captures)
      this.captures.set(capture.key, { ...capture, consistency: capture.consistency ?? 'crash' });
  }

  private requireTakeable(workload: EstateWorkload, consistency: Consistency): void {
    if (workload.cluster !== undefined && this.faults.has('host-lost', workload.cluster))
      throw new WorldRefusal('host-lost', workload.cluster, `${workload.name} does not run.`);
    if (this.faults.has('disks-moving', workload.name))
      throw new WorldRefusal('disks-moving', workload.name, 'A move of its disks to another datastore goes on.');
    if (consistency !== 'crash') this.requireAgent(workload);
    if (consistency === 'application' && this.faults.has('freeze-timeout', workload.name))
      throw new WorldRefusal('freeze-timeout', workload.name, 'The guest did not hold still within 60 s.');
  }

  private requireAgent(workload: EstateWorkload): void {
    if (!workload.guestAgent || this.faults.has('guest-agent-missing', workload.name))
      throw new WorldRefusal(
        'guest-agent-missing',
        workload.name,
        'Nothing answers on the channel of the guest agent.',
      );
    if (this.faults.has('guest-credentials', workload.name))
      throw new WorldRefusal('guest-credentials', workload.name, 'The guest agent answered: credentials not accepted.');
  }

  private asSiteTells(snapshot: Snapshot, workload: EstateWorkload): Snapshot {
    const site = this.estate.sites.find((s) => s.id === workload.siteId);
    const drifts = site !== undefined && this.faults.has('clock-drift', site.name);
    return drifts ? { ...snapshot, takenMs: snapshot.takenMs + DRIFT_MS } : snapshot;
  }
}
