import fc from 'fast-check';
import {
  describeCadence,
  longestGap,
  nextAfter,
  occurrences,
  previousBefore,
  startsWithin,
  type Cadence,
} from '@/core/time/cadence';
import { isOpen, type Opening } from '@/core/time/window';
import { fromLocal, UnknownZone } from '@/core/time/zone';
import { DAY, HOUR, MINUTE } from '@/core/units';

const rule = (zone: string, text: string): Cadence => ({ kind: 'rule', zone, start: '2026-01-05T00:00', rule: text });

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
    everyMs: fc.integer({ min: 10, max: 3000 }).map((n) => n * 30_000),
    offsetMs: fc.integer({ min: 0, max: 3_600_000 }),
  }),
  fc
    .record({
      zone: fc.constantFrom('Europe/Oslo', 'Australia/Lord_Howe', 'America/Santiago', 'UTC'),
      days: fc.constantFrom(
        'FREQ=DAILY',
        'FREQ=WEEKLY;BYDAY=MO,TH',
        'FREQ=MONTHLY;BYDAY=-1FR',
        'FREQ=DAILY;INTERVAL=2',
      ),
      hours: fc.subarray([0, 1, 2, 3, 22], { minLength: 1 }),
      minutes: fc.subarray([0, 15, 30, 45], { minLength: 1 }),
    })
    .map(({ zone, days, hours, minutes }) =>
      rule(zone, `${days};BYHOUR=${hours.join(',')};BYMINUTE=${minutes.join(',')}`),
    ),
);

test('law: next, previous and occurrences agree', () => {
  fc.assert(
    fc.property(cadences, fc.integer({ min: 0, max: 730 * 24 }), (cadence, hour) => {
      const from = Date.parse('2026-01-01T00:00Z') + hour * HOUR;
      const found = occurrences(cadence, from, from + 3 * DAY);
      expect(found).toEqual([...new Set(found)].sort((a, b) => a - b));
      const next = nextAfter(cadence, from - 1) as number;
      if (next < from + 3 * DAY) expect(found[0]).toBe(next);
      else expect(found).toEqual([]);
      if (found.length) expect(previousBefore(cadence, from + 3 * DAY)).toBe(found.at(-1));
    }),
    { numRuns: 200 },
  );
});

