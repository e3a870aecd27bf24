/**
 * Ladders: which points stay, why, and until when.
 *
 * Three readings, never mixed:
 * - `bands`: rungs are age bands, newest first, half-open. A point stays while the rung of its age or any later rung
 *   still needs it as the last point of its bucket.
 * - `overlay`: every rung by itself keeps the last point of each of its newest n periods; the union stays.
 * - `newest`: the newest n points stay.
 *
 * Invariants (ladder.test.ts): thinning step by step gives the same set as thinning once; what one evaluation lets go
 * no later one wants back; the newest point always stays, and so does the newest verified one. Buckets: ladder-bucket.ts.
 */
import { aPeriod, bucketOfWall, isOver, type Period } from '@/core/protect/ladder-bucket';
import { offsetAt } from '@/core/time/zone';
import { assertNever, type DurationMs, type EpochMs } from '@/core/units';

/** A rung keeps everything for a span (`per` null) or `count` points a period. */
export interface BandRung {
  readonly per: Period | null;
  readonly count: number;
  /** How long this rung lasts, after the rungs before it. */
  readonly spanMs: DurationMs;
}
export interface OverlayRung {
  readonly per: Period;
  readonly periods: number;
}

export type Ladder =
  | { readonly reading: 'bands'; readonly zone: string; readonly rungs: readonly BandRung[] }
  | {
      readonly reading: 'overlay';
      readonly zone: string;
      readonly rungs: readonly OverlayRung[];
      /** Weeks, months and years count only once they are over; a running one then takes no place. */
      readonly closed?: boolean;
    }
  | { readonly reading: 'newest'; readonly count: number };

/** Rungs of a ladder at most. */
export const MAX_RUNGS = 8;

/**
 * A point as the ladder sees it. `heldUntilMs`: may not go before this instant (Infinity for a hold without an end).
 * `verified` absent: nothing is known of verification in this lane, and nothing follows from it.
 */
