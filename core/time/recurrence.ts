/**
 * Recurrence rules of RFC 5545 (text from memory) for days and longer: DAILY, WEEKLY, MONTHLY, YEARLY.
 *
 * Instances are wall-clock readings in a zone. One that does not exist runs at the instant that the offset before the
 * gap gives, one that exists twice at its first (3.3.5, 3.8.5.3; docs/decisions.md says why not 3.3.10). Two readings
 * that fold onto one instant are one instance. Hours and minutes are no frequencies here: they count elapsed time.
 *
 * Instances come in periods (a day, week, month or year, `interval` apart): expand a period, limit it, pick from it.
 * Cost of a span: O(instances in it + periods in it); with COUNT also O(instances since the start).
 */
import { civilOf, dayNumber, daysInMonth, isoWeek, weekdayOf } from '@/core/time/calendar';
import { fromLocal, offsetAt } from '@/core/time/zone';
import { assertNever, DAY, HOUR, MINUTE, type EpochMs } from '@/core/units';

export const FREQUENCIES = ['DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'] as const;
export type Frequency = (typeof FREQUENCIES)[number];

/** A weekday, 1 Monday .. 7 Sunday; `ordinal` 0: every one, n: the nth, -n: the nth from the end of its month or year. */
export interface ByDay {
  readonly weekday: number;
  readonly ordinal: number;
}

/** A rule, complete: an empty list means that the part is absent. */
export interface Rule {
  readonly frequency: Frequency;
  readonly interval: number;
  /** Instances at most, counted from the start; null: no end by number. */
  readonly count: number | null;
  /** Last instant, inclusive; null: no end by time. */
  readonly untilMs: EpochMs | null;
  readonly byMonth: readonly number[];
  readonly byWeekNo: readonly number[];
  readonly byMonthDay: readonly number[];
  readonly byDay: readonly ByDay[];
  readonly byHour: readonly number[];
  readonly byMinute: readonly number[];
  readonly bySetPos: readonly number[];
  /** First day of a week, 1 Monday .. 7 Sunday. */
  readonly weekStart: number;
}

/** A rule with where it begins. Walls are local readings as if they were UTC, in ms. */
export interface Recurrence {
  readonly zone: string;
  readonly startWallMs: number;
  readonly rule: Rule;
  /** Instances left out (EXDATE). */
  readonly exceptWallMs: readonly number[];
}

/** Periods without an instance after which a rule counts as having no further one: more than 28 years of days. */
const BARREN = 12_000;

/** Instances in [fromMs, toMs), ascending, none twice. */
export function instancesBetween(r: Recurrence, fromMs: EpochMs, toMs: EpochMs): EpochMs[] {
  const found: EpochMs[] = [];
  walk(r, fromMs, (at) => {
    if (at >= toMs) return false;
    found.push(at);
    return true;
  });
  return found;
}

/** First instance strictly after an instant, or null. */
export function instanceAfter(r: Recurrence, afterMs: EpochMs): EpochMs | null {
  let next: EpochMs | null = null;
  walk(r, afterMs + 1, (at) => {
    next = at;
    return false;
  });
  return next;
}

/** Last instance strictly before an instant, or null. Looks back in spans that double. */
export function instanceBefore(r: Recurrence, beforeMs: EpochMs): EpochMs | null {
  const first = fromLocal(r.zone, r.startWallMs);
  for (let span = 2 * PERIOD_MS[r.rule.frequency] * r.rule.interval; ; span *= 2) {
    const last = instancesBetween(r, beforeMs - span, beforeMs).at(-1);
    if (last !== undefined) return last;
    if (beforeMs - span <= first) return null;
  }
}

const PERIOD_MS = { DAILY: DAY, WEEKLY: 7 * DAY, MONTHLY: 31 * DAY, YEARLY: 366 * DAY } as const;

