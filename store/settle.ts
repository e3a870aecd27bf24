/** How a running run ends: every transition here names the owner it expects; a run that is no longer ours is left alone. */
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import { execute, insertMany, inTransaction, select, updateMany, type Database, type Tx } from '@/store/database';
import type { Lane } from '@/core/protect/policy';
import { PLANNED_COLUMNS, plannedRun } from '@/store/planned-run';
import type { ClaimedRun } from '@/store/runs';

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
  /** Lanes that are due once this point is there. */
  readonly followers: readonly Lane[];
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
  'group_key',
] as const;

/** What a success says of its point. */
type PointFacts = Omit<SettledSuccess, 'run' | 'endedMs' | 'steps' | 'inspectedBytes' | 'sentBytes' | 'followers'> & {
  readonly run: Pick<ClaimedRun, 'id' | 'workload_id' | 'lane_key' | 'kind' | 'group_key'>;
};

/** A point as a row in the order of POINT_COLUMNS. */
export function pointRow(s: PointFacts): unknown[] {
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
    s.run.group_key,
  ];
}

/** Success and point in one transaction, a few statements for all of them; returns the runs that were still ours. */
export function settleSuccesses(
  db: Database,
  owner: string,
  successes: readonly SettledSuccess[],
): Promise<SettledSuccess[]> {
  return inTransaction(db, async (tx) => {
    const held = await select<{ id: number }>(
      db,
      `SELECT id FROM runs WHERE id IN (?) AND owner = ? AND state = 'running' ORDER BY id FOR UPDATE`,
      [successes.map((s) => s.run.id), owner],
      tx,
    );
    const stillOurs = new Set(held.map((row) => row.id));
    const ours = successes.filter((s) => stillOurs.has(s.run.id));
    await updateMany(db, 'runs', ['id'], SUCCESS_COLUMNS, ours.map(successRow), { set: SUCCESS_SET, tx });
    await insertMany(db, 'points', POINT_COLUMNS, ours.map(pointRow), tx);
    await noteNewest(db, ours, tx);
    await noteStreams(db, ours, tx);
    await planFollowers(db, ours, tx);
    return ours;
  });
}

const SUCCESS_COLUMNS = [
  'ended_ms',
  'taken_ms',
  'steps',
  'inspected_bytes',
  'total_bytes',
  'sent_bytes',
  'stored_bytes',
] as const;
const SUCCESS_SET = `state = 'succeeded', owner = NULL, lease_real_ms = NULL, step = NULL, rate_bps = NULL,
  cause_code = NULL, cause_subject = NULL, detail = NULL, remedy = NULL`;

function successRow(s: SettledSuccess): unknown[] {
  return [
    s.run.id,
    s.endedMs,
    s.takenMs,
    JSON.stringify(s.steps),
    s.inspectedBytes,
    s.sentBytes,
    s.sentBytes,
    s.storedBytes,
  ];
}

/** Runs of lanes that come after another: one for each of its points, under the unique key of occurrences. */
async function planFollowers(db: Database, ours: readonly SettledSuccess[], tx: Tx): Promise<void> {
  const runs = ours.flatMap(({ run, usableMs, followers }) =>
    followers.map((lane) => plannedRun({ ...run, lane }, usableMs, 'waiting')),
  );
  if (runs.length) await insertMany(db, 'runs', PLANNED_COLUMNS, runs, tx, 'INSERT IGNORE');
}

/** A stream begins with its first point; what it gives from then on is looked at by the engine (engine/streams.ts). */
async function noteStreams(db: Database, ours: readonly SettledSuccess[], tx: Tx): Promise<void> {
  const rows = ours.flatMap(({ run, place, placeSiteId, takenMs, usableMs }) =>
    run.kind === 'stream'
      ? [[run.enrolment_id, run.lane_key, run.workload_id, place.id, placeSiteId, takenMs, usableMs]]
      : [],
  );
  const columns = ['enrolment_id', 'lane_key', 'workload_id', 'place_id', 'site_id', 'through_ms', 'seen_ms'];
  if (rows.length) await insertMany(db, 'streams', columns, rows, tx, 'INSERT IGNORE');
}

/**
 * From when a run was due until its point could be used; null: it says nothing of the lane, since a person chose its
 * instant, which may long have passed where it comes out of a journal.
 */
function typicalMs({ run, usableMs }: SettledSuccess): number | null {
  return run.started_by === 'person' ? null : Math.max(1000, usableMs - run.occurrence_ms);
}

async function noteNewest(db: Database, ours: readonly SettledSuccess[], tx: Tx): Promise<void> {
  const newest = [...groupBy(ours, (s) => s.run.workload_id)].map(([id, list]) => [
    id,
    Math.max(...list.map((s) => s.takenMs)),
    Math.max(0, ...list.filter((s) => s.placeSiteId !== s.run.workload_site_id).map((s) => s.takenMs)),
  ]);
  await updateMany(db, 'workloads', ['id'], ['newest', 'off_site'], newest, {
    assign: `t.newest_taken_ms = GREATEST(COALESCE(t.newest_taken_ms, 0), v.newest),
      t.newest_off_site_taken_ms = NULLIF(GREATEST(COALESCE(t.newest_off_site_taken_ms, 0), v.off_site), 0)`,
    tx,
  });
  await updateMany(
    db,
    'schedules',
    ['enrolment_id', 'lane_key'],
    ['typical_ms'],
    ours.map((s) => [s.run.enrolment_id, s.run.lane_key, typicalMs(s)]),
    {
      assign: `t.typical_ms = COALESCE(v.typical_ms, t.typical_ms), t.failing_since_ms = NULL, t.failures = 0,
        t.cause_code = NULL, t.cause_subject = NULL`,
      tx,
    },
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

/** Gives a run back to waiting until an instant: nothing failed, something is on its way. */
export async function settlePutOff(
  db: Database,
  owner: string,
  p: { readonly runId: number; readonly untilMs: EpochMs; readonly waitsFor: string; readonly steps: unknown },
): Promise<void> {
  await execute(
    db,
    `UPDATE runs SET state = 'waiting', owner = NULL, lease_real_ms = NULL, not_before_ms = ?, waits_for = ?, steps = ?, step = NULL,
            rate_bps = NULL WHERE id = ? AND owner = ? AND state = 'running'`,
    [p.untilMs, p.waitsFor, JSON.stringify(p.steps), p.runId, owner],
  );
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
