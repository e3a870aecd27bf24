/** Kinds of lanes and their settings against a real database and a real stand-in: streams, captures, first copies, bars. */
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR, MINUTE, SECOND } from '@/core/units';
import { makePoint } from '@/commands/runs';
import { perform } from '@/commands/command';
import { standings } from '@/queries/standing';
import { workloadView } from '@/queries/workload';
import { pointDigest } from '@/standin/world/digest';
import { DiskContent } from '@/standin/world/content';
import { execute } from '@/store/database';
import { estateOf, Harbour, LANES, START, WORKLOADS } from './harbour';

jest.setTimeout(120_000);
const replica = LANES[0] as Lane;
const backup: Lane = {
  ...replica,
  key: 'backup',
  kind: 'backup',
  cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
  ladder: { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: 7 * DAY }] },
  targets: { '1': 2 },
};
const daily = { cadence: { kind: 'every', everyMs: DAY, offsetMs: 0 } } as const;
const stream: Lane = {
  ...replica,
  key: 'stream',
  kind: 'stream',
  cadence: { kind: 'every', everyMs: 10 * MINUTE, offsetMs: 0 },
  ladder: { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: 4 * HOUR }] },
};

interface PointRow {
  id: number;
  workload_id: number;
  taken_ms: number;
  usable_ms: number;
  digest: string;
  kind: string;
  group_key: string | null;
}
interface RunRow {
  workload_id: number;
  state: string;
  waits_for: string | null;
  cause_code: string | null;
  not_before_ms: number;
}

let harbour: Harbour;
afterEach(() => harbour.close());

async function begin(lanes: readonly Lane[]): Promise<void> {
  harbour = await Harbour.build('anchor_bay_lanes_test', lanes);
  await execute(
    harbour.db,
    `INSERT INTO users (id, name, full_name, role, password_hash) VALUES (1, 'ines', 'Ines', 'administrator', '')`,
  );
  await harbour.startStandIn();
  harbour.startEngine();
}
async function pass(ms: number): Promise<number> {
  const to = await harbour.beginJump(ms);
  await harbour.untilArrived();
  return to;
}
const points = (where = '1 = 1') =>
  harbour.rows<PointRow>(`SELECT * FROM points WHERE gone_ms IS NULL AND ${where} ORDER BY id`);
const runs = (where: string) => harbour.rows<RunRow>(`SELECT * FROM runs WHERE ${where} ORDER BY id`);
const link = { subject: 'Ostgate – Millbrook' };

/** What the disk of a workload held at an instant, computed from its seed alone. */
function digestAt(workloadId: number, atMs: number): string {
  const estate = estateOf(WORKLOADS);
  const disks = estate.workloads.find((w) => w.id === workloadId)?.disks ?? [];
  return pointDigest(disks.map((disk) => new DiskContent(disk, estate.bornMs).digestFromScratch(atMs, [])));
}

interface StreamRow {
  workload_id: number;
  state: string;
  through_ms: number;
  spans: string | Array<{ fromMs: number; toMs: number }>;
}
const streams = async () =>
  (await harbour.rows<StreamRow>('SELECT * FROM streams ORDER BY workload_id')).map((row) => ({
    ...row,
    spans:
      typeof row.spans === 'string' ? (JSON.parse(row.spans) as Array<{ fromMs: number; toMs: number }>) : row.spans,
  }));

test('a stream is seconds behind, any second of its journal can be had, and it holds what the source held then', async () => {
  await begin([stream]);
  const nowMs = await pass(2 * HOUR);
  const seen = await streams();
  expect(seen).toHaveLength(WORKLOADS);
  expect(seen.every((s) => s.state === 'flowing' && nowMs - s.through_ms < MINUTE)).toBe(true);
  const standing = await standings(harbour.db, nowMs, true);
  expect(standing.every((w) => w.exposureMs !== null && w.exposureMs < MINUTE)).toBe(true);
  // Read for a moment that the stream has passed already, as a page that takes its time does.
  const view = await workloadView(harbour.db, 3, (seen[2]?.through_ms ?? 0) - 10 * SECOND, true);
  expect(view?.siteLostExposureMs).toBe(0);

  const atMs = nowMs - 37 * MINUTE - 11 * SECOND;
  const ines = { id: 1, name: 'ines', fullName: 'Ines', role: 'administrator' as const };
  const call = { db: harbour.db, clock: harbour.clock, person: ines };
  await perform(makePoint, { workloadId: 3, laneKey: 'stream', atMs }, call);
  await pass(2 * MINUTE);
  const [made] = await points(`workload_id = 3 AND taken_ms = ${atMs}`);
  expect(made?.digest).toBe(digestAt(3, atMs));
  // A point of long ago does not make the lane a slow one.
  const after = await standings(harbour.db, (await harbour.clock.read()).nowMs, true);
  expect(after.find((w) => w.id === 3)?.standing).toBe('inside');
  await expect(perform(makePoint, { workloadId: 3, laneKey: 'stream', atMs: START - DAY }, call)).rejects.toMatchObject(
    { code: 'bad-input' },
  );
  for (const mark of await points(`workload_id = 5`)) expect(mark.digest).toBe(digestAt(5, mark.taken_ms));
});

