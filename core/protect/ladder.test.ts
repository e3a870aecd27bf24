import fc from 'fast-check';
import { evaluateLadder, lostByChange, type Ladder, type LadderPoint } from '@/core/protect/ladder';
import { steadyCount, describeLadder } from '@/core/protect/ladder-steady';
import { DAY, HOUR } from '@/core/units';

const at = (hour: number): LadderPoint => ({ id: String(hour), takenAtMs: hour * HOUR });
const bands = (...rungs: Array<[null | 'hour' | 'day' | 'week' | 'month' | 'year', number, number]>): Ladder => ({
  reading: 'bands',
  zone: 'UTC',
  rungs: rungs.map(([per, count, spanMs]) => ({ per, count, spanMs })),
});
const HOURLY_THEN_DAILY = bands([null, 1, DAY], ['day', 1, 10 * DAY]);

/** Thins after every run, as the engine does. */
function stepByStep(ladder: Ladder, runs: number): LadderPoint[] {
  let points: LadderPoint[] = [];
  for (let hour = 0; hour < runs; hour++) {
    points.push(at(hour));
    const gone = new Set(evaluateLadder(ladder, points, hour * HOUR).letGo);
    points = points.filter((point) => !gone.has(point.id));
  }
  return points;
}

// Section 3 of the checks: common practice, no source; reproduced by two scripts.
test.each([
  [24, 24],
  [25, 24],
  [48, 25],
  [72, 26],
  [120, 28],
  [264, 34],
  [265, 34],
  [301, 34],
])('3-A1: hourly for 24 h then daily for 10 days: %d runs leave %d points', (runs, count) =>
  expect(stepByStep(HOURLY_THEN_DAILY, runs)).toHaveLength(count),
);
test('3-A2: four a day for 14 more days settles at 80 points', () => {
  expect(stepByStep(bands([null, 1, DAY], ['day', 4, 14 * DAY]), 361)).toHaveLength(80);
});
test('3-B: newest 2 keeps versions 3 and 4 of four', () => {
  const points = [0, 1, 2, 3].map(at);
  expect(evaluateLadder({ reading: 'newest', count: 2 }, points, 4 * HOUR).letGo.toSorted()).toEqual(['0', '1']);
});

const OVERLAY: Ladder = {
  reading: 'overlay',
  zone: 'UTC',
  rungs: [
    { per: 'day', periods: 14 },
    { per: 'week', periods: 8 },
    { per: 'month', periods: 12 },
    { per: 'year', periods: 7 },
  ],
};
const dailySince2015 = (until: string): LadderPoint[] => {
  const points: LadderPoint[] = [];
  for (let day = Date.parse('2015-01-01') / DAY; day <= Date.parse(until) / DAY; day++)
    points.push({ id: new Date(day * DAY).toISOString().slice(0, 10), takenAtMs: day * DAY + 12 * HOUR });
  return points;
};
test.each([
  ['2026-05-31', 36],
  ['2026-06-15', 34],
  ['2026-12-31', 36],
  ['2027-01-03', 35],
  ['2027-01-04', 34],
  ['2027-02-28', 35],
  ['2027-12-31', 36],
])('3-C4: overlay 14/8/12/7 on %s keeps %d distinct points', (day, count) => {
  const points = dailySince2015(day);
  expect(evaluateLadder(OVERLAY, points, Date.parse(day) + DAY).keep).toHaveLength(count);
});
test('3-D3: why on 2027-01-03', () => {
  const { keep } = evaluateLadder(OVERLAY, dailySince2015('2027-01-03'), Date.parse('2027-01-04'));
  const why = new Map(keep.map((k) => [k.id, k.why]));
  expect(why.get('2026-12-31')).toBe('last point of its day, month, year');
  expect(why.get('2027-01-03')).toBe('last point of its day, week, month, year');
  expect(why.get('2026-12-27')).toBe('last point of its day, week');
});

const ladders = fc.constantFrom<Ladder>(
  HOURLY_THEN_DAILY,
  bands([null, 1, 6 * HOUR], ['hour', 1, DAY], ['week', 1, 30 * DAY]),
  bands([null, 1, DAY], ['day', 1, 7 * DAY], ['week', 1, 28 * DAY], ['month', 1, 200 * DAY]),
  bands([null, 1, DAY], ['day', 4, 14 * DAY]),
  { ...bands([null, 1, DAY], ['month', 2, 90 * DAY]), zone: 'Europe/Oslo' } as Ladder,
);
const instants = fc.uniqueArray(fc.integer({ min: 0, max: 90 * 24 * 4 }), { minLength: 1, maxLength: 120 });

test('law: thinning at any times equals thinning once, and nothing let go is wanted later', () => {
  fc.assert(
    fc.property(ladders, instants, fc.integer({ min: 1, max: 9 }), (ladder, quarters, stride) => {
      const points = [...quarters].sort((a, b) => a - b).map((q) => ({ id: String(q), takenAtMs: q * (HOUR / 4) }));
      const end = (points.at(-1) as LadderPoint).takenAtMs + 10 * DAY;
      let left: LadderPoint[] = [];
      points.forEach((point, i) => {
        left.push(point);
        if (i % stride) return;
        const gone = new Set(evaluateLadder(ladder, left, point.takenAtMs).letGo);
        left = left.filter((p) => !gone.has(p.id));
      });
      const ids = (list: readonly { id: string }[]) => list.map((p) => p.id).sort();
      const once = evaluateLadder(ladder, points, end).keep;
      expect(ids(evaluateLadder(ladder, left, end).keep)).toEqual(ids(once));
      expect(once.length).toBeGreaterThan(0);
    }),
    { numRuns: 300 },
  );
});

test('a held point stays past its ladder, and the newest stays whatever its age', () => {
  const ladder = bands([null, 1, HOUR]);
  const points = [{ ...at(0), heldUntilMs: Infinity }, at(1), { ...at(2), heldUntilMs: 5 * HOUR }, at(3)];
  const verdict = evaluateLadder(ladder, points, 100 * HOUR);
  expect(verdict.letGo.toSorted()).toEqual(['1', '2']);
  expect(verdict.keep.map((k) => [k.id, k.why])).toEqual([
    ['3', 'the newest usable point always stays'],
    ['0', 'held'],
  ]);
});

test('a shorter ladder says which points it would destroy', () => {
  const points = Array.from({ length: 48 }, (_, hour) => at(hour));
  const lost = lostByChange(bands([null, 1, 2 * DAY]), bands([null, 1, DAY]), points, 47 * HOUR);
  expect(lost).toHaveLength(24);
});

test('a full ladder holds what its steps give', () => {
  const now = Date.parse('2026-03-12T23:00Z');
  expect(steadyCount(HOURLY_THEN_DAILY, HOUR, now)).toBe(34);
  expect(describeLadder(HOURLY_THEN_DAILY)).toBe('every point for 24 h, then 1 a day for 10 days');
});
