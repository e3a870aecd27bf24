/** What lanes can do as a person meets it: a second out of a journal, settings, pauses, throttled links. */
import { expect, test, type Page } from '@playwright/test';

test.describe.configure({ mode: 'serial' });
let page: Page;

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill('ines');
  await page.getByLabel('Password').fill('harbour-light-1');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
});

async function openWorkload(name: string): Promise<void> {
  await page.goto(`/workloads?text=${name}`);
  await page.locator('a.vrow').filter({ hasText: name }).first().click();
  await page.waitForURL(/\/workloads\/\d+/);
}

test('a stream says how far behind it is, and a point of any second of its journal is made', async () => {
  await openWorkload('ctl-db-01');
  await expect(page.getByText('stream flows', { exact: true })).toBeVisible();
  await expect(page.getByText(/behind at Millbrook, mil-s2/)).toBeVisible();
  const second = page.getByLabel('Second');
  const newest = new Date(`${(await second.inputValue()).replace(' ', 'T')}Z`);
  const wanted = new Date(newest.getTime() - 1_234_000).toISOString().slice(0, 19).replace('T', ' ');
  await second.fill('yesterday');
  await page.getByRole('button', { name: 'Make a point of it' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Write a day and a time' })).toBeVisible();
  await second.fill('2020-01-01 00:00:00');
  await page.getByRole('button', { name: 'Make a point of it' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'does not hold that instant' })).toBeVisible();
  await second.fill(wanted);
  await page.getByRole('button', { name: 'Make a point of it' }).click();
  await expect(page.getByRole('status').filter({ hasText: /^Run \d+ makes it/ })).toBeVisible();
  const run = /\d+/.exec((await page.getByRole('status').filter({ hasText: 'makes it' }).textContent()) ?? '')?.[0];
  await expect(async () => {
    await page.goto(`/runs/${run}`);
    await expect(page.getByText('succeeded').first()).toBeVisible({ timeout: 1000 });
  }).toPass({ timeout: 30_000 });
});

test('a pause says who, why and until when, where its runs are looked for, and is ended there', async () => {
  await openWorkload('pay-db-01');
  await page.getByRole('button', { name: 'Pause…' }).click();
  await page.getByRole('button', { name: 'Begin pause' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Give a reason' })).toBeVisible();
  await page.getByLabel('Reason of the pause').fill('new disks');
  await page.getByRole('button', { name: 'Begin pause' }).click();
  await expect(page.getByText(/Workload pay-db-01 paused until .* by .*: new disks/)).toBeVisible();
  await page.getByRole('button', { name: 'End pause' }).click();
  await expect(page.getByText(/paused until/)).toHaveCount(0);
});

test('a link is throttled in words, and set free again', async () => {
  await page.goto('/places');
  const row = page.getByRole('row').filter({ hasText: 'Millbrook – Norde' });
  await row.getByRole('button', { name: 'Throttle Millbrook – Norde' }).click();
  await row.getByLabel('Most, in Mbit/s').fill('200');
  await row.getByLabel(/^Hours/).fill('now and then');
  await row.getByRole('button', { name: 'Save' }).click();
  await expect(row.getByRole('alert')).toContainText('Write hours such as');
  await row.getByLabel(/^Hours/).fill('every day 00:00-24:00');
  await row.getByRole('button', { name: 'Save' }).click();
  await expect(row).toContainText('throttled to 200 Mbit/s');
  await expect(row).toContainText('200 Mbit/s every day 00:00-24:00');
  await row.getByRole('button', { name: 'Throttle Millbrook – Norde' }).click();
  await row.getByLabel(/^Hours/).fill('');
  await row.getByRole('button', { name: 'Save' }).click();
  await expect(row).toContainText('its rate, at all hours');
});

test('settings of a lane are saved as a revision and read in its line; the policy can be applied', async () => {
  await page.goto('/policies');
  await page.getByRole('link', { name: 'Tier 4 daily' }).click();
  await page.waitForURL(/\/policies\/\d+/);
  await page.getByRole('button', { name: 'Edit backup lane' }).click();
  await page.getByText('How it is taken and sent').click();
  await page.getByLabel('Guest freeze').selectOption('with, where it can be had');
  await page.getByLabel('Compression on the way').selectOption('strong');
  await page.getByLabel('Encrypted on the way').check();
  await page.getByLabel(/^Starts only/).fill('nights');
  await expect(page.getByText('Write hours such as every day 22:00-06:00, or nothing.')).toBeVisible();
  await expect(page.getByRole('button', { name: /^Save as revision/ })).toBeDisabled();
  await page.getByLabel(/^Starts only/).fill('every day 05:00-23:00');
  await page.getByLabel('Leave out system').check();
  await expect(page.getByRole('alert').filter({ hasText: 'does not boot' })).toBeVisible();
  await page.getByLabel('Leave out system').uncheck();
  await page.getByRole('button', { name: /^Save as revision/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'Saved as revision' })).toBeVisible();
  await expect(page.getByRole('heading', { name: /^backup/ })).toContainText(
    'with guest freeze where it can be had; leaves out scratch; strong compression, encrypted; starts only every day 05:00-23:00',
  );
  await page.getByRole('button', { name: /^Apply revision/ }).click();
  await expect(page.getByText(/^all \d+ workloads in step/)).toBeVisible();
});
