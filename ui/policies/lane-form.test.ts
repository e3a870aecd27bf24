import { fieldsOf, parseSpan, parseTimes, readFields, writeSpan } from '@/ui/policies/lane-form';
import type { Ladder } from '@/core/protect/ladder';
import type { Cadence } from '@/core/time/cadence';

const cadence: Cadence = { kind: 'every', everyMs: 900_000, offsetMs: 0 };
const ladder: Ladder = {
  reading: 'bands',
  zone: 'UTC',
  rungs: [
    { per: null, count: 1, spanMs: 86_400_000 },
    { per: 'day', count: 2, spanMs: 1_209_600_000 },
  ],
};

test.each([
  ['15 min', 900_000],
  ['2h', 7_200_000],
  ['1.5 h', 5_400_000],
  ['14 d', 1_209_600_000],
  ['', null],
  ['-5 min', null],
  ['soon', null],
  ['5', null],
])('the span "%s" is %p', (text, ms) => expect(parseSpan(text)).toBe(ms));
test('times of day are read sorted, each once; nonsense is refused', () => {
  expect(parseTimes('22:00, 06:30, 22:00')).toEqual([390, 1320]);
  expect(parseTimes('24:00')).toBeNull();
  expect(parseTimes('')).toBeNull();
});
test('what is written reads back the same', () => {
  expect(writeSpan(90_000)).toBe('90 s');
  expect(readFields(fieldsOf(cadence, ladder), cadence, ladder)).toEqual({ ok: true, cadence, ladder });
});
test('every wrong field is named with what to write instead', () => {
  const fields = fieldsOf(cadence, ladder);
  const bad = {
    ...fields,
    every: '10 s',
    rungs: [
      { ...fields.rungs[0], span: 'long' },
      { ...fields.rungs[1], count: '0' },
    ] as typeof fields.rungs,
  };
  const read = readFields(bad, cadence, ladder);
  expect(read.ok ? [] : Object.keys(read.errors)).toEqual(['every', 'span0', 'count1']);
});

const nightly: Cadence = {
  kind: 'rule',
  zone: 'Europe/Oslo',
  start: '2026-01-05T00:00',
  rule: 'FREQ=DAILY;BYHOUR=22;BYMINUTE=0',
};
test('days and times of a rule are typed in words', () => {
  const fields = fieldsOf(nightly, ladder);
  expect([fields.days, fields.times]).toEqual(['every day', '22:00']);
  const read = readFields({ ...fields, days: 'last Fri of the month', times: '06:30, 18:30' }, nightly, ladder);
  expect(read).toEqual({
    ok: true,
    ladder,
    cadence: { ...nightly, rule: 'FREQ=MONTHLY;BYDAY=-1FR;BYHOUR=6,18;BYMINUTE=30' },
  });
});
test('days that cannot be read, and times of one rule with different minutes, are named', () => {
  const fields = fieldsOf(nightly, ladder);
  const errors = (change: object) => {
    const read = readFields({ ...fields, ...change }, nightly, ladder);
    return read.ok ? {} : read.errors;
  };
  expect(Object.keys(errors({ days: 'sometimes' }))).toEqual(['days']);
  expect(errors({ times: '06:00, 18:30' }).times).toMatch(/share their minutes/);
  expect(Object.keys(errors({ times: 'late' }))).toEqual(['times']);
});
test('a rule that says more than its days keeps them', () => {
  const yearly: Cadence = { ...nightly, rule: 'FREQ=YEARLY;BYMONTH=1;BYMONTHDAY=1' } as Cadence;
  const fields = fieldsOf(yearly, ladder);
  const read = readFields({ ...fields, times: '04:00' }, yearly, ladder);
  expect(read.ok && read.cadence).toEqual({
    ...yearly,
    rule: 'FREQ=YEARLY;BYMONTH=1;BYMONTHDAY=1;BYHOUR=4;BYMINUTE=0',
  });
});
