import { bytes, percent, rate, span, when } from '@/ui/format';

const NOW = Date.parse('2026-03-12T07:14:00Z');

test.each([
  [59_000, '59 s'],
  [24 * 60_000, '24 min'],
  [72 * 60_000, '1 h 12 min'],
  [7_200_000, '2 h'],
  [-600_000, '−10 min'],
  [4 * 86_400_000, '4 d'],
])('a span of %d ms reads "%s"', (ms, text) => expect(span(ms)).toBe(text));
test('times of the last week carry day and clock, older ones the date', () => {
  expect(when(Date.parse('2026-03-12T06:50:00Z'), 'Europe/Oslo', NOW)).toBe('Thu 12 07:50');
  expect(when(Date.parse('2026-02-26T06:50:00Z'), 'Europe/Oslo', NOW)).toBe('26 Feb 2026');
});
test('sizes, rates and shares carry their unit', () => {
  expect([bytes(null), bytes(999), bytes(38e9), bytes(1.2e12)]).toEqual(['–', '999 B', '38.0 GB', '1.2 TB']);
  expect([rate(null), rate(300e6), rate(2e9)]).toEqual(['', '300 Mbit/s', '2.0 Gbit/s']);
  expect([percent(0.9991), percent(1)]).toEqual(['99.9%', '100%']);
});
