/** Spreads workloads of one lane over its cadence, so that not everything runs at the same moment. */
import { nextAfter, type Cadence } from '@/core/time/cadence';
import { HOUR, type DurationMs, type EpochMs } from '@/core/units';

/** Longest shift of a wall-clock cadence: it must still be "at 22:00" to its reader. */
const RULE_SPREAD_MS: DurationMs = HOUR;
/** Fractional part of the golden ratio: successive multiples stay evenly spread (Knuth, TAOCP 3, 6.4, from memory). */
const GOLDEN = 0.6180339887498949;

/** How much later than its cadence a workload's lane is due; whole seconds, the same for ever for the same workload. */
export function staggerMs(cadence: Cadence, workloadId: number): DurationMs {
  const share = (workloadId * GOLDEN) % 1;
  const spread = cadence.kind === 'every' ? cadence.everyMs : cadence.kind === 'rule' ? RULE_SPREAD_MS : 0;
  return Math.floor((share * spread) / 1000) * 1000;
}

/** Next due instant of a workload's lane strictly after `afterMs`. */
export function nextDue(cadence: Cadence, workloadId: number, afterMs: EpochMs): EpochMs | null {
  const shift = staggerMs(cadence, workloadId);
  const next = nextAfter(cadence, afterMs - shift);
  return next === null ? null : next + shift;
}
