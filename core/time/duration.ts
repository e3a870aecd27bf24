/**
 * Durations of ISO 8601-1 as text ("PT15M", "P1DT12H"), for interfaces to other programs. A strict pattern of our own:
 * libraries accept what the standard does not (checks 2-D20).
 *
 * Weeks and days are 7 x 24 and 24 hours: elapsed time. Years and months have no length, so they are refused.
 */
import { DAY, HOUR, MINUTE, type DurationMs } from '@/core/units';

/** Thrown for text that is no duration of elapsed time. */
export class BadDuration extends Error {
  readonly code = 'bad-duration';
  override readonly name = 'BadDuration';
  constructor(text: string) {
    super(`"${text}" is no duration; write one such as PT15M, PT1H30M or P7D.`);
  }
}

const NUMBER = String.raw`\d{1,12}(?:[.,]\d{1,9})?`;
const PATTERN = new RegExp(
  `^([+-])?P(?=[\\dT])(?:(${NUMBER})W)?(?:(${NUMBER})D)?(?:T(?=\\d)(?:(${NUMBER})H)?(?:(${NUMBER})M)?(?:(${NUMBER})S)?)?$`,
);
const UNITS = [7 * DAY, DAY, HOUR, MINUTE, 1000] as const;

/** Milliseconds of a duration; throws BadDuration. Only the smallest unit may have a fraction. */
export function parseDuration(text: string): DurationMs {
  const found = PATTERN.exec(text);
  if (!found) throw new BadDuration(text);
  const parts = found.slice(2);
  const last = parts.findLastIndex((part) => part !== undefined);
  if (parts.some((part, i) => part !== undefined && i < last && /[.,]/.test(part))) throw new BadDuration(text);
  const ms = parts.reduce((sum, part, i) => sum + Number((part ?? '0').replace(',', '.')) * (UNITS[i] as number), 0);
  return (found[1] === '-' ? -1 : 1) * Math.round(ms) + 0;
}

/** The shortest text in days, hours, minutes and seconds; parseDuration reads the same value back. */
export function formatDuration(ms: DurationMs): string {
  let rest = Math.abs(ms);
  const take = (unit: number, letter: string): string => {
    const n = Math.floor(rest / unit);
    rest -= n * unit;
    return n ? `${n}${letter}` : '';
  };
  const days = take(DAY, 'D');
  const time = `${take(HOUR, 'H')}${take(MINUTE, 'M')}${rest ? `${rest / 1000}S` : ''}`;
  if (!days && !time) return 'PT0S';
  return `${ms < 0 ? '-' : ''}P${days}${time ? `T${time}` : ''}`;
}
