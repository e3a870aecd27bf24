/** What people ask of a forecast: who will be over next, and because of what; folded by cause. */
import type { Forecast, MissCause, PredictedMiss } from '@/core/forecast/forecast';
import { groupBy } from '@/core/group-by';
import { assertNever, type DurationMs, type EpochMs } from '@/core/units';

export interface UpcomingCause {
  readonly cause: MissCause;
  readonly words: string;
  readonly workloadIds: readonly number[];
  readonly firstMs: EpochMs;
}
export interface Outlook {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly binMs: DurationMs;
  /** Most workloads over at one time, bin by bin. */
  readonly over: readonly number[];
  /** Misses that begin within the span asked for, by cause, the soonest first. */
  readonly upcoming: readonly UpcomingCause[];
}

/** Misses that begin after `nowMs` and within `withinMs` of it, folded by cause. What is over already is no news. */
export function upcomingCauses(
  misses: readonly PredictedMiss[],
  nowMs: EpochMs,
  withinMs: DurationMs,
): UpcomingCause[] {
  const soon = misses.filter((miss) => miss.fromMs > nowMs && miss.fromMs <= nowMs + withinMs);
  return [...groupBy(soon, (miss) => `${miss.cause.kind}/${miss.cause.id ?? ''}`).values()]
    .map((list) => {
      const { cause } = list[0] as PredictedMiss;
      return {
        cause,
        words: causeWords(cause),
        workloadIds: [...new Set(list.map((miss) => miss.workloadId))],
        firstMs: Math.min(...list.map((miss) => miss.fromMs)),
      };
    })
    .sort((a, b) => a.firstMs - b.firstMs);
}

export function outlookOf(
  forecast: Forecast,
  span: { fromMs: EpochMs; toMs: EpochMs; binMs: DurationMs },
  withinMs: DurationMs,
): Outlook {
  return { ...span, over: [...forecast.over], upcoming: upcomingCauses(forecast.misses, span.fromMs, withinMs) };
}

function causeWords({ kind, id }: MissCause): string {
  switch (kind) {
    case 'cadence':
      return 'the next run comes too late';
    case 'workload-busy':
      return 'another run of the same workload comes first';
    case 'slots':
      return `every slot of ${id ?? 'the mover'} is taken`;
    case 'shut':
      return 'its runs are paused, or outside of their window';
    case 'line':
      return `${id ?? 'the line'} is too slow for what must be sent`;
    case 'blocked':
      return 'its runs fail, and nobody has mended the cause';
    case 'no-lane':
      return 'no policy takes copies of it';
    default:
      return assertNever(kind);
  }
}
