/** What keeps a waiting run from starting besides slots: its window, a move of its disks, a place that runs out of space. */
import { CRITICAL_SHARE } from '@/core/forecast/space';
import { placeKindOf, type Lane } from '@/core/protect/policy';
import { isOpen, nextOpen, type Opening } from '@/core/time/window';
import { DAY, type EpochMs } from '@/core/units';
import { select, updateMany, type Database, type Tx } from '@/store/database';

/** A waiting run, as bars see it. */
export interface BarredRun {
  readonly id: number;
  readonly workload_id: number;
  readonly workload_name: string;
  readonly workload_site_id: number;
  readonly zone: string;
  readonly lane_key: string;
  readonly started_by: 'cadence' | 'person' | 'retry';
}
export type LaneOfRun = (runId: number) => Lane | undefined;

/** The hours in which a first full copy may go over the line where it is to go at night. */
const nightIn = (zone: string): Opening => ({
  windows: [{ kind: 'weekly', zone, weekdays: [1, 2, 3, 4, 5, 6, 7], fromMin: 22 * 60, toMin: 6 * 60 }],
  blackouts: [],
});

/**
 * Runs whose window is shut wait for its next opening, first full copies that go at night for the night. What a person
 * asked for runs at all times. Returns who was put off.
 */
export async function putOff(
  db: Database,
  waiting: readonly BarredRun[],
  laneOf: LaneOfRun,
  first: ReadonlySet<number>,
  nowMs: EpochMs,
  tx: Tx,
): Promise<Set<number>> {
  const rows = waiting.flatMap((run) => {
    const lane = laneOf(run.id);
    if (run.started_by === 'person' || !lane) return [];
    const night = lane.firstCopy === 'at-night' && first.has(run.id) ? nightIn(run.zone) : null;
    const shut = [lane.opening, night].find((opening) => opening && !isOpen(opening, nowMs));
    if (!shut) return [];
    return [[run.id, nextOpen(shut, nowMs) ?? nowMs + DAY, shut === night ? 'the night' : 'the next window']];
  });
  await updateMany(db, 'runs', ['id'], ['not_before_ms', 'waits_for'], rows, {
    fence: { sql: `t.state = 'waiting'`, values: [] },
    tx,
  });
  return new Set(rows.map(([id]) => id as number));
}

/** Repositories that take no first full copies now, by number. */
export async function fullRepositories(db: Database, tx: Tx): Promise<ReadonlyMap<number, string>> {
  const rows = await select<{ id: number; name: string }>(
    db,
    'SELECT id, name FROM repositories WHERE used_bytes >= capacity_bytes * ?',
    [CRITICAL_SHARE],
    tx,
  );
  return new Map(rows.map((row) => [row.id, row.name]));
}

/**
 * Runs that would send a first full copy, of those to which that matters: their lane writes elsewhere and has no point there
 * yet. Nearly always it matters to none, and nothing is read.
 */
export async function firstCopies(
  db: Database,
  waiting: readonly BarredRun[],
  laneOf: LaneOfRun,
  full: ReadonlyMap<number, string>,
  tx: Tx,
): Promise<Set<number>> {
  const sending = waiting.flatMap((run) => {
    const lane = laneOf(run.id);
    const place = lane?.targets[String(run.workload_site_id)];
    const matters = lane && place !== undefined && (lane.firstCopy === 'at-night' || toFull(lane, place, full));
    return matters ? [{ run, lane, place }] : [];
  });
  if (!sending.length) return new Set();
  // Each is answered by the first point that is found there.
  const asked = `SELECT ? id, ? workload_id, ? place_kind, ? place_id${' UNION ALL SELECT ?, ?, ?, ?'.repeat(sending.length - 1)}`;
  const first = await select<{ id: number }>(
    db,
    `SELECT v.id FROM (${asked}) v WHERE NOT EXISTS (SELECT 1 FROM points p FORCE INDEX (points_live)
        WHERE p.gone_ms IS NULL AND p.workload_id = v.workload_id AND p.place_kind = v.place_kind AND p.place_id = v.place_id)`,
    sending.flatMap(({ run, lane, place }) => [run.id, run.workload_id, placeKindOf(lane.kind), place]),
    tx,
  );
  return new Set(first.map((run) => run.id));
}

/** By run: what it must wait for, however many slots are free. */
export async function barsOf(
  db: Database,
  waiting: readonly BarredRun[],
  laneOf: LaneOfRun,
  first: ReadonlySet<number>,
  full: ReadonlyMap<number, string>,
  tx: Tx,
): Promise<ReadonlyMap<number, string>> {
  const moving = await select<{ subject: string }>(
    db,
    `SELECT subject FROM conditions WHERE state = 'disks-moving' AND to_ms IS NULL`,
    [],
    tx,
  );
  const moved = new Set(moving.map((row) => row.subject));
  const bars = new Map<number, string>();
  for (const run of waiting) {
    if (moved.has(run.workload_name)) bars.set(run.id, 'the move of its disks');
    const lane = first.has(run.id) ? laneOf(run.id) : undefined;
    const name = lane && toFull(lane, lane.targets[String(run.workload_site_id)] ?? 0, full);
    if (name !== undefined) bars.set(run.id, `space in ${name}, which takes no first copies now`);
  }
  return bars;
}

/** Name of the repository that a lane writes to, if it takes no first copies. */
function toFull(lane: Lane, place: number, full: ReadonlyMap<number, string>): string | undefined {
  return placeKindOf(lane.kind) === 'repository' ? full.get(place) : undefined;
}
