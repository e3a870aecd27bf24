/** Every main view, light and dark, against the WCAG 2.2 A and AA rules that can be checked by machine. */
import AxeBuilder from '@axe-core/playwright';
import { expect, test } from '@playwright/test';

const PATHS = [
  '/',
  '/workloads',
  '/workloads/1',
  '/policies',
  '/policies/1',
  '/policies/6',
  '/runs',
  '/runbooks',
  '/runbooks/1',
  '/drills/8',
  '/proof',
  '/places',
  '/notices',
  '/audit',
  '/tokens',
];

for (const theme of ['light', 'dark'])
  test(`no serious accessibility fault, ${theme}`, async ({ browser, baseURL }) => {
    const context = await browser.newContext({ baseURL: baseURL ?? '' });
    await context.addCookies([{ name: 'anchor_theme', value: theme, url: baseURL ?? '' }]);
    await context.request.post('/api/sign-in', { data: { name: 'olav', password: 'harbour-light-2' } });
    const page = await context.newPage();
    const found: string[] = [];
    for (const path of PATHS) {
      await page.goto(path);
      const { violations } = await new AxeBuilder({ page })
        .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
        .analyze();
      for (const v of violations)
        if (v.impact === 'critical' || v.impact === 'serious')
          found.push(`${path}: ${v.id}: ${v.nodes[0]?.html.slice(0, 160)}`);
    }
    expect(found).toEqual([]);
  });
