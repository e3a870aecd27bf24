import { quantileSorted } from 'simple-statistics';
import {
  clopperPearson,
  confidenceWords,
  drillsNeeded,
  failureAtMost,
  quantile,
  ruleOfThree,
  wilson,
  Z95,
} from '@/core/prove/statistics';
import jstat from 'jstat';

// Hyndman & Fan 1996, type 7 (from memory); reproduced by numpy and simple-statistics.
test.each<[string, number[], number[], number[]]>([
  [
    '13-Q1',
    [1, 2, 3, 4, 5, 6, 7, 8, 9, 10],
    [0, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99, 1],
    [1, 3.25, 5.5, 7.75, 9.1, 9.55, 9.91, 10],
  ],
  ['13-Q2', [15, 20, 35, 40, 50], [0.05, 0.3, 0.4, 0.5, 1], [16, 23, 29, 35, 50]],
  ['13-Q3', [7], [0, 0.5, 1], [7, 7, 7]],
  ['13-Q4', [4, 8], [0.5, 0.95], [6, 7.8]],
  ['13-Q5', [12, 3, 9, 3, 41, 18, 25], [0.5, 0.9, 0.95], [12, 31.4, 36.2]],
])('%s: quantiles of %j', (_id, values, ps, expected) => {
  ps.forEach((p, i) => expect(quantile(values, p)).toBeCloseTo(expected[i] as number, 9));
});
test('13-Q9: 500 seeded samples agree with a library at its own points', () => {
  let state = 7;
  const random = () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
  for (let k = 0; k < 500; k++) {
    const values = Array.from({ length: 1 + Math.floor(random() * 40) }, () => random() * 100).sort((a, b) => a - b);
    const p = Math.floor(random() * 4) / 4;
    // The library's median of an even number, and its extremes, are type 7's.
    if (p === 0.5 || p === 0) expect(quantile(values, p)).toBeCloseTo(quantileSorted(values, p), 9);
    expect(quantile(values, p)).toBeGreaterThanOrEqual(values[0] as number);
    expect(quantile(values, p)).toBeLessThanOrEqual(values.at(-1) as number);
  }
  expect(quantile([], 0.5)).toBeNaN();
});
test('13-N: drills needed (by definition)', () => {
  expect([0.9, 0.95, 0.99].map((p) => drillsNeeded(p))).toEqual([29, 59, 299]);
});
test('13-Z: the normal quantile', () => expect(jstat.jStat.normal.inv(0.975, 0, 1)).toBeCloseTo(Z95, 9));

// Wilson 1927; Clopper & Pearson 1934 (from memory); reproduced by scipy and jstat.
test.each([
  [1, 1, 0.206549, 1, 0.025, 1],
  [5, 5, 0.565518, 1, 0.478176, 1],
  [12, 12, 0.757506, 1, 0.735352, 1],
  [30, 30, 0.886487, 1, 0.884297, 1],
  [11, 12, 0.64612, 0.985135, 0.615204, 0.997892],
  [10, 12, 0.551969, 0.953035, 0.515862, 0.979137],
  [0, 12, 0, 0.242494, 0, 0.264648],
  [50, 100, 0.403832, 0.596168, 0.398321, 0.601679],
])('13-B: %d of %d', (x, n, wl, wh, cl, ch) => {
  const w = wilson(x, n);
  const c = clopperPearson(x, n);
  [w.low - wl, w.high - wh, c.low - cl, c.high - ch].forEach((d) => expect(Math.abs(d)).toBeLessThan(1e-6));
});
test('no drill says nothing', () => {
  expect(wilson(0, 0)).toEqual({ low: 0, high: 1 });
  expect(clopperPearson(0, 0)).toEqual({ low: 0, high: 1 });
  expect([failureAtMost(0), ruleOfThree(0)]).toEqual([1, 1]);
});

// By definition; reproduced with jstat's beta quantile.
test.each([
  [1, 0.95, 0.975, 1],
  [5, 0.45072, 0.521824, 0.6],
  [12, 0.220922, 0.264648, 0.25],
  [30, 0.095034, 0.115703, 0.1],
  [59, 0.049508, 0.060609, 0.050847],
  [299, 0.009969, 0.012262, 0.010033],
])('13-Z%d: no failure', (n, one, two, three) => {
  expect(failureAtMost(n)).toBeCloseTo(one, 6);
  expect(1 - clopperPearson(n, n).low).toBeCloseTo(two, 6);
  expect(ruleOfThree(n)).toBeCloseTo(three, 6);
});
test('words for few drills leave room for doubt', () => {
  expect(confidenceWords(0, 0)).toBe('never drilled: nothing is known');
  expect(confidenceWords(1, 1)).toBe('1 of 1 drill passed: between 21% and 100% would, with 95% confidence');
});
