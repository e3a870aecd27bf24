/**
 * Ladders: which points stay, why, and until when.
 *
 * Two readings, never mixed:
 * - `bands`: rungs are age bands, newest first, half-open. A point stays while the rung of its age or any later rung
 *   still needs it as the last point of its bucket.
 * - `overlay`: every rung by itself keeps the last point of each of its newest n periods; the union stays.
 * - `newest`: the newest n points stay.
 *
 * Invariants (ladder.test.ts): thinning step by step gives the same set as thinning once; what one evaluation lets go
 * no later one wants back; the newest point always stays. Buckets are calendar buckets of the ladder's zone, weeks ISO 8601.
 */
import { isoWeek, offsetAt } from '@/core/time/zone';
import { assertNever, DAY, HOUR, type DurationMs, type EpochMs } from '@/core/units';

export const PERIODS = ['hour', 'day', 'week', 'month', 'year'] as const;
export type Period = (typeof PERIODS)[number];

/** A rung keeps everything for a span (`per` null) or `count` points a period. */
export interface BandRung {
  readonly per: Period | null;
  readonly count: number;
  /** How long this rung lasts, after the rungs before it. */
  readonly spanMs: DurationMs;
}

export type Ladder =
  | { readonly reading: 'bands'; readonly zone: string; readonly rungs: readonly BandRung[] }
  | {
      readonly reading: 'overlay';
      readonly zone: string;
      readonly rungs: ReadonlyArray<{ readonly per: Period; readonly periods: number }>;
    }
  | { readonly reading: 'newest'; readonly count: number };

/** A point as the ladder sees it. `heldUntilMs`: may not go before this instant (Infinity for a hold without an end). */
export interface LadderPoint {
  readonly id: string;
  readonly takenAtMs: EpochMs;
  readonly heldUntilMs?: number;
}

/** Why a point stays. `untilMs` null: as long as nothing newer replaces it. */
export interface Keep {
  readonly id: string;
  readonly why: string;
  readonly untilMs: EpochMs | null;
}

export interface LadderVerdict {
  readonly keep: readonly Keep[];
  readonly letGo: readonly string[];
}

/**
 * Which of a lane's points stay at `nowMs`.
 *
 * @param points usable points of one workload, lane and place, in any order
 * O(points x rungs) after sorting.
 */
export function evaluateLadder(ladder: Ladder, points: readonly LadderPoint[], nowMs: EpochMs): LadderVerdict {
  const sorted = [...points].sort((a, b) => b.takenAtMs - a.takenAtMs);
  const reasons = reasonsOf(ladder, sorted, nowMs);
  const keep: Keep[] = [];
  const letGo: string[] = [];
  sorted.forEach((point, index) => {
    const reason = reasons[index];
    if (reason) keep.push({ id: point.id, ...reason });
    else if (point.heldUntilMs !== undefined && point.heldUntilMs > nowMs)
      keep.push({ id: point.id, why: 'held', untilMs: Number.isFinite(point.heldUntilMs) ? point.heldUntilMs : null });
    else if (index === 0) keep.push({ id: point.id, why: 'the newest usable point always stays', untilMs: null });
    else letGo.push(point.id);
  });
  return { keep, letGo };
}

type Reason = { readonly why: string; readonly untilMs: EpochMs | null } | null;

function reasonsOf(ladder: Ladder, sorted: readonly LadderPoint[], nowMs: EpochMs): Reason[] {
  switch (ladder.reading) {
    case 'newest':
      return sorted.map((_, i) =>
        i < ladder.count ? { why: `number ${i + 1} of the newest ${ladder.count}`, untilMs: null } : null,
      );
    case 'bands':
      return bandReasons(ladder.zone, ladder.rungs, sorted, nowMs);
    case 'overlay':
      return overlayReasons(ladder.zone, ladder.rungs, sorted);
    default:
      return assertNever(ladder);
  }
}

