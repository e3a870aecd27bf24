/** What the pages show, now and as of past moments: queries against a real MariaDB, over rows that were made by hand. */
import { DAY, HOUR, MINUTE } from '@/core/units';
import { throttledRate } from '@/core/flow/throttle';
import { forecastInput } from '@/queries/forecast-input';
import { placesView } from '@/queries/places';
import { runList, runView, type RunFilter } from '@/queries/runs';
import { countStandings, standings } from '@/queries/standing';
import { spaceOfPlaces } from '@/store/space';
import { watch } from '@/queries/watch';
import { workloadView } from '@/queries/workload';
import { WINDOW, workloadPage, type WorkloadFilter } from '@/queries/workloads';
import { execute, insertMany } from '@/store/database';
import { closeMisses } from '@/store/misses';
import { markBad } from '@/store/verification';
import { recordStreams } from '@/store/streams';
import { Harbour, START, WORKLOADS } from './harbour';
import { addPoint } from './rows';

jest.setTimeout(60_000);
let harbour: Harbour;
beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_views_test');
});
afterEach(() => harbour.close());

const ago = (minutes: number): number => START - minutes * MINUTE;
const point = (workloadId: number, takenMs: number, more: object = {}) =>
  addPoint(harbour.db, { workloadId, takenMs, usableMs: takenMs + MINUTE, ...more });
const EVERY: WorkloadFilter = {
  text: '',
  standing: '',
  tier: '',
  site: '',
  policy: '',
  unproven: false,
  sort: 'name',
  descending: false,
};
const page = (filter: Partial<WorkloadFilter>, offset = 0) =>
  workloadPage(harbour.db, START, true, { ...EVERY, ...filter }, offset);
/** The harbour's tier has an RPO of 15 min. */
const staggered = async (): Promise<void> => {
  for (let id = 1; id <= WORKLOADS; id++) await point(id, ago(2 * id));
};

describe('standings', () => {
  const of = async (id: number, atMs: number) =>
    (await standings(harbour.db, atMs, false)).find((w) => w.id === id) ?? null;

  test('as of a past moment count what was usable then, not what is now', async () => {
    await point(1, ago(40), { goneMs: ago(5) });
    await point(1, ago(20), { usableMs: ago(10) });
    expect(await of(1, ago(15))).toMatchObject({ takenMs: ago(40), exposureMs: 25 * MINUTE, standing: 'over' });
    expect(await of(1, ago(10))).toMatchObject({ takenMs: ago(20), exposureMs: 10 * MINUTE });
    expect(await of(1, ago(39.5))).toMatchObject({ takenMs: null, exposureMs: null, standing: 'over', overAtMs: null });
  });

  test('a point that was found bad counts until then, and again once it is repaired', async () => {
    await point(1, ago(60));
    const bad = await point(1, ago(50));
    await execute(harbour.db, `UPDATE points SET bad_ms = ?, bad_cause = 'rotten', repaired_ms = ? WHERE id = ?`, [
      ago(30),
      ago(10),
      bad,
    ]);
    const taken = async (minutes: number) => (await of(1, ago(minutes)))?.takenMs;
    expect([await taken(31), await taken(30), await taken(11), await taken(10)]).toEqual(
      [50, 60, 60, 50].map((minutes) => ago(minutes)),
    );
  });

  test('closing in the past is what missed within two hours of it', async () => {
    await point(1, ago(5));
    await point(2, ago(5));
    await execute(harbour.db, 'INSERT INTO misses (workload_id, from_ms) VALUES (2, ?)', [ago(-10)]);
    expect([(await of(1, START))?.standing, (await of(2, START))?.standing]).toEqual(['inside', 'closing']);
  });

  test('a stream counts by what it had at each moment: flowing, standing still, and after it is closed', async () => {
    await point(1, ago(50));
    const columns = ['workload_id', 'site_id', 'from_ms', 'to_ms', 'lag_ms', 'through_ms'];
    await insertMany(harbour.db, 'stream_stretches', columns, [
      [1, 2, ago(45), ago(30), 5000, null],
      [1, 2, ago(30), ago(20), null, ago(31)],
    ]);
    const exposure = async (minutes: number) => (await of(1, ago(minutes)))?.exposureMs;
    expect(await exposure(46)).toBe(4 * MINUTE);
    expect(await exposure(40)).toBe(5000);
    expect(await exposure(25)).toBe(6 * MINUTE);
    expect(await exposure(10)).toBe(40 * MINUTE);
  });
});

