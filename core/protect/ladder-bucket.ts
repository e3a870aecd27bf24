/** Calendar buckets of a zone: what "last of its day" or "two a month" counts in. */
import { offsetAt } from '@/core/time/zone';
import { assertNever, DAY, HOUR, type EpochMs } from '@/core/units';

export const PERIODS = ['hour', 'day', 'week', 'month', 'year'] as const;
export type Period = (typeof PERIODS)[number];

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
      const { month, dayOfMonth } = civil(Math.floor(wallMs / DAY));
      return month * count + Math.floor(((dayOfMonth - 1) / 31) * count);
    }
    case 'year': {
      const { month } = civil(Math.floor(wallMs / DAY));
      return Math.floor(month / 12) * count + Math.floor(((month % 12) / 12) * count);
    }
    default:
      return assertNever(per);
  }
}

/** True if the bucket that holds `atMs` is over at `nowMs`. */
export function isOver(zone: string, per: Period, atMs: EpochMs, nowMs: EpochMs): boolean {
  return bucketOf(zone, per, 1, atMs) < bucketOf(zone, per, 1, nowMs);
}

/** Months since year 0 and day of the month of a day since 1970-01-01 (Hinnant, "days from civil" inverted, from memory). */
function civil(day: number): { readonly month: number; readonly dayOfMonth: number } {
  const shifted = day + 719_468;
  const era = Math.floor(shifted / 146_097);
  const dayOfEra = shifted - era * 146_097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36_524) - Math.floor(dayOfEra / 146_096)) / 365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const marchMonth = Math.floor((5 * dayOfYear + 2) / 153);
  const dayOfMonth = dayOfYear - Math.floor((153 * marchMonth + 2) / 5) + 1;
  return { month: (yearOfEra + era * 400) * 12 + marchMonth + 2, dayOfMonth };
}
