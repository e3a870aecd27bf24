/** Source: none; the forms that the editor offers. */
import fc from 'fast-check';
import { parseWindows, writeWindows } from '@/core/time/window-text';

const zone = 'Europe/Oslo';
const read = (text: string) => parseWindows(text, zone)?.map((w) => [w.weekdays.join(''), w.fromMin, w.toMin]) ?? null;

test('days and hours, several apart by semicolons, and over midnight', () => {
  expect(read('every day 22:00-06:00')).toEqual([['1234567', 1320, 360]]);
  expect(read('22:00 - 6:00')).toEqual([['1234567', 1320, 360]]);
  expect(read('weekdays 12:00-13:30; Sat, Sun 00:00-24:00')).toEqual([
    ['12345', 720, 810],
    ['67', 0, 0],
  ]);
  expect(read('  ')).toEqual([]);
});

test.each([
  '22:00',
  'Mon 25:00-26:00',
  'Mon 10:70-11:00',
  'last Fri of the month 10:00-11:00',
  'sometimes 1:00-2:00',
  '1:00-24:01',
  ';',
])('%j is no window', (text) => expect(parseWindows(text, zone)).toBeNull());

test('law: what is written is read back', () => {
  const weekdays = fc.subarray([1, 2, 3, 4, 5, 6, 7], { minLength: 1 });
  const minute = fc.integer({ min: 0, max: 1439 });
  fc.assert(
    fc.property(fc.array(fc.tuple(weekdays, minute, minute), { minLength: 1, maxLength: 4 }), (list) => {
      const windows = list.map(([days, fromMin, toMin]) => ({
        kind: 'weekly' as const,
        zone,
        weekdays: days,
        fromMin,
        toMin,
      }));
      expect(parseWindows(writeWindows(windows), zone)).toEqual(windows);
    }),
  );
});
