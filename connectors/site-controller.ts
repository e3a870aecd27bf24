/** The port to the controllers of the sites. What the engine needs of the world, and nothing else. */
import { CAUSES, causeTitle, type CauseCode } from '@/core/protect/cause';
import type { Throttle } from '@/core/flow/throttle';
import type { Consistency, DiskRole, LaneKind, Sending } from '@/core/protect/policy';
import type { DurationMs, EpochMs } from '@/core/units';

export interface Place {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
}

export interface DiskContent {
  readonly diskId: number;
  readonly digest: string;
}

/** Every request that changes something carries a `key`: the same key twice has one effect. */
export interface SnapshotRequest {
  readonly key: string;
  readonly workloadId: number;
  /** What the guest is asked for. */
  readonly consistency: Consistency;
}
export interface SnapshotName {
  readonly key: string;
  readonly workloadId: number;
}
export interface SnapshotTaken {
  readonly takenMs: EpochMs;
}
/** Snapshots of several machines at the same instant: all or none. */
export interface CaptureRequest {
  readonly key: string;
  /** The one who asks: it gets a snapshot of its own where that of the capture has gone. */
  readonly own: SnapshotName;
  readonly members: readonly SnapshotName[];
  readonly consistency: Consistency;
}
export interface Captured extends SnapshotTaken {
  /** What all of them have. */
  readonly consistency: Consistency;
}

/** A stream that goes on from a copy at its place. */
export interface StreamRequest {
  readonly key: string;
  readonly copyKey: string;
  readonly place: Place;
  readonly journalMs: DurationMs;
  readonly sending?: Sending;
}
/** What a stream had at an instant. */
export interface StreamMark {
  readonly takenMs: EpochMs;
  readonly storedBytes: number;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
}
export interface StreamStatus {
  readonly key: string;
  readonly workloadId: number;
  readonly place: Place;
  readonly state: 'flowing' | 'behind' | 'broken';
  /** Newest instant that is complete at the place. */
  readonly throughMs: EpochMs;
  /** Stretches of which every second can be had, the oldest first. */
  readonly spans: ReadonlyArray<{ readonly fromMs: EpochMs; readonly toMs: EpochMs }>;
  readonly behindBytes: number;
  readonly rateBps: number;
}

export interface ReadChangesRequest {
  readonly snapshotKey: string;
  readonly place: Place;
  readonly excludeRoles: readonly DiskRole[];
}
export interface Changes {
  readonly inspectedBytes: number;
  /** What has to be sent, after compression. */
  readonly sendBytes: number;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
}

export interface TransferRequest {
  readonly key: string;
  readonly snapshotKey: string;
  readonly kind: LaneKind;
  readonly place: Place;
  readonly excludeRoles: readonly DiskRole[];
  readonly sending?: Sending;
}
/** A copy at its place. */
export interface CopyName extends Place {
  readonly copyKey: string;
}
export interface CopyRequest {
  readonly key: string;
  readonly from: CopyName;
  readonly place: Place;
  readonly sending?: Sending;
}
export interface FoundCopy {
  readonly copyKey: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
}
export interface FoundSnapshot {
  readonly key: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
}
export interface TransferProgress {
  readonly key: string;
  readonly sentBytes: number;
  readonly totalBytes: number;
  readonly rateBps: number;
  /** When it was complete at its place; null while it goes on. */
  readonly completedMs: EpochMs | null;
  /** When it will be complete if nothing changes; null: not known. */
  readonly expectedMs: EpochMs | null;
  readonly failure: ControllerFailure | null;
}
export interface StoredCopy {
  readonly digest: string;
  readonly storedBytes: number;
}

export interface CloneRequest {
  readonly key: string;
  readonly copyKey: string;
  readonly place: Place;
  readonly clusterId: number;
  readonly networkId: number;
  readonly address: string;
}
export type CloneCheck = 'ping' | 'port' | 'query';

export interface ControllerFailure {
  readonly code: CauseCode;
  readonly subject: string;
  readonly detail: string;
}

