/** The time axis of the picture of points: it thins with age. */
import { DAY, HOUR } from '@/core/units';

/** Stretches of age with a width each, oldest first: the newer, the more room. */
export const STRETCHES = [
  { name: 'older', fromMs: 90 * DAY, toMs: 14 * DAY, x0: 176, x1: 330 },
  { name: '14 days', fromMs: 14 * DAY, toMs: DAY, x0: 340, x1: 620 },
  { name: '24 hours', fromMs: DAY, toMs: 2 * HOUR, x0: 630, x1: 960 },
  { name: 'the last 2 hours', fromMs: 2 * HOUR, toMs: 0, x0: 970, x1: 1232 },
] as const;

/** Where an age lies, in the units of the figure; what is newer than now lies at now: streams go on while one looks. */
export function xOf(ageMs: number): number {
  const age = Math.max(0, ageMs);
  const s = STRETCHES.find((stretch) => age <= stretch.fromMs && age >= stretch.toMs) ?? STRETCHES[0];
  const share = Math.min(1, (age - s.toMs) / (s.fromMs - s.toMs));
  return s.x1 - share * (s.x1 - s.x0);
}
