/** One voyage over the whole product, in a real browser against the running demo. */
import { expect, test, type Page } from '@playwright/test';

test.describe.configure({ mode: 'serial' });
let page: Page;

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
});

async function signIn(name: string, password: string): Promise<void> {
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL('/');
}

async function openClock() {
  const menu = page.getByRole('group', { name: 'Demo clock' });
  if (!(await menu.isVisible())) await page.getByRole('button', { name: /^Demo clock/ }).click();
  return menu;
}

/** Jumps from a standing clock, and waits until everything on the way was carried out. */
async function jump(label: '+15 min' | '+1 h' | '+2 h'): Promise<void> {
  const byMin = { '+15 min': 15, '+1 h': 60, '+2 h': 120 }[label];
  const button = page.getByRole('button', { name: /^Demo clock/ });
  const menu = await openClock();
  const [, hour, minute] = /(\d\d):(\d\d)/.exec((await button.getAttribute('aria-label')) ?? '') ?? [];
  const arrival = (Number(hour) * 60 + Number(minute) + byMin) % 1440;
  const text = `${String(Math.floor(arrival / 60)).padStart(2, '0')}:${String(arrival % 60).padStart(2, '0')}`;
  await menu.getByRole('button', { name: label }).click();
  await expect(button).toHaveAttribute('aria-label', new RegExp(`${text} .*paused`), { timeout: 120_000 });
  await button.click();
}

async function fault(kind: string, subject: string, action: 'Set fault' | 'Heal'): Promise<void> {
  await page.getByRole('button', { name: 'Stand-in' }).click();
  const panel = page.getByRole('group', { name: 'Stand-in' });
  await panel.getByLabel('Fault').selectOption(kind);
  await panel.getByLabel('Where').selectOption(subject);
  await panel.getByRole('button', { name: action }).click();
  await expect(panel.getByRole('status')).toContainText(subject);
  await page.getByRole('button', { name: 'Stand-in' }).click();
}

/** Workloads over their RPO, as the summary counts them. */
async function overCount(): Promise<number> {
  await page.goto('/');
  return Number(/(\d+) (?:is|are) over/.exec((await page.getByLabel('Summary').textContent()) ?? '')?.[1] ?? 0);
}

test('a wrong password is refused with what to do', async () => {
  await page.goto('/sign-in');
  await page.getByLabel('Name').fill('ines');
  await page.getByLabel('Password').fill('wrong');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('alert').first()).toContainText('Name or password is wrong');
});

test('sign in; Soundings have as many bars as there are workloads', async () => {
  await signIn('ines', 'harbour-light-1');
  const bars = await page.locator('[data-soundings]').getAttribute('data-soundings');
  await expect(page.getByLabel('Summary')).toContainText(`of ${bars} workloads`);
  expect(await page.locator('[data-soundings] [data-standing]').count()).toBe(Number(bars));
  const menu = await openClock();
  await menu.getByRole('button', { name: 'Paused' }).click();
});

test('a jump of two hours really takes points', async () => {
  const newest = async (): Promise<string> => {
    await page.goto('/workloads?text=tkt-db-01');
    await page
      .getByRole('link', { name: /tkt-db-01/ })
      .first()
      .click();
    return (await page.locator('.mk').textContent()) ?? '';
  };
  const before = await newest();
  await jump('+2 h');
  const after = await newest();
  expect(after).toMatch(/taken \w+ \d+ \d\d:\d\d/);
  expect(after).not.toBe(before);
});

test('a point can be held with a reason, and says who holds it', async () => {
  await page.getByRole('button', { name: 'Hold…' }).click();
  await page.getByLabel('Reason').fill('before the upgrade');
  await page.getByRole('button', { name: 'Hold it' }).click();
  await page.reload();
  await expect(page.getByText('held by Ines Halvorsen: before the upgrade')).toBeVisible();
});

test('editing a lane makes a revision; applying it makes runs follow the new cadence', async () => {
  await page.goto('/policies/1');
  await page.getByRole('button', { name: 'Edit replica lane' }).click();
  await page.getByLabel('Every', { exact: true }).fill('soon');
  await expect(page.getByText('Write a span of at least 30 s')).toBeVisible();
  await page.getByLabel('Every', { exact: true }).fill('6 min');
  await page.getByRole('button', { name: 'Save as revision 2' }).click();
  await expect(page.getByText('18 of 18 workloads out of step')).toBeVisible();
  await page.getByRole('button', { name: /Apply revision 2/ }).click();
  await expect(page.getByText('all 18 workloads in step')).toBeVisible();
  await jump('+1 h');
  await page.goto('/runs?text=tkt-db-01');
  const due = await page.locator('tbody tr td:nth-child(5)').allTextContents();
  const minutes = due.slice(0, 5).map((text) => Number(text.slice(-5, -3)) * 60 + Number(text.slice(-2)));
  expect(minutes.slice(1).map((m, i) => ((minutes[i] as number) - m + 1440) % 1440)).toEqual([6, 6, 6, 6]);
});

