/**
 * npm run bench: one JSON line a figure: {name, n, value, unit, better, target?, ok?}. Own database and ports, the demo
 * grown to 10,000 workloads by SQL for the page figures.
 */
import { chromium, type Page } from '@playwright/test';
import { DEMO_USERS, seedDemo } from '@/demo/seed';
import { DemoClock } from '@/store/clock';
import { execute, inTransaction, openDatabase, selectOne, type Database } from '@/store/database';
import { guard, Stack } from './stack';

interface Figure {
  readonly name: string;
  readonly n: number;
  readonly value: number;
  readonly unit: string;
  readonly better: 'lower' | 'higher';
  readonly target?: number;
}

function print(figure: Figure): void {
  const ok =
    figure.target === undefined
      ? {}
      : { ok: figure.better === 'lower' ? figure.value <= figure.target : figure.value >= figure.target };
  console.log(JSON.stringify({ ...figure, value: Math.round(figure.value * 1000) / 1000, ...ok }));
}

/** Seconds from giving the address to the named part being usable; the best of five on a warm server. */
async function timeToUsable(page: Page, path: string, selector: string): Promise<number> {
  let best = Infinity;
  for (let i = 0; i < 5; i++) {
    const started = performance.now();
    await page.goto(path, { waitUntil: 'commit' });
    await page.locator(selector).first().waitFor();
    best = Math.min(best, (performance.now() - started) / 1000);
  }
  return best;
}

/** Copies the fleet until it has at least `wanted` workloads; each copy with its enrolment, schedules and live points. */
async function growFleet(db: Database, wanted: number): Promise<number> {
  const base = (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM workloads'))?.n ?? 0;
  const fields =
    'application_id, site_id, cluster_id, datastore_id, network_id, address, cores, memory_bytes, role, labels, guest_agent, newest_taken_ms, newest_off_site_taken_ms, last_passed_drill_ms';
  for (let k = 1; base * k < wanted; k++) {
    const by = k * 10_000;
    await execute(
      db,
      `INSERT INTO workloads (id, name, ${fields}) SELECT id + ?, CONCAT(name, '-', ?), ${fields} FROM workloads WHERE id <= ?`,
      [by, k, base],
    );
    await execute(
      db,
      'INSERT INTO enrolments SELECT id + ?, workload_id + ?, policy_id, revision, reason, since_ms FROM enrolments WHERE id <= ?',
      [by, by, base],
    );
    await execute(
      db,
      `INSERT INTO schedules SELECT enrolment_id + ?, lane_key, workload_id + ?, NULL, typical_ms, NULL, 0, NULL, NULL FROM schedules WHERE enrolment_id <= ?`,
      [by, by, base],
    );
  }
  return (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) n FROM workloads'))?.n ?? 0;
}

/** How long the engine is kept saturated, in ms of real time. */
const SATURATED_MS = 10_000;

/** Completed runs a second while every workload that is free is made due again at once. */
async function runsASecond(db: Database): Promise<{ n: number; value: number }> {
  const clock = new DemoClock(db);
  await clock.setRate(300);
  const done = async () =>
    (await selectOne<{ n: number }>(db, `SELECT COUNT(*) n FROM runs WHERE state = 'succeeded'`))?.n ?? 0;
  const before = await done();
  const started = performance.now();
  while (performance.now() - started < SATURATED_MS) {
    const { nowMs } = await clock.read();
    // The engine writes the same rows: whoever loses a deadlock tries again.
    await inTransaction(db, (tx) =>
      execute(
        db,
        `UPDATE schedules s SET s.due_ms = ? WHERE s.due_ms > ? AND NOT EXISTS
           (SELECT 1 FROM runs r WHERE r.workload_id = s.workload_id AND r.state IN ('waiting', 'running'))`,
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

await guard(async (onStop) => {
  const stack = await Stack.begin({
    directory: 'bench',
    ports: { database: 3916, standIn: 3917, web: 3900 },
    clock: 'demo',
    fresh: true,
  });
  onStop(() => stack.stop());
  const seeding = performance.now();
  await seedDemo({ database: stack.databaseOptions(), standIn: stack.standInOptions(), rate: 0, say: () => undefined });
  print({ name: 'seeding', n: 1, value: (performance.now() - seeding) / 1000, unit: 's', better: 'lower', target: 60 });
  await stack.startStandIn();
  stack.startEngine();
  await stack.startWeb();
  const db = openDatabase(stack.databaseOptions(2));
  const runs = await runsASecond(db);
  print({
    name: 'completed runs a second, one engine',
    n: runs.n,
    value: runs.value,
    unit: 'runs/s',
    better: 'higher',
    target: 200,
  });
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, baseURL: stack.address });
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill(DEMO_USERS[0].name);
  await page.getByLabel('Password').fill(DEMO_USERS[0].password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
  const pages = async (n: number): Promise<void> => {
    print({
      name: 'address to usable Watch',
      n,
      value: await timeToUsable(page, '/', '[data-standing]'),
      unit: 's',
      better: 'lower',
      target: 1.5,
    });
    print({
      name: 'address to usable Workloads',
      n,
      value: await timeToUsable(page, '/workloads', 'a.vrow'),
      unit: 's',
      better: 'lower',
      target: 1.5,
    });
  };
  await pages(184);
  await pages(await growFleet(db, 10_000));
  await page.screenshot({ path: '.data/bench-10000.png' });
  await browser.close();
  await db.close();
  await stack.stop();
  process.exit(0);
});
