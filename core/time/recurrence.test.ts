import { instanceAfter, instanceBefore, instancesBetween, type Recurrence } from '@/core/time/recurrence';
import { parseRule } from '@/core/time/recurrence-text';
import { fromLocal, offsetAt } from '@/core/time/zone';
import { DAY, MINUTE, type EpochMs } from '@/core/units';

const NEW_YORK = 'America/New_York';
const wallOf = (compact: string): number =>
  Date.parse(compact.replace(/^(\d{4})(\d{2})(\d{2})T(\d{2})(\d{2})(\d{2})$/, '$1-$2-$3T$4:$5:$6Z'));

function recurrence(start: string, rule: string, zone = NEW_YORK, except: readonly string[] = []): Recurrence {
  return { zone, startWallMs: wallOf(start), rule: parseRule(rule), exceptWallMs: except.map(wallOf) };
}

const localIso = (zone: string, at: EpochMs): string => new Date(at + offsetAt(zone, at)).toISOString().slice(0, 19);

/** "1997-09: 2,9; 1997-10: 7", all at the time of day of the start. */
function byMonth(zone: string, instants: readonly EpochMs[], start: string): string {
  const months = new Map<string, string[]>();
  for (const at of instants) {
    const local = localIso(zone, at);
    expect(local.slice(11)).toBe(new Date(wallOf(start)).toISOString().slice(11, 19));
    const days = months.get(local.slice(0, 7)) ?? [];
    days.push(String(Number(local.slice(8, 10))));
    months.set(local.slice(0, 7), days);
  }
  return [...months].map(([month, days]) => `${month}: ${days.join(',')}`).join('; ');
}

/** "113 from <the first three> to <the last three>". */
function byEnds(zone: string, instants: readonly EpochMs[]): string {
  const local = instants.map((at) => localIso(zone, at));
  return `${local.length} from ${local.slice(0, 3).join(', ')} to ${local.slice(-3).join(', ')}`;
}