describe('the table of workloads', () => {
  beforeEach(staggered);

  test('counts, filters and sorts over the whole fleet', async () => {
    const counts = countStandings(await standings(harbour.db, START, true));
    // 6 and 7 go over in 3 min and 1, and are due only at 4:30 and 5:15 past.
    expect(counts).toEqual({ total: 12, over: 5, closing: 2, unproven: 12 });
    const ids = async (filter: Partial<WorkloadFilter>) => (await page(filter)).rows.map((w) => w.id);
    expect(await ids({ sort: 'exposure', descending: true })).toEqual([12, 11, 10, 9, 8, 7, 6, 5, 4, 3, 2, 1]);
    expect(await ids({ standing: 'over', sort: 'exposure' })).toEqual([8, 9, 10, 11, 12]);
    expect(await ids({ standing: 'inside', sort: 'used' })).toEqual([1, 2, 3, 4, 5, 6, 7]);
    // By name as text: vm-1, vm-10, vm-11, vm-12.
    expect(await ids({ text: 'VM-1' })).toEqual([1, 10, 11, 12]);
    expect(await ids({ site: 'Millbrook' })).toEqual([]);
    expect(await ids({ policy: 'none' })).toEqual([]);
    expect(await ids({ policy: '1', tier: '1', unproven: true })).toHaveLength(12);
  });

  test('is handed out in windows that say where they are', async () => {
    const last = await page({ sort: 'exposure' }, 10);
    expect([last.total, last.offset, last.rows.map((w) => w.id)]).toEqual([12, 10, [11, 12]]);
    expect((await page({}, WINDOW)).rows).toEqual([]);
  });

  test('tells the worst of a day by points, gone ones too, and by streams', async () => {
    for (let m = 26 * 60; m > 4; m -= 10) await point(1, ago(m), { goneMs: ago(m - 4) });
    for (let m = 26 * 60; m > 4; m -= 10) await point(2, ago(m));
    const columns = ['workload_id', 'site_id', 'from_ms', 'to_ms', 'lag_ms', 'through_ms'];
    await insertMany(harbour.db, 'stream_stretches', columns, [[2, 2, START - 9 * DAY, null, 5000, null]]);
    const [, , , one] = (await page({ sort: 'exposure', descending: true })).rows.slice(-4);
    const rows = new Map((await page({})).rows.map((w) => [w.id, w]));
    expect(one?.id).toBe(1);
    expect(rows.get(1)).toMatchObject({ worstDayMs: 11 * MINUTE, worstWeekMs: null, places: ['Millbrook'] });
    expect(rows.get(2)).toMatchObject({ worstDayMs: 5000, worstWeekMs: 5000 });
    expect(rows.get(3)).toMatchObject({ worstDayMs: null });
  });
});

