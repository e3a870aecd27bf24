/** Commands and queries against a real MariaDB: what they change, what they refuse, and that a refusal changes nothing. */
import { perform, type Command, type Person } from '@/commands/command';
import { applyPolicy, editLane } from '@/commands/policies';
import { Refusal } from '@/commands/refusal';
import { cancelRun, holdPoint, releaseHold, retryRun, runNow } from '@/commands/runs';
import type { SiteController } from '@/connectors/site-controller';
import type { Ladder } from '@/core/protect/ladder';
import type { Lane } from '@/core/protect/policy';
import { matches } from '@/core/protect/selector';
import { parseSelector } from '@/core/protect/selector-text';
import { occurrences, type Cadence } from '@/core/time/cadence';
import { HOUR, MINUTE } from '@/core/units';
import { observeConditions } from '@/engine/conditions';
import { forecastInput } from '@/queries/forecast-input';
import { laneLoss } from '@/queries/lane-loss';
import { policyView } from '@/queries/policies';
import { spaceOfPlaces } from '@/store/space';
import { execute, insertMany } from '@/store/database';
import { ruleCadences } from '@/store/migrations/0004-rule-cadences';
import { selectors } from '@/store/migrations/0005-selectors';
import { claimRuns } from '@/store/claim';
import { readLimits } from '@/store/limits';
import { recordProgress } from '@/store/runs';
import { lanesReader } from '@/store/schedules';
import { parseJson } from '@/store/schedules';
import { POINT_COLUMNS, settleCancelled, settleFailure, settleSuccesses } from '@/store/settle';
import { Harbour, LANES, START, WORKLOADS } from './harbour';

jest.setTimeout(60_000);
let harbour: Harbour;
const administrator: Person = { id: 1, name: 'ada', fullName: 'A', role: 'administrator' };
const operator: Person = { ...administrator, id: 2, name: 'oli', role: 'operator' };
const viewer: Person = { ...administrator, id: 3, name: 'vic', role: 'viewer' };

beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_command_test');
  await insertMany(
    harbour.db,
    'users',
    ['id', 'name', 'full_name', 'role', 'password_hash'],
    [administrator, operator, viewer].map((p) => [p.id, p.name, p.fullName, p.role, 'x']),
  );
});
afterEach(() => harbour.close());

const act = <I extends object, R>(command: Command<I, R>, input: object, person: Person = administrator): Promise<R> =>
  perform(command, input, { db: harbour.db, clock: harbour.clock, person });

async function refusal(work: Promise<unknown>): Promise<Refusal> {
  const error: unknown = await work.then(
    () => null,
    (caught: unknown) => caught,
  );
  expect(error).toBeInstanceOf(Refusal);
  return error as Refusal;
}

const count = async (sql: string): Promise<number> =>
  (await harbour.rows<{ n: number }>(`SELECT COUNT(*) n FROM ${sql}`))[0]?.n ?? 0;

/** Points of the lane, one every 10 min, newest first, each with its succeeded run. */
async function takePoints(
  workloadId: number,
  number: number,
  over: Readonly<Record<string, unknown>> = {},
): Promise<number[]> {
  const ids: number[] = [];
  for (let i = 0; i < number; i++) {
    const at = START - i * 10 * MINUTE;
    const { id } = await execute(
      harbour.db,
      `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms, ended_ms, sent_bytes)
        VALUES (?, ?, 1, 1, 'replica', 'replica', ?, 'cadence', 'succeeded', ?, ?, 6000000)`,
      [workloadId, workloadId, at, at, at],
    );
    const values: Record<string, unknown> = {
      run_id: id,
      workload_id: workloadId,
      lane_key: 'replica',
      kind: 'replica',
      place_kind: 'datastore',
      place_id: 2,
      site_id: 2,
      consistency: 'crash',
      taken_ms: at,
      usable_ms: at + MINUTE,
      digest: 'd',
      disks: '[]',
      stored_bytes: 1000,
      copy_key: `c${id}`,
      verified_ms: at,
      immutable_until_ms: null,
      group_key: null,
      ...over,
    };
    await insertMany(harbour.db, 'points', POINT_COLUMNS, [POINT_COLUMNS.map((column) => values[column])]);
    ids.push(id);
  }
  return ids;
}

