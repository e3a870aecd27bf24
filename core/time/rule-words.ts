/** Plain words for recurrence rules and spans, as a person would say them. */
import { civilOf, weekdayOf } from '@/core/time/calendar';
import type { Recurrence, Rule } from '@/core/time/recurrence';
import { assertNever, DAY, HOUR, MINUTE, type DurationMs } from '@/core/units';

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];

/** "every weekday at 22:00, Europe/Oslo". */
export function describeRule(r: Recurrence): string {
  const { rule } = r;
  const months = rule.byMonth.length ? ` in ${joined(rule.byMonth.map((m) => MONTHS[m - 1] as string))}` : '';
  const end =
    rule.count !== null
      ? `, ${rule.count} times`
      : rule.untilMs !== null
        ? `, until ${new Date(rule.untilMs).toISOString().slice(0, 10)}`
        : '';
  return `${daysWords(r)}${rule.frequency === 'YEARLY' ? '' : months} at ${timesWords(r)}, ${r.zone}${end}`;
}

function daysWords({ rule, startWallMs }: Recurrence): string {
  const start = Math.floor(startWallMs / DAY);
  switch (rule.frequency) {
    case 'DAILY':
      if (rule.byMonthDay.length) return `${each(rule, 'day')} that is ${monthDayWords(rule)}`;
      return rule.byDay.length ? weekdayWords(rule) : each(rule, 'day');
    case 'WEEKLY': {
      const named = rule.byDay.length ? rule : { ...rule, byDay: [{ weekday: weekdayOf(start), ordinal: 0 }] };
      return rule.interval === 1 ? weekdayWords(named) : `${each(rule, 'week')} on ${weekdayList(named)}`;
    }
    case 'MONTHLY':
      return `${monthDays(rule, start)} of ${each(rule, 'month')}`;
    case 'YEARLY': {
      const { month } = civilOf(start);
      if (rule.byWeekNo.length)
        return `${weekdayList(rule)} of week ${joined(rule.byWeekNo.map(String))}, ${each(rule, 'year')}`;
      const names = (rule.byMonth.length ? rule.byMonth : [month]).map((m) => MONTHS[m - 1] as string);
      const inYear = rule.byDay.length && !rule.byMonth.length && !rule.byMonthDay.length;
      return inYear
        ? `${monthDays(rule, start)} of ${each(rule, 'year')}`
        : `${monthDays(rule, start)} of ${joined(names)}, ${each(rule, 'year')}`;
    }
    default:
      return assertNever(rule.frequency);
  }
}

const each = (rule: Rule, unit: string): string =>
  rule.interval === 1 ? `every ${unit}` : `every ${rule.interval} ${unit}s`;

const isWorkWeek = (rule: Rule): boolean =>
  rule.byDay.every((d) => d.ordinal === 0) &&
  [...rule.byDay]
    .map((d) => d.weekday)
    .sort((a, b) => a - b)
    .join('') === '12345';

function weekdayWords(rule: Rule): string {
  if (isWorkWeek(rule)) return 'every weekday';
  return new Set(rule.byDay.map((d) => d.weekday)).size === 7 ? 'every day' : `every ${weekdayList(rule)}`;
}

const weekdayList = (rule: Rule): string =>
  joined([...rule.byDay].sort((a, b) => a.weekday - b.weekday).map((d) => WEEKDAYS[d.weekday - 1] as string));

function monthDays(rule: Rule, start: number): string {
  const picked = rule.bySetPos.map(ordinalWords);
  if (rule.byDay.length) {
    const days = isWorkWeek(rule)
      ? 'weekday'
      : joined(
          rule.byDay.map(
            ({ weekday, ordinal }) => `${ordinal ? `${ordinalWords(ordinal)} ` : ''}${WEEKDAYS[weekday - 1]}`,
          ),
        );
    const limit = rule.byMonthDay.length ? ` that is ${monthDayWords(rule)}` : '';
    const every = rule.byDay.some((d) => d.ordinal) || picked.length ? 'the ' : 'every ';
    return `${every}${picked.length ? `${joined(picked)} ` : ''}${days}${limit}`;
  }
  return rule.byMonthDay.length ? monthDayWords(rule) : `day ${civilOf(start).day}`;
}

function monthDayWords(rule: Rule): string {
  const plain = rule.byMonthDay.filter((d) => d > 0).map(String);
  const fromEnd = rule.byMonthDay.filter((d) => d < 0).map((d) => `the ${ordinalWords(d)} day`);
  return joined([...(plain.length ? [`day ${joined(plain)}`] : []), ...fromEnd]);
}

const ORDINALS = ['first', 'second', 'third', 'fourth', 'fifth'];
function ordinalWords(n: number): string {
  if (n === -1) return 'last';
  const size = Math.abs(n);
  const word = ORDINALS[size - 1] ?? `${size}th`;
  return n < 0 ? `${word} to last` : word;
}

function timesWords({ rule, startWallMs }: Recurrence): string {
  const start = startWallMs - Math.floor(startWallMs / DAY) * DAY;
  const hours = rule.byHour.length ? rule.byHour : [Math.floor(start / HOUR)];
  const minutes = rule.byMinute.length ? rule.byMinute : [Math.floor((start % HOUR) / MINUTE)];
  const times = hours.flatMap((h) => minutes.map((m) => h * 60 + m)).sort((a, b) => a - b);
  const shown = times.map((t) => `${String(Math.floor(t / 60)).padStart(2, '0')}:${String(t % 60).padStart(2, '0')}`);
  return shown.length <= 6
    ? shown.join(', ')
    : `${shown.slice(0, 3).join(', ')} … ${shown.at(-1)} (${shown.length} times)`;
}

function joined(words: readonly string[]): string {
  return words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} and ${words.at(-1)}`;
}

/** "day", "2 h", "15 min": what stands after "every". */
export function spanWords(ms: DurationMs): string {
  if (ms % DAY === 0) return ms === DAY ? 'day' : `${ms / DAY} days`;
  if (ms % HOUR === 0) return ms === HOUR ? 'hour' : `${ms / HOUR} h`;
  return ms % MINUTE === 0 ? `${ms / MINUTE} min` : `${ms / 1000} s`;
}
