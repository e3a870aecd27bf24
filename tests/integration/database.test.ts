/** The one door to MariaDB: what a change answers, and that invariants are the database's own. */
import { execute, insertMany, selectOne, type Database } from '@/store/database';
import { PLANNED_COLUMNS } from '@/store/planned-run';
import { migrate } from '@/store/migrate';
import { freshDatabase } from './harbour';

let db: Database;
beforeAll(async () => {
  db = await freshDatabase('anchor_bay_database_test');
});
afterAll(() => db.close());

test('a change answers how many rows it matched, an insert also the id it made', async () => {
  const user = `INSERT INTO users (name, full_name, role, password_hash) VALUES (?, ?, 'viewer', 'x')`;
  const first = await execute(db, user, ['a', 'A']);
  const second = await execute(db, user, ['b', 'B']);
  expect([first.rows, second.rows, second.id - first.id]).toEqual([1, 1, 1]);
  expect(await execute(db, `UPDATE users SET full_name = 'C' WHERE name IN ('a', 'b')`)).toMatchObject({ rows: 2 });
  expect(await execute(db, `UPDATE users SET full_name = 'D' WHERE name = 'nobody'`)).toMatchObject({ rows: 0 });
  expect(await execute(db, `DELETE FROM users WHERE name = 'a'`)).toMatchObject({ rows: 1 });
});

test('an insert that a key makes harmless answers id 0', async () => {
  await execute(db, `INSERT INTO tiers VALUES (1, 1, 1, 1, 1, 1, 1)`);
  expect(await execute(db, `INSERT IGNORE INTO tiers VALUES (1, 1, 1, 1, 1, 1, 1)`)).toEqual({ rows: 0, id: 0 });
});

test('INSERT IGNORE answers the id it made, as INSERT does', async () => {
  const made = await execute(
    db,
    `INSERT IGNORE INTO users (name, full_name, role, password_hash) VALUES ('i', 'I', 'viewer', 'x')`,
  );
  expect(made).toEqual({
    rows: 1,
    id: (await selectOne<{ id: number }>(db, `SELECT id FROM users WHERE name = 'i'`))?.id,
  });
});

test('migrating twice changes nothing', async () => {
  expect(await migrate(db)).toEqual([]);
});

test.each([
  ['an RPO of nothing', `INSERT INTO tiers VALUES (2, 0, 1, 1, 1, 1, 1)`],
  [
    'a running run without an owner',
    `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms) VALUES (1,1,1,1,'a','backup',1,'cadence','running',1)`,
  ],
  [
    'a failed run without a cause',
    `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms, ended_ms) VALUES (1,1,1,1,'a','backup',1,'cadence','failed',1,2)`,
  ],
  ['a second clock', `INSERT INTO clock VALUES (2, 1, 1, 1, NULL, 1)`],
  [
    'a point without its run',
    `INSERT INTO points (run_id, workload_id, lane_key, kind, place_kind, place_id, site_id, consistency, taken_ms, usable_ms, digest, disks, stored_bytes, copy_key) VALUES (99,1,'a','backup','repository',1,1,'crash',1,2,'d','[]',1,'c')`,
  ],
])('the database itself refuses %s', async (_name, sql) => {
  await expect(execute(db, sql)).rejects.toThrow();
});

test('an occurrence cannot have two runs, a workload not two open misses', async () => {
  const run = [1, 1, 1, 1, 'a', 'backup', 77, 'cadence', 'waiting', 1, null];
  await insertMany(db, 'runs', PLANNED_COLUMNS, [run]);
  await expect(insertMany(db, 'runs', PLANNED_COLUMNS, [run])).rejects.toThrow();
  await insertMany(db, 'misses', ['workload_id', 'from_ms'], [[1, 1]]);
  await expect(insertMany(db, 'misses', ['workload_id', 'from_ms'], [[1, 5]])).rejects.toThrow();
  await execute(db, 'UPDATE misses SET to_ms = 3');
  await insertMany(db, 'misses', ['workload_id', 'from_ms'], [[1, 5]]);
  expect(await selectOne(db, 'SELECT COUNT(*) n FROM misses')).toEqual({ n: 2 });
});
