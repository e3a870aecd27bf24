import { parseDays, writeDays } from '@/core/time/day-text';
import { formatRule, parseRule } from '@/core/time/recurrence-text';

test.each([
  ['every day', 'FREQ=DAILY'],
  ['weekdays', 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR'],
  ['Mon, Thu', 'FREQ=WEEKLY;BYDAY=MO,TH'],
  ['last Fri of the month', 'FREQ=MONTHLY;BYDAY=-1FR'],
  ['first Sun of the month', 'FREQ=MONTHLY;BYDAY=1SU'],
  ['day 1, 15 of the month', 'FREQ=MONTHLY;BYMONTHDAY=1,15'],
  ['last day of the month', 'FREQ=MONTHLY;BYMONTHDAY=-1'],
  ['last weekday of the month', 'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1'],
])('"%s" and %s are each other', (text, rule) => {
  const days = parseDays(text);
  expect(days && formatRule(days)).toBe(rule);
  expect(writeDays(parseRule(rule))).toBe(text);
});

test.each([
  ['Thursday monday thu', 'FREQ=WEEKLY;BYDAY=MO,TH'],
  ['the Last   friday of the month', 'FREQ=MONTHLY;BYDAY=-1FR'],
])('"%s" is read as a person means it', (text, rule) => {
  const days = parseDays(text);
  expect(days && formatRule(days)).toBe(rule);
});

test.each(['', 'sometimes', 'day 32 of the month', 'fifth day of the month', 'last Fri Sat of the month'])(
  '"%s" is none of the forms',
  (text) => expect(parseDays(text)).toBeNull(),
);

test.each(['FREQ=DAILY;INTERVAL=2', 'FREQ=YEARLY', 'FREQ=MONTHLY;BYMONTHDAY=1,-1', 'FREQ=WEEKLY;BYDAY=MO;COUNT=3'])(
  '%s says more than a typed text can',
  (rule) => expect(writeDays(parseRule(rule))).toBeNull(),
);
