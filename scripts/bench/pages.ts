/** Figures of the pages: seconds from giving the address to being usable, with the demo and with 10,000 workloads. */
import { chromium, type Page } from '@playwright/test';
import { quantile } from '@/core/prove/statistics';
import { DEMO_USERS } from '@/demo/seed';
import { watch } from '@/queries/watch';
import { workloadPage, type WorkloadFilter } from '@/queries/workloads';
import { DemoClock } from '@/store/clock';
import type { Database } from '@/store/database';
import { print } from './figure';
import { growFleet, growPoints, untilWritten } from './grow';

const ALL: WorkloadFilter = {
  text: '',
  standing: '',
  tier: '',
  site: '',
  policy: '',
  unproven: false,
  sort: 'used',
  descending: true,
};

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

export async function benchPages(db: Database, address: string): Promise<void> {
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, baseURL: address });
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill(DEMO_USERS[0].name);
  await page.getByLabel('Password').fill(DEMO_USERS[0].password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
  for (const grow of [() => growFleet(db, 0), () => growFleet(db, 10_000)]) {
    const n = await grow();
    if (n >= 10_000) {
      const points = await growPoints(db, 2_000_000);
      await untilWritten(db);
      print({ name: 'points behind what follows', n: points, value: points, unit: 'points', better: 'higher' });
    }
    await onePage(page, n, 'Watch', '/', '[data-standing]');
    await onePage(page, n, 'Workloads', '/workloads', 'a.vrow');
    // A page that is open reads again and again.
    await page.goto('about:blank');
    const { nowMs } = await new DemoClock(db).read();
    await oneQuery(n, 'Watch', () => watch(db, nowMs, true));
    await oneQuery(n, 'Workloads', () => workloadPage(db, nowMs, true, ALL, 0));
    // The first by name have points in a fleet that was grown, too.
    await oneQuery(n, 'Workloads by name', () => workloadPage(db, nowMs, true, { ...ALL, sort: 'name' }, 0));
  }
  await page.screenshot({ path: '.data/bench-10000.png' });
  await browser.close();
}

/** The 95th percentile of forty readings, warm. */
async function oneQuery(n: number, name: string, read: () => Promise<unknown>): Promise<void> {
  await read();
  const took: number[] = [];
  for (let i = 0; i < 40; i++) {
    const started = performance.now();
    await read();
    took.push(performance.now() - started);
  }
  const value = quantile(took, 0.95);
  print({ name: `reading behind ${name}, p95`, n, value, unit: 'ms', better: 'lower', target: 100 });
}

async function onePage(page: Page, n: number, name: string, path: string, selector: string): Promise<void> {
  const value = await timeToUsable(page, path, selector);
  print({ name: `address to usable ${name}`, n, value, unit: 's', better: 'lower', target: 1.5 });
}