// RFC 5545 3.8.5.3 (text from memory; instances confirmed by libical's reference output) and, X rows, invented rules
// that four libraries agree on. Columns: check, start, rule, listed to, instances.
test.each([
  ['1-R01', '19970902T090000', 'FREQ=DAILY;COUNT=10', '', '1997-09: 2,3,4,5,6,7,8,9,10,11'],
  [
    '1-R02',
    '19970902T090000',
    'FREQ=DAILY;UNTIL=19971224T000000Z',
    '',
    '113 from 1997-09-02T09:00:00, 1997-09-03T09:00:00, 1997-09-04T09:00:00 to 1997-12-21T09:00:00, 1997-12-22T09:00:00, 1997-12-23T09:00:00',
  ],
  [
    '1-R03',
    '19970902T090000',
    'FREQ=DAILY;INTERVAL=2',
    '19971203',
    '1997-09: 2,4,6,8,10,12,14,16,18,20,22,24,26,28,30; 1997-10: 2,4,6,8,10,12,14,16,18,20,22,24,26,28,30; 1997-11: 1,3,5,7,9,11,13,15,17,19,21,23,25,27,29; 1997-12: 1,3',
  ],
  ['1-R04', '19970902T090000', 'FREQ=DAILY;INTERVAL=10;COUNT=5', '', '1997-09: 2,12,22; 1997-10: 2,12'],
  [
    '1-R05',
    '19980101T090000',
    'FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA',
    '',
    '93 from 1998-01-01T09:00:00, 1998-01-02T09:00:00, 1998-01-03T09:00:00 to 2000-01-29T09:00:00, 2000-01-30T09:00:00, 2000-01-31T09:00:00',
  ],
  ['1-R06', '19970902T090000', 'FREQ=WEEKLY;COUNT=10', '', '1997-09: 2,9,16,23,30; 1997-10: 7,14,21,28; 1997-11: 4'],
  [
    '1-R07',
    '19970902T090000',
    'FREQ=WEEKLY;UNTIL=19971224T000000Z',
    '',
    '1997-09: 2,9,16,23,30; 1997-10: 7,14,21,28; 1997-11: 4,11,18,25; 1997-12: 2,9,16,23',
  ],
  [
    '1-R08',
    '19970902T090000',
    'FREQ=WEEKLY;INTERVAL=2;WKST=SU',
    '19980217',
    '1997-09: 2,16,30; 1997-10: 14,28; 1997-11: 11,25; 1997-12: 9,23; 1998-01: 6,20; 1998-02: 3,17',
  ],
  [
    '1-R09',
    '19970902T090000',
    'FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH',
    '',
    '1997-09: 2,4,9,11,16,18,23,25,30; 1997-10: 2',
  ],
  [
    '1-R10',
    '19970901T090000',
    'FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR',
    '',
    '1997-09: 1,3,5,15,17,19,29; 1997-10: 1,3,13,15,17,27,29,31; 1997-11: 10,12,14,24,26,28; 1997-12: 8,10,12,22',
  ],
  [
    '1-R11',
    '19970902T090000',
    'FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH',
    '',
    '1997-09: 2,4,16,18,30; 1997-10: 2,14,16',
  ],
  [
    '1-R12',
    '19970905T090000',
    'FREQ=MONTHLY;COUNT=10;BYDAY=1FR',
    '',
    '1997-09: 5; 1997-10: 3; 1997-11: 7; 1997-12: 5; 1998-01: 2; 1998-02: 6; 1998-03: 6; 1998-04: 3; 1998-05: 1; 1998-06: 5',
  ],
  [
    '1-R13',
    '19970905T090000',
    'FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR',
    '',
    '1997-09: 5; 1997-10: 3; 1997-11: 7; 1997-12: 5',
  ],
  [
    '1-R14',
    '19970907T090000',
    'FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU',
    '',
    '1997-09: 7,28; 1997-11: 2,30; 1998-01: 4,25; 1998-03: 1,29; 1998-05: 3,31',
  ],
  [
    '1-R15',
    '19970922T090000',
    'FREQ=MONTHLY;COUNT=6;BYDAY=-2MO',
    '',
    '1997-09: 22; 1997-10: 20; 1997-11: 17; 1997-12: 22; 1998-01: 19; 1998-02: 16',
  ],
  [
    '1-R16',
    '19970928T090000',
    'FREQ=MONTHLY;BYMONTHDAY=-3',
    '19980228',
    '1997-09: 28; 1997-10: 29; 1997-11: 28; 1997-12: 29; 1998-01: 29; 1998-02: 26',
  ],
  [
    '1-R17',
    '19970902T090000',
    'FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15',
    '',
    '1997-09: 2,15; 1997-10: 2,15; 1997-11: 2,15; 1997-12: 2,15; 1998-01: 2,15',
  ],
  [
    '1-R18',
    '19970930T090000',
    'FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1',
    '',
    '1997-09: 30; 1997-10: 1,31; 1997-11: 1,30; 1997-12: 1,31; 1998-01: 1,31; 1998-02: 1',
  ],
  [
    '1-R20',
    '19970902T090000',
    'FREQ=MONTHLY;INTERVAL=2;BYDAY=TU',
    '19980331',
    '1997-09: 2,9,16,23,30; 1997-11: 4,11,18,25; 1998-01: 6,13,20,27; 1998-03: 3,10,17,24,31',
  ],
  ['1-R23', '19970519T090000', 'FREQ=YEARLY;BYDAY=20MO', '19991231', '1997-05: 19; 1998-05: 18; 1999-05: 17'],
  ['1-R24', '19970512T090000', 'FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO', '19991231', '1997-05: 12; 1998-05: 11; 1999-05: 17'],
  [
    '1-R27',
    '19970902T090000',
    'FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13',
    '20001231',
    '1998-02: 13; 1998-03: 13; 1998-11: 13; 1999-08: 13; 2000-10: 13',
  ],
  [
    '1-R28',
    '19970913T090000',
    'FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13',
    '19980630',
    '1997-09: 13; 1997-10: 11; 1997-11: 8; 1997-12: 13; 1998-01: 10; 1998-02: 7; 1998-03: 7; 1998-04: 11; 1998-05: 9; 1998-06: 13',
  ],
  [
    '1-R30',
    '19970904T090000',
    'FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3',
    '',
    '1997-09: 4; 1997-10: 7; 1997-11: 6',
  ],
  [
    '1-R31',
    '19970929T090000',
    'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2',
    '19980331',
    '1997-09: 29; 1997-10: 30; 1997-11: 27; 1997-12: 30; 1998-01: 29; 1998-02: 26; 1998-03: 30',
  ],
  ['1-R36', '19970805T090000', 'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO', '', '1997-08: 5,10,19,24'],
  ['1-R36b', '19970805T090000', 'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU', '', '1997-08: 5,17,19,31'],
  [
    '1-R37',
    '20070115T090000',
    'FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5',
    '',
    '2007-01: 15,30; 2007-02: 15; 2007-03: 15,30',
  ],
  [
    '1-X01',
    '19970930T090000',
    'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=8',
    '',
    '1997-09: 30; 1997-10: 31; 1997-11: 28; 1997-12: 31; 1998-01: 30; 1998-02: 27; 1998-03: 31; 1998-04: 30',
  ],
  [
    '1-X02',
    '19970930T090000',
    'FREQ=MONTHLY;BYMONTHDAY=-1;COUNT=8',
    '',
    '1997-09: 30; 1997-10: 31; 1997-11: 30; 1997-12: 31; 1998-01: 31; 1998-02: 28; 1998-03: 31; 1998-04: 30',
  ],
  [
    '1-X03',
    '20070131T090000',
    'FREQ=MONTHLY;COUNT=12',
    '',
    '2007-01: 31; 2007-03: 31; 2007-05: 31; 2007-07: 31; 2007-08: 31; 2007-10: 31; 2007-12: 31; 2008-01: 31; 2008-03: 31; 2008-05: 31; 2008-07: 31; 2008-08: 31',
  ],
  [
    '1-X04',
    '20260130T220000',
    'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=14',
    '',
    '2026-01: 30; 2026-02: 27; 2026-03: 31; 2026-04: 30; 2026-05: 29; 2026-06: 30; 2026-07: 31; 2026-08: 31; 2026-09: 30; 2026-10: 30; 2026-11: 30; 2026-12: 31; 2027-01: 29; 2027-02: 26',
  ],
  [
    '1-X05',
    '20260105T080000',
    'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=8,9,10,11,12,13,14,15,16,17;BYMINUTE=0,15,30,45;COUNT=201',
    '',
    '201 from 2026-01-05T08:00:00, 2026-01-05T08:15:00, 2026-01-05T08:30:00 to 2026-01-09T17:30:00, 2026-01-09T17:45:00, 2026-01-12T08:00:00',
  ],
  [
    '1-X06',
    '20260131T010000',
    'FREQ=MONTHLY;BYDAY=-1SA;COUNT=13',
    '',
    '2026-01: 31; 2026-02: 28; 2026-03: 28; 2026-04: 25; 2026-05: 30; 2026-06: 27; 2026-07: 25; 2026-08: 29; 2026-09: 26; 2026-10: 31; 2026-11: 28; 2026-12: 26; 2027-01: 30',
  ],
  [
    '1-X07',
    '20260104T010000',
    'FREQ=MONTHLY;BYDAY=1SU;COUNT=13',
    '',
    '2026-01: 4; 2026-02: 1; 2026-03: 1; 2026-04: 5; 2026-05: 3; 2026-06: 7; 2026-07: 5; 2026-08: 2; 2026-09: 6; 2026-10: 4; 2026-11: 1; 2026-12: 6; 2027-01: 3',
  ],
])('%s: %s %s', (_id, start, rule, listedTo, expected) => {
  const far = listedTo ? fromLocal(NEW_YORK, wallOf(`${listedTo}T000000`) + DAY) : Date.UTC(2100, 0, 1);
  const found = instancesBetween(recurrence(start, rule), 0, far);
  expect(expected.includes(' from ') ? byEnds(NEW_YORK, found) : byMonth(NEW_YORK, found, start)).toBe(expected);
});

