/** Misses: spans over the RPO, opened and closed at the instants that arithmetic gives, not when somebody looked. */
import { execute, select, updateMany, type Database, type Tx } from '@/store/database';
import type { EpochMs } from '@/core/units';
import { GOOD_FROM, GOOD_NOW } from '@/store/good';

/** Closes misses that a newer point has ended: at the instant that point became usable. */
export async function closeMisses(db: Database, nowMs: EpochMs): Promise<void> {
  const ended = await select<{ id: number; from_ms: number; to_ms: number }>(
    db,
    `SELECT m.id, m.from_ms, COALESCE((SELECT MIN(${GOOD_FROM}) FROM points p
            WHERE p.workload_id = w.id AND p.taken_ms > m.from_ms - t.rpo_ms AND ${GOOD_FROM} <= p.taken_ms + t.rpo_ms
              AND ${GOOD_NOW}), ?) to_ms
       FROM misses m JOIN workloads w ON w.id = m.workload_id JOIN applications a ON a.id = w.application_id
       JOIN tiers t ON t.id = a.tier_id
      WHERE m.is_open = 1 AND w.newest_taken_ms + t.rpo_ms >= ?`,
    [nowMs, nowMs],
  );
  // A point that became usable between two looks, before its limit: nothing was missed.
  const never = ended.filter((miss) => miss.to_ms <= miss.from_ms).map((miss) => miss.id);
  if (never.length) await execute(db, 'DELETE FROM misses WHERE id IN (?) AND to_ms IS NULL', [never]);
  const spans = ended.filter((miss) => miss.to_ms > miss.from_ms).map((miss) => [miss.id, miss.to_ms]);
  await updateMany(db, 'misses', ['id'], ['to_ms'], spans, { fence: { sql: 't.to_ms IS NULL', values: [] } });
}

/**
 * Opens misses at newest taken + RPO, not before a newer point was found bad, or, for a workload without any usable point, at its enrolment (or `nowMs` if it
 * has none). To be called before new points of the same moment are recorded, so that a short miss is not overlooked.
 */
export async function openMisses(
  db: Database,
  nowMs: EpochMs,
  /** Absent: of all workloads. */
  some?: { readonly workloadIds: readonly number[]; readonly tx: Tx },
): Promise<void> {
  if (some && !some.workloadIds.length) return;
  await execute(
    db,
    `INSERT IGNORE INTO misses (workload_id, from_ms)
      SELECT w.id, GREATEST(COALESCE(w.newest_taken_ms + t.rpo_ms, e.since_ms, ?), COALESCE(w.lost_ms, 0)) FROM workloads w
        JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id
        LEFT JOIN enrolments e ON e.workload_id = w.id
        LEFT JOIN misses open ON open.workload_id = w.id AND open.to_ms IS NULL
       WHERE open.id IS NULL AND (w.newest_taken_ms IS NULL OR w.newest_taken_ms + t.rpo_ms < ?) ${some ? 'AND w.id IN (?)' : ''}`,
    [nowMs, nowMs, ...(some ? [some.workloadIds] : [])],
    some?.tx,
  );
}
