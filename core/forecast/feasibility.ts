/** Whether a lane can keep an RPO at all, what it can keep, and the smallest change that would make it. */
import type { DurationMs } from '@/core/units';

export interface FeasibilityInput {
  readonly rpoMs: DurationMs;
  /** Longest wait between two due instants. */
  readonly everyMs: DurationMs;
  /** What a run takes besides its bytes. */
  readonly setupMs: DurationMs;
  /** Bytes that change in a ms. */
  readonly bytesPerMs: number;
  /** What its share of the slowest line carries, in bytes a ms. */
  readonly lineBytesPerMs: number;
}

export type Change =
  { readonly kind: 'cadence'; readonly everyMs: DurationMs } | { readonly kind: 'line'; readonly bytesPerMs: number };

export interface Feasibility {
  /** Worst exposure: the cadence and the time until usable (check 4-A). Infinity: it never catches up. */
  readonly worstMs: DurationMs;
  /** From due to usable. */
  readonly usableAfterMs: DurationMs;
  readonly feasible: boolean;
  readonly reason: 'fits' | 'cadence-too-long' | 'run-too-long' | 'line-too-slow';
  /** Smallest single change that keeps the RPO; null: none is needed, or none of one kind suffices. */
  readonly change: Change | null;
}

/**
 * A run sends what changed since the one before: transfer = c * every / r. Worst exposure = every + setup + c * every / r.
 * The largest cadence that keeps R: (R - setup) / (1 + c / r); the slowest line: c * every / (R - every - setup).
 */
export function feasibility(input: FeasibilityInput): Feasibility {
  const { rpoMs, everyMs, setupMs, bytesPerMs: c, lineBytesPerMs: r } = input;
  const transferMs = c === 0 ? 0 : r > 0 ? (c * everyMs) / r : Infinity;
  const usableAfterMs = setupMs + transferMs;
  const drains = c < r || c === 0;
  const worstMs = drains ? everyMs + usableAfterMs : Infinity;
  if (worstMs <= rpoMs) return { worstMs, usableAfterMs, feasible: true, reason: 'fits', change: null };
  const reason = !drains ? 'line-too-slow' : everyMs > rpoMs ? 'cadence-too-long' : 'run-too-long';
  return { worstMs, usableAfterMs, feasible: false, reason, change: smallestChange(input, drains) };
}

/** A cadence is changed for nothing, a line is not: where one suffices it is the cadence. */
function smallestChange(
  { rpoMs, everyMs, setupMs, bytesPerMs: c, lineBytesPerMs: r }: FeasibilityInput,
  drains: boolean,
): Change | null {
  const byCadence = drains ? Math.floor((rpoMs - setupMs) / (1 + (r > 0 ? c / r : 0))) : 0;
  if (byCadence >= 30_000) return { kind: 'cadence', everyMs: byCadence };
  const room = rpoMs - everyMs - setupMs;
  return room > 0 ? { kind: 'line', bytesPerMs: Math.max((c * everyMs) / room, c) } : null;
}
