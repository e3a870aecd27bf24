import fc from 'fast-check';
import { describeCadence, longestGap, nextAfter, occurrences, type Cadence } from '@/core/time/cadence';
import { fromLocal } from '@/core/time/zone';
import { DAY, HOUR, MINUTE } from '@/core/units';

const daily = (zone: string, ...times: number[]): Cadence => ({
  kind: 'weekly',
  zone,
  weekdays: [1, 2, 3, 4, 5, 6, 7],
  timesMin: times,
});
const between = (cadence: Cadence, from: string, to: string) =>
  occurrences(cadence, Date.parse(from), Date.parse(to)).map((at) => new Date(at).toISOString().slice(5, 16) + 'Z');
const grid15 = Array.from({ length: 20 }, (_, i) => i * 15);

// RFC 5545 3.3.5 and 3.8.5.3 (text from memory); reproduced by python-dateutil with zoneinfo.
test('1-E01: daily 02:30 Berlin over the spring change leaves no hole', () => {
  expect(between(daily('Europe/Berlin', 150), '2026-03-27T00:00Z', '2026-04-01T00:00Z')).toEqual([
    '03-27T01:30Z',
    '03-28T01:30Z',
    '03-29T01:30Z',
    '03-30T00:30Z',
    '03-31T00:30Z',
  ]);
});
test('1-E02: daily 02:30 Berlin over the autumn change runs at the first 02:30', () => {
  expect(between(daily('Europe/Berlin', 150), '2026-10-23T00:00Z', '2026-10-27T00:00Z')).toEqual([
    '10-23T00:30Z',
    '10-24T00:30Z',
    '10-25T00:30Z',
    '10-26T01:30Z',
  ]);
});
test('1-E03: daily 02:15 Lord Howe, half-hour gap', () => {
  expect(between(daily('Australia/Lord_Howe', 135), '2026-10-02T15:00Z', '2026-10-04T16:00Z')).toEqual([
    '10-02T15:45Z',
    '10-03T15:45Z',
    '10-04T15:15Z',
  ]);
});
test('1-E04: daily 01:45 Lord Howe, half-hour overlap', () => {
  expect(between(daily('Australia/Lord_Howe', 105), '2026-04-03T14:00Z', '2026-04-05T16:00Z')).toEqual([
    '04-03T14:45Z',
    '04-04T14:45Z',
    '04-05T15:15Z',
  ]);
});
test('1-E05: a wall-clock grid has a 75 min hole in autumn', () => {
  const cadence = daily('Europe/Berlin', ...grid15);
  const start = fromLocal('Europe/Berlin', Date.parse('2026-10-25T00:00Z'));
  const found = occurrences(cadence, start, start + 6 * HOUR);
  expect(found).toHaveLength(20);
  expect(Math.max(...found.slice(1).map((at, i) => at - (found[i] as number)))).toBe(75 * MINUTE);
});
test('1-E06: the same grid folds 20 wall times onto 16 instants in spring', () => {
  const start = fromLocal('Europe/Berlin', Date.parse('2026-03-29T00:00Z'));
  expect(occurrences(daily('Europe/Berlin', ...grid15), start, start + 4 * HOUR)).toHaveLength(16);
});
test.each([
  ['2026-10-25', 100],
  ['2026-03-29', 92],
])('1-E07: every 15 min is elapsed time: %s has %d', (day, count) => {
  const cadence: Cadence = { kind: 'every', everyMs: 15 * MINUTE, offsetMs: 0 };
  const start = Date.parse(`${day}T00:00Z`);
  const found = occurrences(cadence, fromLocal('Europe/Berlin', start), fromLocal('Europe/Berlin', start + DAY));
  expect(found).toHaveLength(count);
  expect(new Set(found.slice(1).map((at, i) => at - (found[i] as number)))).toEqual(new Set([15 * MINUTE]));
});

const cadences = fc.oneof(
  fc.record({
    kind: fc.constant('every' as const),
    everyMs: fc.integer({ min: 1, max: 3000 }).map((n) => n * 30_000),
    offsetMs: fc.integer({ min: 0, max: 3_600_000 }),
  }),
  fc.record({
    kind: fc.constant('weekly' as const),
    zone: fc.constantFrom('Europe/Oslo', 'Australia/Lord_Howe', 'America/Santiago', 'UTC'),
    weekdays: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
    timesMin: fc.uniqueArray(fc.integer({ min: 0, max: 1439 }), { minLength: 1, maxLength: 5 }),
  }),
);

test('law: next and occurrences agree', () => {
  fc.assert(
    fc.property(cadences, fc.integer({ min: 0, max: 730 * 24 }), (cadence, hour) => {
      const from = Date.parse('2026-01-01T00:00Z') + hour * HOUR;
      const found = occurrences(cadence, from, from + 3 * DAY);
      expect(found).toEqual([...new Set(found)].sort((a, b) => a - b));
      const next = nextAfter(cadence, from - 1) as number;
      if (next < from + 3 * DAY) expect(found[0]).toBe(next);
      else expect(found).toEqual([]);
    }),
    { numRuns: 200 },
  );
});

test('by hand is never due', () => {
  expect(nextAfter({ kind: 'by-hand' }, 0)).toBeNull();
  expect(longestGap({ kind: 'by-hand' })).toBeNull();
});

test.each<[Cadence, string, number]>([
  [{ kind: 'every', everyMs: 15 * MINUTE, offsetMs: 0 }, 'every 15 min', 15 * MINUTE],
  [{ kind: 'every', everyMs: HOUR, offsetMs: 0 }, 'every hour', HOUR],
  [
    { kind: 'weekly', zone: 'Europe/Oslo', weekdays: [1, 2, 3, 4, 5], timesMin: [1320] },
    'every weekday at 22:00, Europe/Oslo',
    3 * DAY,
  ],
  [
    { kind: 'weekly', zone: 'Europe/Oslo', weekdays: [6], timesMin: [0] },
    'every Saturday at 00:00, Europe/Oslo',
    7 * DAY,
  ],
])('%j reads "%s"', (cadence, words, gap) => {
  expect(describeCadence(cadence)).toBe(words);
  expect(longestGap(cadence)).toBe(gap);
});
