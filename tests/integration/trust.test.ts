/** Copies of copies, points that turn out bad, reconciliation, windows and pauses: against a real MariaDB and stand-in. */
import { perform, type Person } from '@/commands/command';
import { runNow } from '@/commands/runs';
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR, MINUTE } from '@/core/units';
import { execute, openDatabase } from '@/store/database';
import { ensureAccount, type Server } from '../../scripts/mariadb';
import { Harbour, LANES, START, WORKLOADS } from './harbour';

jest.setTimeout(180_000);

const backup: Lane = {
  key: 'backup',
  kind: 'backup',
  cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
  ladder: { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: DAY }] },
  consistency: 'application',
  excludeRoles: [],
  targets: { '1': 2 },
};
const copy: Lane = {
  ...backup,
  key: 'copy',
  kind: 'copy',
  cadence: { kind: 'after', lane: 'backup' },
  source: 'backup',
  targets: { '1': 1 },
};

let harbour: Harbour;
async function begin(lanes: readonly Lane[]): Promise<void> {
  harbour = await Harbour.build('anchor_bay_trust_test', lanes);
  await harbour.startStandIn();
  harbour.startEngine();
}
afterEach(() => harbour.close());

async function pass(ms: number): Promise<number> {
  const until = await harbour.beginJump(ms);
  await harbour.untilArrived(120_000);
  return until;
}

interface PointRow {
  id: number;
  workload_id: number;
  lane_key: string;
  copy_key: string;
  taken_ms: number;
  digest: string;
  bad_ms: number | null;
  bad_cause: string | null;
  repaired_ms: number | null;
}
const points = (where = '1') =>
  harbour.rows<PointRow>(`SELECT * FROM points WHERE gone_ms IS NULL AND ${where} ORDER BY id`);

test('a copy comes after each backup, holds the same content of the same instant, and runs exactly once', async () => {
  await begin([backup, copy]);
  await pass(3 * HOUR);
  const backups = await points(`lane_key = 'backup'`);
  const copies = await points(`lane_key = 'copy'`);
  expect(backups.length).toBeGreaterThanOrEqual(2 * WORKLOADS);
  const contentOf = (p: PointRow) => `${p.workload_id} ${p.taken_ms} ${p.digest}`;
  const all = new Set(backups.map(contentOf));
  expect(copies.length).toBeGreaterThanOrEqual(backups.length - WORKLOADS);
  expect(copies.every((p) => all.has(contentOf(p)))).toBe(true);
  expect(new Set(copies.map(contentOf)).size).toBe(copies.length);
});

