import { spaceTrend } from '@/core/forecast/space';
import { DAY } from '@/core/units';

const at = (day: number, usedBytes: number) => ({ atMs: day * DAY, usedBytes });

// By definition of a straight line.
test('a steady growth of 10 a day from 60 on day 6 fills 100 on day 10', () => {
  const samples = [3, 0, 6, 1, 2, 5, 4].map((day) => at(day, 10 * day));
  expect(spaceTrend(samples, 100, 6 * DAY)).toEqual({ bytesPerDay: 10, fullMs: 10 * DAY });
});

test('noise of one sample moves the trend by its weight only', () => {
  // x = 0..4, y = 0, 1, 2, 3, 9: slope = sum((x - 2)(y - 3)) / sum((x - 2)^2) = 20 / 10 (by hand).
  const trend = spaceTrend([at(0, 0), at(1, 1), at(2, 2), at(3, 3), at(4, 9)], 19, 4 * DAY);
  expect(trend?.bytesPerDay).toBeCloseTo(2, 12);
  expect(trend?.fullMs).toBe(9 * DAY);
});

test('what shrinks or stands still is never full', () => {
  expect(spaceTrend([at(0, 50), at(2, 40)], 100, 2 * DAY)).toEqual({ bytesPerDay: -5, fullMs: null });
  expect(spaceTrend([at(0, 50), at(2, 50)], 100, 2 * DAY)?.fullMs).toBeNull();
});

test('what is over its capacity is full now, and a date never lies before the moment asked from', () => {
  expect(spaceTrend([at(0, 90), at(1, 101)], 100, 3 * DAY)?.fullMs).toBe(3 * DAY);
  expect(spaceTrend([at(0, 0), at(1, 99)], 100, 3 * DAY)?.fullMs).toBe(3 * DAY);
});

test('one instant is no trend', () => {
  expect(spaceTrend([at(1, 5)], 100, DAY)).toBeNull();
  expect(spaceTrend([], 100, DAY)).toBeNull();
});
