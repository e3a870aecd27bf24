/** What a change of a lane would do, asked before it is made. */
import { groupBy } from '@/core/group-by';
import type { Ladder } from '@/core/protect/ladder';
import type { Lane } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { select, selectOne, type Database } from '@/store/database';
import { pointsLetGo } from '@/store/points';
import { parseJson } from '@/store/schedules';

export interface LaneLoss {
  /** Points that would be let go, by workload, most first. */
  readonly lost: ReadonlyArray<{
    readonly workloadId: number;
    readonly name: string;
    /** Instants at which the points were taken, newest first. */
    readonly takenMs: readonly EpochMs[];
  }>;
}

/** Null if there is no such policy or lane. */
export async function laneLoss(
  db: Database,
  policyId: number,
  laneKey: string,
  ladder: Ladder,
  nowMs: EpochMs,
): Promise<LaneLoss | null> {
  const row = await selectOne<{ lanes: Lane[] | string }>(
    db,
    'SELECT r.lanes FROM policies p JOIN policy_revisions r ON r.policy_id = p.id AND r.revision = p.revision WHERE p.id = ?',
    [policyId],
  );
  const lane = row && parseJson(row.lanes).find((l) => l.key === laneKey);
  if (!lane) return null;
  const going = await pointsLetGo(db, policyId, lane, ladder, nowMs);
  const names = await namesOf(db, [...new Set(going.map((p) => p.workload_id))]);
  const lost = [...groupBy(going, (p) => p.workload_id)].map(([workloadId, points]) => ({
    workloadId,
    name: names.get(workloadId) ?? String(workloadId),
    takenMs: points.map((p) => p.taken_ms).sort((a, b) => b - a),
  }));
  return { lost: lost.sort((a, b) => b.takenMs.length - a.takenMs.length || a.name.localeCompare(b.name)) };
}

async function namesOf(db: Database, ids: readonly number[]): Promise<Map<number, string>> {
  if (!ids.length) return new Map();
  const rows = await select<{ id: number; name: string }>(db, 'SELECT id, name FROM workloads WHERE id IN (?)', [ids]);
  return new Map(rows.map((row) => [row.id, row.name]));
}