const lane = LANES[0]!;
const shorter: Ladder = { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: 20 * MINUTE }] };
const edit = (over: object = {}) => ({
  policyId: 1,
  baseRevision: 1,
  laneKey: 'replica',
  cadence: lane.cadence,
  ladder: lane.ladder,
  acceptLoss: false,
  ...over,
});

async function claim(owner: string, nowMs: number, most: number) {
  const { db } = harbour;
  return claimRuns(db, owner, nowMs, most, { limits: await readLimits(db), lanesOf: lanesReader(db) });
}

test('a new revision leaves workloads out of step until it is applied; both are in the audit trail', async () => {
  const { revision } = await act(editLane, edit({ cadence: { kind: 'every', everyMs: 5 * MINUTE, offsetMs: 0 } }));
  expect(revision).toBe(2);
  expect(await policyView(harbour.db, 1, START)).toMatchObject({ revision: 2, outOfStep: WORKLOADS });
  expect(await act(applyPolicy, { policyId: 1 })).toEqual({ workloads: WORKLOADS });
  expect(await policyView(harbour.db, 1, START)).toMatchObject({ revision: 2, outOfStep: 0 });
  expect(await count('schedules WHERE due_ms > 0')).toBe(WORKLOADS);
  const audit = await harbour.rows<{ action: string; user_id: number }>(
    'SELECT action, user_id FROM audit_entries ORDER BY id',
  );
  expect(audit).toEqual([
    { action: 'edit-lane', user_id: 1 },
    { action: 'apply-policy', user_id: 1 },
  ]);
});

test('a ladder that destroys asks first, says which points, and spares what is held or immutable', async () => {
  const [, , third, fourth] = await takePoints(1, 5);
  await takePoints(2, 2);
  await act(holdPoint, { pointId: 3, reason: 'for the auditor' }, operator);
  await execute(harbour.db, 'UPDATE points SET immutable_until_ms = ? WHERE run_id = ?', [START + HOUR, fourth]);
  const refused = await refusal(act(editLane, edit({ ladder: shorter })));
  expect([refused.code, Object.keys(refused.fields)]).toEqual(['bad-input', ['acceptLoss']]);
  expect(await count('policy_revisions')).toBe(1);
  const loss = await laneLoss(harbour.db, 1, 'replica', shorter, START + MINUTE);
  // Of five points 0, 10, 20, 30, 40 min old the last three are past the rung; the third is held, the fourth immutable.
  expect(third).toBe(3);
  expect(loss?.lost).toEqual([{ workloadId: 1, name: 'vm-1', takenMs: [START - 40 * MINUTE] }]);
  expect((await act(editLane, edit({ ladder: shorter, acceptLoss: true }))).lost).toEqual({ points: 1, workloads: 1 });
  expect(await laneLoss(harbour.db, 1, 'gone', shorter, START)).toBeNull();
});

