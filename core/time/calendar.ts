/** Days of the proleptic Gregorian calendar as plain numbers: days since 1970-01-01. All O(1), no zone, no Date objects. */

export interface Civil {
  readonly year: number;
  /** 1..12 */
  readonly month: number;
  /** 1..31 */
  readonly day: number;
}

/** Year, month and day of a day number (Hinnant, "civil from days", from memory; calendar.test.ts compares with Date). */
export function civilOf(dayNumber: number): Civil {
  const shifted = dayNumber + 719_468;
  const era = Math.floor(shifted / 146_097);
  const dayOfEra = shifted - era * 146_097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36_524) - Math.floor(dayOfEra / 146_096)) / 365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const march = Math.floor((5 * dayOfYear + 2) / 153);
  const month = march < 10 ? march + 3 : march - 9;
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - Math.floor((153 * march + 2) / 5) + 1,
  };
}

/** Day number of a date; a month outside 1..12 carries into the year. */
export function dayNumber(year: number, month: number, day: number): number {
  const carried = year + Math.floor((month - 1) / 12);
  const m = ((((month - 1) % 12) + 12) % 12) + 1;
  const y = m <= 2 ? carried - 1 : carried;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (m > 2 ? m - 3 : m + 9) + 2) / 5) + day - 1;
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear;
  return era * 146_097 + dayOfEra - 719_468;
}

/** Days of a month; a month outside 1..12 carries into the year. */
export function daysInMonth(year: number, month: number): number {
  return dayNumber(year, month + 1, 1) - dayNumber(year, month, 1);
}

/** 1 Monday .. 7 Sunday. */
export function weekdayOf(dayNo: number): number {
  return ((((dayNo + 3) % 7) + 7) % 7) + 1;
}

/** ISO 8601 week-year and week number. */
export function isoWeek(dayNo: number): { readonly year: number; readonly week: number } {
  // The Thursday of a week decides its year.
  const thursday = dayNo - weekdayOf(dayNo) + 4;
  const { year } = civilOf(thursday);
  return { year, week: Math.floor((thursday - dayNumber(year, 1, 1)) / 7) + 1 };
}
