/**
 * The text of a recurrence rule as RFC 5545 3.3.10 writes it (from memory), both ways. Strict: an unknown part, a value out
 * of its range or a pair that the RFC forbids is refused by name, with what to write instead.
 */
import { FREQUENCIES, type ByDay, type Frequency, type Rule } from '@/core/time/recurrence';
import type { EpochMs } from '@/core/units';

/** What is wrong with a rule's text, and in which part of it. */
export class BadRule extends Error {
  readonly code = 'bad-rule';
  override readonly name = 'BadRule';
  constructor(
    readonly part: string,
    message: string,
  ) {
    super(`${part}: ${message}`);
  }
}

const WEEKDAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'] as const;

/** A rule without limits: complete, so that changes are small. */
export const plainRule = (frequency: Frequency): Rule => ({
  frequency,
  interval: 1,
  count: null,
  untilMs: null,
  byMonth: [],
  byWeekNo: [],
  byMonthDay: [],
  byDay: [],
  byHour: [],
  byMinute: [],
  bySetPos: [],
  weekStart: 1,
});

/** Reads "FREQ=MONTHLY;BYDAY=-1FR"; throws BadRule. O(length). */
export function parseRule(text: string): Rule {
  const parts = new Map<string, string>();
  for (const piece of text.trim().split(';')) {
    const [name = '', value, more] = piece.toUpperCase().split('=');
    if (!value || more !== undefined) throw new BadRule(piece || 'rule', 'write NAME=VALUE, parts divided by ";".');
    if (parts.has(name)) throw new BadRule(name, 'is given twice.');
    parts.set(name, value);
  }
  const frequency = frequencyOf(parts.get('FREQ'));
  const rule: Rule = {
    frequency,
    interval: whole(parts, 'INTERVAL', 1, 1000) ?? 1,
    count: whole(parts, 'COUNT', 1, 100_000),
    untilMs: parts.has('UNTIL') ? untilOf(parts.get('UNTIL') as string) : null,
    byMonth: list(parts, 'BYMONTH', 1, 12),
    byWeekNo: list(parts, 'BYWEEKNO', 1, 53, true),
    byMonthDay: list(parts, 'BYMONTHDAY', 1, 31, true),
    byDay: (parts.get('BYDAY') ?? '').split(',').filter(Boolean).map(byDayOf),
    byHour: list(parts, 'BYHOUR', 0, 23),
    byMinute: list(parts, 'BYMINUTE', 0, 59),
    bySetPos: list(parts, 'BYSETPOS', 1, 366, true),
    weekStart: weekdayOf('WKST', parts.get('WKST') ?? 'MO'),
  };
  const unknown = [...parts.keys()].find((name) => !KNOWN.has(name));
  if (unknown) throw new BadRule(unknown, `is no part that is understood; there are ${[...KNOWN].join(', ')}.`);
  refusePairs(rule);
  return rule;
}

const KNOWN = new Set(
  'FREQ INTERVAL COUNT UNTIL BYMONTH BYWEEKNO BYMONTHDAY BYDAY BYHOUR BYMINUTE BYSETPOS WKST'.split(' '),
);

/** Writes a rule; parseRule reads the same rule back. */
export function formatRule(rule: Rule): string {
  const parts = [`FREQ=${rule.frequency}`];
  const add = (name: string, values: ReadonlyArray<number | string>): void => {
    if (values.length) parts.push(`${name}=${values.join(',')}`);
  };
  if (rule.interval !== 1) parts.push(`INTERVAL=${rule.interval}`);
  if (rule.count !== null) parts.push(`COUNT=${rule.count}`);
  if (rule.untilMs !== null) parts.push(`UNTIL=${untilText(rule.untilMs)}`);
  add('BYMONTH', rule.byMonth);
  add('BYWEEKNO', rule.byWeekNo);
  add('BYMONTHDAY', rule.byMonthDay);
  add(
    'BYDAY',
    rule.byDay.map(({ weekday, ordinal }) => `${ordinal || ''}${WEEKDAYS[weekday - 1]}`),
  );
  add('BYHOUR', rule.byHour);
  add('BYMINUTE', rule.byMinute);
  add('BYSETPOS', rule.bySetPos);
  if (rule.weekStart !== 1) parts.push(`WKST=${WEEKDAYS[rule.weekStart - 1]}`);
  return parts.join(';');
}