test('a cut line holds a stream up with its cause, the clock counts, and it catches up without a gap', async () => {
  await begin([stream]);
  await pass(HOUR);
  await harbour.fault('setFault', { kind: 'link-cut', ...link });
  const before = await streams();
  const cutMs = await pass(40 * MINUTE);
  const held = await streams();
  expect(held.every((s) => s.state === 'broken')).toBe(true);
  expect(
    held
      .map((s) => s.through_ms - (before.find((b) => b.workload_id === s.workload_id)?.through_ms ?? 0))
      .every((ms) => ms < MINUTE),
  ).toBe(true);
  expect((await standings(harbour.db, cutMs, true)).every((w) => w.standing === 'over')).toBe(true);
  expect(await harbour.rows('SELECT * FROM misses WHERE to_ms IS NULL')).toHaveLength(WORKLOADS);
  expect((await runs(`state = 'waiting' AND cause_code = 'link-down'`)).length).toBeGreaterThan(0);

  await harbour.fault('clearFault', { kind: 'link-cut', ...link });
  const nowMs = await pass(30 * MINUTE);
  const after = await streams();
  expect(after.every((s) => s.state === 'flowing' && nowMs - s.through_ms < MINUTE)).toBe(true);
  expect(after.every((s) => s.spans.length === 1)).toBe(true);
  expect(await harbour.rows('SELECT * FROM misses WHERE to_ms IS NULL')).toEqual([]);
  // As of the past: the stream stood still then.
  const then = await standings(harbour.db, cutMs - MINUTE, false);
  expect(then.every((w) => w.standing === 'over')).toBe(true);
});

test('a stream that no lane has any more is closed, and what is left of it are its marks', async () => {
  await begin([stream]);
  await pass(HOUR);
  await execute(
    harbour.db,
    `INSERT INTO policy_revisions (policy_id, revision, lanes, rule, created_at_ms) SELECT 1, 2, ?, rule, 0 FROM policy_revisions WHERE revision = 1`,
    [JSON.stringify([replica])],
  );
  await execute(harbour.db, 'UPDATE enrolments SET revision = 2');
  await execute(harbour.db, 'UPDATE schedules SET due_ms = NULL');
  await pass(5 * MINUTE);
  expect(await streams()).toEqual([]);
  expect(((await harbour.operation('streams', {})) as { streams: unknown[] }).streams).toEqual([]);
  expect(await harbour.rows('SELECT 1 FROM stream_stretches WHERE to_ms IS NULL')).toEqual([]);
  const wrong = await harbour.rows(
    `SELECT w.id FROM workloads w WHERE w.newest_taken_ms <> (SELECT MAX(p.taken_ms) FROM points p WHERE p.workload_id = w.id)`,
  );
  expect(wrong).toEqual([]);
});

test('workloads of an application are captured at one instant, also where the sending has to be tried again', async () => {
  await begin([{ ...backup, ...daily, together: true, consistency: 'application' }]);
  await execute(harbour.db, 'UPDATE schedules SET due_ms = ?', [START + 5 * MINUTE]);
  await pass(6 * MINUTE);
  await harbour.fault('setFault', { kind: 'link-cut', ...link });
  await pass(4 * MINUTE);
  await harbour.fault('clearFault', { kind: 'link-cut', ...link });
  await pass(40 * MINUTE);
  const first = await points();
  expect(first).toHaveLength(WORKLOADS);
  expect(new Set(first.map((p) => p.taken_ms)).size).toBe(1);
  expect(new Set(first.map((p) => p.group_key)).size).toBe(1);
  expect(first.every((p) => p.digest === digestAt(p.workload_id, p.taken_ms))).toBe(true);
  expect(first.some((p) => p.usable_ms - p.taken_ms > 4 * MINUTE)).toBe(true);
  const left = (await harbour.operation('snapshots', {})) as { snapshots: unknown[] };
  expect(left.snapshots).toEqual([]);
});

test('one machine that cannot be frozen keeps the others from it: none is captured, with its cause', async () => {
  await begin([{ ...backup, ...daily, together: true, consistency: 'application' }]);
  await execute(harbour.db, 'UPDATE schedules SET due_ms = ?', [START + 5 * MINUTE]);
  await harbour.fault('setFault', { kind: 'freeze-timeout', subject: 'vm-4' });
  await pass(10 * MINUTE);
  expect(await points()).toEqual([]);
  const failed = await runs('cause_code IS NOT NULL');
  expect(new Set(failed.map((r) => r.cause_code))).toEqual(new Set(['freeze-timeout']));
  await harbour.fault('clearFault', { kind: 'freeze-timeout', subject: 'vm-4' });
  await pass(40 * MINUTE);
  expect(new Set((await points()).map((p) => p.taken_ms)).size).toBe(1);
});

