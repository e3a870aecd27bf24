import { DAY, HOUR, MINUTE } from '@/core/units';
import { STRETCHES, xOf } from '@/ui/workloads/point-axis';

const right = STRETCHES[STRETCHES.length - 1]!.x1;

test('the newer, the further to the right, across all stretches', () => {
  const ages = [0, MINUTE, HOUR, 2 * HOUR - 1, 5 * HOUR, DAY - 1, 3 * DAY, 13 * DAY, 40 * DAY, 89 * DAY];
  const places = ages.map(xOf);
  expect(places.slice(1).every((x, i) => x < (places[i] as number))).toBe(true);
  expect(places[0]).toBe(right);
});

test('what became true while the page was made lies at now, and what is older than all at the left edge', () => {
  expect(xOf(-20_000)).toBe(right);
  expect(xOf(4000 * DAY)).toBe(STRETCHES[0].x0);
});