/** Hands out instances from `fromMs` on, in order, until `take` says no or there are none. */
function walk(r: Recurrence, fromMs: EpochMs, take: (atMs: EpochMs) => boolean): void {
  const { rule, zone, startWallMs } = r;
  const startDay = Math.floor(startWallMs / DAY);
  const times = timesOf(rule, startWallMs - startDay * DAY);
  const firstDayOf = periodStarts(rule, startDay);
  const wallsFrom = expansion(rule, startDay, times);
  const excepted = new Set(r.exceptWallMs.map((wall) => fromLocal(zone, wall)));
  const { count } = rule;
  const untilMs = rule.untilMs ?? Infinity;
  // A count runs from the start; without one, whole periods before the span are passed over.
  let period = count === null ? Math.max(0, periodOf(r, fromMs) - 1) : 0;
  let counted = 0;
  let last = -Infinity;
  for (let barren = 0; barren < BARREN; period++) {
    const first = firstDayOf(period);
    if (untilMs !== Infinity && fromLocal(zone, first * DAY) > untilMs) return;
    const instants = instantsOf(r, first * DAY, wallsFrom(first), times.length > 1);
    barren = instants.length ? 0 : barren + 1;
    for (const atMs of instants) {
      if (atMs <= last) continue;
      last = atMs;
      if (atMs > untilMs) return;
      if (count !== null && ++counted > count) return;
      if (atMs >= fromMs && !excepted.has(atMs) && !take(atMs)) return;
    }
  }
}

/** Instants of local readings; only a gap in the local time turns the order of several times of a day round. */
function instantsOf(
  { zone, startWallMs }: Recurrence,
  baseMs: number,
  walls: readonly number[],
  sort: boolean,
): EpochMs[] {
  const found: EpochMs[] = [];
  for (const wall of walls) if (baseMs + wall >= startWallMs) found.push(fromLocal(zone, baseMs + wall));
  return sort ? found.sort((a, b) => a - b) : found;
}

/** Number of the period, counted from the start's in steps of the interval, that holds an instant. */
function periodOf(r: Recurrence, atMs: EpochMs): number {
  const { rule } = r;
  const day = Math.floor((atMs + offsetAt(r.zone, atMs)) / DAY);
  const start = Math.floor(r.startWallMs / DAY);
  switch (rule.frequency) {
    case 'DAILY':
      return Math.floor((day - start) / rule.interval);
    case 'WEEKLY':
      return Math.floor((weekOf(day, rule.weekStart) - weekOf(start, rule.weekStart)) / rule.interval);
    case 'MONTHLY':
      return Math.floor((monthOf(day) - monthOf(start)) / rule.interval);
    case 'YEARLY':
      return Math.floor((civilOf(day).year - civilOf(start).year) / rule.interval);
    default:
      return assertNever(rule.frequency);
  }
}

/** Days since a week began, so that `day - intoWeek` is its first day. */
const intoWeek = (day: number, weekStart: number): number => (weekdayOf(day) - weekStart + 7) % 7;
const weekOf = (day: number, weekStart: number): number => Math.floor((day - intoWeek(day, weekStart)) / 7);
function monthOf(day: number): number {
  const { year, month } = civilOf(day);
  return year * 12 + month - 1;
}

/** First day of each period by its number. */
function periodStarts(rule: Rule, start: number): (period: number) => number {
  const { interval, weekStart } = rule;
  switch (rule.frequency) {
    case 'DAILY':
      return (period) => start + period * interval;
    case 'WEEKLY': {
      const first = start - intoWeek(start, weekStart);
      return (period) => first + period * interval * 7;
    }
    case 'MONTHLY': {
      const first = monthOf(start);
      return (period) => dayNumber(0, first + period * interval + 1, 1);
    }
    case 'YEARLY': {
      const { year } = civilOf(start);
      return (period) => dayNumber(year + period * interval, 1, 1);
    }
    default:
      return assertNever(rule.frequency);
  }
}

/**
 * Local readings of the period that begins on a day, ascending, in ms since that day. A calendar has 28 shapes of month
 * and 14 of year (length and first weekday): each is expanded once.
 */
