/** What a lane would promise and cost as it is typed: next runs, points when full, space, and whether it can work. */
import { feasibility, type Feasibility } from '@/core/forecast/feasibility';
import type { Ladder } from '@/core/protect/ladder';
import { steadyCount } from '@/core/protect/ladder-steady';
import { longestGap, nextAfter, type Cadence } from '@/core/time/cadence';
import { MINUTE, type DurationMs, type EpochMs } from '@/core/units';

/** What runs of a lane were like lately, a workload and run. */
export interface LaneFacts {
  /** What a run sends, and what its point adds, in bytes. */
  readonly sentBytes: number;
  readonly storedBytes: number;
  /** From taken to usable: least, and mean. */
  readonly leastMs: DurationMs;
  readonly meanMs: DurationMs;
}

export interface LanePreview {
  readonly nextMs: readonly EpochMs[];
  readonly points: number;
  /** Bytes that the points of one workload add when the ladder is full, besides its first full copy; null: unknown. */
  readonly bytes: number | null;
  readonly feasibility: Feasibility | null;
}

/** How a changed cadence would look, judged by what runs of the present one were like. O(points). */
export function previewLane(
  next: { readonly cadence: Cadence; readonly ladder: Ladder },
  now: { readonly cadence: Cadence; readonly looks: LaneFacts | null; readonly rpoMs: DurationMs | null },
  nowMs: EpochMs,
): LanePreview {
  const gapMs = longestGap(next.cadence);
  const points = gapMs ? steadyCount(next.ladder, gapMs, nowMs) : 0;
  const before = longestGap(now.cadence) || MINUTE;
  const { looks, rpoMs } = now;
  const bytesPerMs = looks ? looks.sentBytes / before : 0;
  return {
    nextMs: nextInstants(next.cadence, nowMs, 4),
    points,
    bytes: looks && gapMs ? points * Math.min(looks.storedBytes * (gapMs / before), looks.storedBytes * 8) : null,
    feasibility:
      looks && gapMs && rpoMs
        ? feasibility({
            rpoMs,
            everyMs: gapMs,
            setupMs: looks.leastMs,
            bytesPerMs,
            // What its runs got of the lines so far; a run that took no longer than the shortest says nothing of them.
            lineBytesPerMs: looks.meanMs > looks.leastMs ? looks.sentBytes / (looks.meanMs - looks.leastMs) : Infinity,
          })
        : null,
  };
}

function nextInstants(cadence: Cadence, nowMs: EpochMs, count: number): EpochMs[] {
  const found: EpochMs[] = [];
  for (let at = nextAfter(cadence, nowMs); at !== null && found.length < count; at = nextAfter(cadence, at))
    found.push(at);
  return found;
}
