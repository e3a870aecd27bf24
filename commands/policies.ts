/** Changing a policy: a new revision, and taking it to its workloads. */
import { boolean, object, string } from 'yup';
import type { Lane } from '@/core/protect/policy';
import { nextDue } from '@/core/protect/stagger';
import { command, type Deed } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { laneSettings, requireLanes, requirePlaces } from '@/commands/lane-shape';
import { cadence, id, ladder } from '@/commands/shapes';
import { execute, select, selectOne } from '@/store/database';
import { pointsLetGo } from '@/store/points';
import { parseJson } from '@/store/schedules';

interface Head {
  name: string;
  revision: number;
  lanes: Lane[];
  rule: unknown;
}

async function headOf(policyId: number, deed: Deed): Promise<Head> {
  const row = await selectOne<Head>(
    deed.db,
    'SELECT p.name, p.revision, r.lanes, r.rule FROM policies p JOIN policy_revisions r ON r.policy_id = p.id AND r.revision = p.revision WHERE p.id = ? FOR UPDATE',
    [policyId],
    deed.tx,
  );
  if (!row) throw new Refusal('not-found', `There is no policy ${policyId}.`);
  return { ...row, lanes: parseJson(row.lanes), rule: parseJson(row.rule) };
}

export const editLane = command({
  name: 'edit-lane',
  least: 'administrator',
  input: object({
    policyId: id(),
    baseRevision: id(),
    laneKey: string().required().max(24),
    cadence: cadence.required(),
    ladder: ladder.required(),
    settings: laneSettings.default(undefined).optional(),
    acceptLoss: boolean().required(),
  }),
  run: async (input, deed) => {
    const head = await headOf(input.policyId, deed);
    if (head.revision !== input.baseRevision)
      throw new Refusal(
        'conflict',
        `${head.name} is at revision ${head.revision}; you edited revision ${input.baseRevision}.`,
      );
    const lane = head.lanes.find((l) => l.key === input.laneKey);
    if (!lane) throw new Refusal('not-found', `${head.name} has no lane ${input.laneKey}.`);
    // Settings that are given are all of them: what they do not name is as usual from now on.
    const { key, kind, ...kept } = lane;
    const changed = {
      key,
      kind,
      ...(input.settings ?? kept),
      cadence: input.cadence,
      ladder: input.ladder,
    } as unknown as Lane;
    const lanes = head.lanes.map((l) => (l.key === lane.key ? changed : l));
    await requireLanes(deed.db, lanes, deed.tx);
    const going = await pointsLetGo(deed.db, input.policyId, lane, changed.ladder, deed.nowMs);
    const lost = { points: going.length, workloads: new Set(going.map((p) => p.workload_id)).size };
    if (lost.points > 0 && !input.acceptLoss)
      throw new Refusal(
        'bad-input',
        `${lost.points} points of ${lost.workloads} workloads would be let go. Confirm that.`,
        { acceptLoss: 'Confirm the loss of points.' },
      );
    const revision = head.revision + 1;
    await execute(
      deed.db,
      'INSERT INTO policy_revisions (policy_id, revision, lanes, rule, created_at_ms, created_by) VALUES (?, ?, ?, ?, ?, ?)',
      [input.policyId, revision, JSON.stringify(lanes), JSON.stringify(head.rule), deed.nowMs, deed.person.id],
      deed.tx,
    );
    await execute(deed.db, 'UPDATE policies SET revision = ? WHERE id = ?', [revision, input.policyId], deed.tx);
    return { result: { revision, lost }, subject: head.name, detail: { lane: lane.key, revision, lost } };
  },
});

export const applyPolicy = command({
  name: 'apply-policy',
  least: 'administrator',
  input: object({ policyId: id() }),
  run: async ({ policyId }, deed) => {
    const head = await headOf(policyId, deed);
    await requirePlaces(deed.db, policyId, head.lanes, deed.tx);
    const behind = await select<{ id: number; workload_id: number; application_id: number }>(
      deed.db,
      `SELECT e.id, e.workload_id, w.application_id FROM enrolments e JOIN workloads w ON w.id = e.workload_id
        WHERE e.policy_id = ? AND e.revision <> ? FOR UPDATE`,
      [policyId, head.revision],
      deed.tx,
    );
    await execute(
      deed.db,
      'UPDATE enrolments SET revision = ? WHERE policy_id = ?',
      [head.revision, policyId],
      deed.tx,
    );
    for (const enrolment of behind)
      for (const lane of head.lanes)
        await execute(
          deed.db,
          `INSERT INTO schedules (enrolment_id, lane_key, workload_id, due_ms) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE due_ms = VALUES(due_ms)`,
          [enrolment.id, lane.key, enrolment.workload_id, nextDue(lane, enrolment, deed.nowMs)],
          deed.tx,
        );
    return {
      result: { workloads: behind.length },
      subject: head.name,
      detail: { revision: head.revision, workloads: behind.length },
    };
  },
});
