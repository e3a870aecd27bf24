/** How numbers read on the screen. Times are shown in one zone; the exact instant is in the title. */
import { toLocal } from '@/core/time/zone';
import type { DurationMs, EpochMs } from '@/core/units';

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const two = (n: number) => String(n).padStart(2, '0');
const MINUTE = 60_000;

/** "24 min", "1 h 12 min", "3 d": whole minutes, two units at most. */
export function span(ms: DurationMs): string {
  if (ms < 0) return `−${span(-ms)}`;
  if (ms < MINUTE) return `${Math.round(ms / 1000)} s`;
  const minutes = Math.round(ms / MINUTE);
  if (minutes < 60) return `${minutes} min`;
  if (minutes < 2880) return minutes % 60 ? `${Math.floor(minutes / 60)} h ${minutes % 60} min` : `${minutes / 60} h`;
  return `${Math.round(minutes / 1440)} d`;
}

export function clock(atMs: EpochMs, zone: string): string {
  const t = toLocal(zone, atMs);
  return `${two(t.hour)}:${two(t.minute)}`;
}

export function day(atMs: EpochMs, zone: string): string {
  const t = toLocal(zone, atMs);
  return `${DAYS[t.weekday - 1]} ${t.day} ${MONTHS[t.month - 1]}`;
}

/** "Thu 12 07:50" within the last week, "26 Feb 2026" before. */
export function when(atMs: EpochMs, zone: string, nowMs: EpochMs): string {
  const t = toLocal(zone, atMs);
  if (Math.abs(nowMs - atMs) < 7 * 86_400_000) return `${DAYS[t.weekday - 1]} ${t.day} ${two(t.hour)}:${two(t.minute)}`;
  return `${t.day} ${MONTHS[t.month - 1]} ${t.year}`;
}

/** "Thu 12 07:50:13"; `asField`: "2026-03-12 07:50:13", as it is typed. */
export function second(atMs: EpochMs, zone: string, asField = false): string {
  const t = toLocal(zone, atMs);
  const time = `${two(t.hour)}:${two(t.minute)}:${two(t.second)}`;
  return asField ? `${t.year}-${two(t.month)}-${two(t.day)} ${time}` : `${DAYS[t.weekday - 1]} ${t.day} ${time}`;
}

/** The exact instant with its zone, for titles. */
export function exact(atMs: EpochMs, zone: string): string {
  return `${day(atMs, zone)} ${clock(atMs, zone)}:${two(toLocal(zone, atMs).second)} ${zone} (${new Date(atMs).toISOString()})`;
}

/** Decimal bytes as people read them: "38.0 GB". */
export function bytes(n: number | null): string {
  if (n === null) return '–';
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
  let value = n;
  let unit = 0;
  while (value >= 1000 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${unit === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${units[unit]}`;
}

export function rate(bps: number | null): string {
  if (bps === null || bps === 0) return '';
  return bps >= 1e9 ? `${(bps / 1e9).toFixed(1)} Gbit/s` : `${Math.round(bps / 1e6)} Mbit/s`;
}

export const percent = (share: number): string => `${share >= 0.9995 ? '100' : (share * 100).toFixed(1)}%`;
