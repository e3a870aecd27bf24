import fc from 'fast-check';
import {
  exposureAt,
  largestCadence,
  spansOver,
  standingOf,
  summariseExposure,
  worstExposures,
  worstOfRegular,
  type ExposurePoint,
} from '@/core/point/exposure';
import { HOUR, MINUTE } from '@/core/units';

const points = (pairs: ReadonlyArray<readonly [number, number]>): ExposurePoint[] =>
  pairs.map(([taken, usable]) => ({ takenAtMs: taken * MINUTE, usableFromMs: usable * MINUTE, goneAtMs: null }));
const regular = (cadence: number, delay: number) =>
  points(Array.from({ length: 60 }, (_, i) => [i * cadence, i * cadence + delay] as const));

// Section 4 of the checks: follows from the definition; reproduced in exact fractions.
test.each([
  ['4-A1', 60, 20, 60, 80, 20, 50, 2 / 3],
  ['4-A2', 60, 0, 60, 60, 0, 30, 1],
  ['4-A3', 15, 5, 15, 20, 5, 12.5, 2 / 3],
  ['4-A4', 1440, 240, 1440, 1680, 240, 960, 5 / 6],
  ['4-A5', 60, 90, 60, 150, 90, 120, 0],
])('%s: cadence %d, delay %d, RPO %d', (_id, cadence, delay, rpo, worst, least, mean, share) => {
  const from = 10 * cadence + delay;
  const summary = summariseExposure(
    regular(cadence, delay),
    from * MINUTE,
    (from + 20 * cadence) * MINUTE,
    rpo * MINUTE,
  );
  expect(summary.worstMs).toBe(worst * MINUTE);
  expect(summary.leastMs).toBe(least * MINUTE);
  expect(summary.meanMs).toBeCloseTo(mean * MINUTE, 6);
  expect(summary.shareWithin).toBeCloseTo(share, 12);
  expect(worstOfRegular(cadence, delay)).toBe(worst);
});
test.each<[string, Array<[number, number]>, number, number, number, number, number, number]>([
  [
    '4-B1',
    [
      [0, 20],
      [60, 95],
      [120, 130],
      [180, 230],
      [240, 260],
    ],
    20,
    260,
    110,
    10,
    58.75,
    25 / 48,
  ],
  [
    '4-B2',
    [
      [0, 20],
      [60, 80],
      [180, 200],
      [240, 260],
    ],
    20,
    260,
    140,
    20,
    65,
    1 / 2,
  ],
  [
    '4-B3',
    [
      [0, 20],
      [60, 160],
      [120, 130],
      [180, 200],
    ],
    20,
    200,
    130,
    10,
    190 / 3,
    1 / 2,
  ],
])('%s: irregular points', (_id, pairs, from, to, worst, least, mean, share) => {
  const summary = summariseExposure(points(pairs), from * MINUTE, to * MINUTE, 60 * MINUTE);
  expect(summary.worstMs).toBe(worst * MINUTE);
  expect(summary.leastMs).toBe(least * MINUTE);
  expect(summary.meanMs).toBeCloseTo(mean * MINUTE, 6);
  expect(summary.shareWithin).toBeCloseTo(share, 12);
});
test.each([
  [60, 20, 40],
  [15, 5, 10],
  [240, 90, 150],
])('4-C2: RPO %d with delay %d allows a cadence of %d', (rpo, delay, cadence) => {
  expect(largestCadence(rpo, delay)).toBe(cadence);
});

test('exposure counts from taken, and only once usable and while not gone', () => {
  const list = [
    ...points([
      [0, 20],
      [60, 80],
    ]),
    { takenAtMs: 90 * MINUTE, usableFromMs: 91 * MINUTE, goneAtMs: 100 * MINUTE },
  ];
  expect(exposureAt(list, 10 * MINUTE)).toBeNull();
  expect(exposureAt(list, 79 * MINUTE)).toBe(79 * MINUTE);
  expect(exposureAt(list, 80 * MINUTE)).toBe(20 * MINUTE);
  expect(exposureAt(list, 95 * MINUTE)).toBe(5 * MINUTE);
  expect(exposureAt(list, 100 * MINUTE)).toBe(40 * MINUTE);
});

test('spans over the limit open exactly when the limit is passed and close when a point is usable', () => {
  expect(
    spansOver(
      points([
        [0, 20],
        [60, 80],
        [180, 200],
      ]),
      20 * MINUTE,
      260 * MINUTE,
      60 * MINUTE,
    ),
  ).toEqual([
    { fromMs: 60 * MINUTE, toMs: 80 * MINUTE },
    { fromMs: 120 * MINUTE, toMs: 200 * MINUTE },
    { fromMs: 240 * MINUTE, toMs: 260 * MINUTE },
  ]);
  expect(spansOver([], 0, 5, 1)).toEqual([{ fromMs: 0, toMs: 5 }]);
});

test.each<[string, number | null, number, number | null, string]>([
  ['no usable point', null, 60, 10, 'over'],
  ['past the RPO', 61, 60, 10, 'over'],
  ['at the RPO, next in time', 60, 60, 0, 'inside'],
  ['next point too late', 30, 60, 31, 'closing'],
  ['nothing expected', 30, 60, null, 'closing'],
  ['nothing expected, but a long way off', 30, 240, null, 'inside'],
  ['next point in time', 30, 60, 29, 'inside'],
])('standing: %s', (_name, exposure, rpo, next, expected) => {
  const now = 1000 * HOUR;
  const standing = standingOf(
    exposure === null ? null : exposure * MINUTE,
    rpo * MINUTE,
    now,
    next === null ? null : now + next * MINUTE,
  );
  expect(standing).toBe(expected);
});

