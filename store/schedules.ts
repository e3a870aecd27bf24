/** Planning: due occurrences become runs, exactly once. Run row and next due time are written in one transaction. */
import { inTransaction, insertMany, select, updateMany, type Database, type Tx } from '@/store/database';
import { PLANNED_COLUMNS, plannedRun } from '@/store/planned-run';
import { nextDue } from '@/core/protect/stagger';
import type { Lane } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';

export interface DueSchedule {
  enrolment_id: number;
  lane_key: string;
  workload_id: number;
  application_id: number;
  due_ms: EpochMs;
  policy_id: number;
  revision: number;
}

export type LanesOf = (policyId: number, revision: number, tx?: Tx) => Promise<readonly Lane[]>;

/** Revisions never change, so they are kept for the life of the process. */
export function lanesReader(db: Database): LanesOf {
  const known = new Map<string, readonly Lane[]>();
  return async (policyId, revision, tx) => {
    const key = `${policyId}.${revision}`;
    const lanes = known.get(key);
    if (lanes) return lanes;
    const rows = await select<{ lanes: readonly Lane[] | string }>(
      db,
      'SELECT lanes FROM policy_revisions WHERE policy_id = ? AND revision = ?',
      [policyId, revision],
      tx,
    );
    if (!rows[0]) throw new Error(`Policy ${policyId} has no revision ${revision}.`);
    const read = parseJson<readonly Lane[]>(rows[0].lanes);
    known.set(key, read);
    return read;
  };
}

/** Which revision of which policy is in force on workloads. */
export function enrolmentsOf(
  db: Database,
  workloadIds: readonly number[],
): Promise<Array<{ workload_id: number; policy_id: number; revision: number }>> {
  return select(db, 'SELECT workload_id, policy_id, revision FROM enrolments WHERE workload_id IN (?)', [workloadIds]);
}

/** MariaDB's JSON is text; the driver may or may not have parsed it. */
export function parseJson<T>(value: T | string): T {
  return typeof value === 'string' ? (JSON.parse(value) as T) : value;
}

/**
 * Turns what is due at `nowMs` into waiting runs; of several missed occurrences of a lane the newest is made up for and
 * the older ones are recorded as missed. Returns how many runs were made.
 */
export async function planDue(db: Database, lanesOf: LanesOf, nowMs: EpochMs, limit: number): Promise<number> {
  // Most looks find nothing: they cost one read.
  if (!(await select(db, 'SELECT 1 FROM schedules WHERE due_ms <= ? LIMIT 1', [nowMs])).length) return 0;
  return inTransaction(db, async (tx) => {
    const rows = await select<Omit<DueSchedule, 'application_id'>>(
      db,
      `SELECT s.enrolment_id, s.lane_key, s.workload_id, s.due_ms, e.policy_id, e.revision
         FROM schedules s JOIN enrolments e ON e.id = s.enrolment_id
        WHERE s.due_ms <= ? ORDER BY s.due_ms LIMIT ? FOR UPDATE SKIP LOCKED`,
      [nowMs, limit],
      tx,
    );
    const due = await withApplications(db, rows, tx);
    const runs: unknown[][] = [];
    for (const schedule of due) runs.push(...(await occurrencesOf(schedule, lanesOf, nowMs, tx)));
    await insertMany(db, 'runs', PLANNED_COLUMNS, runs, tx, 'INSERT IGNORE');
    const next: unknown[][] = [];
    for (const schedule of due) {
      const lane = (await lanesOf(schedule.policy_id, schedule.revision, tx)).find((l) => l.key === schedule.lane_key);
      const dueMs = lane ? nextDue(lane, schedule, nowMs) : null;
      next.push([schedule.enrolment_id, schedule.lane_key, dueMs]);
    }
    await updateMany(db, 'schedules', ['enrolment_id', 'lane_key'], ['due_ms'], next, { tx });
    return runs.length;
  });
}

/** Read apart: what a locking read touches is skipped where somebody else holds it. */
async function withApplications(
  db: Database,
  rows: ReadonlyArray<Omit<DueSchedule, 'application_id'>>,
  tx: Tx,
): Promise<DueSchedule[]> {
  if (!rows.length) return [];
  const workloads = await select<{ id: number; application_id: number }>(
    db,
    'SELECT id, application_id FROM workloads WHERE id IN (?)',
    [rows.map((row) => row.workload_id)],
    tx,
  );
  const applicationOf = new Map(workloads.map((w) => [w.id, w.application_id]));
  return rows.map((row) => ({ ...row, application_id: applicationOf.get(row.workload_id) ?? 0 }));
}

async function occurrencesOf(schedule: DueSchedule, lanesOf: LanesOf, nowMs: EpochMs, tx: Tx): Promise<unknown[][]> {
  const lane = (await lanesOf(schedule.policy_id, schedule.revision, tx)).find((l) => l.key === schedule.lane_key);
  if (!lane) return [];
  const instants: EpochMs[] = [];
  for (let at: EpochMs | null = schedule.due_ms; at !== null && at <= nowMs; at = nextDue(lane, schedule, at))
    instants.push(at);
  return instants.map((at, i) =>
    plannedRun({ ...schedule, lane }, at, i === instants.length - 1 ? 'waiting' : 'missed'),
  );
}