test('a shorter ladder says what it destroys and asks again', async () => {
  await page.goto('/policies/4');
  await page.getByRole('button', { name: 'Edit snapshot lane' }).click();
  await page.getByLabel('for', { exact: true }).first().fill('24 h');
  await page.getByRole('button', { name: 'Save as revision 2' }).click();
  const question = page.getByRole('alertdialog');
  await expect(question.getByRole('heading')).toHaveText(/^Let \d+ points of the snapshot lane go\?$/);
  await expect(question.getByText(/points of 67 workloads, taken between/)).toBeVisible();
  // It says which: a row a workload, with the instants of its points.
  await expect(question.locator('tbody tr')).toHaveCount(67);
  await expect(question.locator('tbody tr').first()).toContainText(/\d\d:\d\d/);
  await expect(question.getByRole('button', { name: 'Keep these points' })).toBeFocused();
  await question.getByRole('button', { name: 'Keep these points' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('revision 1');
  await page.getByRole('button', { name: 'Keep it as it is' }).click();
});

test('while a lane is typed its next runs, points, space and whether it can work are shown', async () => {
  await page.goto('/policies/1');
  await page.getByRole('button', { name: 'Edit replica lane' }).click();
  const preview = page.getByRole('status', { name: 'Preview' });
  await expect(preview).toContainText(/Next runs .*points a workload when full, about/);
  await page.getByLabel('Every', { exact: true }).fill('2 h');
  await expect(preview).toContainText(/against an RPO of 15 min: the runs are too far apart. Every .* would do/);
  await page.getByRole('button', { name: 'Keep it as it is' }).click();
});

test('the rail shows the forecast, and Watch says what comes if nothing changes', async () => {
  await page.goto('/');
  await expect(page.locator('[data-forecast]')).toBeAttached({ timeout: 15_000 });
  // Two workloads are enrolled nowhere: they stay over for all that is ahead.
  await expect(page.locator('[data-forecast]')).toHaveAttribute('data-forecast', /^[2-9]|\d\d/);
  await expect(page.locator('p.upcoming')).toContainText('If nothing changes');
});

test('a cut link is one cause; workloads cross their RPO when they should; healed, they recover', async () => {
  const before = await overCount();
  await fault('link-cut', 'Ostgate – Millbrook', 'Set fault');
  await jump('+15 min');
  await page.goto('/');
  await expect(page.locator('[data-cause="link-down/Ostgate – Millbrook"]')).toHaveCount(1);
  await jump('+15 min');
  // Tier 1 has 15 min: after 30 min without the link every one that replicates over it is over.
  const during = await overCount();
  expect(during).toBeGreaterThan(before + 5);
  await fault('link-cut', 'Ostgate – Millbrook', 'Heal');
  await jump('+1 h');
  expect(await overCount()).toBe(before);
  await expect(page.locator('[data-cause="link-down/Ostgate – Millbrook"]')).toHaveCount(0);
});

test('the past can be shown, and nothing can be changed from it', async () => {
  await page.goto('/');
  await page.getByRole('slider').focus();
  await page.keyboard.press('PageDown');
  await page.keyboard.press('PageUp');
  await expect(page.getByText('not now. Changing things is off')).toBeVisible();
  await page.goto(`/workloads/1?at=${new URL(page.url()).searchParams.get('at')}`);
  await expect(page.getByRole('button', { name: 'Run replica now' })).toHaveCount(0);
});

test('a run can be started by hand, and is a person’s in the list', async () => {
  await page.goto('/workloads/1');
  await page.getByRole('button', { name: 'Run backup now' }).click();
  await jump('+15 min');
  await page.goto('/runs?text=tkt-db-01');
  const row = page.locator('tbody tr').filter({ hasText: 'backup' }).first();
  await expect(row).toContainText('succeeded');
  await row.getByRole('link').first().click();
  await expect(page.getByText('person', { exact: true })).toBeVisible();
});

test('a drill goes from the runbook to a proof with measured times, equal content and nothing left', async () => {
  await page.goto('/runbooks/1');
  await expect(page.getByText('Ready', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Start drill' }).click();
  await page.waitForURL(/\/drills\/\d+/);
  await jump('+1 h');
  await expect(page.getByRole('heading', { name: /^Proof/ })).toBeVisible();
  await expect(page.getByText('5 of 5 workloads')).toBeVisible();
  await expect(page.getByText('yes, 5 clones removed')).toBeVisible();
  await expect(page.getByText(/RTO 45 min/)).toBeVisible();
  const pdf = await page.request.get(`/api/proof/${page.url().split('/').pop()}`);
  expect((await pdf.body()).subarray(0, 5).toString()).toBe('%PDF-');
});

test('a drill that is cancelled is cleaned up all the same, and the record says so', async () => {
  await page.goto('/runbooks/1');
  await page.getByRole('button', { name: 'Start drill' }).click();
  await page.waitForURL(/\/drills\/\d+/);
  const url = page.url();
  await expect(page.getByText(/Wave 1, Data/))
    .toBeVisible({ timeout: 20_000 })
    .catch(() => undefined);
  await page.getByRole('button', { name: 'Cancel drill and clean up' }).click();
  await jump('+15 min');
  await page.goto(url);
  await expect(page.getByText('cancelled by a person').first()).toBeVisible();
  await expect(page.getByText('yes, 5 clones removed')).toBeVisible();
});

test('a viewer sees everything and is refused every change', async () => {
  await page.getByRole('button', { name: /account$/ }).click();
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.waitForURL('/sign-in');
  await signIn('vera', 'harbour-light-3');
  await page.goto('/workloads/1');
  await page.getByRole('button', { name: 'Run replica now' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'needs the role operator' })).toBeVisible();
});
