import fc from 'fast-check';
import { bounds, capacityForBuffer, inRow, knees, output, profileBacklog } from '@/core/flow/backlog';

// Le Boudec & Thiran, Network Calculus, theorems 1.4.1 and 1.4.2 (from memory; arithmetic recomputed).
test.each([
  ['7-A1', 10, 2, 5, 3, 16, 5],
  ['7-A2', 8, 4, 4, 2, 16, 4],
  ['7-A3', 20, 1, 10, 0, 20, 2],
  ['7-A4', 10, 2, 4, 1, 12, 3.5],
  ['7-A5', 16, 2, 4, 1, 18, 5],
  ['7-A6', 10, 2, 4, 4, 18, 6.5],
])('%s: b=%d r=%d into R=%d T=%d', (_id, burst, rate, served, latency, backlog, delay) => {
  expect(bounds([{ burst, rate }], { rate: served, latency })).toEqual({ backlog, delay });
});
test('7-A7: two servers: node by node 10, as one 6.5 (pay bursts only once)', () => {
  const arrival = { burst: 10, rate: 2 };
  const first = { rate: 5, latency: 3 };
  const second = { rate: 4, latency: 1 };
  const between = output(arrival, first);
  expect(between.burst).toBe(16);
  expect(bounds([arrival], first).delay + bounds([between], second).delay).toBe(10);
  expect(inRow(first, second)).toEqual({ rate: 4, latency: 4 });
  expect(bounds([arrival], inRow(first, second)).delay).toBe(6.5);
});
test('7-B1: a dual bucket (proposition 1.4.1)', () => {
  const buckets = [
    { burst: 1, rate: 10 },
    { burst: 17, rate: 2 },
  ];
  expect(knees(buckets)).toEqual([2]);
  const { backlog, delay } = bounds(buckets, { rate: 5, latency: 1 });
  expect(backlog).toBe(16);
  expect(delay).toBeCloseTo(3.2, 12);
});
test('more than is served in the long run has no bound', () => {
  expect(bounds([{ burst: 1, rate: 6 }], { rate: 5, latency: 0 })).toEqual({ backlog: Infinity, delay: Infinity });
});

// Invented profile; the numbers follow from the definition (python Fraction).
const PROFILE = [2, 2, 2, 2, 2, 3, 5, 8, 12, 15, 16, 14, 9, 12, 15, 14, 10, 7, 5, 4, 3, 3, 2, 1];
test('7-C1, C2: 168 GB a day into 8 GB/h', () => {
  const b = profileBacklog(PROFILE, 8, 2);
  expect(PROFILE.reduce((a, v) => a + v, 0)).toBe(168);
  expect([b.most, b.mostAtHour % 24, b.longestDelay, ...b.atDayEnd]).toEqual([45, 17, 5.625, 14, 14]);
  expect(profileBacklog(PROFILE, 8, 1.25).emptyAtHour).toBeCloseTo(26 + 20 / 60, 9);
});
test.each([
  [10, 27, 16, 2.7, 0],
  [7.5, 50, 17, 20 / 3, 22.5],
  [7, 55, 17, 55 / 7, 31],
])('7-C3: at %d GB/h the most is %d GB at %d:00', (capacity, most, at, delay, left) => {
  const b = profileBacklog(PROFILE, capacity, 1);
  expect([b.most, b.mostAtHour]).toEqual([most, at]);
  expect(b.longestDelay).toBeCloseTo(delay, 12);
  expect(b.atDayEnd).toEqual([left]);
});
test('7-C4: below the mean it never drains', () => {
  const b = profileBacklog(PROFILE, 6, 5);
  expect(b.atDayEnd).toEqual([48, 72, 96, 120, 144]);
  expect(b.emptyAtHour).toBeNull();
});
test('7-C5: a 30 GB buffer needs 29/3 GB/h, 21.481481 Mbit/s', () => {
  expect(capacityForBuffer(PROFILE, 30)).toBeCloseTo(29 / 3, 9);
  expect((capacityForBuffer(PROFILE, 30) * 8e9) / 3600 / 1e6).toBeCloseTo(21.481481, 6);
});

test('law: with the capacity for a buffer the backlog never passes it, with a little less it does', () => {
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 0, max: 50 }), { minLength: 2, maxLength: 24 }),
      fc.integer({ min: 1, max: 100 }),
      (profile, buffer) => {
        const capacity = capacityForBuffer(profile, buffer);
        expect(profileBacklog(profile, capacity, 6).most).toBeLessThanOrEqual(buffer + 1e-9);
        const mean = profile.reduce((a, v) => a + v, 0) / profile.length;
        if (capacity > mean * 1.001 + 1e-9)
          expect(profileBacklog(profile, capacity * 0.999 - 1e-9, 6).most).toBeGreaterThan(buffer);
      },
    ),
  );
});
