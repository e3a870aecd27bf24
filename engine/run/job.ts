/** What a run is asked to do, and what comes of it. */
import type { CauseCode } from '@/core/protect/cause';
import type { Consistency, Lane } from '@/core/protect/policy';
import type { RunStepView } from '@/core/protect/run';
import { HOUR, MINUTE, type DurationMs, type EpochMs } from '@/core/units';
import type { CopyName, DiskContent, Place, SiteController, TransferProgress } from '@/connectors/site-controller';

export interface RunJob {
  readonly runId: number;
  /** 1 for the first try. */
  readonly attempt: number;
  readonly workloadId: number;
  readonly workloadName: string;
  /** Site it runs at. */
  readonly siteName: string;
  readonly lane: Lane;
  readonly place: Place;
  /** How long its place locks a point, 0: not at all. */
  readonly immutableMs: DurationMs;
  /** Of a copy: the point it copies, null if there is none; absent for runs that take their point at the source. */
  readonly source?: SourcePoint | null;
  /** The instant it was due, or that a person asked for. */
  readonly occurrenceMs: EpochMs;
  /** Of a stream lane: the name of its stream, the same for all of its runs. */
  readonly streamKey: string;
  /** Captured at one instant with others; absent: alone. */
  readonly capture?: Capture;
}

/** Runs that are captured together: their snapshots are taken at one instant, by the first of them that comes so far. */
export interface Capture {
  readonly key: string;
  readonly members: () => Promise<ReadonlyArray<{ readonly runId: number; readonly workloadId: number }>>;
}

/** A point that a copy is made of. */
export interface SourcePoint {
  readonly place: CopyName;
  readonly takenMs: EpochMs;
  readonly consistency: Consistency;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
}

export type RunStep = RunStepView;

export interface RunContext {
  readonly site: SiteController;
  readonly nowMs: () => EpochMs;
  /** Resolves when the transfer is complete at its place; rejects with its failure. */
  readonly untilTransferred: (key: string) => Promise<TransferProgress>;
  readonly onStep: (steps: readonly RunStep[]) => void;
  readonly signal: AbortSignal;
}

export interface Success {
  readonly kind: 'succeeded';
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly inspectedBytes: number;
  readonly sentBytes: number;
  readonly storedBytes: number;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
  /** What the point really has: less than the lane asks where the guest could not be frozen. */
  readonly consistency: Consistency;
}
export interface Failure {
  readonly kind: 'failed';
  readonly code: CauseCode;
  readonly subject: string;
  readonly detail: string;
  readonly remedy: string;
  readonly retryable: boolean;
}
/** Nothing failed and nothing is there yet: the run goes on at an instant. */
export interface PutOff {
  readonly kind: 'put-off';
  readonly untilMs: EpochMs;
  readonly waitsFor: string;
}
/** `lost`: another engine has the run, and says what becomes of it. */
export type Outcome = (Success | Failure | PutOff | { readonly kind: 'cancelled' | 'lost' }) & {
  readonly steps: readonly RunStep[];
  readonly endedMs: EpochMs;
};

/** Tries within the first hour, the first included, and in all: from then on one an hour, for a week. */
const EARLY_ATTEMPTS = 8;
const ATTEMPTS = EARLY_ATTEMPTS + 7 * 24;

/**
 * Whether a run whose try `attempt` failed is tried once more. What was captured together goes on from its first instant,
 * whose snapshots grow and whose points would come old: it has the first hour only.
 */
export function isTriedAgain(attempt: number, together: boolean): boolean {
  return attempt < (together ? EARLY_ATTEMPTS : ATTEMPTS);
}
const LONGEST_EARLY_MS: DurationMs = 15 * MINUTE;

/**
 * How long to wait before try `attempt` + 1: 1, 2, 4, 8 min, then every 15 until an hour has passed, then every hour: what is
 * due once a day is not lost for a day by an outage of two hours. A newer occurrence of the lane comes first.
 */
export function backoffMs(attempt: number): DurationMs {
  return attempt < EARLY_ATTEMPTS ? Math.min(LONGEST_EARLY_MS, MINUTE * 2 ** (attempt - 1)) : HOUR;
}

export interface RunKeys {
  readonly snapshot: string;
  readonly copy: string;
}

/** Keys of what one try of a run makes in the world. What was captured together stays as it was from try to try. */
export function runKeys(runId: number, attempt: number, captured = false): RunKeys {
  return { snapshot: `s${runId}.${captured ? 1 : attempt}`, copy: `c${runId}.${attempt}` };
}