function bandReasons(
  zone: string,
  rungs: readonly BandRung[],
  sorted: readonly LadderPoint[],
  nowMs: EpochMs,
): Reason[] {
  const ends: DurationMs[] = [];
  rungs.reduce((sum, rung, i) => (ends[i] = sum + rung.spanMs), 0);
  const newestBucket: Array<number | undefined> = rungs.map(() => undefined);
  return sorted.map((point) => {
    const age = nowMs - point.takenAtMs;
    let reason: Reason = null;
    rungs.forEach((rung, i) => {
      const end = ends[i] as number;
      // Newest first: the first point seen in a bucket is its last one.
      const bucket = rung.per === null ? null : bucketOf(zone, rung.per, rung.count, point.takenAtMs);
      const isLast = bucket === null || bucket !== newestBucket[i];
      if (bucket !== null) newestBucket[i] = bucket;
      if (isLast && age < end) reason = { why: rungWords(rung, i), untilMs: point.takenAtMs + end };
    });
    return reason;
  });
}

function rungWords(rung: BandRung, index: number): string {
  if (rung.per === null) return `rung ${index + 1}: every point is kept`;
  return rung.count === 1
    ? `rung ${index + 1}: last point of its ${rung.per}`
    : `rung ${index + 1}: last of its share of the ${rung.per} (${rung.count} a ${rung.per})`;
}

function overlayReasons(
  zone: string,
  rungs: ReadonlyArray<{ readonly per: Period; readonly periods: number }>,
  sorted: readonly LadderPoint[],
): Reason[] {
  const found: string[][] = sorted.map(() => []);
  for (const rung of rungs) {
    let seen = 0;
    let last: number | undefined;
    sorted.forEach((point, index) => {
      const bucket = bucketOf(zone, rung.per, 1, point.takenAtMs);
      if (bucket === last) return;
      last = bucket;
      if (seen++ < rung.periods) (found[index] as string[]).push(rung.per);
    });
  }
  return found.map((periods) =>
    periods.length ? { why: `last point of its ${periods.join(', ')}`, untilMs: null } : null,
  );
}

/** Number of the calendar bucket that an instant falls in: `count` equal slots a period, in local time. */
export function bucketOf(zone: string, per: Period, count: number, atMs: EpochMs): number {
  const wall = atMs + offsetAt(zone, atMs);
  const day = Math.floor(wall / DAY);
  switch (per) {
    case 'hour':
      return Math.floor((wall / HOUR) * count);
    case 'day':
      return Math.floor((wall / DAY) * count);
    case 'week': {
      const { year, week } = isoWeek(day);
      const inWeek = (((day + 3) % 7) + 7) % 7;
      return (year * 100 + week) * count + Math.floor((inWeek / 7) * count);
    }
    case 'month': {
      const date = new Date(wall);
      return (
        (date.getUTCFullYear() * 12 + date.getUTCMonth()) * count + Math.floor(((date.getUTCDate() - 1) / 31) * count)
      );
    }
    case 'year': {
      const date = new Date(wall);
      return date.getUTCFullYear() * count + Math.floor((date.getUTCMonth() / 12) * count);
    }
    default:
      return assertNever(per);
  }
}

/** Points that `from` keeps and `to` would let go at `nowMs`: what a change of ladder destroys. */
export function lostByChange(from: Ladder, to: Ladder, points: readonly LadderPoint[], nowMs: EpochMs): string[] {
  const kept = new Set(evaluateLadder(from, points, nowMs).keep.map((keep) => keep.id));
  return evaluateLadder(to, points, nowMs).letGo.filter((id) => kept.has(id));
}

/** Points that a ladder holds once it is full, for a lane that takes one every `cadenceMs`. */
export function steadyCount(ladder: Ladder, cadenceMs: DurationMs, fromMs: EpochMs): number {
  const span = ladder.reading === 'bands' ? ladder.rungs.reduce((sum, rung) => sum + rung.spanMs, 0) : null;
  if (ladder.reading === 'newest') return ladder.count;
  const most = 20_000;
  const wanted = span === null ? most : Math.ceil(span / cadenceMs) + 1;
  const points = Array.from({ length: Math.min(most, wanted) }, (_, i) => ({
    id: String(i),
    takenAtMs: fromMs - i * cadenceMs,
  }));
  return evaluateLadder(ladder, points, fromMs).keep.length;
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
      return rung.per === null ? `every point for ${span}` : `${rung.count} a ${rung.per} for ${span}`;
    })
    .join(', then ');
}
