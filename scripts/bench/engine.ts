/** Figures of the engine on the demo: what it costs while nothing is due, and how long runs wait at 10,000 workloads. */
import { readFileSync } from 'node:fs';
import { quantile } from '@/core/prove/statistics';
import { DAY } from '@/core/units';
import { DemoClock } from '@/store/clock';
import { execute, select, selectOne, updateMany, type Database } from '@/store/database';
import { print } from './figure';
import { growFleet } from './grow';

/** How fast time runs until what was begun has ended. */
const RATE = 600;
/** How long runs are due one after the other, and how long the last may take to start, in ms. */
const SPREAD_MS = 45_000;
const GRACE_MS = 8_000;

/** What was begun ends: a workload that still runs would not start again. */
async function untilQuiet(db: Database, clock: DemoClock): Promise<void> {
  await clock.setRate(RATE);
  for (let tries = 0; tries < 300; tries++) {
    const busy = await selectOne<{ n: number }>(
      db,
      `SELECT COUNT(*) n FROM runs WHERE state = 'running' OR (state = 'waiting' AND attempt = 0)`,
    );
    if (busy?.n === 0) break;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  await clock.setRate(0);
}

/**
 * From due to started, in ms at the 99th percentile, with 10,000 workloads planned and one run of each of the demo's own
 * due within three quarters of a minute: what 10,000 workloads with a run every 40 min come to.
 */
async function dueToStarted(db: Database): Promise<{ n: number; value: number }> {
  await growFleet(db, 10_000);
  const clock = new DemoClock(db);
  const later = (await clock.read()).nowMs + 7 * DAY;
  await execute(db, 'UPDATE schedules SET due_ms = ? + (enrolment_id * 7919) % 3600000', [later]);
  await untilQuiet(db, clock);
  const lanes = await select<{ enrolment_id: number; lane_key: string }>(
    db,
    `SELECT enrolment_id, MAX(lane_key) lane_key FROM schedules WHERE enrolment_id < 10000 AND failing_since_ms IS NULL GROUP BY enrolment_id`,
  );
  const { nowMs } = await clock.read();
  const rows = lanes.map((lane, i) => [
    lane.enrolment_id,
    lane.lane_key,
    nowMs + 2000 + Math.floor((i * SPREAD_MS) / lanes.length),
  ]);
  await updateMany(db, 'schedules', ['enrolment_id', 'lane_key'], ['due_ms'], rows);
  await clock.setRate(1);
  await new Promise((resolve) => setTimeout(resolve, SPREAD_MS + GRACE_MS));
  await clock.setRate(0);
  const waits = await select<{ ms: number }>(
    db,
    `SELECT COALESCE(started_ms, ? + ?) - occurrence_ms ms FROM runs WHERE occurrence_ms > ? AND occurrence_ms < ? AND started_by = 'cadence'`,
    [nowMs, SPREAD_MS + GRACE_MS, nowMs, later],
  );
  return {
    n: waits.length,
    value: quantile(
      waits.map((wait) => wait.ms),
      0.99,
    ),
  };
}

/** Share of a core that an engine takes while nothing is due, in per cent over some seconds. */
async function idleCost(pid: number): Promise<number> {
  const ticks = (): number => {
    const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]?.split(' ') ?? [];
    return Number(fields[11]) + Number(fields[12]);
  };
  await new Promise((resolve) => setTimeout(resolve, 5_000));
  const before = ticks();
  const seconds = 20;
  await new Promise((resolve) => setTimeout(resolve, seconds * 1000));
  // Linux counts a hundred ticks a second (USER_HZ).
  return ticks() - before === 0 ? 0 : (ticks() - before) / seconds;
}

/** Slots are there to spare: what is measured is the engine, not the movers and lines of the demo. */
export async function liftLimits(db: Database): Promise<void> {
  for (const table of ['movers', 'datastores', 'clusters', 'repositories'])
    await execute(db, `UPDATE ${table} SET slots = 100000`);
  await execute(db, 'UPDATE links SET rate_bps = 1e13');
}

/** `pid`: of the one engine, while nothing is due. */
export async function benchIdle(db: Database, pid: number): Promise<void> {
  const n = (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM workloads'))?.n ?? 0;
  print({ name: 'an idle engine', n, value: await idleCost(pid), unit: '% of a core', better: 'lower' });
}

/** Comes last: it makes the fleet a large one. */
export async function benchStart(db: Database, pid: number): Promise<void> {
  const start = await dueToStarted(db);
  print({
    name: 'due to started at 10,000 workloads, p99',
    n: start.n,
    value: start.value,
    unit: 'ms',
    better: 'lower',
    target: 2000,
  });
  await benchIdle(db, pid);
}
