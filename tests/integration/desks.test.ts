/** Pauses, tokens, keys, lists, audit, places, causes and metrics: commands and queries against a real MariaDB. */
import { createToken, bearerOf, revokeToken } from '@/commands/tokens';
import { perform, type Command, type Person } from '@/commands/command';
import { performOnce } from '@/commands/once';
import { beginPause, endPause } from '@/commands/pauses';
import { editLane } from '@/commands/policies';
import { createPolicy } from '@/commands/new-policy';
import { throttleLink } from '@/commands/links';
import { runNow } from '@/commands/runs';
import { linksView } from '@/queries/links';
import { pausesOf } from '@/queries/pauses';
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR, MINUTE } from '@/core/units';
import { auditChoices, auditTrail } from '@/queries/audit';
import { listPoints, listRuns, listWorkloads, type Page } from '@/queries/listing';
import { metricsText } from '@/queries/metrics';
import { noticesView } from '@/queries/notices';
import { placesView } from '@/queries/places';
import { policyView } from '@/queries/policies';
import { forecastInput } from '@/queries/forecast-input';
import { readiness } from '@/queries/ready';
import { tokenList } from '@/queries/tokens';
import type { OpenCause } from '@/core/protect/open-cause';
import { presentCauses, recordCauses } from '@/store/causes';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import { reconcile } from '@/engine/reconcile';
import { execute } from '@/store/database';
import { recordFindings } from '@/store/findings';
import { beat } from '@/store/runs';
import { markBad, markRepaired } from '@/store/verification';
import { Harbour, LANES, START, WORKLOADS } from './harbour';
import { addPoint } from './rows';

jest.setTimeout(60_000);
const replica = LANES[0] as Lane;
const copy: Lane = {
  ...replica,
  key: 'copy',
  kind: 'copy',
  cadence: { kind: 'after', lane: 'replica' },
  source: 'replica',
  targets: { '1': 1 },
};
const INES: Person = { id: 1, name: 'ines', fullName: 'Ines', role: 'administrator' };
const OLAV: Person = { id: 2, name: 'olav', fullName: 'Olav', role: 'operator' };

let harbour: Harbour;
beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_desks_test', [replica, copy]);
  for (const { id, name, fullName, role } of [INES, OLAV])
    await execute(harbour.db, `INSERT INTO users (id, name, full_name, role, password_hash) VALUES (?, ?, ?, ?, '')`, [
      id,
      name,
      fullName,
      role,
    ]);
});
afterEach(() => harbour.close());

const act = <I extends object, R>(command: Command<I, R>, input: object, person = INES): Promise<R> =>
  perform(command, input, { db: harbour.db, clock: harbour.clock, person });

/** A point of a workload, `hours` before the start. */
const point = (workloadId: number, hours: number, digest = 'd'): Promise<number> => {
  const takenMs = START - hours * HOUR;
  return addPoint(harbour.db, { workloadId, takenMs, usableMs: takenMs + MINUTE, digest });
};

test.each<[string, object, string]>([
  [
    'no scope',
    { scope: 'rack', scopeId: 1, untilMs: START + HOUR, reason: 'works' },
    'Must be policy, site or workload.',
  ],
  ['an end that has passed', { scope: 'site', scopeId: 1, untilMs: START - 1, reason: 'works' }, 'within 31 days'],
  ['an end too far off', { scope: 'site', scopeId: 1, untilMs: START + 32 * DAY, reason: 'works' }, 'within 31 days'],
  [
    'nothing of that number',
    { scope: 'policy', scopeId: 99, untilMs: START + HOUR, reason: 'works' },
    'There is no policy 99.',
  ],
  ['no reason', { scope: 'site', scopeId: 1, untilMs: START + HOUR, reason: '' }, 'reason'],
])('a pause with %s is refused', async (_name, input, said) => {
  await expect(act(beginPause, input)).rejects.toThrow(said);
  expect(await harbour.rows('SELECT 1 FROM pauses')).toEqual([]);
});

test('a pause ends when somebody ends it, once', async () => {
  const { pauseId } = await act(beginPause, { scope: 'site', scopeId: 1, untilMs: START + HOUR, reason: 'works' });
  await act(endPause, { pauseId });
  expect(await harbour.rows('SELECT from_ms, to_ms FROM pauses')).toEqual([{ from_ms: START, to_ms: START }]);
  await expect(act(endPause, { pauseId })).rejects.toThrow(/no pause/);
});

