/** Windows as people write them: "every day 22:00-06:00", "Mon, Tue 12:00-13:00; Sat 00:00-24:00". */
import { parseDays, writeDays } from '@/core/time/day-text';
import { plainRule } from '@/core/time/recurrence-text';
import type { Window } from '@/core/time/window';

type Weekly = Extract<Window, { kind: 'weekly' }>;

const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];

/** Weekly windows in a zone; an empty text is none; null: it cannot be read. */
export function parseWindows(text: string, zone: string): Weekly[] | null {
  const parts = text.split(';').map((part) => part.trim());
  if (parts.length === 1 && parts[0] === '') return [];
  const windows = parts.map((part) => parseWindow(part, zone));
  return windows.every((window) => window !== null) ? windows : null;
}

function parseWindow(text: string, zone: string): Weekly | null {
  const found = /^(.*?)\s*(\d{1,2}):(\d\d)\s*-\s*(\d{1,2}):(\d\d)$/.exec(text);
  if (!found) return null;
  const [, days = '', ...times] = found;
  const [fromHour, fromMinute, toHour, toMinute] = times.map(Number) as [number, number, number, number];
  if (fromHour > 23 || fromMinute > 59 || toMinute > 59 || toHour * 60 + toMinute > 1440) return null;
  const weekdays = weekdaysOf(days);
  if (!weekdays) return null;
  return {
    kind: 'weekly',
    zone,
    weekdays,
    fromMin: fromHour * 60 + fromMinute,
    toMin: (toHour * 60 + toMinute) % 1440,
  };
}

/** Days that come every week, 1 Monday .. 7 Sunday; null: others are meant. */
function weekdaysOf(text: string): readonly number[] | null {
  if (text === '') return EVERY_DAY;
  const rule = parseDays(text);
  if (rule?.frequency === 'DAILY') return EVERY_DAY;
  return rule?.frequency === 'WEEKLY' ? rule.byDay.map((day) => day.weekday) : null;
}

/** The text of windows, as `parseWindows` reads it. */
export function writeWindows(windows: readonly Weekly[]): string {
  return windows
    .map(({ weekdays, fromMin, toMin }) => `${daysText(weekdays)} ${clock(fromMin)}-${clock(toMin || 1440)}`)
    .join('; ');
}

function daysText(weekdays: readonly number[]): string {
  if (weekdays.length === 7) return 'every day';
  const byDay = weekdays.map((weekday) => ({ weekday, ordinal: 0 }));
  return writeDays({ ...plainRule('WEEKLY'), byDay }) ?? 'every day';
}

const clock = (minutes: number): string =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
