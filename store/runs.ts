/**
 * Runs that are under way. The state machine is: waiting -> running -> succeeded | failed | cancelled, waiting -> missed, and
 * running -> waiting for a retry. Every write names the state and owner it expects; zero rows is a lost lease.
 */
import { execute, inTransaction, select, updateMany, type Database } from '@/store/database';
import type { LaneKind } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';

export interface ClaimedRun {
  id: number;
  enrolment_id: number;
  workload_id: number;
  workload_name: string;
  workload_site_id: number;
  application_id: number;
  site_name: string;
  datastore_id: number;
  policy_id: number;
  revision: number;
  lane_key: string;
  kind: LaneKind;
  attempt: number;
  occurrence_ms: EpochMs;
  /** What is captured at the same instant has the same; null: it is captured alone. */
  group_key: string | null;
  started_by: 'cadence' | 'person' | 'retry';
}

/** How long a lease lasts without a heartbeat, in ms of real time. ANCHOR_LEASE_MS says otherwise. */
export const LEASE_MS = Number(process.env.ANCHOR_LEASE_MS ?? 10_000);

/** Runs that are captured together and have not ended. */
export async function capturedWith(
  db: Database,
  groupKey: string,
): Promise<Array<{ readonly runId: number; readonly workloadId: number }>> {
  return select(
    db,
    `SELECT id runId, workload_id workloadId FROM runs WHERE group_key = ? AND state IN ('waiting', 'running') ORDER BY id`,
    [groupKey],
  );
}

/** Gives runs of engines that are gone back to waiting, so that the next claim takes them over. Returns how many. */
export async function takeOverDeadRuns(db: Database): Promise<number> {
  const { rows } = await execute(
    db,
    `UPDATE runs SET state = 'waiting', owner = NULL, lease_real_ms = NULL WHERE state = 'running' AND lease_real_ms < ?`,
    [Date.now()],
  );
  return rows;
}

export interface EngineLife {
  readonly id: string;
  readonly pid: number;
  readonly startedRealMs: number;
}

/** Says that an engine lives. */
export async function beat(db: Database, { id, pid, startedRealMs }: EngineLife): Promise<void> {
  const columns = '(id, pid, started_real_ms, beat_real_ms)';
  await execute(db, `REPLACE INTO engines ${columns} VALUES (?, ?, ?, ?)`, [id, pid, startedRealMs, Date.now()]);
}

/**
 * Renews the leases of runs that an engine has in hand, and of no others: one that it claimed without ever hearing so (the
 * answer to a commit can be lost) is taken over once its lease is over. Returns those that are not its own any more.
 */
export async function renewLeases(db: Database, owner: string, inHand: readonly number[]): Promise<number[]> {
  if (!inHand.length) return [];
  const { rows } = await execute(
    db,
    `UPDATE runs SET lease_real_ms = ? WHERE id IN (?) AND owner = ? AND state = 'running'`,
    [Date.now() + LEASE_MS, inHand, owner],
  );
  if (rows === inHand.length) return [];
  const held = await select<{ id: number }>(
    db,
    `SELECT id FROM runs WHERE id IN (?) AND owner = ? AND state = 'running'`,
    [inHand, owner],
  );
  const ours = new Set(held.map((run) => run.id));
  return inHand.filter((id) => !ours.has(id));
}

/** True if this engine is the one, of all that are alive, that looks after the whole: the one that began first. */
export async function isWatch(db: Database, owner: string): Promise<boolean> {
  const [first] = await select<{ id: string }>(
    db,
    'SELECT id FROM engines WHERE beat_real_ms > ? ORDER BY started_real_ms, id LIMIT 1',
    [Date.now() - LEASE_MS],
  );
  return first?.id === owner;
}

/** Gives runs that an engine had not finished back to waiting, at once, as it goes. */
export async function giveBack(db: Database, owner: string): Promise<number> {
  const { rows } = await execute(
    db,
    `UPDATE runs SET state = 'waiting', owner = NULL, lease_real_ms = NULL WHERE state = 'running' AND owner = ?`,
    [owner],
  );
  await execute(db, 'DELETE FROM engines WHERE id = ?', [owner]);
  return rows;
}

/** Writes how far running runs are: one statement, so one flush of the log, for all. */
export async function recordProgress(
  db: Database,
  owner: string,
  rows: ReadonlyArray<{
    id: number;
    step: string;
    steps: unknown;
    sentBytes: number | null;
    totalBytes: number | null;
    rateBps: number | null;
  }>,
): Promise<void> {
  if (!rows.length) return;
  // In the order in which they are settled, which may happen at the same time.
  const ordered = rows
    .toSorted((a, b) => a.id - b.id)
    .map((r) => [r.id, r.step, JSON.stringify(r.steps), r.sentBytes, r.totalBytes, r.rateBps]);
  const columns = ['step', 'steps', 'sent_bytes', 'total_bytes', 'rate_bps'];
  const fence = { sql: `t.owner = ? AND t.state = 'running'`, values: [owner] };
  await inTransaction(db, (tx) => updateMany(db, 'runs', ['id'], columns, ordered, { fence, tx }));
}

/** Ids of our running runs that a person wants cancelled. */
export async function cancelRequests(db: Database, owner: string): Promise<number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM runs WHERE state = 'running' AND owner = ? AND cancel_requested`,
    [owner],
  );
  return rows.map((row) => row.id);
}
