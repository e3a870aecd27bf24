/** What a person does with runs and points. */
import { object, string } from 'yup';
import type { EpochMs } from '@/core/units';
import type { Lane } from '@/core/protect/policy';
import { command, type Deed } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id, instant, reason } from '@/commands/shapes';
import { execute, insertMany, select, selectOne } from '@/store/database';
import { PLANNED_COLUMNS, plannedRun } from '@/store/planned-run';
import { parseJson } from '@/store/schedules';
import { streamsOf } from '@/store/streams';

interface Enrolled {
  id: number;
  policy_id: number;
  revision: number;
  name: string;
  application_id: number;
  lanes: Lane[] | string;
}

/**
 * A run of one lane of a workload; of a lane whose workloads are captured together the run of each of them, since half a
 * group is none.
 */
async function queueRun(
  workloadId: number,
  laneKey: string | null,
  deed: Deed,
  /** The instant of the point; absent: now. Only a stream can give another. */
  atMs: EpochMs = deed.nowMs,
): Promise<{ runId: number; name: string; lane: string; together: number }> {
  const { db, tx } = deed;
  const row = await selectOne<Enrolled>(
    db,
    `SELECT e.id, e.policy_id, e.revision, w.name, w.application_id, r.lanes FROM enrolments e JOIN workloads w ON w.id = e.workload_id
       JOIN policy_revisions r ON r.policy_id = e.policy_id AND r.revision = e.revision WHERE e.workload_id = ?`,
    [workloadId],
    tx,
  );
  if (!row) throw new Refusal('not-found', `Workload ${workloadId} is under no policy, so there is nothing to run.`);
  const lanes = parseJson(row.lanes);
  const lane = laneKey === null ? lanes[0] : lanes.find((l) => l.key === laneKey);
  if (!lane) throw new Refusal('not-found', `${row.name} has no lane ${laneKey}.`);
  if (atMs !== deed.nowMs && lane.kind !== 'stream')
    throw new Refusal('bad-input', `Lane ${lane.key} is no stream: only its own points are there.`);
  const find = () =>
    selectOne<{ id: number }>(
      db,
      'SELECT id FROM runs WHERE enrolment_id = ? AND lane_key = ? AND occurrence_ms = ?',
      [row.id, lane.key, atMs],
      tx,
    );
  if (await find()) throw new Refusal('conflict', `A run of ${row.name} for this moment is already there.`);
  const members = lane.together
    ? await select<{ enrolment_id: number; workload_id: number }>(
        db,
        `SELECT e.id enrolment_id, e.workload_id FROM enrolments e JOIN workloads w ON w.id = e.workload_id
          WHERE e.policy_id = ? AND e.revision = ? AND w.application_id = ?`,
        [row.policy_id, row.revision, row.application_id],
        tx,
      )
    : [{ enrolment_id: row.id, workload_id: workloadId }];
  const runs = members.map((member) => plannedRun({ ...row, ...member, lane }, atMs, 'waiting', 'person'));
  await insertMany(db, 'runs', PLANNED_COLUMNS, runs, tx, 'INSERT IGNORE');
  return { runId: (await find())?.id ?? 0, name: row.name, lane: lane.key, together: members.length };
}

export const runNow = command({
  name: 'run-now',
  least: 'operator',
  input: object({ workloadId: id(), laneKey: string().max(24) }),
  run: async ({ workloadId, laneKey }, deed) => {
    const { runId, name, lane, together } = await queueRun(workloadId, laneKey ?? null, deed);
    return { result: { runId }, subject: name, detail: { lane, runId, ...(together > 1 ? { together } : {}) } };
  },
});

export const makePoint = command({
  name: 'make-point',
  least: 'operator',
  input: object({ workloadId: id(), laneKey: string().required('Say which stream.').max(24), atMs: instant() }),
  run: async ({ workloadId, laneKey, atMs }, deed) => {
    const stream = (await streamsOf(deed.db, workloadId)).find((s) => s.lane === laneKey);
    if (!stream) throw new Refusal('not-found', `Workload ${workloadId} has no stream ${laneKey}.`);
    if (!stream.spans.some(({ fromMs, toMs }) => atMs >= fromMs && atMs <= toMs))
      throw new Refusal('bad-input', 'The journal does not hold that instant.', {
        atMs: 'Choose one inside its spans.',
      });
    const { runId, name, lane } = await queueRun(workloadId, laneKey, deed, atMs);
    return { result: { runId }, subject: name, detail: { lane, runId, atMs } };
  },
});