export interface LadderPoint {
  readonly id: string;
  readonly takenAtMs: EpochMs;
  readonly heldUntilMs?: number;
  readonly verified?: boolean;
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
 * Which of a lane's points stay at `nowMs`, and why, newest first.
 *
 * @param points usable points of one workload, lane and place, in any order
 * O(points x rungs) after sorting.
 */
export function evaluateLadder(ladder: Ladder, points: readonly LadderPoint[], nowMs: EpochMs): LadderVerdict {
  const sorted = newestFirst(points);
  const needed = neededBy(ladder, sorted, nowMs);
  const floor = floorOf(sorted);
  const keep: Keep[] = [];
  const letGo: string[] = [];
  sorted.forEach((point, i) => {
    const rungs = needed[i] as number;
    if (rungs) keep.push({ id: point.id, ...reasonOf(ladder, rungs, point, i) });
    else if (isHeld(point, nowMs)) keep.push({ id: point.id, why: 'held', untilMs: endOfHold(point) });
    else if (i === 0) keep.push({ id: point.id, why: 'the newest usable point always stays', untilMs: null });
    else if (i === floor) keep.push({ id: point.id, why: 'the newest verified point always stays', untilMs: null });
    else letGo.push(point.id);
  });
  return { keep, letGo };
}

/** Ids of the points that do not stay: the same as evaluateLadder's, without the reasons, for large numbers. */
export function letGoBy(ladder: Ladder, points: readonly LadderPoint[], nowMs: EpochMs): string[] {
  const sorted = newestFirst(points);
  const needed = neededBy(ladder, sorted, nowMs);
  const floor = floorOf(sorted);
  const gone: string[] = [];
  for (let i = 1; i < sorted.length; i++) {
    const point = sorted[i] as LadderPoint;
    if (!needed[i] && i !== floor && !isHeld(point, nowMs)) gone.push(point.id);
  }
  return gone;
}

/** Points that `from` keeps and `to` would let go at `nowMs`: what a change of ladder destroys. */
export function lostByChange(from: Ladder, to: Ladder, points: readonly LadderPoint[], nowMs: EpochMs): string[] {
  const before = new Set(letGoBy(from, points, nowMs));
  return letGoBy(to, points, nowMs).filter((id) => !before.has(id));
}

function newestFirst(points: readonly LadderPoint[]): readonly LadderPoint[] {
  const last = points.length - 1;
  let falling = true;
  let rising = true;
  for (let i = 0; i < last && (falling || rising); i++) {
    const step = (points[i + 1] as LadderPoint).takenAtMs - (points[i] as LadderPoint).takenAtMs;
    if (step > 0) falling = false;
    else rising = false;
  }
  if (falling) return points;
  return rising ? points.toReversed() : points.toSorted((a, b) => b.takenAtMs - a.takenAtMs);
}

const isHeld = (point: LadderPoint, nowMs: EpochMs): boolean =>
  point.heldUntilMs !== undefined && point.heldUntilMs > nowMs;

const endOfHold = (point: LadderPoint): EpochMs | null =>
  Number.isFinite(point.heldUntilMs) ? (point.heldUntilMs as number) : null;

/** Index of the newest verified point. Where none is known to be verified there is no such floor. */
const floorOf = (sorted: readonly LadderPoint[]): number => sorted.findIndex((point) => point.verified === true);

/** Of each point, newest first: the rungs that need it, as bits. */
function neededBy(ladder: Ladder, sorted: readonly LadderPoint[], nowMs: EpochMs): Uint8Array {
  const needed = new Uint8Array(sorted.length);
  switch (ladder.reading) {
    case 'newest':
      return needed.fill(1, 0, ladder.count);
    case 'bands':
      neededByBands(ladder.zone, ladder.rungs, sorted, nowMs, needed);
      return needed;
    case 'overlay':
      neededByOverlay(ladder, sorted, nowMs, needed);
      return needed;
    default:
      return assertNever(ladder);
  }
}

function neededByBands(
  zone: string,
  rungs: readonly BandRung[],
  sorted: readonly LadderPoint[],
  nowMs: EpochMs,
  needed: Uint8Array,
): void {
  const ends = endsOf(rungs);
  const newestBucket = new Float64Array(rungs.length).fill(NaN);
  const first = rungs.findIndex((rung) => rung.per !== null);
  for (let i = 0; i < sorted.length; i++) {
    const { takenAtMs } = sorted[i] as LadderPoint;
    const age = nowMs - takenAtMs;
    // Bands end one after another: past the last one nothing is needed, here or further on.
    if (age >= (ends.at(-1) ?? 0)) return;
    const wall = first < 0 ? 0 : takenAtMs + offsetAt(zone, takenAtMs);
    let bits = 0;
    for (let r = 0; r < rungs.length; r++) {
      if (age >= (ends[r] as number)) continue;
      const { per, count } = rungs[r] as BandRung;
      if (per === null) {
        bits |= 1 << r;
        continue;
      }
      // Newest first: the first point seen in a bucket is its last one.
      const bucket = bucketOfWall(per, count, wall);
      if (bucket === newestBucket[r]) continue;
      newestBucket[r] = bucket;
      bits |= 1 << r;
    }
    needed[i] = bits;
  }
}

function neededByOverlay(
  ladder: Extract<Ladder, { reading: 'overlay' }>,
  sorted: readonly LadderPoint[],
  nowMs: EpochMs,
  needed: Uint8Array,
): void {
  ladder.rungs.forEach((rung, r) => {
    let seen = 0;
    let last = NaN;
    const onlyOver = ladder.closed === true && rung.per !== 'hour' && rung.per !== 'day';
    for (let i = 0; i < sorted.length && seen < rung.periods; i++) {
      const { takenAtMs } = sorted[i] as LadderPoint;
      const bucket = bucketOfWall(rung.per, 1, takenAtMs + offsetAt(ladder.zone, takenAtMs));
      if (bucket === last) continue;
      last = bucket;
      if (onlyOver && !isOver(ladder.zone, rung.per, takenAtMs, nowMs)) continue;
      seen++;
      needed[i] = (needed[i] as number) | (1 << r);
    }
  });
}

function endsOf(rungs: readonly BandRung[]): DurationMs[] {
  let sum = 0;
  return rungs.map((rung) => (sum += rung.spanMs));
}

function reasonOf(ladder: Ladder, bits: number, point: LadderPoint, index: number): Omit<Keep, 'id'> {
  switch (ladder.reading) {
    case 'newest':
      return { why: `number ${index + 1} of the newest ${ladder.count}`, untilMs: null };
    case 'bands': {
      const rung = 31 - Math.clz32(bits);
      const end = endsOf(ladder.rungs)[rung] as number;
      return { why: bandWords(ladder.rungs[rung] as BandRung, rung), untilMs: point.takenAtMs + end };
    }
    case 'overlay': {
      const periods = ladder.rungs.filter((_, r) => bits & (1 << r)).map((rung) => rung.per);
      return { why: `last point of its ${periods.join(', ')}`, untilMs: null };
    }
    default:
      return assertNever(ladder);
  }
}

function bandWords(rung: BandRung, index: number): string {
  if (rung.per === null) return `rung ${index + 1}: every point is kept`;
  return rung.count === 1
    ? `rung ${index + 1}: last point of its ${rung.per}`
    : `rung ${index + 1}: last of its share of the ${rung.per} (${rung.count} ${aPeriod(rung.per)})`;
}
