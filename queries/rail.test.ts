import { mostAtOnce } from '@/queries/rail';

test('a bin shows the most that were open at once, not the sum (by hand)', () => {
  const spans = [
    { fromMs: 5, toMs: 12 },
    { fromMs: 8, toMs: 9 },
    { fromMs: 9, toMs: 30 },
    { fromMs: -10, toMs: Infinity },
  ];
  expect(mostAtOnce(spans, 0, 40, 10)).toEqual([3, 3, 2, 1]);
  expect(mostAtOnce([], 0, 20, 10)).toEqual([0, 0]);
});
