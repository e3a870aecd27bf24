/** Calendar buckets of a zone: what "last of its day" or "two a month" counts in. */
import { civilOf } from '@/core/time/calendar';
import { offsetAt } from '@/core/time/zone';
import { assertNever, DAY, HOUR, type EpochMs } from '@/core/units';

export const PERIODS = ['hour', 'day', 'week', 'month', 'year'] as const;
export type Period = (typeof PERIODS)[number];

/** "a day", "an hour". */
export const aPeriod = (per: Period): string => `${per === 'hour' ? 'an' : 'a'} ${per}`;

/** Number of the bucket that an instant falls in: `count` equal slots a period, in local time; weeks are ISO 8601. O(log transitions). */
export function bucketOf(zone: string, per: Period, count: number, atMs: EpochMs): number {
  return bucketOfWall(per, count, atMs + offsetAt(zone, atMs));
}

/** The same for a local reading given as if it were UTC, in ms. */
export function bucketOfWall(per: Period, count: number, wallMs: number): number {
  switch (per) {
    case 'hour':
      return Math.floor((wallMs / HOUR) * count);
    case 'day':
      return Math.floor((wallMs / DAY) * count);
    case 'week': {
      // 1970-01-01 was a Thursday: Monday-based weeks since then are the weeks of ISO 8601.
      const day = Math.floor(wallMs / DAY) + 3;
      const week = Math.floor(day / 7);
      return week * count + Math.floor(((day - week * 7) / 7) * count);
    }
    case 'month': {
      const { year, month, day } = civilOf(Math.floor(wallMs / DAY));
      return (year * 12 + month - 1) * count + Math.floor(((day - 1) / 31) * count);
    }
    case 'year': {
      const { year, month } = civilOf(Math.floor(wallMs / DAY));
      return year * count + Math.floor(((month - 1) / 12) * count);
    }
    default:
      return assertNever(per);
  }
}

/** True if the bucket that holds `atMs` is over at `nowMs`. */
export function isOver(zone: string, per: Period, atMs: EpochMs, nowMs: EpochMs): boolean {
  return bucketOf(zone, per, 1, atMs) < bucketOf(zone, per, 1, nowMs);
}
