import fc from 'fast-check';
import { bucketOf } from '@/core/protect/ladder-bucket';
import { evaluateLadder, letGoBy, lostByChange, type Ladder, type LadderPoint } from '@/core/protect/ladder';
import { describeLadder, reachOf, steadyCount, steadyPoints } from '@/core/protect/ladder-steady';
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
test('3-A3: with closed windows, which ours are not, it would be 35 and 81', () => {
  const closed = 1;
  const runs = 15 * 24 + 1;
  expect(stepByStep(bands([null, 1, DAY + closed], ['day', 1, 10 * DAY]), runs)).toHaveLength(35);
  expect(stepByStep(bands([null, 1, DAY + closed], ['day', 4, 14 * DAY]), runs)).toHaveLength(81);
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

const CLOSED: Ladder = { ...OVERLAY, closed: true } as Ladder;
const keptOn = (ladder: Ladder, day: string): number =>
  evaluateLadder(ladder, dailySince2015(day), Date.parse(day) + DAY).keep.length;

// "Closed": a week, month or year counts once it is over. By definition; reproduced by two scripts.
test.each([
  ['2026-05-31', 37],
  ['2026-06-15', 37],
  ['2026-12-31', 37],
  ['2027-01-03', 37],
  ['2027-01-04', 37],
  ['2027-02-28', 36],
  ['2027-12-31', 37],
])('3-C4: on %s the closed overlay keeps %d distinct points', (day, count) => expect(keptOn(CLOSED, day)).toBe(count));

test('3-C2: 14 daily, 8 weekly, 12 monthly and 7 yearly hold 41 at most, when no point serves two', () => {
  const rungs = OVERLAY.reading === 'overlay' ? OVERLAY.rungs : [];
  expect(rungs.reduce((sum, rung) => sum + rung.periods, 0)).toBe(41);
});

const days2026And2027 = Array.from({ length: 730 }, (_, i) => Date.parse('2026-01-01') / DAY + i);
test('3-C3: thinned every day of two years the open overlay is the set of that day, 33 to 37 points', () => {
  let left = dailySince2015('2025-12-31');
  const sizes: number[] = [];
  for (const day of days2026And2027) {
    left = [...left, { id: new Date(day * DAY).toISOString().slice(0, 10), takenAtMs: day * DAY + 12 * HOUR }];
    const gone = new Set(letGoBy(OVERLAY, left, (day + 1) * DAY));
    left = left.filter((point) => !gone.has(point.id));
    sizes.push(left.length);
    if (day % 61 === 0) expect(left.length).toBe(keptOn(OVERLAY, new Date(day * DAY).toISOString().slice(0, 10)));
  }
  expect([Math.min(...sizes), Math.max(...sizes)]).toEqual([33, 37]);
});

test('3-C5: the closed overlay holds 36 to 38 points in these two years', () => {
  const sizes = days2026And2027.map((day) => keptOn(CLOSED, new Date(day * DAY).toISOString().slice(0, 10)));
  expect([Math.min(...sizes), Math.max(...sizes)]).toEqual([36, 38]);
});

const lastOf = (per: 'week' | 'month', day: number): boolean =>
  bucketOf('UTC', per, 1, day * DAY) !== bucketOf('UTC', per, 1, (day + 1) * DAY);
test('3-D1: the last day of a month is the last of its ISO week four times in two years', () => {
  const both = days2026And2027.filter((day) => lastOf('month', day) && lastOf('week', day));
  expect(both.map((day) => new Date(day * DAY).toISOString().slice(0, 10))).toEqual([
    '2026-05-31',
    '2027-01-31',
    '2027-02-28',
    '2027-10-31',
  ]);
});
test.each([
  ['2026-01-31', '2026-02-01'],
  ['2026-04-30', '2026-05-03'],
  ['2026-12-31', '2027-01-03'],
  ['2027-03-31', '2027-04-04'],
])('3-D2: the ISO week of %s ends on %s', (monthEnd, weekEnd) => {
  const day = Date.parse(monthEnd) / DAY;
  const end = [0, 1, 2, 3, 4, 5, 6].map((i) => day + i).find((d) => lastOf('week', d)) as number;
  expect(new Date(end * DAY).toISOString().slice(0, 10)).toBe(weekEnd);
});
test('3-D4: a monthly rung after a weekly one keeps month ends, not the last Sunday before them', () => {
  const ladder = bands([null, 1, 7 * DAY], ['week', 1, 28 * DAY], ['month', 1, 400 * DAY]);
  let left: LadderPoint[] = [];
  for (let day = Date.parse('2026-01-01') / DAY; day <= Date.parse('2027-01-31') / DAY; day++) {
    left.push({ id: new Date(day * DAY).toISOString().slice(0, 10), takenAtMs: day * DAY });
    const gone = new Set(letGoBy(ladder, left, day * DAY));
    left = left.filter((point) => !gone.has(point.id));
  }
  const old = left.map((point) => point.id).filter((id) => id < '2026-12');
  expect(old).toEqual(
    ['01-31', '02-28', '03-31', '04-30', '05-31', '06-30', '07-31', '08-31', '09-30', '10-31', '11-30'].map(
      (d) => `2026-${d}`,
    ),
  );
});

test('law: what goes is the same with and without the reasons', () => {
  fc.assert(
    fc.property(ladders, instants, fc.boolean(), (ladder, quarters, verified) => {
      const points = quarters.map((q, i) => ({
        id: String(q),
        takenAtMs: q * (HOUR / 4),
        ...(verified && i % 3 === 0 ? { verified: i % 2 === 0 } : {}),
        ...(i % 7 === 0 ? { heldUntilMs: 40 * DAY } : {}),
      }));
      const now = 60 * DAY;
      expect(letGoBy(ladder, points, now).sort()).toEqual([...evaluateLadder(ladder, points, now).letGo].sort());
    }),
    { numRuns: 200 },
  );
});

test('the newest verified point stays below the newest of all', () => {
  const points = [
    at(1),
    { ...at(2), verified: true },
    { ...at(3), verified: true },
    { ...at(4), verified: false },
    at(5),
  ];
  const verdict = evaluateLadder({ reading: 'newest', count: 1 }, points, 9 * HOUR);
  expect(verdict.keep.map((k) => [k.id, k.why])).toEqual([
    ['5', 'number 1 of the newest 1'],
    ['3', 'the newest verified point always stays'],
  ]);
});

test('which points a full ladder holds, how far it reaches back, and its words', () => {
  const now = Date.parse('2026-03-12T23:00Z');
  const held = steadyPoints(HOURLY_THEN_DAILY, HOUR, now);
  expect(held).toHaveLength(34);
  expect(held.filter((k) => k.why.startsWith('rung 2'))).toHaveLength(11);
  expect(reachOf(HOURLY_THEN_DAILY, HOUR)).toBe(11 * DAY);
  expect(reachOf({ reading: 'newest', count: 3 }, HOUR)).toBe(3 * HOUR);
  expect(steadyCount({ reading: 'newest', count: 3 }, HOUR, now)).toBe(3);
  expect(steadyCount(OVERLAY, DAY, Date.parse('2026-05-31T12:00Z'))).toBe(36);
  expect(describeLadder(OVERLAY)).toMatch(/^last of each of 14 days and last of each of 8 weeks/);
  expect(describeLadder({ reading: 'newest', count: 3 })).toBe('the newest 3');
  expect(describeLadder(bands(['hour', 2, DAY]))).toBe('2 an hour for 24 h');
});