test.each<[string, () => Promise<unknown>, string]>([
  ['a viewer', () => act(runNow, { workloadId: 1 }, viewer), 'not-allowed'],
  ['an operator who edits', () => act(editLane, edit(), operator), 'not-allowed'],
  ['an older revision', () => act(editLane, edit({ baseRevision: 7 })), 'conflict'],
  ['a lane that is not there', () => act(editLane, edit({ laneKey: 'stream' })), 'not-found'],
  ['a policy that is not there', () => act(applyPolicy, { policyId: 99 }), 'not-found'],
  ['a workload that is not there', () => act(runNow, { workloadId: 99 }), 'not-found'],
  ['a run that is not there', () => act(cancelRun, { runId: 99 }), 'not-found'],
  ['a retry of nothing', () => act(retryRun, { runId: 99 }), 'not-found'],
  ['a hold without a reason', () => act(holdPoint, { pointId: 1, reason: '' }), 'bad-input'],
  ['a point that is not there', () => act(holdPoint, { pointId: 99, reason: 'because' }), 'not-found'],
  ['a release of what is not held', () => act(releaseHold, { pointId: 1, reason: 'because' }), 'not-found'],
  [
    'a rule that is none',
    () =>
      act(editLane, edit({ cadence: { kind: 'rule', zone: 'UTC', start: '2026-01-01T00:00', rule: 'FREQ=HOURLY' } })),
    'bad-input',
  ],
  [
    'no object',
    () => perform(runNow, 'now', { db: harbour.db, clock: harbour.clock, person: administrator }),
    'bad-input',
  ],
])('%s is refused and changes nothing', async (_name, work, code) => {
  expect((await refusal(work())).code).toBe(code);
  expect([await count('runs'), await count('policy_revisions'), await count('audit_entries')]).toEqual([0, 1, 0]);
});

test('run now, cancel, and again: each once', async () => {
  const { runId } = await act(runNow, { workloadId: 1, laneKey: 'replica' }, operator);
  expect((await refusal(act(runNow, { workloadId: 1 }, operator))).code).toBe('conflict');
  expect((await refusal(act(retryRun, { runId }, operator))).code).toBe('conflict');
  await act(cancelRun, { runId }, operator);
  expect((await refusal(act(cancelRun, { runId }, operator))).message).toMatch(/has ended: cancelled/);
});

test('a run now of what is captured together is one of each of them, under one key', async () => {
  const [lane] = LANES;
  await execute(harbour.db, 'UPDATE policy_revisions SET lanes = ?', [JSON.stringify([{ ...lane, together: true }])]);
  const { runId } = await act(runNow, { workloadId: 3, laneKey: 'replica' }, operator);
  const runs = await harbour.rows<{ id: number; workload_id: number; group_key: string; started_by: string }>(
    'SELECT id, workload_id, group_key, started_by FROM runs ORDER BY workload_id',
  );
  expect(runs.map((run) => run.workload_id)).toEqual(Array.from({ length: WORKLOADS }, (_, i) => i + 1));
  expect(new Set(runs.map((run) => run.group_key)).size).toBe(1);
  expect(runs.every((run) => run.started_by === 'person')).toBe(true);
  expect(runs.find((run) => run.id === runId)?.workload_id).toBe(3);
  expect((await refusal(act(runNow, { workloadId: 5 }, operator))).code).toBe('conflict');
  expect(await count('audit_entries')).toBe(1);
});

test('two engines share the work: nobody gets the same run, and no workload runs twice', async () => {
  const now = START + HOUR;
  for (let id = 1; id <= WORKLOADS; id++)
    for (const at of [START, START + MINUTE])
      await execute(
        harbour.db,
        `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms)
          VALUES (?, ?, 1, 1, ?, 'replica', ?, 'cadence', 'waiting', ?)`,
        [id, id, at === START ? 'replica' : 'other', at, at],
      );
  const [a, b] = await Promise.all([claim('a', now, 5), claim('b', now, 50)]);
  const ids = [...a, ...b].map((run) => run.id);
  expect(new Set(ids).size).toBe(ids.length);
  expect(
    await count(
      `(SELECT workload_id FROM runs WHERE state = 'running' GROUP BY workload_id HAVING COUNT(*) > 1) twice`,
    ),
  ).toBe(0);
  expect(await claim('c', now, 50).then((c) => c.filter((run) => ids.includes(run.id)))).toEqual([]);
  // The database itself holds the rule.
  const running = a[0] ?? b[0];
  const other = execute(
    harbour.db,
    `UPDATE runs SET state = 'running', owner = 'z' WHERE workload_id = ? AND state = 'waiting'`,
    [running?.workload_id],
  );
  await expect(other).rejects.toThrow();
});

