/**
 * The run state machine in the database: waiting -> running -> succeeded | failed | cancelled, waiting -> missed, and
 * running -> waiting for a retry. Every write names the state and owner it expects; zero rows is a lost lease.
 */
import { execute, insertMany, inTransaction, select, type Database, type Tx } from '@/store/database';
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
export function claimRuns(db: Database, owner: string, nowMs: EpochMs, limit: number): Promise<ClaimedRun[]> {
  return inTransaction(db, async (tx) => {
    await execute(
      db,
      `UPDATE runs old JOIN runs newer ON newer.enrolment_id = old.enrolment_id AND newer.lane_key = old.lane_key
          AND newer.state = 'waiting' AND newer.occurrence_ms > old.occurrence_ms AND newer.not_before_ms <= ?
          SET old.ended_ms = IF(old.cause_code IS NULL, NULL, ?), old.state = IF(old.cause_code IS NULL, 'missed', 'failed')
        WHERE old.state = 'waiting'`,
      [nowMs, nowMs],
      tx,
    );
    const waiting = await select<ClaimedRun>(
      db,
      `SELECT r.id, r.enrolment_id, r.workload_id, w.name workload_name, w.site_id workload_site_id, w.datastore_id,
              r.policy_id, r.revision, r.lane_key, r.kind, r.attempt, r.occurrence_ms
         FROM runs r JOIN workloads w ON w.id = r.workload_id JOIN applications a ON a.id = w.application_id
        WHERE r.state = 'waiting' AND r.not_before_ms <= ?
          AND NOT EXISTS (SELECT 1 FROM runs busy WHERE busy.workload_id = r.workload_id AND busy.state = 'running')
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

/** Writes how far running runs are: one transaction, so one flush of the log, for all. */
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
  await inTransaction(db, async (tx) => {
    for (const row of [...rows].sort((a, b) => a.id - b.id))
      await execute(
        db,
        `UPDATE runs SET step = ?, steps = ?, sent_bytes = ?, total_bytes = ?, rate_bps = ? WHERE id = ? AND owner = ? AND state = 'running'`,
        [row.step, JSON.stringify(row.steps), row.sentBytes, row.totalBytes, row.rateBps, row.id, owner],
        tx,
      );
  });
}

export interface SettledSuccess {
  readonly run: ClaimedRun;
  readonly endedMs: EpochMs;
  readonly steps: unknown;
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly inspectedBytes: number;
  readonly sentBytes: number;
  readonly storedBytes: number;
  readonly digest: string;
  readonly disks: unknown;
  readonly copyKey: string;
  readonly place: { readonly kind: string; readonly id: number };
  readonly placeSiteId: number;
  readonly consistency: string;
  readonly immutableUntilMs: EpochMs | null;
}

export const POINT_COLUMNS = [
  'run_id',
  'workload_id',
  'lane_key',
  'kind',
  'place_kind',
  'place_id',
  'site_id',
  'consistency',
  'taken_ms',
  'usable_ms',
  'digest',
  'disks',
  'stored_bytes',
  'copy_key',
  'verified_ms',
  'immutable_until_ms',
] as const;

/** A point as a row in the order of POINT_COLUMNS. */
export function pointRow(s: SettledSuccess): unknown[] {
  return [
    s.run.id,
    s.run.workload_id,
    s.run.lane_key,
    s.run.kind,
    s.place.kind,
    s.place.id,
    s.placeSiteId,
    s.consistency,
    s.takenMs,
    s.usableMs,
    s.digest,
    JSON.stringify(s.disks),
    s.storedBytes,
    s.copyKey,
    s.usableMs,
    s.immutableUntilMs,
  ];
}

/** Success and point in one transaction; returns the runs that were still ours. */
export function settleSuccesses(
  db: Database,
  owner: string,
  successes: readonly SettledSuccess[],
): Promise<SettledSuccess[]> {
  return inTransaction(db, async (tx) => {
    const ours: SettledSuccess[] = [];
    for (const s of [...successes].sort((a, b) => a.run.id - b.run.id)) {
      const { rows } = await execute(
        db,
        `UPDATE runs SET state = 'succeeded', owner = NULL, lease_real_ms = NULL, ended_ms = ?, taken_ms = ?, step = NULL, steps = ?,
                inspected_bytes = ?, total_bytes = ?, sent_bytes = ?, stored_bytes = ?, rate_bps = NULL,
                cause_code = NULL, cause_subject = NULL, detail = NULL, remedy = NULL
          WHERE id = ? AND owner = ? AND state = 'running'`,
        [
          s.endedMs,
          s.takenMs,
          JSON.stringify(s.steps),
          s.inspectedBytes,
          s.sentBytes,
          s.sentBytes,
          s.storedBytes,
          s.run.id,
          owner,
        ],
        tx,
      );
      if (rows === 1) ours.push(s);
    }
    await insertMany(db, 'points', POINT_COLUMNS, ours.map(pointRow), tx);
    for (const s of ours) await noteNewest(db, s, tx);
    return ours;
  });
}

async function noteNewest(db: Database, s: SettledSuccess, tx: Tx): Promise<void> {
  const offSite = s.placeSiteId !== s.run.workload_site_id;
  await execute(
    db,
    `UPDATE workloads SET newest_taken_ms = GREATEST(COALESCE(newest_taken_ms, 0), ?)
        ${offSite ? ', newest_off_site_taken_ms = GREATEST(COALESCE(newest_off_site_taken_ms, 0), ?)' : ''} WHERE id = ?`,
    offSite ? [s.takenMs, s.takenMs, s.run.workload_id] : [s.takenMs, s.run.workload_id],
    tx,
  );
  await execute(
    db,
    `UPDATE schedules SET typical_ms = ?, failing_since_ms = NULL, failures = 0, cause_code = NULL, cause_subject = NULL
      WHERE enrolment_id = ? AND lane_key = ?`,
    [Math.max(1000, s.usableMs - s.run.occurrence_ms), s.run.enrolment_id, s.run.lane_key],
    tx,
  );
}

export interface SettledFailure {
  readonly run: ClaimedRun;
  readonly endedMs: EpochMs;
  readonly steps: unknown;
  readonly code: string;
  readonly subject: string;
  readonly detail: string;
  readonly remedy: string;
  /** When to try again; null: this was the last try. */
  readonly retryAtMs: EpochMs | null;
}

export function settleFailure(db: Database, owner: string, f: SettledFailure): Promise<void> {
  return inTransaction(db, async (tx) => {
    const again = f.retryAtMs !== null;
    const { rows } = await execute(
      db,
      `UPDATE runs SET state = ?, owner = NULL, lease_real_ms = NULL, ended_ms = ?, not_before_ms = COALESCE(?, not_before_ms), steps = ?,
              step = NULL, rate_bps = NULL, cause_code = ?, cause_subject = ?, detail = ?, remedy = ?
        WHERE id = ? AND owner = ? AND state = 'running'`,
      [
        again ? 'waiting' : 'failed',
        again ? null : f.endedMs,
        f.retryAtMs,
        JSON.stringify(f.steps),
        f.code,
        f.subject,
        f.detail.slice(0, 500),
        f.remedy,
        f.run.id,
        owner,
      ],
      tx,
    );
    if (rows === 0) return;
    await execute(
      db,
      `UPDATE schedules SET failing_since_ms = COALESCE(failing_since_ms, ?), failures = failures + 1, cause_code = ?, cause_subject = ?
        WHERE enrolment_id = ? AND lane_key = ?`,
      [f.endedMs, f.code, f.subject, f.run.enrolment_id, f.run.lane_key],
      tx,
    );
  });
}

export async function settleCancelled(
  db: Database,
  owner: string,
  runId: number,
  endedMs: EpochMs,
  steps: unknown,
): Promise<void> {
  await execute(
    db,
    `UPDATE runs SET state = 'cancelled', owner = NULL, lease_real_ms = NULL, ended_ms = ?, steps = ?, step = NULL, rate_bps = NULL
      WHERE id = ? AND owner = ? AND state = 'running'`,
    [endedMs, JSON.stringify(steps), runId, owner],
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