function frequencyOf(text: string | undefined): Frequency {
  const found = FREQUENCIES.find((frequency) => frequency === text);
  if (found) return found;
  if (text === 'HOURLY' || text === 'MINUTELY' || text === 'SECONDLY')
    throw new BadRule('FREQ', 'hours and minutes count elapsed time here; use "every N" instead.');
  throw new BadRule('FREQ', `must be one of ${FREQUENCIES.join(', ')}.`);
}

function refusePairs(rule: Rule): void {
  if (rule.count !== null && rule.untilMs !== null) throw new BadRule('COUNT', 'cannot stand beside UNTIL.');
  if (rule.byWeekNo.length && rule.frequency !== 'YEARLY') throw new BadRule('BYWEEKNO', 'needs FREQ=YEARLY.');
  if (rule.byMonthDay.length && rule.frequency === 'WEEKLY')
    throw new BadRule('BYMONTHDAY', 'cannot stand beside FREQ=WEEKLY.');
  const counted = rule.byDay.some((day) => day.ordinal !== 0);
  if (counted && (rule.frequency === 'DAILY' || rule.frequency === 'WEEKLY' || rule.byWeekNo.length))
    throw new BadRule('BYDAY', 'a number before a weekday needs FREQ=MONTHLY or YEARLY, without BYWEEKNO.');
  const by = [rule.byMonth, rule.byWeekNo, rule.byMonthDay, rule.byDay, rule.byHour, rule.byMinute];
  if (rule.bySetPos.length && by.every((values) => values.length === 0))
    throw new BadRule('BYSETPOS', 'picks from another BY part, and there is none.');
}

function whole(parts: ReadonlyMap<string, string>, name: string, least: number, most: number): number | null {
  const text = parts.get(name);
  return text === undefined ? null : numberOf(name, text, least, most, false);
}

function list(parts: ReadonlyMap<string, string>, name: string, least: number, most: number, signed = false): number[] {
  const text = parts.get(name);
  return text === undefined ? [] : text.split(',').map((value) => numberOf(name, value, least, most, signed));
}

function numberOf(name: string, text: string, least: number, most: number, signed: boolean): number {
  const value = /^[+-]?\d{1,6}$/.test(text) ? Number(text) : NaN;
  const size = signed ? Math.abs(value) : value;
  if (!(size >= least && size <= most))
    throw new BadRule(name, `"${text}" must be ${least} to ${most}${signed ? `, or -${most} to -${least}` : ''}.`);
  return value;
}

function byDayOf(text: string): ByDay {
  const found = /^([+-]?\d{1,2})?([A-Z]{2})$/.exec(text);
  if (!found) throw new BadRule('BYDAY', `"${text}" must be a weekday such as MO, or 1MO or -1FR.`);
  const ordinal = found[1] === undefined ? 0 : numberOf('BYDAY', found[1], 1, 53, true);
  return { weekday: weekdayOf('BYDAY', found[2] as string), ordinal };
}

function weekdayOf(part: string, text: string): number {
  const index = WEEKDAYS.findIndex((name) => name === text);
  if (index < 0) throw new BadRule(part, `"${text}" must be one of ${WEEKDAYS.join(', ')}.`);
  return index + 1;
}

function untilOf(text: string): EpochMs {
  const found = /^(\d{4})(\d{2})(\d{2})T(\d{2})(\d{2})(\d{2})Z$/.exec(text);
  if (!found) throw new BadRule('UNTIL', `"${text}" must be an instant in UTC such as 20261224T000000Z.`);
  const [year, month, day, hour, minute, second] = found.slice(1).map(Number) as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const atMs = Date.UTC(year, month - 1, day, hour, minute, second);
  if (untilText(atMs) !== text) throw new BadRule('UNTIL', `"${text}" is no date.`);
  return atMs;
}

const untilText = (atMs: EpochMs): string => new Date(atMs).toISOString().replace(/[-:]|\.\d{3}/g, '');
