import { fromLocal, isZone, offsetAt, toLocal, UnknownZone } from '@/core/time/zone';
import { DAY, HOUR } from '@/core/units';

const wall = (iso: string) => Date.parse(`${iso}Z`);

// RFC 5545 3.3.5 (text from memory); values reproduced by temporal-polyfill, @js-temporal/polyfill, python zoneinfo.
const DISAMBIGUATION: ReadonlyArray<readonly [string, string, string, string]> = [
  ['1-D01', 'America/New_York', '2007-11-04T01:30:00', '2007-11-04T05:30:00Z'],
  ['1-D02', 'America/New_York', '2007-03-11T02:30:00', '2007-03-11T07:30:00Z'],
  ['1-D03', 'America/New_York', '2026-03-08T02:30:00', '2026-03-08T07:30:00Z'],
  ['1-D04', 'America/New_York', '2026-11-01T01:30:00', '2026-11-01T05:30:00Z'],
  ['1-D07', 'Europe/Berlin', '2026-03-29T02:30:00', '2026-03-29T01:30:00Z'],
  ['1-D08', 'Europe/Berlin', '2026-10-25T02:30:00', '2026-10-25T00:30:00Z'],
  ['1-D11', 'Europe/Berlin', '2026-03-29T01:59:59', '2026-03-29T00:59:59Z'],
  ['1-D12', 'Europe/Berlin', '2026-03-29T02:00:00', '2026-03-29T01:00:00Z'],
  ['1-D13', 'Europe/Berlin', '2026-03-29T02:59:59', '2026-03-29T01:59:59Z'],
  ['1-D14', 'Europe/Berlin', '2026-03-29T03:00:00', '2026-03-29T01:00:00Z'],
  ['1-D15', 'Europe/Berlin', '2026-10-25T01:59:59', '2026-10-24T23:59:59Z'],
  ['1-D16', 'Europe/Berlin', '2026-10-25T02:00:00', '2026-10-25T00:00:00Z'],
  ['1-D17', 'Europe/Berlin', '2026-10-25T03:00:00', '2026-10-25T02:00:00Z'],
  ['1-D18', 'Australia/Lord_Howe', '2026-10-04T02:15:00', '2026-10-03T15:45:00Z'],
  ['1-D19', 'Australia/Lord_Howe', '2026-10-04T02:30:00', '2026-10-03T15:30:00Z'],
  ['1-D20', 'Australia/Lord_Howe', '2026-04-05T01:45:00', '2026-04-04T14:45:00Z'],
  ['1-D23', 'Asia/Kathmandu', '2026-03-29T02:30:00', '2026-03-28T20:45:00Z'],
  ['1-D24', 'Asia/Kolkata', '2026-07-01T02:30:00', '2026-06-30T21:00:00Z'],
  ['1-D25', 'Pacific/Chatham', '2026-09-27T03:00:00', '2026-09-26T14:15:00Z'],
  ['1-D26', 'Pacific/Chatham', '2026-04-05T03:00:00', '2026-04-04T13:15:00Z'],
  ['1-D27', 'Australia/Sydney', '2026-10-04T02:30:00', '2026-10-03T16:30:00Z'],
  ['1-D28', 'Australia/Sydney', '2026-04-05T02:30:00', '2026-04-04T15:30:00Z'],
  ['1-D29', 'America/Santiago', '2026-09-06T00:00:00', '2026-09-06T04:00:00Z'],
  ['1-D30', 'Pacific/Apia', '2011-12-30T09:00:00', '2011-12-30T19:00:00Z'],
];

test.each(DISAMBIGUATION)('%s: %s %s is %s', (_id, zone, local, expected) => {
  expect(new Date(fromLocal(zone, wall(local))).toISOString()).toBe(new Date(expected).toISOString());
});

// 1-L: length of the local day in hours (by definition).
test.each([
  ['Europe/Berlin', '2026-03-29', 23],
  ['Europe/Berlin', '2026-10-25', 25],
  ['America/New_York', '2026-03-08', 23],
  ['America/New_York', '2026-11-01', 25],
  ['Australia/Lord_Howe', '2026-10-04', 23.5],
  ['Australia/Lord_Howe', '2026-04-05', 24.5],
  ['Asia/Kathmandu', '2026-03-29', 24],
])('1-L: the day %s %s has %d hours', (zone, day, hours) => {
  const start = wall(`${day}T00:00:00`);
  expect((fromLocal(zone, start + DAY) - fromLocal(zone, start)) / HOUR).toBe(hours);
});

// 1-T: tz database 2025b/c.
test.each([
  ['Europe/Berlin', '2026-03-29T01:00Z'],
  ['Europe/Berlin', '2026-10-25T01:00Z'],
  ['America/New_York', '2026-03-08T07:00Z'],
  ['Australia/Lord_Howe', '2026-10-03T15:30Z'],
  ['Pacific/Chatham', '2026-09-26T14:00Z'],
])('1-T: %s changes its offset at %s', (zone, instant) => {
  const at = Date.parse(instant);
  expect(offsetAt(zone, at - 1)).not.toBe(offsetAt(zone, at));
});

test('a local reading carries its weekday, Monday first', () => {
  expect(toLocal('Europe/Berlin', Date.parse('2026-03-12T07:14:09Z'))).toEqual({
    year: 2026,
    month: 3,
    day: 12,
    hour: 8,
    minute: 14,
    second: 9,
    weekday: 4,
  });
});

test('an unknown zone is refused by name', () => {
  expect(isZone('Europe/Nowhere')).toBe(false);
  expect(() => offsetAt('Europe/Nowhere', 0)).toThrow(UnknownZone);
});
