/** What an engine has in hand, what it only believes to have, and what keeps others waiting. */
import { perform, type Command, type Person } from '@/commands/command';
import { retryRun } from '@/commands/runs';
import { applyPolicy } from '@/commands/policies';
import type { SiteController } from '@/connectors/site-controller';
import type { Lane } from '@/core/protect/policy';
import { HOUR, MINUTE } from '@/core/units';
import { observeConditions } from '@/engine/conditions';
import { settleFailure } from '@/store/settle';
import { DrillDesk } from '@/engine/drill/desk';
import { Crew } from '@/engine/run/crew';
import { Waits } from '@/engine/waits';
import { claimRuns } from '@/store/claim';
import { execute } from '@/store/database';
import { readLimits } from '@/store/limits';
import { renewLeases, takeOverDeadRuns } from '@/store/runs';
import { lanesReader } from '@/store/schedules';
import { Harbour, LANES, START } from './harbour';
import { addPoint } from './rows';

jest.setTimeout(60_000);
let harbour: Harbour;
beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_lease_test');
});
afterEach(() => harbour.close());

const person: Person = { id: 1, name: 'ada', fullName: 'Ada', role: 'administrator' };
const act = <I extends object, R>(command: Command<I, R>, input: object): Promise<R> =>
  perform(command, input, { db: harbour.db, clock: harbour.clock, person });

async function claim(owner: string, nowMs: number, most: number) {
  const { db } = harbour;
  return claimRuns(db, owner, nowMs, most, { limits: await readLimits(db), lanesOf: lanesReader(db) });
}

const silence = { info: () => undefined, warn: () => undefined };

/** Sites at which nothing ever ends; what was asked of them is told by name. */
function stillSites(): { site: SiteController; calls: string[] } {
  const calls: string[] = [];
  const answers: Record<string, unknown> = {
    snapshot: { takenMs: START },
    readChanges: { inspectedBytes: 1, sendBytes: 1, digest: 'd', disks: [] },
    progress: [],
    clone: { readyMs: START + 60 * MINUTE },
  };
  const site = new Proxy({} as SiteController, {
    get: (_, name: string) => () => (calls.push(name), Promise.resolve(answers[name])),
  });
  return { site, calls };
}

async function hire(owner: string) {
  const { site, calls } = stillSites();
  const waits = new Waits();
  const facts = () => ({ siteId: 2, immutableMs: 0 });
  const limits = await readLimits(harbour.db);
  const lanes = lanesReader(harbour.db);
  const crew = new Crew(harbour.db, owner, site, waits, lanes, facts, limits, () => START, silence);
  return { crew, waits, calls };
}

async function due(workloadId: number, lane = 'replica'): Promise<number> {
  const { id } = await execute(
    harbour.db,
    `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms)
      VALUES (?, ?, 1, 1, ?, 'replica', ?, 'cadence', 'waiting', ?)`,
    [workloadId, workloadId, lane, START, START],
  );
  return id;
}

const stateOf = async (id: number) =>
  (
    await harbour.rows<{
      state: string;
      owner: string | null;
      cause_code: string | null;
      cause_subject: string | null;
    }>('SELECT state, owner, cause_code, cause_subject FROM runs WHERE id = ?', [id])
  )[0];

test('a run that another engine has taken over is let go as it is: nothing is taken back, nothing written', async () => {
  const id = await due(1);
  const { crew, waits, calls } = await hire('a');
  expect(await crew.takeUp()).toBe(1);
  while (!waits.parkedKeys.length) await new Promise((resolve) => setImmediate(resolve));
  await execute(harbour.db, `UPDATE runs SET owner = 'b' WHERE id = ?`, [id]);
  await crew.renew();
  await new Promise((resolve) => setImmediate(resolve));
  await crew.settle();
  expect(crew.busy).toBe(0);
  expect(calls).not.toContain('cancelTransfer');
  expect(calls).not.toContain('releaseSnapshot');
  expect(await stateOf(id)).toMatchObject({ state: 'running', owner: 'b' });
});

test('a claim whose answer was lost is not kept alive: the run is taken over when its lease is over', async () => {
  const [known, unheard] = [await due(1), await due(2)];
  const { db } = harbour;
  await claimRuns(db, 'a', START, 10, { limits: await readLimits(db), lanesOf: lanesReader(db) });
  await execute(db, 'UPDATE runs SET lease_real_ms = 1');
  expect(await renewLeases(db, 'a', [known])).toEqual([]);
  expect(await takeOverDeadRuns(db)).toBe(1);
  expect(await stateOf(unheard)).toMatchObject({ state: 'waiting', owner: null });
  expect(await renewLeases(db, 'a', [known, unheard])).toEqual([unheard]);
});

test('a lane that names no place for a site fails by that cause, and keeps no other run from going on', async () => {
  const nowhere: Lane = { ...(LANES[0] as Lane), key: 'nowhere', targets: {} };
  await execute(harbour.db, 'UPDATE policy_revisions SET lanes = ?', [JSON.stringify([...LANES, nowhere])]);
  const [unfit, good] = [await due(1, 'nowhere'), await due(2)];
  const { crew } = await hire('a');
  expect(await crew.takeUp()).toBe(2);
  expect(await stateOf(unfit)).toEqual({
    state: 'failed',
    owner: null,
    cause_code: 'no-target',
    cause_subject: 'Ostgate in lane nowhere',
  });
  expect([crew.busy, (await stateOf(good))?.state]).toEqual([1, 'running']);
});

