/** Thinning: marked by the ladder, deleted at the place, gone. A crash between leaves a mark that the next round finishes. */
import { letGoBy, type Ladder } from '@/core/protect/ladder';
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import type { Database } from '@/store/database';
import {
  asLadderPoint,
  livePoints,
  markedPoints,
  markPoints,
  recordGone,
  type GonePoint,
  type LaneOfWorkload,
  type LivePoint,
} from '@/store/points';
import { enrolmentsOf, type LanesOf } from '@/store/schedules';

/** Points deleted at their places in one round. */
const BATCH = 500;

/** Points of one workload that its ladders let go. Held and immutable ones stay whatever the ladder says. */
export function letGoOf(points: readonly LivePoint[], ladders: ReadonlyMap<string, Ladder>, nowMs: EpochMs): number[] {
  const byLane = groupBy(points, (point) => point.lane_key);
  return [...byLane].flatMap(([lane, list]) => {
    const ladder = ladders.get(lane);
    if (!ladder) return [];
    const good = list.filter((point) => !point.bad);
    const gone = letGoBy(ladder, good.map(asLadderPoint), nowMs);
    // A bad point stands for nothing, so no good one goes because of it; it goes itself when it would have gone anyway.
    const bad = new Set(list.filter((point) => point.bad).map((point) => String(point.id)));
    const anyway = bad.size ? letGoBy(ladder, list.map(asLadderPoint), nowMs).filter((id) => bad.has(id)) : [];
    return [...gone, ...anyway].map(Number);
  });
}

/** Lanes that have a new point are thinned, all that came since the last time at once. */
export class Thinning {
  private wanted = new Map<string, LaneOfWorkload>();

  constructor(
    private readonly db: Database,
    private readonly site: SiteController,
    private readonly lanesOf: LanesOf,
  ) {}

  want(lanes: readonly LaneOfWorkload[]): void {
    for (const lane of lanes) this.wanted.set(`${lane.workloadId}/${lane.laneKey}`, lane);
  }

  /** Marks what the ladders of the wanted lanes let go, and deletes what is marked. Lanes of a failure are wanted again. */
  async carryOn(nowMs: EpochMs): Promise<void> {
    const lanes = [...this.wanted.values()];
    this.wanted = new Map();
    try {
      await this.mark(lanes, nowMs);
    } catch (error) {
      this.want(lanes);
      throw error;
    }
    await sweepMarked(this.db, this.site, nowMs);
  }

  private async mark(lanes: readonly LaneOfWorkload[], nowMs: EpochMs): Promise<void> {
    if (!lanes.length) return;
    const points = await livePoints(this.db, lanes);
    const ladders = await this.laddersOf([...new Set(lanes.map((lane) => lane.workloadId))]);
    const marked = [...groupBy(points, (p) => p.workload_id)].flatMap(([workloadId, list]) =>
      letGoOf(list, ladders.get(workloadId) ?? new Map<string, Ladder>(), nowMs),
    );
    await markPoints(this.db, marked, nowMs);
  }

  /** Ladders in force by workload and lane; of a lane that is not there nothing is thinned. */
  private async laddersOf(workloadIds: readonly number[]): Promise<Map<number, ReadonlyMap<string, Ladder>>> {
    const inForce = await enrolmentsOf(this.db, workloadIds);
    const ladders = new Map<number, ReadonlyMap<string, Ladder>>();
    for (const { workload_id, policy_id, revision } of inForce) {
      const lanes = await this.lanesOf(policy_id, revision);
      ladders.set(workload_id, new Map(lanes.map((lane) => [lane.key, lane.ladder])));
    }
    return ladders;
  }
}

/** Deletes marked points at their places, then records them gone. */
async function sweepMarked(db: Database, site: SiteController, nowMs: EpochMs): Promise<void> {
  const marked = await markedPoints(db, BATCH);
  if (!marked.length) return;
  const tries = await Promise.allSettled(
    marked.map((p) => site.deleteCopy({ kind: p.place_kind, id: p.place_id, copyKey: p.copy_key })),
  );
  const gone: GonePoint[] = [];
  for (const [i, tried] of tries.entries()) {
    const { id } = marked[i] as (typeof marked)[number];
    if (tried.status === 'fulfilled') gone.push({ id, freedBytes: tried.value.freedBytes });
    // What a place does not let go, or does not answer for, keeps its mark; the next round asks again.
    else if (!(tried.reason instanceof ControllerError)) throw tried.reason;
  }
  await recordGone(db, gone, nowMs);
}