test('a rotten block marks exactly the points that hold it, exposure falls back, and a good copy repairs them', async () => {
  await begin([backup, copy]);
  await pass(2 * HOUR + 30 * MINUTE);
  await execute(harbour.db, 'UPDATE points SET verified_ms = 0');
  await harbour.fault('setFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await harbour.fault('setFault', { kind: 'rotten-block', subject: 'mil-r1' });
  const rotten = await rottenCopies();
  expect(rotten.length).toBeGreaterThan(0);
  await harbour.fault('setFault', { kind: 'repository-read-only', subject: 'mil-r1' });
  await pass(2 * HOUR);
  const bad = await points('bad_ms IS NOT NULL AND repaired_ms IS NULL');
  expect(bad.map((p) => p.copy_key).sort()).toEqual(rotten);
  expect(bad.every((p) => p.bad_cause === 'rotten' && p.lane_key === 'backup')).toBe(true);
  await harbour.fault('clearFault', { kind: 'repository-read-only', subject: 'mil-r1' });
  await harbour.fault('clearFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await pass(45 * MINUTE);
  expect(await points('bad_ms IS NOT NULL AND repaired_ms IS NULL')).toEqual([]);
  expect((await points('repaired_ms IS NOT NULL')).map((p) => p.copy_key).sort()).toEqual(rotten);
  expect(await rottenCopies()).toEqual([]);
});

test('without another copy a bad point stays bad, and the exposure counts from the newest good one', async () => {
  await begin([backup]);
  await pass(2 * HOUR + 30 * MINUTE);
  await execute(harbour.db, 'UPDATE points SET verified_ms = 0');
  await harbour.fault('setFault', { kind: 'rotten-block', subject: 'mil-r1' });
  await harbour.fault('setFault', { kind: 'repository-full', subject: 'mil-r1' });
  await pass(2 * HOUR);
  const bad = await points('bad_ms IS NOT NULL');
  expect(bad.map((p) => p.copy_key).sort()).toEqual(await rottenCopies());
  const wrong = await harbour.rows(
    `SELECT w.id FROM workloads w WHERE NOT (w.newest_taken_ms <=> (SELECT MAX(taken_ms) FROM points p
      WHERE p.workload_id = w.id AND p.gone_ms IS NULL AND p.bad_ms IS NULL))`,
  );
  expect(wrong).toEqual([]);
});

test('reconciliation: a copy nobody knows, a point whose copy is gone, a leftover of our own', async () => {
  await begin([backup]);
  await pass(90 * MINUTE);
  const [victim] = await points();
  if (!victim) throw new Error('no point was taken');
  await harbour.operation('deleteCopy', { place: { kind: 'repository', id: 2 }, copyKey: victim.copy_key });
  // A snapshot of a run that has ended: what a crash between sending and recording leaves.
  await harbour.operation('snapshot', { key: 's1.9', workloadId: 1, consistency: 'crash' });
  await pass(7 * HOUR);
  const findings = await harbour.rows<{ kind: string; copy_key: string }>(
    'SELECT kind, copy_key FROM findings WHERE to_ms IS NULL ORDER BY kind, copy_key',
  );
  expect(findings.filter((f) => f.kind === 'missing')).toEqual([{ kind: 'missing', copy_key: victim.copy_key }]);
  expect(findings.filter((f) => f.kind === 'unknown')).toHaveLength(WORKLOADS);
  expect(findings.filter((f) => f.kind === 'unknown').every((f) => f.copy_key.startsWith('shipped'))).toBe(true);
  expect(findings.filter((f) => f.kind === 'snapshot')).toEqual([]);
  const { snapshots } = (await harbour.operation('snapshots', {})) as { snapshots: Array<{ key: string }> };
  expect(snapshots.map((snapshot) => snapshot.key)).not.toContain('s1.9');
  expect(await points(`id = ${victim.id}`)).toMatchObject([{ bad_cause: 'missing' }]);
});

test('an immutable point is kept by the database and by its place, whoever asks', async () => {
  harbour = await Harbour.build('anchor_bay_trust_test', [backup]);
  await execute(harbour.db, `UPDATE repositories SET immutable_ms = ${DAY} WHERE id = 2`);
  await harbour.startStandIn();
  harbour.startEngine();
  await pass(90 * MINUTE);
  const [point] = await points();
  if (!point) throw new Error('no point was taken');
  for (const sql of [
    `UPDATE points SET marked_ms = ${START + HOUR} WHERE id = ${point.id}`,
    `UPDATE points SET immutable_until_ms = NULL WHERE id = ${point.id}`,
    `UPDATE points SET immutable_until_ms = ${START} WHERE id = ${point.id}`,
    `DELETE FROM points WHERE id = ${point.id}`,
  ])
    await expect(execute(harbour.db, sql)).rejects.toThrow(/immutable/);
  const deletion = { place: { kind: 'repository', id: 2 }, copyKey: point.copy_key };
  await expect(harbour.operation('deleteCopy', deletion)).rejects.toThrow(/Locked until/);
  expect(await points(`id = ${point.id}`)).toHaveLength(1);
});

test('the account of the processes can change rows, and neither drop what guards them nor empty their table', async () => {
  harbour = await Harbour.build('anchor_bay_trust_test', [backup]);
  const { ANCHOR_DB_PORT: port, ANCHOR_DB_PASSWORD: password = '' } = process.env;
  const server = { port: Number(port), password } as Server;
  const account = { name: 'anchor_bay_trust', password: 'only-in-this-test', database: harbour.name };
  await ensureAccount(server, { ...account, rights: 'rows' });
  const db = openDatabase({
    host: '127.0.0.1',
    port: server.port,
    user: account.name,
    password: account.password,
    name: harbour.name,
    poolSize: 1,
  });
  try {
    expect((await execute(db, 'UPDATE workloads SET cores = cores + 1 WHERE id = 1')).rows).toBe(1);
    for (const sql of [
      'DROP TRIGGER points_stay',
      'TRUNCATE TABLE points',
      'DROP TABLE points',
      'ALTER TABLE points DROP COLUMN immutable_until_ms',
      'SELECT * FROM mysql.global_priv',
    ])
      await expect(execute(db, sql)).rejects.toThrow(/denied/);
  } finally {
    await db.close();
  }
});

test('a shut window holds runs back until it opens, and a pause until it ends; then the newest is made up for', async () => {
  const opensAt = START + 2 * HOUR;
  const lane = LANES[0] as Lane;
  await begin([
    { ...lane, opening: { windows: [{ kind: 'dated', fromMs: opensAt, toMs: START + 3 * HOUR }], blackouts: [] } },
  ]);
  await execute(
    harbour.db,
    `INSERT INTO pauses (scope, scope_id, from_ms, to_ms, reason) VALUES ('workload', 3, ?, ?, 'move of its disks')`,
    [START, START + 150 * MINUTE],
  );
  // What a person asks for runs at all times.
  const person: Person = { id: 1, name: 'ines', fullName: 'Ines', role: 'operator' };
  const { runId } = await perform(runNow, { workloadId: 5 }, { db: harbour.db, clock: harbour.clock, person });
  await pass(4 * HOUR);
  const [asked] = await harbour.rows<{ started_ms: number }>('SELECT started_ms FROM runs WHERE id = ?', [runId]);
  expect(asked?.started_ms).toBeLessThan(START + 5 * MINUTE);
  const started = await harbour.rows<{ workload_id: number; first: number; last: number }>(
    `SELECT workload_id, MIN(started_ms) first, MAX(started_ms) last FROM runs WHERE started_ms IS NOT NULL AND started_by = 'cadence' GROUP BY workload_id`,
  );
  expect(started).toHaveLength(WORKLOADS);
  for (const { workload_id, first, last } of started) {
    expect(first).toBeGreaterThanOrEqual(workload_id === 3 ? START + 150 * MINUTE : opensAt);
    expect(first).toBeLessThan((workload_id === 3 ? START + 150 * MINUTE : opensAt) + 5 * MINUTE);
    expect(last).toBeLessThan(START + 3 * HOUR);
  }
  const [missed] = await harbour.rows<{ n: number }>(`SELECT COUNT(*) n FROM runs WHERE state = 'missed'`);
  expect(missed?.n).toBeGreaterThan(WORKLOADS * 8);
});

test('no more runs than slots, and who waits is told for what', async () => {
  harbour = await Harbour.build('anchor_bay_trust_test', [backup]);
  await execute(harbour.db, 'UPDATE movers SET slots = 2');
  await execute(harbour.db, 'UPDATE schedules SET due_ms = ?', [START + MINUTE]);
  await harbour.startStandIn();
  harbour.startEngine();
  await pass(2 * MINUTE);
  // The quickest of them may be done within the minute; then another has its slot.
  const [now] = await harbour.rows<{ running: number; told: number; done: number }>(
    `SELECT SUM(state = 'running') running, SUM(state = 'waiting' AND waits_for = 'a slot of ost-m1') told,
            SUM(state = 'succeeded') done FROM runs`,
  );
  expect(now?.running).toBe(2);
  expect((now?.told ?? 0) + (now?.done ?? 0)).toBe(WORKLOADS - 2);
  expect(now?.done).toBeLessThanOrEqual(2);
  await pass(40 * MINUTE);
  const spans = await harbour.rows<{ from: number; to: number }>(
    'SELECT started_ms `from`, ended_ms `to` FROM runs WHERE ended_ms IS NOT NULL',
  );
  expect(spans.length).toBeGreaterThanOrEqual(WORKLOADS);
  for (const { from } of spans)
    expect(spans.filter((s) => s.from <= from && s.to > from).length).toBeLessThanOrEqual(2);
});

/** Keys of copies at mil-r1 that read back wrong, asked of the stand-in itself. */
async function rottenCopies(): Promise<string[]> {
  const place = { kind: 'repository', id: 2 };
  const found: string[] = [];
  for (const point of await harbour.rows<PointRow>(
    `SELECT * FROM points WHERE gone_ms IS NULL AND place_kind = 'repository' AND place_id = 2`,
  )) {
    const { digest } = (await harbour.operation('verifyCopy', { place, copyKey: point.copy_key })) as {
      digest: string;
    };
    if (digest !== point.digest) found.push(point.copy_key);
  }
  return found.sort();
}