test.each<[Cadence, string, number]>([
  [{ kind: 'every', everyMs: 15 * MINUTE, offsetMs: 0 }, 'every 15 min', 15 * MINUTE],
  [{ kind: 'every', everyMs: HOUR, offsetMs: 0 }, 'every hour', HOUR],
  [
    rule('Europe/Oslo', 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=22;BYMINUTE=0'),
    'every weekday at 22:00, Europe/Oslo',
    3 * DAY + HOUR,
  ],
  [rule('Europe/Oslo', 'FREQ=WEEKLY;BYDAY=SA'), 'every Saturday at 00:00, Europe/Oslo', 7 * DAY + HOUR],
  [rule('UTC', 'FREQ=DAILY;BYHOUR=6,18;BYMINUTE=30'), 'every day at 06:30, 18:30, UTC', 12 * HOUR],
  [rule('UTC', 'FREQ=DAILY;INTERVAL=3'), 'every 3 days at 00:00, UTC', 3 * DAY],
  [rule('UTC', 'FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,SU'), 'every 2 weeks on Tuesday and Sunday at 00:00, UTC', 9 * DAY],
  [rule('UTC', 'FREQ=WEEKLY'), 'every Monday at 00:00, UTC', 7 * DAY],
  [rule('UTC', 'FREQ=MONTHLY;BYDAY=-1FR'), 'the last Friday of every month at 00:00, UTC', 35 * DAY],
  [
    rule('UTC', 'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2'),
    'the second to last weekday of every month at 00:00, UTC',
    33 * DAY,
  ],
  [
    rule('UTC', 'FREQ=MONTHLY;BYMONTHDAY=1,15,-1;COUNT=9'),
    'day 1 and 15 and the last day of every month at 00:00, UTC, 9 times',
    16 * DAY,
  ],
  [rule('UTC', 'FREQ=MONTHLY'), 'day 5 of every month at 00:00, UTC', 31 * DAY],
  [
    rule('UTC', 'FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13'),
    'every Friday that is day 13 of every month at 00:00, UTC',
    427 * DAY,
  ],
  [
    rule('UTC', 'FREQ=YEARLY;BYMONTH=1,7;BYMONTHDAY=1'),
    'day 1 of January and July, every year at 00:00, UTC',
    184 * DAY,
  ],
  [rule('UTC', 'FREQ=YEARLY;BYDAY=20MO'), 'the 20th Monday of every year at 00:00, UTC', 364 * DAY],
  [rule('UTC', 'FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO'), 'Monday of week 20, every year at 00:00, UTC', 371 * DAY],
  [
    rule('UTC', 'FREQ=DAILY;BYMONTH=12;UNTIL=20271224T000000Z'),
    'every day in December at 00:00, UTC, until 2027-12-24',
    335 * DAY,
  ],
  [rule('UTC', 'FREQ=DAILY;BYMONTHDAY=-1'), 'every day that is the last day at 00:00, UTC', 31 * DAY],
  [
    rule('UTC', `FREQ=DAILY;BYHOUR=0,1,2,3;BYMINUTE=0,30`),
    'every day at 00:00, 00:30, 01:00 … 03:30 (8 times), UTC',
    20.5 * HOUR,
  ],
])('%j reads "%s"', (cadence, words, gap) => {
  expect(describeCadence(cadence)).toBe(words);
  expect(longestGap(cadence)).toBe(gap);
});

test('continuous, after another lane and by hand are not due by themselves', () => {
  const after: Cadence = { kind: 'after', lane: 'backup' };
  for (const cadence of [after, { kind: 'continuous' }, { kind: 'by-hand' }] as const) {
    expect(nextAfter(cadence, 0)).toBeNull();
    expect(previousBefore(cadence, 0)).toBeNull();
    expect(occurrences(cadence, 0, DAY)).toEqual([]);
  }
  expect([longestGap(after), longestGap({ kind: 'continuous' })]).toEqual([null, 0]);
  expect([
    describeCadence(after),
    describeCadence({ kind: 'continuous' }),
    describeCadence({ kind: 'by-hand' }),
  ]).toEqual(['after each backup', 'continuously', 'by hand']);
});

test('a rule names its zone and its start, or is refused', () => {
  expect(() => nextAfter(rule('Europe/Nowhere', 'FREQ=DAILY'), 0)).toThrow(UnknownZone);
  expect(() => nextAfter({ kind: 'rule', zone: 'UTC', start: 'tonight', rule: 'FREQ=DAILY' }, 0)).toThrow(/local time/);
});

const OPENING: Opening = {
  windows: [{ kind: 'weekly', zone: 'UTC', weekdays: [1, 2, 3, 4, 5, 6, 7], fromMin: 22 * 60, toMin: 5 * 60 }],
  blackouts: [{ kind: 'weekly', zone: 'UTC', weekdays: [7], fromMin: 0, toMin: 0 }],
};
test('law: nothing starts outside a window, and what is due while it is shut starts once when it opens', () => {
  fc.assert(
    fc.property(cadences, fc.integer({ min: 0, max: 300 * 24 }), (cadence, hour) => {
      const from = Date.parse('2026-01-05T00:00Z') + hour * HOUR;
      const starts = startsWithin(cadence, OPENING, from, from + 4 * DAY);
      expect(starts.every((at) => isOpen(OPENING, at))).toBe(true);
      expect(starts).toEqual([...new Set(starts)].sort((a, b) => a - b));
      const open = occurrences(cadence, from, from + 4 * DAY).filter((at) => isOpen(OPENING, at));
      expect(starts).toEqual(expect.arrayContaining(open));
    }),
    { numRuns: 100 },
  );
  const noon = rule('UTC', 'FREQ=DAILY;BYHOUR=11,12;BYMINUTE=0');
  const starts = startsWithin(noon, OPENING, Date.parse('2026-03-11T00:00Z'), Date.parse('2026-03-12T00:00Z'));
  expect(starts.map((at) => new Date(at).toISOString().slice(11, 16))).toEqual(['22:00']);
});
