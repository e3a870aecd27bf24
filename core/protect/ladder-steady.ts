/** What a ladder holds once it is full, and its plain words. */
import { aPeriod } from '@/core/protect/ladder-bucket';
import { evaluateLadder, letGoBy, type Keep, type Ladder } from '@/core/protect/ladder';
import { DAY, HOUR, type DurationMs, type EpochMs } from '@/core/units';

/** Points looked at, at most: a year of a point every 26 min. */
const MOST = 20_000;

/** The points a lane holds at `atMs` if it took one every `cadenceMs` for as long as its ladder reaches back. */
export function steadyPoints(ladder: Ladder, cadenceMs: DurationMs, atMs: EpochMs): readonly Keep[] {
  const points = taken(ladder, cadenceMs, atMs);
  return evaluateLadder(ladder, points, atMs).keep;
}

/** How many points that is. */
export function steadyCount(ladder: Ladder, cadenceMs: DurationMs, atMs: EpochMs): number {
  const points = taken(ladder, cadenceMs, atMs);
  return points.length - letGoBy(ladder, points, atMs).length;
}

function taken(ladder: Ladder, cadenceMs: DurationMs, atMs: EpochMs) {
  const length = Math.min(MOST, Math.ceil(reachOf(ladder, cadenceMs) / cadenceMs) + 1);
  return Array.from({ length }, (_, i) => ({ id: String(i), takenAtMs: atMs - i * cadenceMs }));
}

const PERIOD_MS = { hour: HOUR, day: DAY, week: 7 * DAY, month: 31 * DAY, year: 366 * DAY } as const;

/** How far back a ladder reaches at most. */
export function reachOf(ladder: Ladder, cadenceMs: DurationMs): DurationMs {
  switch (ladder.reading) {
    case 'newest':
      return ladder.count * cadenceMs;
    case 'bands':
      return ladder.rungs.reduce((sum, rung) => sum + rung.spanMs, 0);
    case 'overlay':
      return Math.max(...ladder.rungs.map((rung) => (rung.periods + 1) * PERIOD_MS[rung.per]));
  }
}

/** Plain words of a ladder, newest rung first. */
export function describeLadder(ladder: Ladder): string {
  if (ladder.reading === 'newest') return `the newest ${ladder.count}`;
  if (ladder.reading === 'overlay')
    return ladder.rungs.map((rung) => `last of each of ${rung.periods} ${rung.per}s`).join(' and ');
  return ladder.rungs
    .map((rung) => {
      const days = rung.spanMs / DAY;
      const span = days >= 2 ? `${Math.round(days)} days` : `${Math.round(rung.spanMs / HOUR)} h`;
      return rung.per === null ? `every point for ${span}` : `${rung.count} ${aPeriod(rung.per)} for ${span}`;
    })
    .join(', then ');
}
