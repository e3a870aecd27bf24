import fc from 'fast-check';
import { civilOf, dayNumber, daysInMonth, isoWeek, weekdayOf } from '@/core/time/calendar';
import { DAY } from '@/core/units';

// ISO 8601-1 (from memory); reproduced by five libraries.
test.each([
  ['2005-01-01', '2004-53'],
  ['2007-01-01', '2007-1'],
  ['2008-12-28', '2008-52'],
  ['2008-12-29', '2009-1'],
  ['2010-01-03', '2009-53'],
  ['2016-01-01', '2015-53'],
  ['2018-12-31', '2019-1'],
  ['2020-12-31', '2020-53'],
  ['2021-01-04', '2021-1'],
  ['2024-12-30', '2025-1'],
  ['2026-12-28', '2026-53'],
  ['2027-01-03', '2026-53'],
  ['2027-01-04', '2027-1'],
  ['2032-12-31', '2032-53'],
])('2-W: %s lies in ISO week %s', (day, expected) => {
  const { year, week } = isoWeek(Date.parse(day) / DAY);
  expect(`${year}-${week}`).toBe(expected);
});

test('2-W31: a 400-year cycle has 71 years of 53 weeks', () => {
  const long = Array.from({ length: 400 }, (_, i) => 2000 + i).filter(
    (year) => isoWeek(Date.UTC(year, 11, 28) / DAY).week === 53,
  );
  expect(long).toHaveLength(71);
});

test('law: day numbers and dates invert each other and agree with the Date of the language', () => {
  fc.assert(
    fc.property(fc.integer({ min: -800_000, max: 800_000 }), (day) => {
      const { year, month, day: dayOfMonth } = civilOf(day);
      const date = new Date(day * DAY);
      expect([year, month, dayOfMonth]).toEqual([date.getUTCFullYear(), date.getUTCMonth() + 1, date.getUTCDate()]);
      expect(dayNumber(year, month, dayOfMonth)).toBe(day);
      expect(weekdayOf(day) % 7).toBe(date.getUTCDay());
    }),
  );
});

test('months carry into the year; February knows its leap years', () => {
  expect(dayNumber(2026, 13, 1)).toBe(dayNumber(2027, 1, 1));
  expect(dayNumber(2026, 0, 1)).toBe(dayNumber(2025, 12, 1));
  expect([2000, 1900, 2024, 2026].map((year) => daysInMonth(year, 2))).toEqual([29, 28, 29, 28]);
});
