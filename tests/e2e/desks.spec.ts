/** Notices, tokens, places and the audit trail as a person uses them. */
import { expect, test } from '@playwright/test';

test.beforeEach(async ({ page }) => {
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill('ines');
  await page.getByLabel('Password').fill('harbour-light-1');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('**/');
});

test('a mail address is added, what is wrong with one is said, and the trail names who did it', async ({ page }) => {
  await page.getByRole('button', { name: /account/ }).click();
  await page.getByRole('link', { name: 'Notices' }).click();
  await page.waitForURL('**/notices');
  await page.getByLabel('Mail address').fill('nobody');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'Write a mail address.' })).toBeVisible();
  await page.getByLabel('Mail address').fill('watch@fennmark.example');
  await page.getByLabel('Quiet from').fill('22:00');
  await page.getByLabel('to', { exact: true }).fill('06:30');
  await page.getByRole('button', { name: 'Add' }).click();
  await expect(page.getByRole('cell', { name: 'watch@fennmark.example mail' })).toBeVisible();
  await expect(page.getByText('22:00 to 06:30, Europe/Oslo')).toBeVisible();
  await page.goto('/audit?action=add-notice-route');
  await expect(page.getByRole('cell', { name: 'mail watch@fennmark.example' }).first()).toBeVisible();
  const csv = await page.request.get('/api/audit?action=add-notice-route');
  expect(csv.headers()['content-type']).toContain('text/csv');
  expect((await csv.text()).split('\r\n')[0]).toBe('id,at,person,token,deed,subject,detail');
});

test('a token is shown once and can be revoked', async ({ page }) => {
  await page.goto('/tokens');
  await page.getByLabel('What it is for').fill('the night desk');
  await page.getByRole('button', { name: 'Make token' }).click();
  await expect(page.getByText(/^ab_[\w-]{43}$/)).toBeVisible();
  await page.reload();
  await expect(page.getByText(/^ab_[\w-]{43}$/)).toHaveCount(0);
  const row = page.getByRole('row').filter({ hasText: 'the night desk' });
  await row.getByRole('button', { name: 'Revoke' }).click();
  await expect(row.getByText('revoked')).toBeVisible();
});

test('places say what lies there and when that was compared; a viewer may look and not change', async ({ page }) => {
  await page.goto('/places');
  await expect(page.getByRole('row').filter({ hasText: 'mil-r1' })).toContainText('7 d');
  await expect(page.getByRole('heading', { name: 'Reconciliation' })).toBeVisible();
});
