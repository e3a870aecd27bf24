/** npm run screenshots: one picture of each main view at 1280x800 from a demo of its own, standing still at a fixed moment. */
import { chromium, type Page } from '@playwright/test';
import { mkdirSync } from 'node:fs';
import { DEMO_USERS, seedDemo } from '@/demo/seed';
import { guard, Stack } from './stack';

const VIEWS: ReadonlyArray<readonly [string, string]> = [
  ['watch', '/'],
  ['workloads', '/workloads'],
  ['workload', '/workloads/1'],
  ['policies', '/policies'],
  ['policy', '/policies/2'],
  ['runs', '/runs'],
  ['runbooks', '/runbooks'],
  ['runbook', '/runbooks/1'],
  ['proof', '/proof'],
  ['proof-record', '/drills/8'],
  ['places', '/places'],
  ['notices', '/notices'],
  ['audit', '/audit'],
];
const DARK = new Set(['watch', 'workload', 'runbook']);

async function take(page: Page, name: string, address: string): Promise<void> {
  await page.goto(address);
  await page.waitForTimeout(800);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
}

await guard(async (onStop) => {
  mkdirSync('docs/screenshots', { recursive: true });
  const stack = await Stack.begin({
    directory: 'screenshots',
    ports: { database: 3816, standIn: 3817, web: 3800, mail: 3828 },
    clock: 'demo',
    fresh: true,
  });
  onStop(() => stack.stop());
  await seedDemo({ database: stack.databaseOptions(), standIn: stack.standInOptions(), rate: 0, say: console.log });
  await stack.startStandIn();
  stack.startEngine();
  await stack.startWeb();
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  });
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: stack.address });
  const page = await context.newPage();
  await take(page, 'sign-in', '/sign-in');
  await page.getByLabel('Name').fill(DEMO_USERS[0].name);
  await page.getByLabel('Password').fill(DEMO_USERS[0].password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
  for (const theme of ['light', 'dark']) {
    await context.addCookies([{ name: 'anchor_theme', value: theme, url: stack.address }]);
    for (const [name, address] of VIEWS)
      if (theme === 'light' || DARK.has(name)) await take(page, `${name}-${theme}`, address);
  }
  await context.addCookies([{ name: 'anchor_theme', value: 'light', url: stack.address }]);
  await page.goto('/runbooks/1');
  await page.getByRole('button', { name: 'Start drill' }).click();
  await page.waitForURL(/drills/);
  await page.getByRole('button', { name: /^Demo clock/ }).click();
  await page.getByRole('button', { name: '+15 min' }).click();
  await page.getByText(/Carrying out/).waitFor();
  await page.getByText(/Carrying out/).waitFor({ state: 'hidden' });
  await page.getByRole('button', { name: /^Demo clock/ }).click();
  await page.waitForTimeout(2500);
  await page.screenshot({ path: 'docs/screenshots/drill-console-light.png' });
  await browser.close();
  await stack.stop();
  process.exit(0);
});
