/** What a drill leaves behind: measured, never edited. */
import type { DurationMs, EpochMs } from '@/core/units';

export interface MemberResult {
  readonly workloadId: number;
  readonly name: string;
  readonly pointId: number;
  readonly pointTakenMs: EpochMs;
  readonly startedMs: EpochMs | null;
  readonly clonedMs: EpochMs | null;
  readonly bootedMs: EpochMs | null;
  readonly checks: ReadonlyArray<{
    readonly check: string;
    readonly passedMs: EpochMs | null;
    readonly detail: string;
  }>;
  readonly readyMs: EpochMs | null;
  /** Whether the clone's content digest equals the point's; null: not compared. */
  readonly contentEqual: boolean | null;
  /** Recovery point actual: age of the data when the drill began. */
  readonly rpaMs: DurationMs;
  /** Recovery time actual: from the start of the drill to the last passed check. */
  readonly rtaMs: DurationMs | null;
  readonly failure: { readonly title: string; readonly remedy: string } | null;
}

export interface DrillRecord {
  readonly outcome: 'passed' | 'failed' | 'cancelled';
  readonly startedMs: EpochMs;
  readonly endedMs: EpochMs;
  readonly members: readonly MemberResult[];
  /** Worst of the members. */
  readonly rpaMs: DurationMs;
  /** Worst of the members; null where one never became ready. */
  readonly rtaMs: DurationMs | null;
  readonly cleanup: { readonly complete: boolean; readonly clonesRemoved: number; readonly left: readonly string[] };
  readonly reason: string;
}
