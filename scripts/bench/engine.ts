/** Figures of the engine: how many runs it completes while it is kept saturated. */
import { DemoClock } from '@/store/clock';
import { execute, inTransaction, selectOne, type Database } from '@/store/database';
import { print } from './figure';

/** What comes before counts for nothing: the engine starts, and code and data get warm. */
const RATE = 3000;
const WARM_UP_MS = 15_000;
/** How long the engine is kept saturated, in ms of real time. */
const SATURATED_MS = 10_000;

/**
 * Completed runs a second while every workload that is free is made due again at once. Time runs so fast that the
 * simulated transfers take no part in it: what is measured is the engine, its database and the calls to the sites.
 */
async function runsASecond(db: Database): Promise<{ n: number; value: number }> {
  const clock = new DemoClock(db);
  await clock.setRate(RATE);
  const done = async () =>
    (await selectOne<{ n: number }>(db, `SELECT COUNT(*) n FROM runs WHERE state = 'succeeded'`))?.n ?? 0;
  let before = 0;
  let started = performance.now();
  for (let warm = false; !warm || performance.now() - started < SATURATED_MS;) {
    if (!warm && performance.now() - started > WARM_UP_MS) {
      warm = true;
      before = await done();
      started = performance.now();
    }
    const { nowMs } = await clock.read();
    // The engine writes the same rows: whoever loses a deadlock tries again.
    await inTransaction(db, (tx) =>
      execute(
        db,
        `UPDATE schedules s SET s.due_ms = ? WHERE s.due_ms > ? AND NOT EXISTS
           (SELECT 1 FROM runs r WHERE r.running_workload = s.workload_id)`,
        [nowMs, nowMs],
        tx,
      ),
    );
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  const seconds = (performance.now() - started) / 1000;
  const n = (await done()) - before;
  await clock.setRate(0);
  return { n, value: n / seconds };
}

/** `second`: starts another engine on the same database. */
export async function benchEngine(db: Database, second: () => void): Promise<void> {
  // Slots are there to spare: what is measured is the engine, not the movers of the demo.
  for (const table of ['movers', 'datastores', 'clusters', 'repositories'])
    await execute(db, `UPDATE ${table} SET slots = 100000`);
  const runs = await runsASecond(db);
  print({
    name: 'completed runs a second, one engine',
    n: runs.n,
    value: runs.value,
    unit: 'runs/s',
    better: 'higher',
    target: 500,
  });
  second();
  const both = await runsASecond(db);
  print({
    name: 'completed runs a second, two engines',
    n: both.n,
    value: both.value,
    unit: 'runs/s',
    better: 'higher',
    peer: 'one engine',
    ratio: both.value / runs.value,
  });
}
