/** Points of lanes, and their way out: marked, deleted at the place, gone. */
import { execute, select, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

export interface LivePoint {
  id: number;
  workload_id: number;
  lane_key: string;
  place_kind: 'datastore' | 'repository';
  place_id: number;
  copy_key: string;
  taken_ms: EpochMs;
  held_at_ms: EpochMs | null;
  immutable_until_ms: EpochMs | null;
}

export function livePoints(db: Database, workloadIds: readonly number[]): Promise<LivePoint[]> {
  if (!workloadIds.length) return Promise.resolve([]);
  return select<LivePoint>(
    db,
    `SELECT id, workload_id, lane_key, place_kind, place_id, copy_key, taken_ms, held_at_ms, immutable_until_ms
       FROM points WHERE gone_ms IS NULL AND marked_ms IS NULL AND workload_id IN (?)`,
    [workloadIds],
  );
}

/** Marks points that their ladder let go. A point held or immutable at this moment is never marked. */
export async function markPoints(db: Database, ids: readonly number[], nowMs: EpochMs): Promise<void> {
  if (!ids.length) return;
  await execute(
    db,
    'UPDATE points SET marked_ms = ? WHERE id IN (?) AND marked_ms IS NULL AND held_at_ms IS NULL AND (immutable_until_ms IS NULL OR immutable_until_ms <= ?)',
    [nowMs, ids, nowMs],
  );
}

export function markedPoints(db: Database, limit: number): Promise<LivePoint[]> {
  return select<LivePoint>(
    db,
    `SELECT id, workload_id, lane_key, place_kind, place_id, copy_key, taken_ms, held_at_ms, immutable_until_ms
       FROM points WHERE gone_ms IS NULL AND marked_ms IS NOT NULL ORDER BY marked_ms LIMIT ?`,
    [limit],
  );
}

export async function recordGone(db: Database, ids: readonly number[], nowMs: EpochMs): Promise<void> {
  if (ids.length)
    await execute(db, 'UPDATE points SET gone_ms = GREATEST(?, usable_ms) WHERE id IN (?) AND gone_ms IS NULL', [
      nowMs,
      ids,
    ]);
}
