/** Points read back: which are due, what came of it, and what a workload's newest point is after that. */
import type { EpochMs } from '@/core/units';
import { execute, inTransaction, select, type Database, type Tx } from '@/store/database';
import { GOOD_NOW } from '@/store/good';

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
 * Marks points bad, and lets their workloads fall back on the newest that is good. One on its way out is left
 * alone. Returns the ones that are bad now.
 */
export function markBad(
  db: Database,
  points: ReadonlyArray<{ readonly id: number; readonly workload_id: number }>,
  cause: 'rotten' | 'missing',
  nowMs: EpochMs,
): Promise<Set<number>> {
  const ids = points.map((p) => p.id);
  return inTransaction(db, async (tx) => {
    const { rows } = await execute(
      db,
      `UPDATE points SET bad_ms = ?, bad_cause = ?, repaired_ms = NULL
        WHERE id IN (?) AND gone_ms IS NULL AND marked_ms IS NULL AND ${GOOD_NOW}`,
      [nowMs, cause, ids],
      tx,
    );
    if (rows) await recountNewest(db, workloadsOf(points), nowMs, tx);
    const bad = await select<{ id: number }>(
      db,
      `SELECT id FROM points WHERE id IN (?) AND gone_ms IS NULL AND marked_ms IS NULL AND NOT ${GOOD_NOW}`,
      [ids],
      tx,
    );
    return new Set(bad.map((row) => row.id));
  });
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