test('runs: as of a moment, by state, cause and name; the day is counted apart from the filter', async () => {
  await staggered();
  const run = async (state: 'failed' | 'running', minutes: number): Promise<number> => {
    const at = ago(minutes);
    const failed = state === 'failed';
    const made = await execute(
      harbour.db,
      `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms,
                         ended_ms, cause_code, cause_subject, remedy, owner, steps)
        VALUES (3, 3, 1, 1, 'replica', 'replica', ?, 'cadence', ?, ?, ?, ?, ?, ?, ?, '[{"name":"send"}]')`,
      [
        at,
        state,
        at,
        ...(failed ? [at + MINUTE, 'repository-full', 'ost-r1', 'Make room.', null] : [null, null, null, null, 'me']),
      ],
    );
    return made.id;
  };
  await run('failed', 100);
  await run('failed', 2 * 24 * 60);
  const id = await run('running', 1);
  const list = (filter: Partial<RunFilter>, atMs = START, limit = 50) =>
    runList(harbour.db, atMs, { state: '', cause: '', subject: '', text: '', ...filter }, limit);
  const all = await list({});
  expect(all.runs).toHaveLength(WORKLOADS + 3);
  expect(all.runs[0]).toMatchObject({ id, state: 'running', steps: [{ name: 'send' }] });
  expect(all.day).toEqual({ succeeded: WORKLOADS, failed: 1, running: 1 });
  expect((await list({ cause: 'repository-full' })).runs.map((r) => r.occurrenceMs)).toEqual([ago(100), ago(2880)]);
  expect((await list({ subject: 'ost-r1', state: 'failed' })).runs).toHaveLength(2);
  expect((await list({ text: 'vm-1%' })).runs).toEqual([]);
  expect((await list({ text: 'vm-3' })).runs).toHaveLength(4);
  expect((await list({}, ago(90))).runs).toHaveLength(2);
  expect((await list({}, START, 2)).runs).toHaveLength(2);
  expect((await runView(harbour.db, id))?.workload).toBe('vm-3');
  expect(await runView(harbour.db, 999_999)).toBeNull();
});

test('a workload as of a moment: its points with their reasons, where they lie, and what was captured with them', async () => {
  await point(1, ago(120), { goneMs: ago(50), groupKey: 'g' });
  await point(2, ago(120), { groupKey: 'g' });
  await point(1, ago(40));
  const now = await workloadView(harbour.db, 1, START, true);
  expect(now?.points).toMatchObject([{ takenMs: ago(40), place: 'mil-s1', site: 'Millbrook', together: 0 }]);
  expect(now?.points[0]?.why).not.toBe('goes at the next thinning');
  expect(now).toMatchObject({ siteLostExposureMs: 40 * MINUTE, policy: { name: 'Tier 1', inStep: true } });
  const then = await workloadView(harbour.db, 1, ago(60), false);
  expect(then?.points).toMatchObject([{ takenMs: ago(120), together: 1 }]);
  expect(then?.standing).toMatchObject({ exposureMs: HOUR, standing: 'over' });
  expect(then?.runs.map((r) => r.occurrenceMs)).toEqual([ago(120)]);
  expect((await workloadView(harbour.db, 1, ago(121), false))?.siteLostExposureMs).toBeNull();
  expect(await workloadView(harbour.db, 999, START, true)).toBeNull();
});

test('a stream that stood still and moves on when somebody looks again was missed in between', async () => {
  await execute(harbour.db, 'UPDATE workloads SET newest_taken_ms = ?', [ago(40)]);
  const stream = { enrolment_id: 1, lane_key: 'replica', workload_id: 1, place_id: 2, site_id: 2, through_ms: ago(40) };
  const columns = [...Object.keys(stream), 'seen_ms'];
  await insertMany(harbour.db, 'streams', columns, [[...Object.values(stream), ago(39)]]);
  await insertMany(
    harbour.db,
    'stream_stretches',
    ['workload_id', 'site_id', 'from_ms', 'through_ms'],
    [[1, 2, ago(39), ago(40)]],
  );
  const status = { state: 'flowing' as const, throughMs: START - 2000, spans: [], behindBytes: 0, rateBps: 0 };
  await recordStreams(harbour.db, [{ ...stream, status }], START);
  await closeMisses(harbour.db, START);
  // An RPO of 15 min, and the newest of 40 min ago.
  expect(await harbour.rows('SELECT workload_id, from_ms, to_ms FROM misses')).toEqual([
    { workload_id: 1, from_ms: ago(25), to_ms: START },
  ]);
  await recordStreams(harbour.db, [{ ...stream, status: { ...status, throughMs: ago(-59) } }], ago(-60));
  expect(await harbour.rows('SELECT id FROM misses')).toHaveLength(1);
});

