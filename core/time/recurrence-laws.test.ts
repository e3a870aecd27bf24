import fc from 'fast-check';
import { datetime, rrulestr, type RRule } from 'rrule';
import { RRuleTemporal } from 'rrule-temporal';
import { instanceAfter, instanceBefore, instancesBetween, type Recurrence } from '@/core/time/recurrence';
import { formatRule, parseRule } from '@/core/time/recurrence-text';
import { fromLocal, offsetAt } from '@/core/time/zone';
import { DAY, HOUR, MINUTE, type EpochMs } from '@/core/units';

const weekdays = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const;
const some = <T>(values: readonly T[], least: number, most: number) =>
  fc.subarray([...values], { minLength: least, maxLength: most });
const monthDays = some([1, 2, 13, 15, 28, 29, 30, 31, -1, -2, -30], 1, 3);
const rules = fc
  .record({
    body: fc.oneof(
      fc
        .record({ f: fc.constant('DAILY'), months: some([1, 2, 3, 10, 12], 0, 2), days: some(weekdays, 0, 3) })
        .map(
          ({ f, months, days }) =>
            `FREQ=${f}${months.length ? `;BYMONTH=${months.join(',')}` : ''}${days.length ? `;BYDAY=${days.join(',')}` : ''}`,
        ),
      some(weekdays, 1, 4).map((days) => `FREQ=WEEKLY;BYDAY=${days.join(',')}`),
      monthDays.map((days) => `FREQ=MONTHLY;BYMONTHDAY=${days.join(',')}`),
      fc
        .tuple(fc.constantFrom(1, 2, 4, -1, -2), fc.constantFrom(...weekdays))
        .map(([n, day]) => `FREQ=MONTHLY;BYDAY=${n}${day}`),
      fc.constantFrom(1, -1, 3, -2).map((n) => `FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=${n}`),
      fc
        .tuple(some([2, 3, 6, 11], 1, 2), monthDays)
        .map(([months, days]) => `FREQ=YEARLY;BYMONTH=${months.join(',')};BYMONTHDAY=${days.join(',')}`),
    ),
    interval: fc.integer({ min: 1, max: 3 }),
    times: fc.option(fc.tuple(some([0, 6, 12, 22], 1, 2), some([0, 20, 45], 1, 2)), { nil: null }),
    start: fc.integer({ min: 0, max: 1500 }),
    minute: fc.integer({ min: 0, max: 95 }),
  })
  .map(({ body, interval, times, start, minute }) => ({
    text: `${body};INTERVAL=${interval}${times ? `;BYHOUR=${times[0].join(',')};BYMINUTE=${times[1].join(',')}` : ''}`,
    startWallMs: Date.UTC(2024, 0, 1) + start * DAY + minute * 15 * MINUTE,
  }));

/** Instances of a floating rule by the library rrule, which knows no zones: readings as if they were UTC. */
function byRrule(text: string, startWallMs: number, days: number): number[] {
  const d = new Date(startWallMs);
  const dtstart = datetime(d.getUTCFullYear(), d.getUTCMonth() + 1, d.getUTCDate(), d.getUTCHours(), d.getUTCMinutes());
  const parsed = rrulestr(`RRULE:${text}`, { dtstart }) as RRule;
  return parsed.between(new Date(startWallMs), new Date(startWallMs + days * DAY), true).map((at) => at.getTime());
}

test('law: equal to the library rrule on random floating rules', () => {
  fc.assert(
    fc.property(rules, ({ text, startWallMs }) => {
      const r: Recurrence = { zone: 'UTC', startWallMs, rule: parseRule(text), exceptWallMs: [] };
      const own = instancesBetween(r, startWallMs, startWallMs + 800 * DAY + 1);
      expect(own).toEqual(byRrule(text, startWallMs, 800));
    }),
    { numRuns: 300, seed: 5545 },
  );
});

test('law: equal to the library rrule-temporal in a zone, but for times that do not exist (it drops them by 3.3.10)', () => {
  fc.assert(
    fc.property(rules, ({ text, startWallMs }) => {
      const zone = 'Europe/Berlin';
      const r: Recurrence = { zone, startWallMs, rule: parseRule(text), exceptWallMs: [] };
      const from = fromLocal(zone, startWallMs);
      const to = from + 400 * DAY;
      const start = new Date(startWallMs).toISOString().replace(/[-:]|\.\d{3}Z/g, '');
      const library = new RRuleTemporal({ rruleString: `DTSTART;TZID=${zone}:${start}\nRRULE:${text}` });
      const theirs = library.between(new Date(from), new Date(to), true).map((at) => at.epochMilliseconds);
      const gaps = (at: EpochMs): boolean =>
        [1, 2, 3].some((h) => offsetAt(zone, at) !== offsetAt(zone, at - h * HOUR));
      const own = instancesBetween(r, from, to + 1);
      expect(own.filter((at) => !gaps(at))).toEqual(theirs.filter((at) => !gaps(at)));
    }),
    { numRuns: 120, seed: 5545 },
  );
});

test('law: next, previous and the list of a span agree', () => {
  fc.assert(
    fc.property(rules, fc.integer({ min: -400, max: 900 }), ({ text, startWallMs }, day) => {
      const r: Recurrence = { zone: 'Europe/Oslo', startWallMs, rule: parseRule(text), exceptWallMs: [] };
      const at = startWallMs + day * DAY;
      const after = instanceAfter(r, at);
      if (after !== null) {
        expect(instancesBetween(r, at + 1, after + 1)).toEqual([after]);
        expect(instanceBefore(r, after + 1)).toBe(after);
      }
      const before = instanceBefore(r, at);
      if (before !== null) expect(instancesBetween(r, before, at)).toEqual([before]);
      else expect(instancesBetween(r, 0, at)).toEqual([]);
    }),
    { numRuns: 200 },
  );
});

test('law: text and rule invert each other', () => {
  fc.assert(
    fc.property(rules, ({ text }) => {
      const rule = parseRule(text);
      expect(parseRule(formatRule(rule))).toEqual(rule);
    }),
  );
});
