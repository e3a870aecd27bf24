/** The lane editor's text fields and what they mean, both ways. */
import type { BandRung, Ladder } from '@/core/protect/ladder';
import type { Period } from '@/core/protect/ladder-bucket';
import { recurrenceOf, type Cadence, type RuleCadence } from '@/core/time/cadence';
import { parseDays, writeDays } from '@/core/time/day-text';
import { formatRule } from '@/core/time/recurrence-text';
import { DAY, MINUTE } from '@/core/units';

const UNITS: Readonly<Record<string, number>> = { s: 1000, min: 60_000, h: 3_600_000, d: 86_400_000 };

/** "15 min", "2 h", "14 d" to milliseconds; null if it is no span. */
export function parseSpan(text: string): number | null {
  const found = /^\s*(\d+(?:\.\d+)?)\s*(s|min|h|d)\s*$/.exec(text);
  if (!found) return null;
  const ms = Number(found[1]) * (UNITS[found[2] as string] as number);
  return Number.isSafeInteger(ms) ? ms : null;
}

/** The largest unit that gives a whole number. */
export function writeSpan(ms: number): string {
  for (const unit of ['d', 'h', 'min'] as const)
    if (ms % (UNITS[unit] as number) === 0) return `${ms / (UNITS[unit] as number)} ${unit}`;
  return `${ms / 1000} s`;
}

/** "22:00, 04:30" to minutes since midnight; null if one is no time of day. */
export function parseTimes(text: string): number[] | null {
  const minutes = text.split(',').map((part) => {
    const found = /^\s*(\d{1,2}):(\d{2})\s*$/.exec(part);
    const value = found ? Number(found[1]) * 60 + Number(found[2]) : NaN;
    return found && Number(found[1]) < 24 && Number(found[2]) < 60 ? value : NaN;
  });
  return minutes.some(Number.isNaN) ? null : [...new Set(minutes)].sort((a, b) => a - b);
}

export const writeTimes = (minutes: readonly number[]): string =>
  minutes.map((m) => `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`).join(', ');

export interface RungFields {
  readonly per: 'every point' | Period;
  readonly count: string;
  readonly span: string;
}
export interface LaneFields {
  readonly every: string;
  readonly days: string;
  readonly times: string;
  readonly rungs: readonly RungFields[];
}

export function fieldsOf(cadence: Cadence, ladder: Ladder): LaneFields {
  return {
    every: cadence.kind === 'every' ? writeSpan(cadence.everyMs) : '',
    ...ruleFields(cadence),
    rungs:
      ladder.reading === 'bands'
        ? ladder.rungs.map((r) => ({ per: r.per ?? 'every point', count: String(r.count), span: writeSpan(r.spanMs) }))
        : [],
  };
}

/** Days and times of a rule; a rule that says more than days keeps them as they are. */
function ruleFields(cadence: Cadence): { readonly days: string; readonly times: string } {
  if (cadence.kind !== 'rule') return { days: '', times: '' };
  const { rule, startWallMs } = recurrenceOf(cadence);
  const startMin = Math.floor((startWallMs % DAY) / MINUTE);
  const hours = rule.byHour.length ? rule.byHour : [Math.floor(startMin / 60)];
  const minutes = rule.byMinute.length ? rule.byMinute : [startMin % 60];
  return {
    days: writeDays(rule) ?? KEPT_DAYS,
    times: writeTimes(hours.flatMap((h) => minutes.map((m) => h * 60 + m)).sort((a, b) => a - b)),
  };
}

const KEPT_DAYS = 'as they are';

/** The cadence with typed days and times, or what is wrong with them. */
function readRule(fields: LaneFields, cadence: RuleCadence, errors: Record<string, string>): Cadence {
  const times = parseTimes(fields.times);
  const days = fields.days === KEPT_DAYS ? recurrenceOf(cadence).rule : parseDays(fields.days);
  if (!days) errors.days = 'Write every day, weekdays, Mon, Thu, last Fri of the month, or day 1, 15 of the month.';
  if (!times) errors.times = 'Write times of day such as 22:00 or 06:00, 18:00.';
  if (!days || !times) return cadence;
  const byHour = [...new Set(times.map((t) => Math.floor(t / 60)))];
  const byMinute = [...new Set(times.map((t) => t % 60))];
  if (byHour.length * byMinute.length !== times.length) {
    errors.times = 'Times of one rule share their minutes, such as 06:30, 18:30.';
    return cadence;
  }
  return { ...cadence, rule: formatRule({ ...days, byHour, byMinute }) };
}

export type Read =
  | { readonly ok: true; readonly cadence: Cadence; readonly ladder: Ladder }
  | { readonly ok: false; readonly errors: Readonly<Record<string, string>> };

/** Reads the fields back; errors by field name, each with what to write instead. */
export function readFields(fields: LaneFields, cadence: Cadence, ladder: Ladder): Read {
  const errors: Record<string, string> = {};
  const everyMs = parseSpan(fields.every);
  if (cadence.kind === 'every' && (everyMs === null || everyMs < 30_000))
    errors.every = 'Write a span of at least 30 s, such as 15 min or 2 h.';
  const ruled = cadence.kind === 'rule' ? readRule(fields, cadence, errors) : cadence;
  const rungs = fields.rungs.map((r, i): BandRung => {
    const spanMs = parseSpan(r.span);
    const count = Number(r.count);
    if (spanMs === null || spanMs < 60_000) errors[`span${i}`] = 'Write how long, such as 24 h or 14 d.';
    if (!Number.isInteger(count) || count < 1 || count > 24) errors[`count${i}`] = 'Write 1 to 24.';
    return { per: r.per === 'every point' ? null : r.per, count, spanMs: spanMs ?? 0 };
  });
  if (Object.keys(errors).length) return { ok: false, errors };
  const nextCadence: Cadence =
    cadence.kind === 'every' ? { ...cadence, everyMs: everyMs as number, offsetMs: 0 } : ruled;
  return { ok: true, cadence: nextCadence, ladder: ladder.reading === 'bands' ? { ...ladder, rungs } : ladder };
}