test('a point found bad leaves a miss at once, and one that a newer point has overtaken counts as good until that came', async () => {
  const old = await point(1, ago(30));
  const newest = await point(1, ago(10));
  await markBad(harbour.db, [{ id: newest, workload_id: 1 }], 'rotten', ago(5));
  // Back on the one of 30 min ago, over since 15, and told from the moment it was known.
  const misses = () => harbour.rows('SELECT workload_id, from_ms, to_ms FROM misses ORDER BY id');
  expect(await misses()).toEqual([{ workload_id: 1, from_ms: ago(5), to_ms: null }]);
  await point(1, ago(3));
  await closeMisses(harbour.db, START);
  expect(await misses()).toEqual([{ workload_id: 1, from_ms: ago(5), to_ms: ago(2) }]);
  await markBad(harbour.db, [{ id: old, workload_id: 1 }], 'rotten', ago(4));
  expect(await harbour.rows('SELECT bad_ms FROM points WHERE id = ?', [old])).toEqual([{ bad_ms: ago(2) }]);
  expect(await misses()).toHaveLength(1);
});

test('attention says what holds late workloads up: a pause, what their runs wait for, or nothing but their lanes', async () => {
  await staggered();
  const wait = (workloadId: number, waitsFor: string) =>
    execute(
      harbour.db,
      `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms, waits_for)
        VALUES (?, ?, 1, 1, 'replica', 'replica', ?, 'cadence', 'waiting', ?, ?)`,
      [workloadId, workloadId, START, START, waitsFor],
    );
  await wait(9, 'the disk that is on its way');
  await wait(1, 'the disk that is on its way');
  await execute(
    harbour.db,
    `INSERT INTO pauses (scope, scope_id, from_ms, to_ms, reason) VALUES ('workload', 10, ?, ?, 'New host.')`,
    [ago(5), ago(-60)],
  );
  const { attention } = await watch(harbour.db, START, true);
  const over = attention.filter((entry) => entry.state === 'over').map((e) => [e.title, e.workloadIds] as const);
  expect(new Map(over)).toEqual(
    new Map([
      ['Points come later than the RPO allows', [11, 12, 8]],
      ['Workload vm-10 is paused', [10]],
      ['Runs wait for the disk that is on its way', [9]],
    ]),
  );
  expect(attention.find((entry) => entry.title.includes('paused'))?.effect).toMatch(/until it ends. New host/);
  expect(attention.filter((e) => e.state === 'closing').map((e) => e.title)).toEqual([
    'The next points will come too late',
  ]);
});

test('watch as of a moment: sites and links as they were then', async () => {
  await staggered();
  await insertMany(
    harbour.db,
    'conditions',
    ['subject', 'state', 'factor', 'from_ms', 'to_ms'],
    [
      ['Millbrook', 'no-answer', null, ago(60), ago(30)],
      ['Ostgate – Millbrook', 'slow', 0.25, ago(60), ago(30)],
    ],
  );
  const seen = await watch(harbour.db, ago(30.5), false);
  expect(seen.links).toMatchObject([{ state: 'slow', factor: 0.25 }]);
  expect(seen.sites.map((s) => [s.name, s.workloads, s.silent])).toEqual([
    ['Ostgate', WORKLOADS, false],
    ['Millbrook', 0, true],
  ]);
  const now = await watch(harbour.db, START, true);
  expect(now.links).toMatchObject([{ state: 'up', factor: null }]);
  expect(now.sites[0]).toMatchObject({ over: 5, silent: false });
  expect([now.grouped, now.bars.length]).toEqual([false, WORKLOADS]);
});