function expansion(rule: Rule, startDay: number, times: readonly number[]): (first: number) => readonly number[] {
  const known = new Map<number, readonly number[]>();
  return (first) => {
    const shape = shapeOf(rule, first);
    if (shape === null) return periodWalls(rule, first, startDay, times);
    let walls = known.get(shape);
    if (!walls) known.set(shape, (walls = periodWalls(rule, first, startDay, times)));
    return walls;
  };
}

/** Number of the shape that decides the readings of a period, or null if it is one of its own. */
function shapeOf(rule: Rule, first: number): number | null {
  if (rule.byMonth.length && rule.frequency !== 'YEARLY') return null;
  switch (rule.frequency) {
    case 'DAILY':
      return rule.byMonthDay.length ? null : weekdayOf(first);
    case 'WEEKLY':
      return 0;
    case 'MONTHLY':
      return lengthOfMonth(first) * 8 + weekdayOf(first);
    case 'YEARLY':
      return (lengthOfMonth(first + 31) - 28) * 8 + weekdayOf(first);
    default:
      return assertNever(rule.frequency);
  }
}

/** Days of the month that begins on a day. */
function lengthOfMonth(first: number): number {
  for (let length = 28; length < 31; length++) if (civilOf(first + length).day === 1) return length;
  return 31;
}

function periodWalls(rule: Rule, first: number, startDay: number, times: readonly number[]): number[] {
  const walls: number[] = [];
  for (const day of daysOf(rule, first, startDay)) for (const time of times) walls.push((day - first) * DAY + time);
  return rule.bySetPos.length ? picked(walls, rule.bySetPos) : walls;
}

function picked(walls: readonly number[], positions: readonly number[]): number[] {
  const chosen = positions.map((n) => walls[n > 0 ? n - 1 : walls.length + n]);
  return [...new Set(chosen.filter((wall): wall is number => wall !== undefined))].sort((a, b) => a - b);
}

function timesOf(rule: Rule, startTimeMs: number): number[] {
  if (!rule.byHour.length && !rule.byMinute.length) return [startTimeMs];
  const rest = startTimeMs % MINUTE;
  const hours = rule.byHour.length ? rule.byHour : [Math.floor(startTimeMs / HOUR)];
  const minutes = rule.byMinute.length ? rule.byMinute : [Math.floor((startTimeMs % HOUR) / MINUTE)];
  return hours.flatMap((hour) => minutes.map((minute) => hour * HOUR + minute * MINUTE + rest)).sort((a, b) => a - b);
}

/** Days of the period that begins at `first`, ascending; what the rule leaves open comes from the start day. */
function daysOf(rule: Rule, first: number, start: number): number[] {
  switch (rule.frequency) {
    case 'DAILY':
      return limited(rule, first) ? [first] : [];
    case 'WEEKLY': {
      const weekdays = rule.byDay.length ? rule.byDay.map((d) => d.weekday) : [weekdayOf(start)];
      const days = weekdays.map((weekday) => first + ((weekday - rule.weekStart + 7) % 7));
      return [...new Set(days)].sort((a, b) => a - b).filter((day) => inMonths(rule, day));
    }
    case 'MONTHLY':
      return inMonths(rule, first) ? daysOfMonth(rule, first, civilOf(start).day) : [];
    case 'YEARLY':
      return daysOfYear(rule, first, start);
    default:
      return assertNever(rule.frequency);
  }
}

const inMonths = (rule: Rule, day: number): boolean =>
  rule.byMonth.length === 0 || rule.byMonth.includes(civilOf(day).month);

function limited(rule: Rule, day: number): boolean {
  if (!rule.byMonth.length && !rule.byDay.length && !rule.byMonthDay.length) return true;
  const { year, month, day: dayOfMonth } = civilOf(day);
  if (rule.byMonth.length && !rule.byMonth.includes(month)) return false;
  if (rule.byDay.length && !rule.byDay.some((d) => d.weekday === weekdayOf(day))) return false;
  if (!rule.byMonthDay.length) return true;
  const fromEnd = dayOfMonth - daysInMonth(year, month) - 1;
  return rule.byMonthDay.includes(dayOfMonth) || rule.byMonthDay.includes(fromEnd);
}

