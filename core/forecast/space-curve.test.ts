/** Source: none; the model of space-curve.ts, worked out by hand. */
import { spaceCurve, type SpaceLane } from '@/core/forecast/space-curve';
import { DAY, HOUR } from '@/core/units';

const FROM = Date.UTC(2026, 4, 4);
const daily: SpaceLane = {
  cadence: { kind: 'every', everyMs: DAY, offsetMs: 0 },
  ladder: { reading: 'newest', count: 5 },
  sinceMs: FROM - DAY,
  bytesPerMs: 10 / DAY,
  mostBytes: 1000,
};

test('a ladder that fills grows by a day of changes each day and then stays level', () => {
  // One point now, two after a day, five after four; four gaps of 10 bytes at most.
  expect([...spaceCurve([daily], 100, FROM, 8)]).toEqual([100, 110, 120, 130, 140, 140, 140, 140, 140]);
});

test('changes that merge cost no more than the disk', () => {
  const sparse: SpaceLane = {
    ...daily,
    cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
    ladder: {
      reading: 'bands',
      zone: 'UTC',
      rungs: [
        { per: null, count: 1, spanMs: 2 * HOUR },
        { per: 'week', count: 1, spanMs: 56 * DAY },
      ],
    },
    bytesPerMs: 1 / HOUR,
    mostBytes: 50,
  };
  const curve = spaceCurve([sparse], 0, FROM, 365);
  // Weeks hold 168 h of changes, of which 50 bytes count; eight weeks and the newest points are the whole.
  expect(Math.max(...curve)).toBeLessThanOrEqual(9 * 50 + 3);
  expect(curve[300]).toBeGreaterThan(7 * 50);
});

test('growth raises what later points add, and only theirs', () => {
  const level = spaceCurve([daily], 0, FROM, 365).at(-1) as number;
  const grown = spaceCurve([daily], 0, FROM, 365, 2).at(-1) as number;
  expect(level).toBeCloseTo(40, 9);
  expect(grown / level).toBeGreaterThan(1.97);
  expect(grown / level).toBeLessThan(2);
});

test('lanes of a class count each by its own rate', () => {
  const both = spaceCurve([daily, { ...daily, bytesPerMs: 30 / DAY }], 0, FROM, 10).at(-1);
  expect(both).toBeCloseTo(160, 9);
});

test('more than a year is refused', () => {
  expect(() => spaceCurve([daily], 0, FROM, 366)).toThrow(/1 to 365/);
});
