/** Makes the demo's fleet a large one: workloads with enrolments and schedules, and runs with their points. */
import { HOUR } from '@/core/units';
import { execute, select, selectOne, type Database } from '@/store/database';

/** Ids of a copied fleet begin at a multiple of this. */
const STEP = 10_000;

/** Copies the fleet until it has at least `wanted` workloads; each copy with its enrolment, and schedules that are due an hour later. */
export async function growFleet(db: Database, wanted: number): Promise<number> {
  const base = (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM workloads'))?.n ?? 0;
  const fields =
    'application_id, site_id, cluster_id, datastore_id, network_id, address, cores, memory_bytes, role, labels, guest_agent, newest_taken_ms, newest_off_site_taken_ms, last_passed_drill_ms';
  for (let k = 1; base * k < wanted; k++) {
    const by = k * STEP;
    await execute(
      db,
      `INSERT INTO workloads (id, name, ${fields}) SELECT id + ?, CONCAT(name, '-', ?), ${fields} FROM workloads WHERE id <= ?`,
      [by, k, base],
    );
    await execute(
      db,
      'INSERT INTO enrolments SELECT id + ?, workload_id + ?, policy_id, revision, reason, since_ms FROM enrolments WHERE id <= ?',
      [by, by, base],
    );
    await execute(
      db,
      `INSERT INTO schedules SELECT enrolment_id + ?, lane_key, workload_id + ?, due_ms + ${HOUR}, typical_ms, NULL, 0, NULL, NULL FROM schedules WHERE enrolment_id <= ?`,
      [by, by, base],
    );
  }
  return (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM workloads'))?.n ?? 0;
}

/** Copies runs and points until there are at least `wanted` points, each copy for the next copied fleet. */
export async function growPoints(db: Database, wanted: number): Promise<number> {
  const columnsOf = async (table: string): Promise<string[]> =>
    (
      await selectOne<{ list: string }>(
        db,
        `SELECT GROUP_CONCAT(COLUMN_NAME ORDER BY ORDINAL_POSITION) list FROM information_schema.COLUMNS
          WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ? AND GENERATION_EXPRESSION IS NULL`,
        [table],
      )
    )?.list.split(',') ?? [];
  const most = await selectOne<{ id: number; points: number }>(db, 'SELECT MAX(id) id, COUNT(*) points FROM points');
  const runs = await selectOne<{ id: number }>(db, 'SELECT MAX(id) id FROM runs');
  const base = Math.max(most?.id ?? 0, runs?.id ?? 0) + 1;
  const shifted: Readonly<Record<string, (k: number) => string>> = {
    id: (k) => `id + ${k * base}`,
    run_id: (k) => `run_id + ${k * base}`,
    workload_id: (k) => `workload_id + ${k * STEP}`,
    enrolment_id: (k) => `enrolment_id + ${k * STEP}`,
  };
  for (let k = 1; (most?.points ?? 0) * k < wanted; k++)
    for (const table of ['runs', 'points']) {
      const columns = await columnsOf(table);
      const values = columns.map((column) => shifted[column]?.(k) ?? column);
      await execute(
        db,
        `INSERT INTO ${table} (${columns.join(', ')}) SELECT ${values.join(', ')} FROM ${table}
          WHERE id < ${base} ${table === 'runs' ? "AND state = 'succeeded'" : ''}`,
      );
    }
  return (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM points'))?.n ?? 0;
}

/** Share of the pages in memory that may wait to be written, and how long that is waited for, in ms of real time. */
const DIRTY_SHARE = 0.01;
const PATIENCE_MS = 120_000;

/** Waits until the database has written what was copied: else that is measured, too. */
export async function untilWritten(db: Database): Promise<void> {
  await execute(db, 'SET GLOBAL innodb_max_dirty_pages_pct = 0');
  for (const end = Date.now() + PATIENCE_MS; Date.now() < end;) {
    const rows = await select<{ name: string; value: string }>(
      db,
      `SELECT VARIABLE_NAME name, VARIABLE_VALUE value FROM information_schema.GLOBAL_STATUS
        WHERE VARIABLE_NAME IN ('Innodb_buffer_pool_pages_dirty', 'Innodb_buffer_pool_pages_total')`,
    );
    const of = (name: string): number => Number(rows.find((row) => row.name.toLowerCase() === name)?.value ?? 0);
    if (of('innodb_buffer_pool_pages_dirty') <= DIRTY_SHARE * of('innodb_buffer_pool_pages_total')) break;
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  await execute(db, 'SET GLOBAL innodb_max_dirty_pages_pct = 90');
}