test('a first copy on a disk: runs wait while it travels, then little goes over the line', async () => {
  await begin([{ ...backup, cadence: { kind: 'every', everyMs: 12 * HOUR, offsetMs: 0 }, firstCopy: 'shipped' }]);
  const nowMs = await pass(14 * HOUR);
  const waiting = await runs(`state = 'waiting'`);
  expect(waiting).toHaveLength(WORKLOADS);
  expect(waiting.every((r) => r.waits_for === 'the disk that is on its way' && r.not_before_ms > nowMs)).toBe(true);
  expect(await points()).toEqual([]);
  await pass(60 * HOUR);
  const done = await harbour.rows<{ sent_bytes: number }>(`SELECT sent_bytes FROM runs WHERE state = 'succeeded'`);
  expect(done.length).toBeGreaterThanOrEqual(WORKLOADS);
  // Half of 20 GiB is filled and compressed to half: a full copy would be 5 GiB or more.
  expect(Math.max(...done.map((r) => r.sent_bytes))).toBeLessThan(2 * 2 ** 30);
});

test('a first copy at night waits for ten in the evening of its site, the next ones do not', async () => {
  await begin([{ ...backup, firstCopy: 'at-night' }]);
  await pass(2 * HOUR);
  const waiting = await runs(`state = 'waiting'`);
  expect(waiting.length).toBeGreaterThan(0);
  // Ten in the evening in Oslo, in winter.
  const night = Date.parse('2026-03-12T21:00:00Z');
  expect(waiting.every((r) => r.waits_for === 'the night' && r.not_before_ms === night)).toBe(true);
  await pass(night + 11 * HOUR - (START + 2 * HOUR));
  const taken = await points();
  expect(Math.min(...taken.map((p) => p.taken_ms))).toBeGreaterThanOrEqual(night);
  expect(Math.max(...taken.map((p) => p.taken_ms))).toBeGreaterThan(night + 9 * HOUR);
});

test('no run while disks are moved: it waits, says so, and nothing fails', async () => {
  await begin([replica]);
  await harbour.fault('setFault', { kind: 'disks-moving', subject: 'vm-2' });
  await pass(25 * MINUTE);
  const mine = await runs(`workload_id = 2 AND state = 'waiting'`);
  expect(mine.map((r) => r.waits_for)).toEqual(['the move of its disks']);
  expect(await points('workload_id = 2')).toEqual([]);
  expect((await points('workload_id = 3')).length).toBeGreaterThan(0);
  expect(await runs('cause_code IS NOT NULL')).toEqual([]);
  await harbour.fault('clearFault', { kind: 'disks-moving', subject: 'vm-2' });
  await pass(5 * MINUTE);
  expect((await points('workload_id = 2')).length).toBe(1);
});

test('a repository that runs out takes no first copies; what is there goes on', async () => {
  await begin([backup]);
  await execute(harbour.db, 'UPDATE schedules SET due_ms = ? WHERE workload_id > 6', [START + 70 * MINUTE]);
  await pass(50 * MINUTE);
  expect(new Set((await points()).map((p) => p.workload_id)).size).toBe(6);
  await execute(harbour.db, 'UPDATE repositories SET capacity_bytes = used_bytes * 1.03 WHERE id = 2');
  await pass(60 * MINUTE);
  const held = await runs(`state = 'waiting'`);
  expect(new Set(held.map((r) => r.workload_id))).toEqual(new Set([7, 8, 9, 10, 11, 12]));
  expect(held.every((r) => r.waits_for === 'space in mil-r1, which takes no first copies now')).toBe(true);
  expect((await points('workload_id <= 6')).length).toBeGreaterThan(6);
});

test('a throttled link has fewer slots, and the sites are told what it may carry', async () => {
  await begin([{ ...backup, ...daily }]);
  await execute(harbour.db, 'UPDATE schedules SET due_ms = ?', [START + 2 * MINUTE]);
  const when = { kind: 'weekly', zone: 'Europe/Oslo', weekdays: [4], fromMin: 0, toMin: 9 * 60 };
  await execute(harbour.db, 'UPDATE links SET throttles = ?', [JSON.stringify([{ when, rateBps: 50e6 }])]);
  // Nine in the morning in Oslo is an hour after the start.
  await pass(10 * MINUTE);
  expect(await runs(`state = 'running'`)).toHaveLength(2);
  const waiting = await runs(`state = 'waiting'`);
  expect(waiting.map((r) => r.waits_for)).toEqual(
    Array.from({ length: WORKLOADS - 2 }, () => 'a slot of Ostgate – Millbrook'),
  );
  const { links } = (await harbour.operation('status', {})) as {
    links: Array<{ throttles: unknown[]; factor: number }>;
  };
  expect(links[0]).toMatchObject({ throttles: [{ rateBps: 50e6 }], factor: 1 });
  await pass(2 * HOUR);
  expect(new Set((await points()).map((p) => p.workload_id)).size).toBe(WORKLOADS);
});
