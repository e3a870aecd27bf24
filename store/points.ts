/** Points of lanes, and their way out: marked, deleted at the place, gone. */
import { groupBy } from '@/core/group-by';
import { lostByChange, type Ladder, type LadderPoint } from '@/core/protect/ladder';
import type { Consistency } from '@/core/protect/policy';
import { execute, select, selectOne, updateMany, type Database } from '@/store/database';
import { GOOD_NOW } from '@/store/good';
import { parseJson } from '@/store/schedules';
import type { EpochMs } from '@/core/units';

export interface LivePoint {
  id: number;
  workload_id: number;
  lane_key: string;
  taken_ms: EpochMs;
  held_at_ms: EpochMs | null;
  immutable_until_ms: EpochMs | null;
  /** Known bad, and not repaired: 1. */
  bad: number;
}

/** A point on its way out, and where it lies. */
export interface MarkedPoint {
  id: number;
  place_kind: 'datastore' | 'repository';
  place_id: number;
  copy_key: string;
}

export interface LaneOfWorkload {
  readonly workloadId: number;
  readonly laneKey: string;
}

/** Points of these lanes that are there and not marked. */
export function livePoints(db: Database, lanes: readonly LaneOfWorkload[]): Promise<LivePoint[]> {
  if (!lanes.length) return Promise.resolve([]);
  // A join with the wanted lanes reads by the key points_live; a list of pairs after IN would read every live point.
  const wanted = `SELECT ? workload_id, ? lane_key${' UNION ALL SELECT ?, ?'.repeat(lanes.length - 1)}`;
  return select<LivePoint>(
    db,
    `SELECT p.id, p.workload_id, p.lane_key, p.taken_ms, p.held_at_ms, p.immutable_until_ms,
            p.bad_ms IS NOT NULL AND p.repaired_ms IS NULL bad
       FROM (${wanted}) v JOIN points p ON p.gone_ms IS NULL AND p.workload_id = v.workload_id AND p.lane_key = v.lane_key
      WHERE p.marked_ms IS NULL`,
    lanes.flatMap((lane) => [lane.workloadId, lane.laneKey]),
  );
}

/** Newest good point of a lane, as a copy is made of it; null: there is none. */
export async function sourcePoint(db: Database, workloadId: number, laneKey: string): Promise<SourceRow | null> {
  const row = await selectOne<{
    place_kind: 'datastore' | 'repository';
    place_id: number;
    copy_key: string;
    taken_ms: EpochMs;
    consistency: Consistency;
    digest: string;
    disks: string | SourceRow['disks'];
  }>(
    db,
    `SELECT place_kind, place_id, copy_key, taken_ms, consistency, digest, disks FROM points
      WHERE workload_id = ? AND lane_key = ? AND gone_ms IS NULL AND marked_ms IS NULL AND ${GOOD_NOW}
      ORDER BY taken_ms DESC LIMIT 1`,
    [workloadId, laneKey],
  );
  if (!row) return null;
  const { taken_ms, consistency, digest } = row;
  const place = { kind: row.place_kind, id: row.place_id, copyKey: row.copy_key };
  return { place, takenMs: taken_ms, consistency, digest, disks: parseJson(row.disks) };
}

export interface SourceRow {
  readonly place: { readonly kind: 'datastore' | 'repository'; readonly id: number; readonly copyKey: string };
  readonly takenMs: EpochMs;
  readonly consistency: Consistency;
  readonly digest: string;
  readonly disks: ReadonlyArray<{ readonly diskId: number; readonly digest: string }>;
}

/** Points of a policy's lane that are there now and that its ladder would let go if it became `to`. */
export async function pointsLetGo(
  db: Database,
  policyId: number,
  lane: { readonly key: string; readonly ladder: Ladder },
  to: Ladder,
  nowMs: EpochMs,
): Promise<LivePoint[]> {
  const enrolled = await select<{ workloadId: number }>(
    db,
    'SELECT workload_id workloadId FROM enrolments WHERE policy_id = ?',
    [policyId],
  );
  const live = await livePoints(
    db,
    enrolled.map(({ workloadId }) => ({ workloadId, laneKey: lane.key })),
  );
  return [...groupBy(live, (p) => p.workload_id).values()].flatMap((mine) => {
    const lost = new Set(lostByChange(lane.ladder, to, mine.map(asLadderPoint), nowMs));
    return mine.filter((p) => lost.has(String(p.id)));
  });
}

/** A point as its ladder sees it: held or immutable means it may not go before a date, or at all. */
export function asLadderPoint(point: LivePoint): LadderPoint {
  const until = point.held_at_ms !== null ? Infinity : point.immutable_until_ms;
  return { id: String(point.id), takenAtMs: point.taken_ms, ...(until === null ? {} : { heldUntilMs: until }) };
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

export function markedPoints(db: Database, limit: number): Promise<MarkedPoint[]> {
  return select<MarkedPoint>(
    db,
    `SELECT id, place_kind, place_id, copy_key FROM points
      WHERE gone_ms IS NULL AND marked_ms IS NOT NULL ORDER BY marked_ms LIMIT ?`,
    [limit],
  );
}

export interface GonePoint {
  readonly id: number;
  /** 0 where its copy was deleted before and nobody came to write it down. */
  readonly freedBytes: number;
}

export async function recordGone(db: Database, points: readonly GonePoint[], nowMs: EpochMs): Promise<void> {
  const rows = points.map(({ id, freedBytes }) => [id, nowMs, freedBytes]);
  await updateMany(db, 'points', ['id'], ['now_ms', 'freed_bytes'], rows, {
    assign: 't.gone_ms = GREATEST(v.now_ms, t.usable_ms), t.freed_bytes = v.freed_bytes',
    fence: { sql: 't.gone_ms IS NULL', values: [] },
  });
}