// RFC 5545 3.8.5.3, as above.
test('1-R35: every 20 minutes from 9:00 to 16:40 every day', () => {
  const r = recurrence('19970902T090000', 'FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40');
  const day = instancesBetween(
    r,
    fromLocal(NEW_YORK, wallOf('19970903T000000')),
    fromLocal(NEW_YORK, wallOf('19970904T000000')),
  );
  expect(byEnds(NEW_YORK, day)).toBe(
    '24 from 1997-09-03T09:00:00, 1997-09-03T09:20:00, 1997-09-03T09:40:00 to 1997-09-03T16:00:00, 1997-09-03T16:20:00, 1997-09-03T16:40:00',
  );
});

// RFC 5545 3.8.5.3 and 3.3.5 (from memory), reproduced by dateutil with zoneinfo.
test.each([
  [
    '1-E01',
    'Europe/Berlin',
    '20260327T023000',
    5,
    ['03-27T01:30', '03-28T01:30', '03-29T01:30', '03-30T00:30', '03-31T00:30'],
  ],
  ['1-E02', 'Europe/Berlin', '20261023T023000', 4, ['10-23T00:30', '10-24T00:30', '10-25T00:30', '10-26T01:30']],
  ['1-E03', 'Australia/Lord_Howe', '20261003T021500', 3, ['10-02T15:45', '10-03T15:45', '10-04T15:15']],
  ['1-E04', 'Australia/Lord_Howe', '20260404T014500', 3, ['04-03T14:45', '04-04T14:45', '04-05T15:15']],
  ['1-E11', NEW_YORK, '19971025T090000', 2, ['10-25T13:00', '10-26T14:00']],
])('%s: daily in %s from %s', (_id, zone, start, count, expected) => {
  const found = instancesBetween(recurrence(start, `FREQ=DAILY;COUNT=${count}`, zone), 0, Date.UTC(2100, 0, 1));
  expect(found.map((at) => new Date(at).toISOString().slice(5, 16))).toEqual(expected);
});

