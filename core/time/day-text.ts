/**
 * The days of a rule as a person types them, both ways: "every day", "weekdays", "Mon, Thu", "last Fri of the month",
 * "day 1, 15 of the month", "last day of the month". What else a rule can say is kept, but not typed.
 */
import type { Rule } from '@/core/time/recurrence';
import { plainRule } from '@/core/time/recurrence-text';

const SHORT = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const ORDINALS: Readonly<Record<string, number>> = { first: 1, second: 2, third: 3, fourth: 4, last: -1 };
const weekdayIn = (text: string): number =>
  SHORT.findIndex((day) => text.toLowerCase().startsWith(day.toLowerCase())) + 1;
const every = (weekdays: readonly number[]) => weekdays.map((weekday) => ({ weekday, ordinal: 0 }));

/** The days of a typed text, as a rule without times; null if it is none of the forms. */
export function parseDays(text: string): Rule | null {
  const t = text.trim().toLowerCase().replace(/\s+/g, ' ');
  if (t === 'every day' || t === 'daily') return plainRule('DAILY');
  if (t === 'weekdays') return { ...plainRule('WEEKLY'), byDay: every([1, 2, 3, 4, 5]) };
  const ofMonth = /^(?:the )?(.*) of the month$/.exec(t)?.[1];
  if (ofMonth !== undefined) return monthly(ofMonth);
  const weekdays = t.split(/[ ,]+/).map(weekdayIn);
  return weekdays.length && weekdays.every((day) => day > 0)
    ? { ...plainRule('WEEKLY'), byDay: every([...new Set(weekdays)].sort((a, b) => a - b)) }
    : null;
}

function monthly(what: string): Rule | null {
  if (what === 'last day') return { ...plainRule('MONTHLY'), byMonthDay: [-1] };
  if (what === 'last weekday') return { ...plainRule('MONTHLY'), byDay: every([1, 2, 3, 4, 5]), bySetPos: [-1] };
  const days = /^day (\d{1,2}(?:, ?\d{1,2})*)$/.exec(what)?.[1]?.split(',').map(Number);
  if (days) return days.every((d) => d >= 1 && d <= 31) ? { ...plainRule('MONTHLY'), byMonthDay: days } : null;
  const [word = '', day = '', more] = what.split(' ');
  const ordinal = ORDINALS[word];
  return ordinal !== undefined && weekdayIn(day) > 0 && more === undefined
    ? { ...plainRule('MONTHLY'), byDay: [{ weekday: weekdayIn(day), ordinal }] }
    : null;
}

/** The text of a rule's days; null if the rule says more than this form can. */
export function writeDays(rule: Rule): string | null {
  const text = candidate(rule);
  const back = text === null ? null : parseDays(text);
  if (!back) return null;
  const same = JSON.stringify({ ...rule, byHour: [], byMinute: [] }) === JSON.stringify(back);
  return same ? text : null;
}

function candidate(rule: Rule): string | null {
  const days = rule.byDay.map((d) => d.weekday);
  if (rule.frequency === 'DAILY') return 'every day';
  if (rule.frequency === 'WEEKLY')
    return days.join('') === '12345' ? 'weekdays' : days.map((day) => SHORT[day - 1]).join(', ');
  if (rule.frequency !== 'MONTHLY') return null;
  if (rule.byMonthDay.length)
    return `${rule.byMonthDay[0] === -1 ? 'last day' : `day ${rule.byMonthDay.join(', ')}`} of the month`;
  if (rule.bySetPos.length) return 'last weekday of the month';
  const word = Object.keys(ORDINALS).find((name) => ORDINALS[name] === rule.byDay[0]?.ordinal);
  return word ? `${word} ${SHORT[(days[0] ?? 1) - 1]} of the month` : null;
}
