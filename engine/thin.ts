/** Thinning: marked by the ladder, deleted at the place, gone. A crash between leaves a mark that the next round finishes. */
import { evaluateLadder, type Ladder } from '@/core/protect/ladder';
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import type { SiteController } from '@/connectors/site-controller';
import type { Database } from '@/store/database';
import { livePoints, markedPoints, markPoints, recordGone, type LivePoint } from '@/store/points';

/** The ladder in force for a workload's lane; null: the lane is no more, nothing is thinned. */
export type LadderOf = (workloadId: number, laneKey: string) => Promise<Ladder | null>;

/** Points deleted at their places in one round. */
const BATCH = 500;

/** Points of one workload that its ladders let go. Held and immutable ones stay whatever the ladder says. */
export function letGoOf(points: readonly LivePoint[], ladders: ReadonlyMap<string, Ladder>, nowMs: EpochMs): number[] {
  const byLane = groupBy(points, (point) => point.lane_key);
  return [...byLane].flatMap(([lane, list]) => {
    const ladder = ladders.get(lane);
    if (!ladder) return [];
    const seen = list.map((p) => {
      const until = p.held_at_ms !== null ? Infinity : p.immutable_until_ms;
      return { id: String(p.id), takenAtMs: p.taken_ms, ...(until === null ? {} : { heldUntilMs: until }) };
    });
    return evaluateLadder(ladder, seen, nowMs).letGo.map(Number);
  });
}

/** Marks what the ladders of these workloads let go. */
export async function markThinned(
  db: Database,
  ladderOf: LadderOf,
  workloadIds: readonly number[],
  nowMs: EpochMs,
): Promise<void> {
  const points = await livePoints(db, workloadIds);
  const marked: number[] = [];
  for (const [workloadId, list] of groupBy(points, (p) => p.workload_id)) {
    const ladders = new Map<string, Ladder>();
    for (const lane of new Set(list.map((p) => p.lane_key))) {
      const ladder = await ladderOf(workloadId, lane);
      if (ladder) ladders.set(lane, ladder);
    }
    marked.push(...letGoOf(list, ladders, nowMs));
  }
  await markPoints(db, marked, nowMs);
}

/** Deletes marked points at their places, then records them gone. Returns how many. */
export async function sweepMarked(db: Database, site: SiteController, nowMs: EpochMs): Promise<number> {
  const marked = await markedPoints(db, BATCH);
  if (!marked.length) return 0;
  await site.deleteCopies(marked.map((p) => ({ place: { kind: p.place_kind, id: p.place_id }, copyKey: p.copy_key })));
  await recordGone(
    db,
    marked.map((p) => p.id),
    nowMs,
  );
  return marked.length;
}
