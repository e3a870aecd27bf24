/** What the history of the demo comes to, as plain data: runs, points, drills, and how each lane stands at its end. */
import type { Lane } from '@/core/protect/policy';
import type { DrillRecord } from '@/core/recover/drill-record';
import type { EpochMs } from '@/core/units';
import type { Outcome } from '@/engine/run/job';
import type { FleetRunbook, FleetWorkload } from '@/demo/fleet';

export interface HistoryRun {
  readonly id: number;
  readonly workload: FleetWorkload;
  readonly lane: Lane;
  readonly occurrenceMs: EpochMs;
  /** What is captured together has the same. */
  readonly groupKey: string | null;
  startedMs: EpochMs | null;
  attempt: number;
  state: 'waiting' | 'succeeded' | 'failed' | 'missed';
  outcome: Outcome | null;
}
export interface HistoryPoint {
  /** As the ladder wants it. */
  readonly id: string;
  readonly takenAtMs: EpochMs;
  readonly run: HistoryRun;
  readonly outcome: Extract<Outcome, { kind: 'succeeded' }>;
  readonly copyKey: string;
  /** Its place does not let it go before. */
  readonly heldUntilMs?: EpochMs;
  goneMs: EpochMs | null;
  /** Set free at its place; null while it is there. */
  freedBytes: number | null;
}
export interface HistoryDrill {
  readonly runbook: FleetRunbook;
  readonly atMs: EpochMs;
  readonly record: DrillRecord;
  readonly lines: ReadonlyArray<{ readonly atMs: EpochMs; readonly text: string }>;
}
export interface LaneState {
  readonly workload: FleetWorkload;
  readonly lane: Lane;
  dueMs: EpochMs | null;
  typicalMs: number;
  failingSinceMs: EpochMs | null;
  failures: number;
  causeCode: string | null;
  causeSubject: string | null;
  waiting: HistoryRun | null;
  readonly live: HistoryPoint[];
}
export interface History {
  readonly runs: readonly HistoryRun[];
  readonly points: readonly HistoryPoint[];
  readonly drills: readonly HistoryDrill[];
  readonly lanes: readonly LaneState[];
}

export interface HistorySink {
  readonly run: (run: HistoryRun) => void;
  readonly point: (point: HistoryPoint) => void;
}
