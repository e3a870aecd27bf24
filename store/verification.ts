/** Points read back: which are due, what came of it, and what a workload's newest point is after that. */
import { DAY, type EpochMs } from '@/core/units';
import { execute, inTransaction, select, updateMany, type Database, type Tx } from '@/store/database';
import { GOOD_NOW } from '@/store/good';
import { openMisses } from '@/store/misses';

export interface ReadablePoint {
  id: number;
  workload_id: number;
  place_kind: 'datastore' | 'repository';
  place_id: number;
  copy_key: string;
  taken_ms: EpochMs;
  digest: string;
}

/** The columns of a ReadablePoint. */
export const READABLE = 'id, workload_id, place_kind, place_id, copy_key, taken_ms, digest';

/** Points that were read back the longest ago, none after `beforeMs`, none that are known bad. */
export function oldestVerified(db: Database, beforeMs: EpochMs, limit: number): Promise<ReadablePoint[]> {
  return select<ReadablePoint>(
    db,
    `SELECT ${READABLE} FROM points WHERE gone_ms IS NULL AND verified_ms < ? AND marked_ms IS NULL AND ${GOOD_NOW}
      ORDER BY verified_ms LIMIT ?`,
    [beforeMs, limit],
  );
}

/** The other points of a workload at a place: they share blocks with one that turned out bad. */
export function pointsBeside(db: Database, point: ReadablePoint): Promise<ReadablePoint[]> {
  return select<ReadablePoint>(
    db,
    `SELECT ${READABLE} FROM points WHERE workload_id = ? AND place_kind = ? AND place_id = ? AND id <> ?
        AND gone_ms IS NULL AND marked_ms IS NULL AND ${GOOD_NOW} ORDER BY taken_ms DESC`,
    [point.workload_id, point.place_kind, point.place_id, point.id],
  );
}

/** Bad points that are still there. */
export function badPoints(db: Database): Promise<ReadablePoint[]> {
  return select<ReadablePoint>(
    db,
    `SELECT ${READABLE} FROM points WHERE bad_ms IS NOT NULL AND repaired_ms IS NULL AND bad_cause = 'rotten' AND gone_ms IS NULL
        AND marked_ms IS NULL`,
  );
}

/** Good points elsewhere with the same content. */
export function twinsOf(db: Database, point: ReadablePoint): Promise<ReadablePoint[]> {
  return select<ReadablePoint>(
    db,
    `SELECT ${READABLE} FROM points WHERE workload_id = ? AND taken_ms = ? AND digest = ? AND id <> ? AND gone_ms IS NULL
        AND marked_ms IS NULL AND ${GOOD_NOW} ORDER BY id`,
    [point.workload_id, point.taken_ms, point.digest, point.id],
  );
}

export async function noteReadBack(db: Database, ids: readonly number[], nowMs: EpochMs): Promise<void> {
  if (ids.length) await execute(db, 'UPDATE points SET verified_ms = ? WHERE id IN (?)', [nowMs, ids]);
}

/**
 * Marks points bad, and lets their workloads fall back on the newest that is good; one that is over because of it is
 * missed from now on. A point on its way out is left alone. Returns the ones that are bad now.
 *
 * `nowMs` is when somebody looked. Where a newer point has come since, they are bad from its instant on: until then
 * exposure was told by them.
 */
export function markBad(
  db: Database,
  points: ReadonlyArray<{ readonly id: number; readonly workload_id: number }>,
  cause: 'rotten' | 'missing',
  nowMs: EpochMs,
): Promise<Set<number>> {
  const ids = points.map((p) => p.id);
  return inTransaction(db, async (tx) => {
    const workloadIds = workloadsOf(points);
    const since = await newestUsable(db, workloadIds, nowMs, tx);
    const rows = points.map((p) => [p.id, Math.max(nowMs, since.get(p.workload_id) ?? 0), cause]);
    await updateMany(db, 'points', ['id'], ['since_ms', 'cause'], rows, {
      assign: 't.bad_ms = v.since_ms, t.bad_cause = v.cause, t.repaired_ms = NULL',
      fence: { sql: `t.gone_ms IS NULL AND t.marked_ms IS NULL AND ${GOOD_NOW}`, values: [] },
      tx,
    });
    await recountNewest(db, workloadIds, nowMs, tx);
    await openMisses(db, nowMs, { workloadIds, tx });
    const bad = await select<{ id: number }>(
      db,
      `SELECT id FROM points WHERE id IN (?) AND gone_ms IS NULL AND marked_ms IS NULL AND NOT ${GOOD_NOW}`,
      [ids],
      tx,
    );
    return new Set(bad.map((row) => row.id));
  });
}

/** When the newest points of workloads came, of those that came after an instant. */
async function newestUsable(
  db: Database,
  workloadIds: readonly number[],
  afterMs: EpochMs,
  tx: Tx,
): Promise<Map<number, EpochMs>> {
  const rows = await select<{ workload_id: number; usable_ms: EpochMs }>(
    db,
    `SELECT workload_id, MAX(usable_ms) usable_ms FROM points WHERE workload_id IN (?) AND taken_ms > ? AND usable_ms > ?
      GROUP BY workload_id`,
    [workloadIds, afterMs - DAY, afterMs],
    tx,
  );
  return new Map(rows.map((row) => [row.workload_id, row.usable_ms]));
}

export function markRepaired(
  db: Database,
  point: { readonly id: number; readonly workload_id: number },
  nowMs: EpochMs,
): Promise<void> {
  return inTransaction(db, async (tx) => {
    await execute(
      db,
      'UPDATE points SET repaired_ms = ?, verified_ms = ? WHERE id = ? AND bad_ms IS NOT NULL AND repaired_ms IS NULL',
      [nowMs, nowMs, point.id],
      tx,
    );
    await recountNewest(db, [point.workload_id], null, tx);
  });
}

const workloadsOf = (points: ReadonlyArray<{ readonly workload_id: number }>): number[] => [
  ...new Set(points.map((p) => p.workload_id)),
];

/** Newest good point of workloads, or what a stream has since, counted anew. `lostMs`: when a newest one was found bad. */
export async function recountNewest(
  db: Database,
  ids: readonly number[],
  lostMs: EpochMs | null,
  tx: Tx,
): Promise<void> {
  const newest = (elsewhere: string): string =>
    `(SELECT NULLIF(GREATEST(
        COALESCE((SELECT MAX(p.taken_ms) FROM points p WHERE p.workload_id = w.id AND p.gone_ms IS NULL AND ${GOOD_NOW} ${elsewhere}), 0),
        COALESCE((SELECT MAX(p.through_ms) FROM streams p WHERE p.workload_id = w.id ${elsewhere}), 0)), 0))`;
  await execute(
    db,
    `UPDATE workloads w SET w.lost_ms = IF(w.newest_taken_ms <=> ${newest('')}, w.lost_ms, COALESCE(?, w.lost_ms)),
            w.newest_taken_ms = ${newest('')},
            w.newest_off_site_taken_ms = ${newest('AND p.site_id <> w.site_id')} WHERE w.id IN (?)`,
    [lostMs, ids],
    tx,
  );
}
