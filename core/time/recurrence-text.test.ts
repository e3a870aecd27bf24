import { parseRule } from '@/core/time/recurrence-text';

test.each([
  ['FREQ=HOURLY', /every N/],
  ['FREQ=SOMETIMES', /DAILY, WEEKLY/],
  ['', /NAME=VALUE/],
  ['FREQ=DAILY;FREQ=DAILY', /twice/],
  ['FREQ=DAILY;INTERVAL=0', /1 to 1000/],
  ['FREQ=DAILY;COUNT=2;UNTIL=20260101T000000Z', /beside UNTIL/],
  ['FREQ=DAILY;UNTIL=20260231T000000Z', /no date/],
  ['FREQ=DAILY;UNTIL=20260101', /instant in UTC/],
  ['FREQ=DAILY;BYDAY=1MO', /MONTHLY or YEARLY/],
  ['FREQ=WEEKLY;BYMONTHDAY=3', /FREQ=WEEKLY/],
  ['FREQ=MONTHLY;BYWEEKNO=3', /FREQ=YEARLY/],
  ['FREQ=MONTHLY;BYSETPOS=1', /another BY part/],
  ['FREQ=MONTHLY;BYMONTHDAY=0', /1 to 31/],
  ['FREQ=MONTHLY;BYDAY=XX', /one of MO/],
  ['FREQ=MONTHLY;BYDAY=MOX', /weekday such as/],
  ['FREQ=DAILY;BYHOUR=24', /0 to 23/],
  ['FREQ=DAILY;BYEASTER=1', /no part/],
])('the text "%s" is refused', (text, message) => {
  expect(() => parseRule(text)).toThrow(message);
});
