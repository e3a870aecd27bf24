/** Making a policy: its lanes, whom it takes, and at once the workloads that no other policy has. */
import { array, object, string } from 'yup';
import { answersOf, explain, matches, type Selector, type Subject } from '@/core/protect/selector';
import { BadSelector, parseSelector } from '@/core/protect/selector-text';
import type { Lane } from '@/core/protect/policy';
import { nextDue } from '@/core/protect/stagger';
import { command, type Deed } from '@/commands/command';
import { laneShape, requireLanes, requirePlaces } from '@/commands/lane-shape';
import { Refusal } from '@/commands/refusal';
import { execute, insertMany, isDuplicateKey, select } from '@/store/database';
import { parseJson } from '@/store/schedules';

export const createPolicy = command({
  name: 'create-policy',
  least: 'administrator',
  input: object({
    name: string().required('Give it a name.').trim().min(3, 'At least 3 letters.').max(80, 'At most 80 letters.'),
    note: string().default('').max(255, 'At most 255 letters.'),
    takes: string()
      .required('Say whom it takes, such as: tier is 2 and site is Norde.')
      .max(1000, 'At most 1000 letters.'),
    lanes: array(laneShape).required().min(1, 'At least one lane.').max(12, 'At most twelve lanes.'),
  }),
  run: async ({ name, note, takes, lanes: given }, deed) => {
    const { db, tx, nowMs, person } = deed;
    const selector = selectorOf(takes);
    const lanes = given as unknown as readonly Lane[];
    await requireLanes(db, lanes, tx);
    const policyId = await insertPolicy(deed, name, note ?? '');
    await execute(
      db,
      'INSERT INTO policy_revisions (policy_id, revision, lanes, rule, created_at_ms, created_by) VALUES (?, 1, ?, ?, ?, ?)',
      [policyId, JSON.stringify(lanes), JSON.stringify({ takes }), nowMs, person.id],
      tx,
    );
    const workloads = await enrolNowhere(deed, policyId, lanes, selector);
    await requirePlaces(db, policyId, lanes, tx);
    return { result: { policyId, workloads }, subject: name, detail: { policyId, takes, workloads } };
  },
});

function selectorOf(takes: string): Selector {
  try {
    return parseSelector(takes);
  } catch (error) {
    if (!(error instanceof BadSelector)) throw error;
    throw new Refusal('bad-input', error.message, { takes: error.message });
  }
}

async function insertPolicy({ db, tx }: Deed, name: string, note: string): Promise<number> {
  try {
    return (await execute(db, 'INSERT INTO policies (name, note, revision) VALUES (?, ?, 1)', [name, note], tx)).id;
  } catch (error) {
    if (!isDuplicateKey(error)) throw error;
    throw new Refusal('conflict', `There is a policy ${name} already.`, { name: 'Take another name.' });
  }
}

interface FreeWorkload extends Omit<Subject, 'labels'> {
  id: number;
  application_id: number;
  labels: string | Record<string, string>;
}

/** Workloads that fit and that nobody has taken; those that have a policy stay with it. Returns how many. */
async function enrolNowhere(
  { db, tx, nowMs }: Deed,
  policyId: number,
  lanes: readonly Lane[],
  selector: Selector,
): Promise<number> {
  const free = await select<FreeWorkload>(
    db,
    `SELECT w.id, w.application_id, w.name, a.name application, s.name site, c.name cluster, d.name datastore, CAST(a.tier_id AS CHAR) tier, w.labels
       FROM workloads w JOIN applications a ON a.id = w.application_id JOIN sites s ON s.id = w.site_id
       JOIN clusters c ON c.id = w.cluster_id JOIN datastores d ON d.id = w.datastore_id
      WHERE NOT EXISTS (SELECT 1 FROM enrolments e WHERE e.workload_id = w.id) FOR UPDATE`,
    [],
    tx,
  );
  const taken = free
    .map((w) => ({ ...w, labels: parseJson<Record<string, string>>(w.labels) }))
    .filter((w) => matches(selector, w));
  for (const workload of taken) {
    const reason = JSON.stringify({ answers: answersOf(explain(selector, workload)), alsoFits: [] });
    const { id: enrolmentId } = await execute(
      db,
      'INSERT INTO enrolments (workload_id, policy_id, revision, reason, since_ms) VALUES (?, ?, 1, ?, ?)',
      [workload.id, policyId, reason, nowMs],
      tx,
    );
    const of = { workload_id: workload.id, application_id: workload.application_id };
    const rows = lanes.map((lane) => [enrolmentId, lane.key, workload.id, nextDue(lane, of, nowMs)]);
    await insertMany(db, 'schedules', ['enrolment_id', 'lane_key', 'workload_id', 'due_ms'], rows, tx);
  }
  return taken.length;
}