test('a token does no more than its owner, nothing after its end, and is not kept as it is', async () => {
  await expect(act(createToken, { name: 'too much', scope: 'administer', days: 1 }, OLAV)).rejects.toThrow(/operator/);
  const { tokenId, secret } = await act(createToken, { name: 'desk', scope: 'administer', days: 1 });
  expect(JSON.stringify(await harbour.rows('SELECT * FROM api_tokens'))).not.toContain(secret);
  const bearer = () => bearerOf(harbour.db, `Bearer ${secret}`);
  expect(await bearer()).toMatchObject({ tokenId, person: { role: 'administrator' } });
  await execute(harbour.db, `UPDATE users SET role = 'viewer' WHERE id = 1`);
  expect((await bearer()).person.role).toBe('viewer');
  await execute(harbour.db, 'UPDATE api_tokens SET expires_real_ms = 1');
  await expect(bearer()).rejects.toThrow(/token in force/);
  await expect(bearerOf(harbour.db, null)).rejects.toThrow(/token in force/);
  await expect(bearerOf(harbour.db, `Bearer ${secret}x`)).rejects.toThrow(/token in force/);
});

test('one sees and revokes one’s own tokens, an administrator all', async () => {
  const own = await act(createToken, { name: 'mine', scope: 'read', days: 1 }, OLAV);
  const other = await act(createToken, { name: 'hers', scope: 'read', days: 1 });
  expect((await tokenList(harbour.db, OLAV)).map((t) => t.name)).toEqual(['mine']);
  expect((await tokenList(harbour.db, INES)).map((t) => t.name)).toEqual(['hers', 'mine']);
  await expect(act(revokeToken, { tokenId: other.tokenId }, OLAV)).rejects.toThrow(/of yours/);
  await act(revokeToken, { tokenId: own.tokenId });
  expect((await tokenList(harbour.db, OLAV))[0]?.revoked).toBe(true);
});

test('a key stands for one request and one effect; a refusal is not kept', async () => {
  const { tokenId } = await act(createToken, { name: 'desk', scope: 'operate', days: 1 });
  const once = (key: string | null, workloadId: number) =>
    performOnce(runNow, { workloadId }, { db: harbour.db, clock: harbour.clock, person: INES, tokenId, key });
  const first = await once('k', 1);
  expect(await once('k', 1)).toEqual(first);
  await expect(once('k', 2)).rejects.toThrow(/another request/);
  await expect(once('other', 1)).rejects.toThrow(/already there/);
  await expect(once('with space', 2)).rejects.toThrow(/without spaces/);
  await expect(once('missing', 999)).rejects.toThrow(/no policy/);
  expect(await harbour.rows('SELECT idem_key FROM idempotency_keys')).toEqual([{ idem_key: 'k' }]);
  expect(await harbour.rows(`SELECT 1 FROM runs WHERE workload_id = 1`)).toHaveLength(1);
  const [entry] = await auditTrail(harbour.db, { ...ALL, action: 'run-now' }, 5);
  expect(entry).toMatchObject({ person: 'Ines', token: 'desk', subject: 'vm-1' });
});

const ALL = { person: '', action: '', text: '', untilMs: START + DAY, beforeId: null };

test('the trail is searched by person, deed and text, in windows, and wildcards are letters', async () => {
  await act(runNow, { workloadId: 1 });
  await act(runNow, { workloadId: 2 }, OLAV);
  await act(beginPause, { scope: 'site', scopeId: 1, untilMs: START + HOUR, reason: '50% of the hosts' }, OLAV);
  const subjects = async (filter: object) =>
    (await auditTrail(harbour.db, { ...ALL, ...filter }, 50)).map((e) => e.subject);
  expect(await subjects({})).toEqual(['site Ostgate', 'vm-2', 'vm-1']);
  expect(await subjects({ person: 'olav' })).toEqual(['site Ostgate', 'vm-2']);
  expect(await subjects({ action: 'run-now', text: 'vm-1' })).toEqual(['vm-1']);
  expect(await subjects({ text: '50%' })).toEqual(['site Ostgate']);
  expect(await subjects({ text: 'v_-1' })).toEqual([]);
  expect(await subjects({ untilMs: START - 1 })).toEqual([]);
  const [newest] = await auditTrail(harbour.db, ALL, 1);
  expect(await subjects({ beforeId: newest?.id })).toEqual(['vm-2', 'vm-1']);
  expect(await auditChoices(harbour.db)).toEqual({ people: ['ines', 'olav'], actions: ['begin-pause', 'run-now'] });
});