test('what an engine settles must still be its own: another owner changes nothing', async () => {
  await act(runNow, { workloadId: 1 });
  await act(runNow, { workloadId: 2 });
  const [first, second] = await claim('a', START, 10);
  if (!first || !second) throw new Error('two runs were to be claimed');
  const success = {
    run: first,
    endedMs: START + MINUTE,
    steps: [],
    takenMs: START,
    usableMs: START + MINUTE,
    inspectedBytes: 1,
    sentBytes: 1,
    storedBytes: 1,
    digest: 'd',
    disks: [],
    copyKey: 'c',
    place: { kind: 'datastore', id: 2 },
    placeSiteId: 2,
    consistency: 'crash',
    immutableUntilMs: null,
    followers: [],
  };
  expect(await settleSuccesses(harbour.db, 'b', [success])).toEqual([]);
  expect(await count('points')).toBe(0);
  await recordProgress(harbour.db, 'a', [
    { id: first.id, step: 'send', steps: [], sentBytes: 5, totalBytes: 9, rateBps: null },
  ]);
  expect((await harbour.rows('SELECT sent_bytes FROM runs WHERE id = ?', [first.id]))[0]).toEqual({ sent_bytes: 5 });
  expect(await settleSuccesses(harbour.db, 'a', [success])).toHaveLength(1);
  expect(
    (
      await harbour.rows('SELECT newest_taken_ms, newest_off_site_taken_ms FROM workloads WHERE id = ?', [
        first.workload_id,
      ])
    )[0],
  ).toEqual({
    newest_taken_ms: START,
    newest_off_site_taken_ms: START,
  });
  const failure = {
    run: second,
    endedMs: START,
    steps: [],
    code: 'link-down',
    subject: 'line',
    detail: 'cut',
    remedy: 'mend it',
    retryAtMs: START + MINUTE,
  };
  await settleFailure(harbour.db, 'b', failure);
  expect(await count(`runs WHERE state = 'running'`)).toBe(1);
  await settleFailure(harbour.db, 'a', failure);
  expect(await count(`schedules WHERE failures = 1 AND cause_code = 'link-down'`)).toBe(1);
  expect(await claim('a', START + MINUTE - 1, 10)).toEqual([]);
  const [again] = await claim('a', START + MINUTE, 10);
  expect([again?.id, again?.attempt]).toEqual([second.id, 2]);
  await settleCancelled(harbour.db, 'a', second.id, START + MINUTE, []);
  expect(await count(`runs WHERE state = 'cancelled'`)).toBe(1);
});

test('the forecast starts from what runs were like, and what fails stays blocked', async () => {
  await takePoints(1, 6);
  await execute(harbour.db, 'UPDATE schedules SET failing_since_ms = ? WHERE workload_id = 2', [START]);
  const input = await forecastInput(harbour.db, START + MINUTE);
  expect([input.workloads.length, input.lanes.length, input.resources.map((r) => r.id)]).toEqual([
    WORKLOADS,
    WORKLOADS,
    ['ost-m1', 'mil-m1', 'Ostgate – Millbrook'],
  ]);
  const [one, two] = input.lanes;
  expect(one).toMatchObject({
    over: [0, 2],
    setupMs: MINUTE,
    bytesPerMs: 6_000_000 / (10 * MINUTE),
    lastTakenMs: START,
    blocked: false,
  });
  expect(two?.blocked).toBe(true);
});

test('of every hour the first reading of space stays, and the newest is what is used now', async () => {
  const observe = (usedBytes: number, atMs: number) => {
    const status = {
      sitesUp: ['Ostgate', 'Millbrook'],
      links: [],
      repositories: [{ id: 2, usedBytes }],
      datastores: [{ id: 2, usedBytes: 7 * usedBytes }],
      defaultPasswords: [],
      wrongClocks: [],
      movingDisks: [],
    };
    return observeConditions(harbour.db, { status: () => Promise.resolve(status) } as unknown as SiteController, atMs);
  };
  await observe(100, START + MINUTE);
  await observe(150, START + 30 * MINUTE);
  await observe(200, START + HOUR);
  const samples = await harbour.rows(
    'SELECT place_kind, at_ms, used_bytes FROM place_space ORDER BY place_kind DESC, at_ms',
  );
  expect(samples).toEqual([
    { place_kind: 'repository', at_ms: START, used_bytes: 100 },
    { place_kind: 'repository', at_ms: START + HOUR, used_bytes: 200 },
    { place_kind: 'datastore', at_ms: START, used_bytes: 700 },
    { place_kind: 'datastore', at_ms: START + HOUR, used_bytes: 1400 },
  ]);
  expect(await harbour.rows('SELECT used_bytes FROM repositories WHERE id = 2')).toEqual([{ used_bytes: 200 }]);
});