export interface FleetStatus {
  /** Names of sites that answer. */
  readonly sitesUp: readonly string[];
  readonly links: ReadonlyArray<{
    readonly id: number;
    readonly name: string;
    readonly factor: number;
    readonly throttles: readonly Throttle[];
  }>;
  readonly repositories: ReadonlyArray<{ readonly id: number; readonly usedBytes: number }>;
  /** Working disks, and what snapshots and copies take besides. */
  readonly datastores: ReadonlyArray<{ readonly id: number; readonly usedBytes: number }>;
  /** Names of sites that still have the password they came with, and of those whose clock is wrong. */
  readonly defaultPasswords: readonly string[];
  readonly wrongClocks: readonly string[];
  /** Names of workloads whose disks are being moved. */
  readonly movingDisks: readonly string[];
}

export interface SiteController {
  snapshot(request: SnapshotRequest): Promise<SnapshotTaken>;
  snapshotTogether(request: CaptureRequest): Promise<Captured>;
  readChanges(request: ReadChangesRequest): Promise<Changes>;
  /** Sends a first full copy on a disk, unless it is on its way or there; when it is, or was, read in. */
  shipDisk(request: ReadChangesRequest): Promise<{ readonly arrivesMs: EpochMs }>;
  openStream(request: StreamRequest): Promise<void>;
  /** Makes a copy of what a stream had at an instant, or the newest before it; null: there is no such stream. */
  markStream(key: string, copyKey: string, atMs: EpochMs): Promise<StreamMark | null>;
  closeStream(key: string): Promise<void>;
  streams(): Promise<readonly StreamStatus[]>;
  /** Says what a link may carry at which hours. */
  throttle(linkId: number, throttles: readonly Throttle[]): Promise<void>;
  startTransfer(request: TransferRequest): Promise<void>;
  /** Sends a copy from one place to another. */
  startCopy(request: CopyRequest): Promise<void>;
  forgetTransfer(key: string): Promise<void>;
  progress(keys: readonly string[]): Promise<readonly TransferProgress[]>;
  verifyCopy(place: Place, copyKey: string): Promise<StoredCopy>;
  /** Writes what is spoiled in a copy anew, from another one of the same content. */
  repairCopy(copy: CopyName, from: CopyName): Promise<void>;
  /** Forbids everyone to delete a copy before an instant; a later one may be set, never an earlier one. */
  lockCopy(copy: CopyName, untilMs: EpochMs): Promise<void>;
  releaseSnapshot(snapshotKey: string): Promise<void>;
  cancelTransfer(key: string): Promise<void>;
  /** Deletes a copy that the database let go; an unknown one is no error. What it set free is what no other copy there needs. */
  deleteCopy(copy: CopyName): Promise<{ readonly freedBytes: number }>;
  /** Every copy that lies at a place, known or not. */
  inventory(place: Place): Promise<readonly FoundCopy[]>;
  /** Every snapshot that working disks carry. */
  snapshots(): Promise<readonly FoundSnapshot[]>;
  clone(request: CloneRequest): Promise<{ readonly readyMs: EpochMs }>;
  boot(cloneKey: string): Promise<{ readonly bootedMs: EpochMs }>;
  check(cloneKey: string, check: CloneCheck): Promise<{ readonly passedMs: EpochMs; readonly detail: string }>;
  contentDigest(cloneKey: string): Promise<string>;
  removeClone(cloneKey: string): Promise<void>;
  status(): Promise<FleetStatus>;
}

/** A refusal or failure that the world gave as an answer. */
export class ControllerError extends Error {
  override readonly name = 'ControllerError';
  readonly code: CauseCode;
  readonly subject: string;
  readonly retryable: boolean;
  readonly remedy: string;
  constructor(readonly failure: ControllerFailure) {
    super(`${causeTitle(failure.code, failure.subject)}. ${failure.detail}`.trim());
    this.code = failure.code;
    this.subject = failure.subject;
    this.retryable = CAUSES[failure.code].retryable;
    this.remedy = CAUSES[failure.code].remedy;
  }
}