test('windows of a list join while rows come, and filters hold', async () => {
  for (let h = 10; h > 0; h--) await point(1 + (h % 3), h);
  const window = async (after: number | null) =>
    (await listPoints(harbour.db, { after, limit: 4, where: {} })) as Page<{ id: number; bad: boolean }>;
  const first = await window(null);
  await point(1, 0);
  const second = await window(first.nextAfter);
  const third = await window(second.nextAfter);
  const ids = [first, second, third].flatMap((page) => page.items.map((p) => p.id));
  expect(ids).toEqual([10, 9, 8, 7, 6, 5, 4, 3, 2, 1]);
  expect(third.nextAfter).toBeNull();
  const { items } = await listRuns(harbour.db, { after: null, limit: 50, where: { workload_id: 2, state: null } });
  expect(items.every((run) => run.workloadId === 2 && run.cause === null)).toBe(true);
  const all = await listWorkloads(harbour.db, { after: null, limit: 100, where: {} }, START);
  expect(all.items).toHaveLength(WORKLOADS);
  expect(all.items.find((w) => w.id === 2)?.exposureSeconds).toBe(3600);
});

test('a bad point gives the exposure back to the one before it, a repaired one takes it again', async () => {
  const older = await point(1, 2);
  const newer = await point(1, 1);
  const newest = async () =>
    (
      await harbour.rows<{ newest_taken_ms: number; lost_ms: number | null }>(
        'SELECT newest_taken_ms, lost_ms FROM workloads WHERE id = 1',
      )
    )[0];
  await markBad(harbour.db, [{ id: newer, workload_id: 1 }], 'rotten', START);
  expect(await newest()).toEqual({ newest_taken_ms: START - 2 * HOUR, lost_ms: START });
  await markBad(harbour.db, [{ id: newer, workload_id: 1 }], 'missing', START + MINUTE);
  expect((await harbour.rows('SELECT bad_cause FROM points WHERE id = ?', [newer]))[0]).toEqual({
    bad_cause: 'rotten',
  });
  expect((await presentCauses(harbour.db, START)).map((c) => c.key)).toContain('bad/rotten/mil-s1');
  await markRepaired(harbour.db, { id: newer, workload_id: 1 }, START + HOUR);
  expect((await newest())?.newest_taken_ms).toBe(START - HOUR);
  expect((await presentCauses(harbour.db, START)).map((c) => c.key)).not.toContain('bad/rotten/mil-s1');
  expect(older).toBeLessThan(newer);
});

test('findings open once, close when they are over, and an unheard place closes none', async () => {
  const place = { kind: 'repository', id: 2 } as const;
  const found = {
    kind: 'unknown',
    copyKey: 'x',
    workloadId: 1,
    pointId: null,
    takenMs: START,
    detail: 'There.',
  } as const;
  const looked = { copies: 1, failure: null };
  await recordFindings(harbour.db, place, [found], START, looked);
  await recordFindings(harbour.db, place, [found], START + HOUR, looked);
  await recordFindings(harbour.db, place, [], START + 2 * HOUR, { copies: 0, failure: 'No answer.' });
  const view = await placesView(harbour.db, START + 2 * HOUR);
  expect(view).toMatchObject({
    found: 1,
    findings: [{ copyKey: 'x', sinceMs: START, place: 'mil-r1', workload: 'vm-1' }],
  });
  expect(view.places.find((p) => p.name === 'mil-r1')).toMatchObject({
    failure: 'No answer.',
    lookedMs: START + 2 * HOUR,
  });
  expect(view.places.find((p) => p.name === 'ost-r1')?.lookedMs).toBeNull();
  await recordFindings(harbour.db, place, [], START + 3 * HOUR, looked);
  expect((await placesView(harbour.db, START + 3 * HOUR)).found).toBe(0);
  expect((await placesView(harbour.db, START + HOUR)).found).toBe(1);
});