test('a repository without samples has no trend; with some it says when it is full', async () => {
  await execute(harbour.db, 'DELETE FROM repositories WHERE id = 2');
  await execute(harbour.db, 'UPDATE repositories SET capacity_bytes = 1000');
  const places = await spaceOfPlaces(harbour.db, START);
  expect(places.map((p) => `${p.kind} ${p.name}`)).toEqual([
    'repository ost-r1',
    'datastore ost-s1',
    'datastore mil-s1',
  ]);
  expect(places[0]).toMatchObject({ usedBytes: null, fullMs: null });
  await insertMany(
    harbour.db,
    'place_space',
    ['place_kind', 'place_id', 'at_ms', 'used_bytes'],
    [0, 24, 48].map((h) => ['repository', 1, START - h * HOUR, 900 - h]),
  );
  const [space] = await spaceOfPlaces(harbour.db, START);
  expect(space).toMatchObject({ usedBytes: 900, bytesPerDay: 24 });
  expect(Math.round(((space?.fullMs ?? 0) - START) / HOUR)).toBe(100);
});

test('weekday cadences and conditions of an older database become rules and selectors that mean the same', async () => {
  const weekly = (weekdays: number[], timesMin: number[]) => ({
    ...lane,
    cadence: { kind: 'weekly', zone: 'Europe/Oslo', weekdays, timesMin },
  });
  const lanes = [weekly([1, 2, 3, 4, 5, 6, 7], [1260]), weekly([5, 1], [360, 1110]), lane];
  const rule = {
    conditions: [
      { field: 'tier', anyOf: ['2'] },
      { field: 'site', anyOf: ['Hollin Point', 'Norde'] },
      { field: 'role', anyOf: ['db'] },
    ],
  };
  await execute(harbour.db, 'UPDATE policy_revisions SET lanes = ?, rule = ?', [
    JSON.stringify(lanes),
    JSON.stringify(rule),
  ]);
  await ruleCadences.change?.(harbour.db);
  await selectors.change?.(harbour.db);
  const [row] = await harbour.rows<{ lanes: string; rule: string }>('SELECT lanes, rule FROM policy_revisions');
  const cadences = (parseJson<unknown>(row?.lanes ?? '') as Lane[]).map((l) => l.cadence);
  const local = (cadence: Cadence) =>
    occurrences(cadence, START, START + 7 * 24 * HOUR).map((ms) => new Date(ms + HOUR).toISOString().slice(8, 16));
  // START is Thursday 12 March 2026, 08:00 in Oslo; 06:00 and 18:30 stay just these two.
  expect(local(cadences[1] as Cadence)).toEqual(['13T06:00', '13T18:30', '16T06:00', '16T18:30']);
  expect(local(cadences[0] as Cadence)).toHaveLength(7);
  expect(cadences[2]).toEqual(lane.cadence);
  const { takes } = parseJson<{ takes: string }>(row?.rule ?? '');
  const subject = {
    name: 'x',
    application: 'a',
    cluster: 'c',
    datastore: 'd',
    tier: '2',
    site: 'Hollin Point',
    labels: { role: 'db' },
  };
  const means = (over: object) => matches(parseSelector(takes), { ...subject, ...over });
  expect([means({}), means({ site: 'Ostgate' }), means({ tier: '1' }), means({ labels: {} })]).toEqual([
    true,
    false,
    false,
    false,
  ]);
});