/** A run that failed and waits for its next try is tried at once; false: it is none. */
async function tryWaiting(runId: number, { db, tx, nowMs }: Deed): Promise<boolean> {
  const { rows } = await execute(
    db,
    `UPDATE runs SET not_before_ms = ? WHERE id = ? AND state = 'waiting' AND cause_code IS NOT NULL`,
    [nowMs, runId],
    tx,
  );
  return rows > 0;
}

export const retryRun = command({
  name: 'retry-run',
  least: 'operator',
  input: object({ runId: id() }),
  run: async ({ runId }, deed) => {
    const run = await selectOne<{ workload_id: number; name: string; lane_key: string; state: string }>(
      deed.db,
      'SELECT r.workload_id, w.name, r.lane_key, r.state FROM runs r JOIN workloads w ON w.id = r.workload_id WHERE r.id = ?',
      [runId],
      deed.tx,
    );
    if (!run) throw new Refusal('not-found', `There is no run ${runId}.`);
    if (await tryWaiting(runId, deed))
      return { result: { runId }, subject: run.name, detail: { lane: run.lane_key, again: runId } };
    if (run.state !== 'failed' && run.state !== 'cancelled')
      throw new Refusal(
        'conflict',
        `Run ${runId} is ${run.state}; only what has failed or was cancelled is tried again.`,
      );
    const queued = await queueRun(run.workload_id, run.lane_key, deed);
    return { result: { runId: queued.runId }, subject: queued.name, detail: { lane: queued.lane, again: runId } };
  },
});

export const cancelRun = command({
  name: 'cancel-run',
  least: 'operator',
  input: object({ runId: id() }),
  run: async ({ runId }, deed) => {
    const waiting = await execute(
      deed.db,
      `UPDATE runs SET state = 'cancelled', ended_ms = ? WHERE id = ? AND state = 'waiting'`,
      [deed.nowMs, runId],
      deed.tx,
    );
    const running = waiting.rows
      ? waiting
      : await execute(
          deed.db,
          `UPDATE runs SET cancel_requested = TRUE WHERE id = ? AND state = 'running'`,
          [runId],
          deed.tx,
        );
    if (!running.rows) {
      const run = await selectOne<{ state: string }>(deed.db, 'SELECT state FROM runs WHERE id = ?', [runId], deed.tx);
      throw run
        ? new Refusal('conflict', `Run ${runId} has ended: ${run.state}.`)
        : new Refusal('not-found', `There is no run ${runId}.`);
    }
    return { result: { runId }, subject: `run ${runId}`, detail: {} };
  },
});

export const holdPoint = command({
  name: 'hold-point',
  least: 'operator',
  input: object({ pointId: id(), reason: reason() }),
  run: async ({ pointId, reason: why }, deed) => {
    const { rows } = await execute(
      deed.db,
      'UPDATE points SET held_at_ms = ?, held_by = ?, held_reason = ? WHERE id = ? AND held_at_ms IS NULL AND marked_ms IS NULL AND gone_ms IS NULL',
      [deed.nowMs, deed.person.id, why, pointId],
      deed.tx,
    );
    if (!rows) {
      const point = await selectOne<{ gone_ms: number | null }>(
        deed.db,
        'SELECT gone_ms FROM points WHERE id = ?',
        [pointId],
        deed.tx,
      );
      throw point
        ? new Refusal('conflict', `Point ${pointId} is held already or on its way out.`)
        : new Refusal('not-found', `There is no point ${pointId}.`);
    }
    return { result: { pointId }, subject: `point ${pointId}`, detail: { reason: why } };
  },
});

export const releaseHold = command({
  name: 'release-hold',
  least: 'administrator',
  input: object({ pointId: id(), reason: reason() }),
  run: async ({ pointId, reason: why }, deed) => {
    const { rows } = await execute(
      deed.db,
      'UPDATE points SET held_at_ms = NULL, held_by = NULL, held_reason = NULL WHERE id = ? AND held_at_ms IS NOT NULL',
      [pointId],
      deed.tx,
    );
    if (!rows) throw new Refusal('not-found', `There is no held point ${pointId}.`);
    return { result: { pointId }, subject: `point ${pointId}`, detail: { reason: why } };
  },
});