test('a cause that comes back within half an hour is the same one, later it is another', async () => {
  const cause: OpenCause = { key: 'link-down/x', title: 'Link x is down', state: 'inside', workloads: 1, effect: '' };
  const at = (minutes: number, present: OpenCause[]) => recordCauses(harbour.db, present, START + minutes * MINUTE);
  await at(0, [cause]);
  await at(1, [{ ...cause, state: 'over', workloads: 3 }]);
  await at(10, []);
  await at(39, [cause]);
  await at(40, []);
  await at(71, [cause]);
  const rows = await harbour.rows<{ from_ms: number; to_ms: number | null }>(
    'SELECT from_ms, to_ms FROM causes ORDER BY id',
  );
  expect(rows.map((r) => [r.from_ms - START, r.to_ms === null ? null : r.to_ms - START])).toEqual([
    [0, 40 * MINUTE],
    [71 * MINUTE, null],
  ]);
  expect(await noticesView(harbour.db)).toEqual({ routes: [], notices: [] });
});

test('a lane after another shows, and forecasts, by what drives it', async () => {
  const view = await policyView(harbour.db, 1, START);
  const lane = view?.lanes.find((l) => l.lane.key === 'copy');
  expect(lane?.runsBy).toEqual(replica.cadence);
  expect(lane?.steadyPoints).toBeGreaterThan(1);
  expect(lane?.nextMs.length).toBeGreaterThan(0);
  // Ten minutes, and what replica and copy take until they are usable (a minute each, before either has run).
  expect(lane?.worstMs).toBe(12 * MINUTE);
  await point(1, 1);
  const input = await forecastInput(harbour.db, START);
  expect(input.lanes.filter((l) => l.cadence.kind === 'after')).toHaveLength(WORKLOADS);
});

test('the ladder of such a lane can be changed; one that would come after itself or nothing is refused', async () => {
  const edit = (cadence: object) =>
    act(editLane, {
      policyId: 1,
      baseRevision: 1,
      laneKey: 'copy',
      cadence,
      ladder: { reading: 'newest', count: 9 },
      acceptLoss: false,
    });
  await expect(edit({ kind: 'after', lane: 'copy' })).rejects.toThrow(/lane that is not there, or after itself/);
  await expect(edit({ kind: 'after', lane: 'gone' })).rejects.toThrow(/lane that is not there, or after itself/);
  await expect(edit({ kind: 'after' })).rejects.toThrow(/after which lane/);
  expect(await edit({ kind: 'after', lane: 'replica' })).toMatchObject({ revision: 2 });
});

test('readiness wants an engine and the schema of this version; metrics count what is there', async () => {
  expect(await readiness(harbour.db)).toEqual({ ready: false, database: 'answers', engines: 0 });
  await beat(harbour.db, { id: 'e', pid: 1, startedRealMs: Date.now() });
  expect(await readiness(harbour.db)).toEqual({ ready: true, database: 'answers', engines: 1 });
  await point(1, 1);
  const text = await metricsText(harbour.db, START);
  expect(text).toContain('anchor_bay_runs_total{state="succeeded"} 1');
  expect(text).toContain(`anchor_bay_workloads{standing="over"} ${WORKLOADS}`);
  expect(text).toContain('anchor_bay_exposure_worst_seconds 3600');
  expect(text).toContain('anchor_bay_engines_alive 1');
  await execute(harbour.db, `DELETE FROM migrations WHERE name LIKE '0007%'`);
  expect(await readiness(harbour.db)).toMatchObject({ ready: false, database: 'older schema' });
});

test('a copy that was completed after the inventory is no loss, one that is truly gone is, one on its way out is not', async () => {
  const [late, gone, leaving] = [await point(1, 3), await point(1, 2), await point(1, 1)];
  await execute(harbour.db, 'UPDATE points SET marked_ms = ? WHERE id = ?', [START, leaving]);
  const keyOf = async (id: number) =>
    (await harbour.rows<{ copy_key: string }>('SELECT copy_key FROM points WHERE id = ?', [id]))[0]?.copy_key;
  const lateKey = await keyOf(late);
  const site = {
    inventory: () => Promise.resolve([]),
    verifyCopy: (_place: unknown, key: string) =>
      key === lateKey
        ? Promise.resolve({ digest: 'd', storedBytes: 0 })
        : Promise.reject(new ControllerError({ code: 'unknown-subject', subject: key, detail: 'Not there.' })),
  } as unknown as SiteController;
  await reconcile(harbour.db, site, { kind: 'datastore', id: 2 }, START);
  expect(await harbour.rows('SELECT id FROM points WHERE bad_ms IS NOT NULL')).toEqual([{ id: gone }]);
  expect(await harbour.rows('SELECT kind, point_id FROM findings')).toEqual([{ kind: 'missing', point_id: gone }]);
  // The newest one is on its way out and was not judged, so nothing newer was lost.
  expect(await harbour.rows('SELECT lost_ms FROM workloads WHERE id = 1')).toEqual([{ lost_ms: null }]);
});