/** Days of the month that begins at `first`: BYMONTHDAY, limited by BYDAY, or BYDAY, or the day of the start. */
function daysOfMonth(rule: Rule, first: number, startDay: number): number[] {
  const { year, month } = civilOf(first);
  const length = daysInMonth(year, month);
  const weekdays = rule.byDay.length ? weekdaysIn(rule.byDay, first, length) : null;
  if (!rule.byMonthDay.length) return weekdays ?? (startDay <= length ? [first + startDay - 1] : []);
  const monthDays = rule.byMonthDay.map((d) => (d > 0 ? d : length + d + 1)).filter((d) => d >= 1 && d <= length);
  const days = [...new Set(monthDays)].sort((a, b) => a - b).map((d) => first + d - 1);
  return weekdays ? days.filter((day) => weekdays.includes(day)) : days;
}

/** Days of a stretch that BYDAY names, ascending; ordinals count inside the stretch. */
function weekdaysIn(byDay: readonly ByDay[], first: number, length: number): number[] {
  if (byDay.every((day) => day.ordinal === 0)) return everyWeekdayIn(byDay, first, length);
  const days = new Set<number>();
  for (const { weekday, ordinal } of byDay) {
    const start = first + ((weekday - weekdayOf(first) + 7) % 7);
    const many = Math.floor((first + length - 1 - start) / 7) + 1;
    if (ordinal === 0) for (let i = 0; i < many; i++) days.add(start + 7 * i);
    else {
      const index = ordinal > 0 ? ordinal - 1 : many + ordinal;
      if (index >= 0 && index < many) days.add(start + 7 * index);
    }
  }
  return [...days].sort((a, b) => a - b);
}

/** The same where every weekday is meant: found by walking through the days. */
function everyWeekdayIn(byDay: readonly ByDay[], first: number, length: number): number[] {
  const wanted = byDay.reduce((bits, day) => bits | (1 << day.weekday), 0);
  const days: number[] = [];
  let weekday = weekdayOf(first);
  for (let day = first; day < first + length; day++) {
    if (wanted & (1 << weekday)) days.push(day);
    weekday = weekday === 7 ? 1 : weekday + 1;
  }
  return days;
}

function daysOfYear(rule: Rule, first: number, start: number): number[] {
  const { year } = civilOf(first);
  const begin = civilOf(start);
  if (rule.byWeekNo.length) return daysOfWeeks(rule, first, start).filter((day) => inMonths(rule, day));
  if (rule.byMonth.length || rule.byMonthDay.length) {
    const months = rule.byMonth.length ? [...rule.byMonth].sort((a, b) => a - b) : MONTHS;
    return months.flatMap((month) => daysOfMonth(rule, dayNumber(year, month, 1), begin.day));
  }
  if (rule.byDay.length) return weekdaysIn(rule.byDay, first, dayNumber(year + 1, 1, 1) - first);
  return begin.day <= daysInMonth(year, begin.month) ? [dayNumber(year, begin.month, begin.day)] : [];
}

const MONTHS: readonly number[] = Array.from({ length: 12 }, (_, i) => i + 1);

/** Days of numbered ISO weeks that lie in the calendar year that begins at `first`. */
function daysOfWeeks(rule: Rule, first: number, start: number): number[] {
  const { year } = civilOf(first);
  const length = dayNumber(year + 1, 1, 1) - first;
  const weekdays = rule.byDay.length ? rule.byDay.map((d) => d.weekday) : [weekdayOf(start)];
  const weeks = isoWeek(dayNumber(year, 12, 28)).week;
  const wanted = new Set(rule.byWeekNo.map((n) => (n > 0 ? n : weeks + n + 1)));
  const days: number[] = [];
  for (let day = first; day < first + length; day++) {
    const iso = isoWeek(day);
    if (iso.year === year && wanted.has(iso.week) && weekdays.includes(weekdayOf(day))) days.push(day);
  }
  return days;
}
