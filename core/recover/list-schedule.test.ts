import jstat from 'jstat';
import type { Activity } from '@/core/recover/activity-network';
import { betaPert, pert } from '@/core/recover/estimate';
import { listSchedule, longestFirst, scheduleBound } from '@/core/recover/list-schedule';

const jobs = (durations: readonly number[], after: Readonly<Record<number, readonly number[]>> = {}) =>
  durations.map((duration, i) => ({ id: String(i + 1), duration, after: (after[i + 1] ?? []).map(String) }));
const duration = (list: readonly Activity[], slots: number) => {
  const schedule = listSchedule(list, slots);
  return schedule.kind === 'scheduled' ? schedule.duration : NaN;
};

// Graham 1966 and 1969 (from memory); optima by hand and by an independent script.
test.each([
  ['10-D1', [1, 1, 2], 2, 3],
  ['10-D2', [1, 1, 1, 1, 1, 1, 3], 3, 5],
  ['10-D3', [1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 4], 4, 7],
])('%s: in list order', (_id, durations, slots, expected) => expect(duration(jobs(durations), slots)).toBe(expected));
test.each([
  ['10-D4', [3, 3, 2, 2, 2], 2, 7],
  ['10-D5', [5, 5, 4, 4, 3, 3, 3], 3, 11],
])('%s: the longest first', (_id, durations, slots, expected) => {
  expect(duration(longestFirst(jobs(durations)), slots)).toBe(expected);
});
test('10-D6, D7: anomalies: more slots, shorter jobs or fewer rules can take longer', () => {
  const times = [3, 2, 2, 2, 4, 4, 4, 4, 9];
  const after = { 9: [1], 5: [4], 6: [4], 7: [4], 8: [4] };
  expect(duration(jobs(times, after), 3)).toBe(12);
  expect(duration(jobs(times, after), 4)).toBe(15);
  expect(
    duration(
      jobs(
        times.map((t) => t - 1),
        after,
      ),
      3,
    ),
  ).toBe(13);
  expect(duration(jobs(times, { ...after, 5: [], 6: [] } as never), 3)).toBe(16);
  expect(scheduleBound(jobs(times, after), 3)).toBe(12);
});
test('10-E1: boot waves, three at a time (invented; optimum 16)', () => {
  const boots = jobs([4, 7, 3, 5, 6, 2, 8, 3, 4, 5]);
  expect([duration(boots, 3), duration(longestFirst(boots), 3)]).toEqual([17, 17]);
  expect(scheduleBound(boots, 3)).toBeLessThanOrEqual(16);
});
test('what waits for itself or for nobody is stuck, and no slot is refused', () => {
  expect(listSchedule(jobs([1, 1], { 1: [2], 2: [1] }), 2)).toEqual({ kind: 'stuck', ids: ['1', '2'] });
  expect(listSchedule(jobs([1], { 1: [7] }), 1)).toEqual({ kind: 'stuck', ids: ['1'] });
  expect(() => listSchedule([], 0)).toThrow(RangeError);
  expect(listSchedule([], 1)).toEqual({ kind: 'scheduled', duration: 0, activities: [] });
});

// "Reliable Construction" of Hillier & Lieberman (from memory): means are the durations of 10-A, variances as listed.
const ROWS: ReadonlyArray<readonly [string, number, number, number, number, number]> = [
  ['A', 1, 2, 3, 2, 1 / 9],
  ['B', 2, 3.5, 8, 4, 1],
  ['C', 6, 9, 18, 10, 4],
  ['D', 4, 5.5, 10, 6, 1],
  ['E', 1, 4.5, 5, 4, 4 / 9],
  ['F', 4, 4, 10, 5, 1],
  ['G', 5, 6.5, 11, 7, 1],
  ['H', 5, 8, 17, 9, 4],
  ['I', 3, 7.5, 9, 7, 1],
  ['J', 3, 9, 9, 8, 1],
  ['K', 4, 4, 4, 4, 0],
  ['L', 1, 5.5, 7, 5, 1],
  ['M', 1, 2, 3, 2, 1 / 9],
  ['N', 5, 5.5, 9, 6, 4 / 9],
];
test.each(ROWS)('10-B1, B5: estimate of %s', (_id, least, likely, most, mean, variance) => {
  expect(pert({ least, likely, most }).mean).toBeCloseTo(mean, 12);
  expect(pert({ least, likely, most }).variance).toBeCloseTo(variance, 6);
});
test('10-B2, B3: variance of the critical path is 9, and 47 weeks are met with Phi(1)', () => {
  const path = ROWS.filter(([id]) => 'ABCEFJLN'.includes(id));
  const variance = path.reduce((sum, [, least, likely, most]) => sum + pert({ least, likely, most }).variance, 0);
  const mean = path.reduce((sum, [, least, likely, most]) => sum + pert({ least, likely, most }).mean, 0);
  expect(variance).toBeCloseTo(9, 12);
  expect(jstat.jStat.normal.cdf(47, mean, Math.sqrt(variance))).toBeCloseTo(0.841344746, 7);
});
test('10-B4, B6: (2, 5, 14) by the rule of thumb and as a beta distribution', () => {
  const points = { least: 2, likely: 5, most: 14 };
  expect(pert(points)).toEqual({ mean: 6, variance: 4 });
  const beta = betaPert(points);
  expect([beta.alpha, beta.beta, beta.mean]).toEqual([2, 4, 6]);
  expect(beta.variance).toBeCloseTo(32 / 7, 12);
});