test('a new policy takes what nobody has, plans it, and leaves the others where they are', async () => {
  await execute(harbour.db, 'DELETE FROM enrolments WHERE workload_id IN (2, 5)');
  const backup = { ...replica, key: 'backup', kind: 'backup', targets: { '1': 2 }, together: true };
  const policy = { name: 'Second', takes: 'name is vm-2, vm-3', lanes: [backup] };
  const { policyId, workloads } = await act(createPolicy, policy);
  expect(workloads).toBe(1);
  const enrolled = await harbour.rows<{ workload_id: number; policy_id: number }>(
    'SELECT workload_id, policy_id FROM enrolments WHERE workload_id IN (2, 3, 5)',
  );
  expect(enrolled.map((e) => [e.workload_id, e.policy_id]).sort()).toEqual([
    [2, policyId],
    [3, 1],
  ]);
  const due = await harbour.rows<{ lane_key: string; due_ms: number }>('SELECT * FROM schedules WHERE workload_id = 2');
  expect(due.map((s) => [s.lane_key, s.due_ms > START])).toEqual([['backup', true]]);
  await expect(act(createPolicy, policy)).rejects.toMatchObject({ code: 'conflict' });
  await expect(act(createPolicy, { ...policy, name: 'Third' }, OLAV)).rejects.toMatchObject({ code: 'not-allowed' });
});

test('settings of a lane are changed as a whole: what is not named is as usual again', async () => {
  const { cadence, ladder } = replica;
  const edit = (baseRevision: number, settings: object) =>
    act(editLane, { policyId: 1, baseRevision, laneKey: 'replica', cadence, ladder, settings, acceptLoss: false });
  const plain = { consistency: 'crash', excludeRoles: [], targets: { '1': 2 } };
  await edit(1, { ...plain, sending: { compression: 'strong', encrypted: true }, firstCopy: 'shipped' });
  const lane = async () => (await policyView(harbour.db, 1, START))?.lanes[0]?.lane;
  expect(await lane()).toMatchObject({ sending: { compression: 'strong', encrypted: true }, firstCopy: 'shipped' });
  await edit(2, plain);
  expect(await lane()).toEqual(replica);
  await expect(edit(3, { ...plain, targets: { '1': 77 } })).rejects.toMatchObject({
    fields: { 'replica.targets': 'There is no datastore 77.' },
  });
  await expect(edit(3, { ...plain, colour: 'red' })).rejects.toMatchObject({ code: 'bad-input' });
});

test('a throttle is kept, shown and refused where it would stop everything', async () => {
  const when = { kind: 'weekly', zone: 'Europe/Oslo', weekdays: [4], fromMin: 0, toMin: 720 };
  await act(throttleLink, { linkId: 1, throttles: [{ when, rateBps: 5e6 }] });
  const [link] = await linksView(harbour.db, START);
  expect([link?.mayBps, link?.throttles]).toEqual([5e6, [{ when, rateBps: 5e6 }]]);
  expect((await linksView(harbour.db, START + 12 * HOUR))[0]?.mayBps).toBe(10e9);
  await expect(act(throttleLink, { linkId: 1, throttles: [{ when, rateBps: 0 }] })).rejects.toMatchObject({
    code: 'bad-input',
  });
});

test('pauses in force are told with who and what, on the workload that they hold', async () => {
  await act(beginPause, { scope: 'site', scopeId: 1, untilMs: START + HOUR, reason: 'new switches' }, OLAV);
  await act(beginPause, { scope: 'workload', scopeId: 4, untilMs: START + 2 * HOUR, reason: 'new disks' });
  const holding = (workloadId: number, atMs: number) =>
    pausesOf(harbour.db, { workloadId, siteId: 1, policyId: 1 }, atMs).then((list) =>
      list.map((p) => `${p.of} ${p.by}`),
    );
  expect(await holding(4, START)).toEqual(['Workload vm-4 Ines', 'Site Ostgate Olav']);
  expect(await holding(5, START)).toEqual(['Site Ostgate Olav']);
  expect(await holding(4, START + HOUR)).toEqual(['Workload vm-4 Ines']);
});