test('a point that goes gives the exposure back to the one before it, from that instant on', () => {
  const points = [
    { takenAtMs: 0, usableFromMs: 0, goneAtMs: null },
    { takenAtMs: 60 * MINUTE, usableFromMs: 61 * MINUTE, goneAtMs: 80 * MINUTE },
    { takenAtMs: 90 * MINUTE, usableFromMs: 95 * MINUTE, goneAtMs: null },
  ];
  expect(spansOver(points, 0, 100 * MINUTE, 70 * MINUTE)).toEqual([{ fromMs: 80 * MINUTE, toMs: 95 * MINUTE }]);
  expect(summariseExposure(points, 0, 100 * MINUTE, 70 * MINUTE).worstMs).toBe(95 * MINUTE);
});

test('law: exposure over a span is what exposure at its instants is, whatever comes and goes', () => {
  const point = fc.record({
    takenAtMs: fc.integer({ min: 0, max: 40 }),
    usable: fc.integer({ min: 0, max: 9 }),
    stays: fc.option(fc.integer({ min: 1, max: 30 }), { nil: null }),
  });
  fc.assert(
    fc.property(fc.array(point, { maxLength: 12 }), fc.integer({ min: 1, max: 20 }), (list, limit) => {
      const points = list.map(({ takenAtMs, usable, stays }) => ({
        takenAtMs,
        usableFromMs: takenAtMs + usable,
        goneAtMs: stays === null ? null : takenAtMs + usable + stays,
      }));
      const over = spansOver(points, 0, 60, limit);
      for (let at = 0; at < 60; at++) {
        const exposure = exposureAt(points, at);
        // Half a millisecond on, where nothing turns.
        const isOver = exposure === null || exposure + 0.5 > limit;
        expect(over.some((span) => span.fromMs <= at + 0.5 && at + 0.5 < span.toMs)).toBe(isOver);
      }
    }),
  );
});

test('a stream bounds the exposure while it flows; where it stands the clock counts on', () => {
  const flow = { fromMs: 10 * MINUTE, toMs: 40 * MINUTE, lagMs: MINUTE };
  const marks = points([[0, 0]]);
  const stood = { takenAtMs: 39 * MINUTE, usableFromMs: 40 * MINUTE, goneAtMs: null };
  const summary = summariseExposure([...marks, stood], 0, 60 * MINUTE, 5 * MINUTE, [flow]);
  expect([summary.worstMs, summary.leastMs]).toEqual([21 * MINUTE, 0]);
  // Within five minutes: the first 5, the 30 of the flow, and 4 more after its end.
  expect(summary.shareWithin).toBeCloseTo((5 + 30 + 4) / 60, 12);
  // Areas in square minutes: 10²/2, 30 × 1, (21² - 1²)/2.
  expect(summary.meanMs).toBeCloseTo(((50 + 30 + 220) / 60) * MINUTE, 6);
  expect(summariseExposure([], 0, 60 * MINUTE, HOUR, [flow]).worstMs).toBeNull();
  expect(summariseExposure([], 10 * MINUTE, 40 * MINUTE, HOUR, [flow]).worstMs).toBe(MINUTE);
});

test('law: with streams exposure is the least of what points and each of them give', () => {
  const point = fc.record({ takenAtMs: fc.integer({ min: 0, max: 30 }), usable: fc.integer({ min: 0, max: 9 }) });
  const flow = fc.record({
    fromMs: fc.integer({ min: 0, max: 30 }),
    long: fc.integer({ min: 1, max: 20 }),
    lagMs: fc.integer({ min: 0, max: 15 }),
  });
  fc.assert(
    fc.property(
      fc.array(point, { maxLength: 6 }),
      fc.array(flow, { maxLength: 4 }),
      fc.integer({ min: 1, max: 20 }),
      (list, streams, limit) => {
        const given = list.map((p) => ({
          takenAtMs: p.takenAtMs,
          usableFromMs: p.takenAtMs + p.usable,
          goneAtMs: null,
        }));
        const flows = streams.map((f) => ({ fromMs: f.fromMs, toMs: f.fromMs + f.long, lagMs: f.lagMs }));
        const at = (ms: number): number => {
          const lags = flows.filter((f) => f.fromMs <= ms && ms < f.toMs).map((f) => f.lagMs);
          return Math.min(exposureAt(given, ms) ?? Infinity, ...lags);
        };
        // Everything turns at whole milliseconds, so exposure is straight between two of them.
        const middles = Array.from({ length: 60 }, (_, i) => at(i + 0.5));
        const summary = summariseExposure(given, 0, 60, limit, flows);
        expect(summary.shareWithin * 60).toBeCloseTo(middles.filter((ms) => ms <= limit).length, 9);
        const none = middles.includes(Infinity);
        expect(summary.meanMs === null).toBe(none);
        if (summary.meanMs !== null)
          expect(summary.meanMs * 60).toBeCloseTo(
            middles.reduce((sum, ms) => sum + ms, 0),
            6,
          );
        const worst = Math.max(...Array.from({ length: 60 }, (_, i) => at(i + 1 - 1e-7)));
        expect(worstExposures(given, flows, 60, [60, 23])).toEqual([
          summary.worstMs,
          summariseExposure(given, 37, 60, limit, flows).worstMs,
        ]);
        if (none) expect(summary.worstMs).toBeNull();
        else expect(summary.worstMs).toBeCloseTo(worst, 5);
      },
    ),
  );
});
