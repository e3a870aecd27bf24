/**
 * The run state machine in the database: waiting -> running -> succeeded | failed | cancelled, waiting -> missed, and
 * running -> waiting for a retry. Every write names the state and owner it expects; zero rows is a lost lease.
 */
import { execute, inTransaction, isDuplicateKey, select, updateMany, type Database, type Tx } from '@/store/database';
import type { LaneKind } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';

export interface ClaimedRun {
  id: number;
  enrolment_id: number;
  workload_id: number;
  workload_name: string;
  workload_site_id: number;
  datastore_id: number;
  policy_id: number;
  revision: number;
  lane_key: string;
  kind: LaneKind;
  attempt: number;
  occurrence_ms: EpochMs;
}

/** How long a lease lasts without a heartbeat, in ms of real time. */
export const LEASE_MS = 10_000;

/**
 * Claims waiting runs for `owner`, the highest tier first; one run a workload at a time. An older waiting occurrence of a lane that a newer
 * one has overtaken is recorded as missed, or as failed if it was tried.
 */
export async function claimRuns(db: Database, owner: string, nowMs: EpochMs, limit: number): Promise<ClaimedRun[]> {
  try {
    return await claim(db, owner, nowMs, limit);
  } catch (error) {
    // Another engine claimed another run of one of these workloads at the same moment; the next round sees it.
    if (isDuplicateKey(error)) return [];
    throw error;
  }
}

function claim(db: Database, owner: string, nowMs: EpochMs, limit: number): Promise<ClaimedRun[]> {
  return inTransaction(db, async (tx) => {
    await giveUpOvertaken(db, nowMs, tx);
    const waiting = await select<ClaimedRun>(
      db,
      `SELECT r.id, r.enrolment_id, r.workload_id, w.name workload_name, w.site_id workload_site_id, w.datastore_id,
              r.policy_id, r.revision, r.lane_key, r.kind, r.attempt, r.occurrence_ms
         FROM runs r JOIN workloads w ON w.id = r.workload_id JOIN applications a ON a.id = w.application_id
        WHERE r.state = 'waiting' AND r.not_before_ms <= ?
          AND NOT EXISTS (SELECT 1 FROM runs busy WHERE busy.running_workload = r.workload_id)
        ORDER BY a.tier_id, r.occurrence_ms LIMIT ? FOR UPDATE SKIP LOCKED`,
      [nowMs, limit],
      tx,
    );
    const first = new Map(waiting.toReversed().map((run) => [run.workload_id, run]));
    const chosen = waiting.filter((run) => first.get(run.workload_id) === run);
    if (chosen.length)
      await execute(
        db,
        `UPDATE runs SET state = 'running', owner = ?, lease_real_ms = ?, attempt = attempt + 1, started_ms = COALESCE(started_ms, ?)
          WHERE id IN (?) AND state = 'waiting'`,
        [owner, Date.now() + LEASE_MS, nowMs, chosen.map((run) => run.id)],
        tx,
      );
    return chosen.map((run) => ({ ...run, attempt: run.attempt + 1 }));
  });
}

async function giveUpOvertaken(db: Database, nowMs: EpochMs, tx: Tx): Promise<void> {
  const overtaken = await select<{ id: number }>(
    db,
    `SELECT id FROM (SELECT id, occurrence_ms, MAX(IF(not_before_ms <= ?, occurrence_ms, NULL)) OVER (PARTITION BY enrolment_id, lane_key) newest_ms
       FROM runs WHERE state = 'waiting') waiting WHERE occurrence_ms < newest_ms`,
    [nowMs],
    tx,
  );
  if (overtaken.length)
    await execute(
      db,
      `UPDATE runs SET ended_ms = IF(cause_code IS NULL, NULL, ?), state = IF(cause_code IS NULL, 'missed', 'failed')
        WHERE id IN (?) AND state = 'waiting'`,
      [nowMs, overtaken.map((run) => run.id)],
      tx,
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

export async function renewLeases(db: Database, owner: string, pid: number, startedRealMs: number): Promise<void> {
  const now = Date.now();
  await execute(db, 'REPLACE INTO engines (id, pid, started_real_ms, beat_real_ms) VALUES (?, ?, ?, ?)', [
    owner,
    pid,
    startedRealMs,
    now,
  ]);
  await execute(db, `UPDATE runs SET lease_real_ms = ? WHERE owner = ? AND state = 'running'`, [now + LEASE_MS, owner]);
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
  await updateMany(
    db,
    'runs',
    ['id'],
    ['step', 'steps', 'sent_bytes', 'total_bytes', 'rate_bps'],
    rows.map((r) => [r.id, r.step, JSON.stringify(r.steps), r.sentBytes, r.totalBytes, r.rateBps]),
    { fence: { sql: `t.owner = ? AND t.state = 'running'`, values: [owner] } },
  );
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
