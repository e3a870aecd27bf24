/** The lane editor's text fields and what they mean, both ways. */
import type { BandRung, Ladder } from '@/core/protect/ladder';
import type { Period } from '@/core/protect/ladder-bucket';
import type { Cadence } from '@/core/time/cadence';

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
  readonly times: string;
  readonly rungs: readonly RungFields[];
}

export function fieldsOf(cadence: Cadence, ladder: Ladder): LaneFields {
  return {
    every: cadence.kind === 'every' ? writeSpan(cadence.everyMs) : '',
    times: cadence.kind === 'weekly' ? writeTimes(cadence.timesMin) : '',
    rungs:
      ladder.reading === 'bands'
        ? ladder.rungs.map((r) => ({ per: r.per ?? 'every point', count: String(r.count), span: writeSpan(r.spanMs) }))
        : [],
  };
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
  const times = parseTimes(fields.times);
  if (cadence.kind === 'weekly' && times === null) errors.times = 'Write times of day such as 22:00 or 06:00, 18:00.';
  const rungs = fields.rungs.map((r, i): BandRung => {
    const spanMs = parseSpan(r.span);
    const count = Number(r.count);
    if (spanMs === null || spanMs < 60_000) errors[`span${i}`] = 'Write how long, such as 24 h or 14 d.';
    if (!Number.isInteger(count) || count < 1 || count > 24) errors[`count${i}`] = 'Write 1 to 24.';
    return { per: r.per === 'every point' ? null : r.per, count, spanMs: spanMs ?? 0 };
  });
  if (Object.keys(errors).length) return { ok: false, errors };
  const nextCadence: Cadence =
    cadence.kind === 'every'
      ? { ...cadence, everyMs: everyMs as number, offsetMs: 0 }
      : cadence.kind === 'weekly'
        ? { ...cadence, timesMin: times as number[] }
        : cadence;
  return { ok: true, cadence: nextCadence, ladder: ladder.reading === 'bands' ? { ...ladder, rungs } : ladder };
}
