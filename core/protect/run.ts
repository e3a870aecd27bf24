import type { EpochMs } from '@/core/units';

/** One step of a run as it is kept: when it began and ended, and what was noted at its end. */
export interface RunStepView {
  readonly name: string;
  readonly startedMs: EpochMs;
  readonly endedMs: EpochMs | null;
  readonly note: string;
}