test('a forecast knows pauses, windows, throttles, and what is captured together', async () => {
  const pause = (id: number, from: number, to: number) => [
    'workload',
    id,
    START + from * HOUR,
    START + to * HOUR,
    'works in the hall',
  ];
  const columns = ['scope', 'scope_id', 'from_ms', 'to_ms', 'reason'];
  await insertMany(harbour.db, 'pauses', columns, [pause(1, -1, 2), pause(2, -3, -1), pause(3, 30, 40)]);
  const blackouts = [{ kind: 'dated', fromMs: START + 4 * HOUR, toMs: START + 5 * HOUR }];
  const [{ lanes }] = (await harbour.rows<{ lanes: string }>('SELECT lanes FROM policy_revisions')) as [
    { lanes: string },
  ];
  const [lane] = (typeof lanes === 'string' ? JSON.parse(lanes) : lanes) as [object];
  await execute(harbour.db, 'UPDATE policy_revisions SET lanes = ?', [
    JSON.stringify([{ ...lane, together: true, opening: { windows: [], blackouts } }]),
  ]);
  const night = {
    kind: 'weekly',
    zone: 'UTC',
    weekdays: [1, 2, 3, 4, 5, 6, 7],
    fromMin: 22 * 60,
    toMin: 6 * 60,
  } as const;
  const throttles = [{ when: night, rateBps: 1e9 }];
  await execute(harbour.db, 'UPDATE links SET throttles = ?', [JSON.stringify(throttles)]);
  const input = await forecastInput(harbour.db, START);
  const shut = (id: number) =>
    input.lanes[id - 1]?.shut?.map(({ fromMs, toMs }) => [(fromMs - START) / HOUR, (toMs - START) / HOUR]);
  expect([shut(1), shut(2), shut(3)]).toEqual([
    [
      [0, 2],
      [4, 5],
    ],
    [[4, 5]],
    [
      [4, 5],
      [30, 40],
    ],
  ]);
  expect(new Set(input.lanes.map((l) => l.shiftMs)).size).toBe(1);
  const line = input.resources.at(-1);
  // 07:00 now; two nights in two days.
  expect(line?.turns?.map((turn) => [(turn.atMs - START) / HOUR, turn.bps])).toEqual([
    [0, 10e9],
    [15, 1e9],
    [23, 10e9],
    [39, 1e9],
    [47, 10e9],
  ]);
  for (const turn of line?.turns ?? []) expect(turn.bps).toBe(throttledRate(10e9, throttles, turn.atMs));
});

test('places: points there at a moment, space by its readings, and the date on which one is full', async () => {
  await point(1, ago(120), { goneMs: ago(50) });
  await point(1, ago(40));
  await execute(harbour.db, 'UPDATE repositories SET capacity_bytes = 2000 WHERE id = 2');
  const readings = Array.from({ length: 11 }, (_, day) => ['repository', 2, START - (10 - day) * DAY, 1000 + 50 * day]);
  await insertMany(harbour.db, 'place_space', ['place_kind', 'place_id', 'at_ms', 'used_bytes'], readings);
  const there = async (minutes: number) => {
    const { places } = await placesView(harbour.db, ago(minutes));
    return places.find((p) => p.name === 'mil-s1')?.points;
  };
  expect([await there(121), await there(60), await there(45), await there(0)]).toEqual([0, 1, 0, 1]);
  await execute(harbour.db, 'UPDATE points SET freed_bytes = 700 WHERE gone_ms IS NOT NULL');
  const freed = async (minutes: number) =>
    (await placesView(harbour.db, ago(minutes))).places.find((p) => p.name === 'mil-s1')?.freedBytes;
  expect([await freed(51), await freed(50), await freed(50 - 24 * 60)]).toEqual([0, 700, 0]);
  const repository = (await spaceOfPlaces(harbour.db, START)).find((p) => p.name === 'mil-r1');
  // 500 of 1000 left at 50 a day: ten days.
  expect(repository).toMatchObject({ usedBytes: 1500, bytesPerDay: 50, fullMs: START + 10 * DAY });
  expect((await spaceOfPlaces(harbour.db, START - 20 * DAY)).every((p) => p.usedBytes === null)).toBe(true);
});
