/**
 * Completed runs a second while every lane that has no run is due at once, over a fleet of its own whose lines and slots are
 * never the limit: what is measured is the engine, its database and the calls to the sites.
 */
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR, MINUTE } from '@/core/units';
import { execute, inTransaction, selectOne, type Database } from '@/store/database';
import type { Harbour } from '../../tests/integration/harbour';
import { liftLimits } from './engine';
import { print } from './figure';

const WORKLOADS = 500;
const PORT = 3960;
/** How fast time runs: so fast that what is simulated takes no time. */
const RATE = 600;
/** What comes before counts for nothing: the engine starts, and code and data get warm. */
const WARM_UP_MS = 12_000;
/** How long the engine is kept saturated, in ms of real time. */
const SATURATED_MS = 12_000;
const DUE_EVERY_MS = 200;

const common = { consistency: 'crash', excludeRoles: [], targets: { '1': 2 } } as const;
const keepingDays = {
  reading: 'bands',
  zone: 'Europe/Oslo',
  rungs: [
    { per: null, count: 1, spanMs: 6 * HOUR },
    { per: 'day', count: 1, spanMs: 7 * DAY },
  ],
} as const;
const every = (everyMs: number) => ({ kind: 'every', everyMs, offsetMs: 0 }) as const;
const LANES: readonly Lane[] = [
  { ...common, key: 'snapshot', kind: 'snapshot', cadence: every(HOUR), ladder: keepingDays, targets: {} },
  { ...common, key: 'replica', kind: 'replica', cadence: every(10 * MINUTE), ladder: { reading: 'newest', count: 6 } },
  { ...common, key: 'backup', kind: 'backup', cadence: every(30 * MINUTE), ladder: keepingDays },
];

/** Makes every lane due that has no run waiting or under way. Whoever loses a deadlock to the engine tries again. */
function makeDue(db: Database, nowMs: number): Promise<unknown> {
  return inTransaction(db, (tx) =>
    execute(
      db,
      `UPDATE schedules s LEFT JOIN
          (SELECT enrolment_id, lane_key FROM runs FORCE INDEX (runs_state) WHERE state IN ('waiting', 'running')) busy
          ON busy.enrolment_id = s.enrolment_id AND busy.lane_key = s.lane_key
        SET s.due_ms = ? WHERE s.due_ms > ? AND busy.enrolment_id IS NULL`,
      [nowMs, nowMs],
      tx,
    ),
  );
}

async function saturate({ db, clock }: Harbour): Promise<{ n: number; value: number }> {
  const done = async () =>
    (await selectOne<{ n: number }>(db, `SELECT COUNT(*) n FROM runs WHERE state = 'succeeded'`))?.n ?? 0;
  const pass = async (ms: number): Promise<void> => {
    for (const end = performance.now() + ms; performance.now() < end;) {
      await makeDue(db, (await clock.read()).nowMs);
      await new Promise((resolve) => setTimeout(resolve, DUE_EVERY_MS));
    }
  };
  await clock.setRate(RATE);
  await pass(WARM_UP_MS);
  const before = await done();
  const started = performance.now();
  await pass(SATURATED_MS);
  const n = (await done()) - before;
  const seconds = (performance.now() - started) / 1000;
  await clock.setRate(0);
  return { n, value: n / seconds };
}

/** `env` says where the database server is, for a fleet in a database of its own. */
export async function benchRuns(env: NodeJS.ProcessEnv): Promise<void> {
  Object.assign(process.env, env);
  // Reads the environment when it is loaded.
  const { Harbour } = await import('../../tests/integration/harbour');
  const harbour = await Harbour.build('bench_fleet', LANES, { workloads: WORKLOADS, port: PORT });
  try {
    await liftLimits(harbour.db);
    await harbour.startStandIn();
    harbour.startEngine();
    const runs = await saturate(harbour);
    const common = { unit: 'runs/s', better: 'higher' } as const;
    print({ ...common, name: 'completed runs a second, one engine', n: runs.n, value: runs.value, target: 500 });
    harbour.startEngine();
    const both = await saturate(harbour);
    const ratio = both.value / runs.value;
    print({
      ...common,
      name: 'completed runs a second, two engines',
      n: both.n,
      value: both.value,
      peer: 'one engine',
      ratio,
    });
  } finally {
    await harbour.close();
  }
}
