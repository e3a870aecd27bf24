/** What the time rail shows of the past, in bins. */
import type { DurationMs, EpochMs } from '@/core/units';

export interface RailData {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly binMs: DurationMs;
  /** Most workloads over their RPO at one time, by bin. */
  readonly over: readonly number[];
  readonly failed: ReadonlyArray<{ readonly hourMs: EpochMs; readonly runs: number }>;
  readonly drills: ReadonlyArray<{
    readonly id: number;
    readonly atMs: EpochMs;
    readonly outcome: string;
    readonly name: string;
  }>;
}
