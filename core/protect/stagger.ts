/** Spreads workloads of one lane over its cadence, so that not everything runs at the same moment. */
import type { Lane } from '@/core/protect/policy';
import { nextAfter, type Cadence } from '@/core/time/cadence';
import { HOUR, type DurationMs, type EpochMs } from '@/core/units';

/** Longest shift of a wall-clock cadence: it must still be "at 22:00" to its reader. */
const RULE_SPREAD_MS: DurationMs = HOUR;
/** Fractional part of the golden ratio: successive multiples stay evenly spread (Knuth, TAOCP 3, 6.4, from memory). */
const GOLDEN = 0.6180339887498949;

/** How much later than its cadence a lane is due for the workload, or application, of that number; whole seconds, always the same. */
export function staggerMs(cadence: Cadence, number: number): DurationMs {
  const share = (number * GOLDEN) % 1;
  const spread = cadence.kind === 'every' ? cadence.everyMs : cadence.kind === 'rule' ? RULE_SPREAD_MS : 0;
  return Math.floor((share * spread) / 1000) * 1000;
}

/** Whose number shifts a lane: what is captured together is due together. */
export interface Staggered {
  readonly workload_id: number;
  readonly application_id: number;
}

/** Next due instant of a workload's lane strictly after `afterMs`. */
export function nextDue(
  { cadence, together }: Pick<Lane, 'cadence' | 'together'>,
  of: Staggered,
  afterMs: EpochMs,
): EpochMs | null {
  const shift = staggerMs(cadence, together ? of.application_id : of.workload_id);
  const next = nextAfter(cadence, afterMs - shift);
  return next === null ? null : next + shift;
}