test('1-E10: last work day of the month at 22:00 in Berlin, 2026', () => {
  const r = recurrence('20260101T220000', 'FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1', 'Europe/Berlin');
  const found = instancesBetween(r, Date.UTC(2026, 0, 1), Date.UTC(2027, 0, 1));
  expect(found.map((at) => new Date(at).toISOString().slice(5, 13)).join(' ')).toBe(
    '01-30T21 02-27T21 03-31T20 04-30T20 05-29T20 06-30T20 07-31T20 08-31T20 09-30T20 10-30T21 11-30T21 12-31T21',
  );
});

const GRID = 'FREQ=DAILY;BYHOUR=0,1,2,3,4;BYMINUTE=0,15,30,45';
test('1-E05: the wall-clock grid of an autumn day leaves one gap of 75 min', () => {
  const day = recurrence('20261025T000000', GRID, 'Europe/Berlin');
  const found = instancesBetween(day, 0, fromLocal('Europe/Berlin', wallOf('20261026T000000')));
  const gaps = found.slice(1).map((at, i) => at - (found[i] as number));
  expect(found).toHaveLength(20);
  expect(Math.max(...gaps)).toBe(75 * MINUTE);
  expect(new Date(found[gaps.indexOf(75 * MINUTE)] as number).toISOString()).toBe('2026-10-25T00:45:00.000Z');
});
test('1-E06: on a spring day twenty slots fold onto sixteen instants, in order', () => {
  const day = recurrence('20260329T000000', GRID, 'Europe/Berlin');
  const found = instancesBetween(day, 0, fromLocal('Europe/Berlin', wallOf('20260330T000000')));
  expect(found).toHaveLength(16);
  expect(found).toEqual([...new Set(found)].sort((a, b) => a - b));
});

test('an excepted instance is left out but counted', () => {
  const r = recurrence('20260105T090000', 'FREQ=DAILY;COUNT=4', NEW_YORK, ['20260106T090000']);
  expect(byMonth(NEW_YORK, instancesBetween(r, 0, Date.UTC(2100, 0, 1)), '20260105T090000')).toBe('2026-01: 5,7,8');
});

test('a rule that never comes is given up', () => {
  const r = recurrence('20260101T090000', 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30');
  expect(instanceAfter(r, 0)).toBeNull();
  expect(instanceBefore(r, Date.UTC(2030, 0, 1))).toBeNull();
});