test('a policy is not applied where a lane names no place for a site of its workloads', async () => {
  const { db } = harbour;
  const lanes = [{ ...(LANES[0] as Lane), targets: { '2': 1 } }];
  await execute(db, `INSERT INTO policy_revisions VALUES (1, 2, ?, '{"takes":"all"}', ?, NULL)`, [
    JSON.stringify(lanes),
    START,
  ]);
  await execute(db, 'UPDATE policies SET revision = 2');
  const refusal = act(applyPolicy, { policyId: 1 });
  await expect(refusal).rejects.toThrow(
    'Lane replica names no place for Ostgate, where the policy has 12 workloads. Name one for that site.',
  );
  expect(await harbour.rows('SELECT 1 FROM enrolments WHERE revision = 2')).toEqual([]);
});

test('runs that all wait for one slot keep nobody waiting that needs none of it', async () => {
  const { db } = harbour;
  // Three hundred more at a hall whose hosts have no slot left, all of them more urgent.
  await execute(
    db,
    `INSERT INTO clusters (id, site_id, name, cores, memory_bytes, slots) VALUES (2, 1, 'ost-c2', 1, 1, 1)`,
  );
  await execute(
    db,
    `INSERT INTO workloads (id, name, application_id, site_id, cluster_id, datastore_id, network_id, address, cores, memory_bytes, role, labels, guest_agent)
      SELECT 1000 + seq, CONCAT('far-', seq), 1, 1, 2, 1, 1, '192.0.2.9', 1, 1, 'db', '{}', 1 FROM seq_1_to_300`,
  );
  await execute(
    db,
    `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms)
      SELECT id, id, 1, 1, 'replica', 'replica', ?, 'cadence', 'waiting', ? FROM workloads WHERE id > 1000`,
    [START, START],
  );
  await execute(db, 'UPDATE workloads SET newest_taken_ms = ? WHERE id <= 1000', [START]);
  await due(1);
  expect((await claim('a', START, 1))[0]?.workload_id).toBeGreaterThan(1000);
  expect((await claim('a', START, 1))[0]?.workload_id).toBe(1);
  expect(await claim('a', START, 1)).toEqual([]);
});

test('a drill that another engine has taken over is let go: its clones stay, and rounds go on', async () => {
  const { db } = harbour;
  const plan = {
    waves: [
      {
        name: 'Data',
        members: [
          { workloadId: 1, name: 'vm-1', clusterId: 1, networkId: 1, address: '192.0.2.1', after: [], checks: [] },
        ],
      },
    ],
  };
  await execute(
    db,
    `INSERT INTO runbooks (id, name, application_id, source_site_id, target_site_id, plan) VALUES (1, 'Ticketing', 1, 1, 2, ?)`,
    [JSON.stringify(plan)],
  );
  await addPoint(db, { workloadId: 1, takenMs: START - MINUTE, usableMs: START - MINUTE });
  await execute(db, `INSERT INTO drills (id, runbook_id, state, created_ms) VALUES (7, 1, 'waiting', ?)`, [START]);
  const { site, calls } = stillSites();
  const desk = new DrillDesk(db, 'a', site, new Waits(), () => START);
  await desk.takeUp();
  await desk.settle();
  expect(desk.busy).toBe(1);
  await execute(db, `UPDATE drills SET owner = 'b' WHERE id = 7`);
  await desk.settle();
  expect(desk.busy).toBe(0);
  expect(calls).not.toContain('removeClone');
  const [drill] = await harbour.rows<{ state: string; owner: string }>('SELECT state, owner FROM drills');
  expect(drill).toEqual({ state: 'running', owner: 'b' });
});

test('a run that failed and waits for its next try is tried at once when a person asks, or when what stopped it is over', async () => {
  await due(1);
  const [run] = await claim('a', START, 10);
  if (!run) throw new Error('a run was to be claimed');
  const failure = {
    run,
    endedMs: START,
    steps: [],
    code: 'link-down',
    subject: 'Ostgate – Millbrook',
    detail: 'cut',
    remedy: 'mend it',
    retryAtMs: START + HOUR,
  };
  await settleFailure(harbour.db, 'a', failure);
  expect(await claim('a', START + MINUTE, 10)).toEqual([]);
  expect(await act(retryRun, { runId: run.id })).toEqual({ runId: run.id });
  expect((await claim('a', START + MINUTE, 10)).map((r) => r.id)).toEqual([run.id]);
  await settleFailure(harbour.db, 'a', failure);
  const look = (factor: number, atMs: number) => {
    const status = {
      sitesUp: ['Ostgate', 'Millbrook'],
      links: [{ id: 1, name: 'Ostgate – Millbrook', factor, throttles: [] }],
      repositories: [],
      datastores: [],
      defaultPasswords: [],
      wrongClocks: [],
      movingDisks: [],
    };
    return observeConditions(harbour.db, { status: () => Promise.resolve(status) } as unknown as SiteController, atMs);
  };
  await look(0, START + 2 * MINUTE);
  expect(await claim('a', START + 3 * MINUTE, 10)).toEqual([]);
  await look(1, START + 4 * MINUTE);
  expect((await claim('a', START + 4 * MINUTE, 10)).map((r) => r.id)).toEqual([run.id]);
});

test('runs of an engine that is gone are given back', async () => {
  await due(1);
  await claim('dead', START, 10);
  expect(await takeOverDeadRuns(harbour.db)).toBe(0);
  await execute(harbour.db, 'UPDATE runs SET lease_real_ms = 1');
  expect(await takeOverDeadRuns(harbour.db)).toBe(1);
  expect(await harbour.rows(`SELECT 1 FROM runs WHERE state = 'waiting' AND owner IS NULL`)).toHaveLength(1);
});
