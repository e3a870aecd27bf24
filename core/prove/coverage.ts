/** Which applications were proven when: coverage by drills over months, for who asks "how do we know". */
import { confidenceWords, wilson, type Interval } from '@/core/prove/statistics';
import { civilOf, dayNumber } from '@/core/time/calendar';
import { offsetAt } from '@/core/time/zone';
import { DAY, type DurationMs, type EpochMs } from '@/core/units';

export interface DrillFact {
  readonly applicationId: number;
  readonly atMs: EpochMs;
  readonly outcome: 'passed' | 'failed' | 'cancelled';
}
export interface ApplicationFact {
  readonly id: number;
  /** How often a passed drill is due. */
  readonly intervalMs: DurationMs;
}

export interface Coverage {
  readonly applicationId: number;
  /** Newest passed drill; null: never. */
  readonly lastPassedMs: EpochMs | null;
  /** Until when it counts as proven; null: never was. */
  readonly provenUntilMs: EpochMs | null;
  readonly state: 'proven' | 'overdue' | 'never';
  readonly passed: number;
  readonly held: number;
  /** 95 % interval of the probability that a drill passes. */
  readonly interval: Interval;
  readonly words: string;
  /** By calendar month, oldest first: the best outcome in it. */
  readonly months: ReadonlyArray<{ readonly month: string; readonly best: 'passed' | 'failed' | 'none' }>;
}

/** Coverage of applications at `atMs`, over the last `months` months of a zone. Cancelled drills prove nothing. O(drills). */
export function coverageOf(
  applications: readonly ApplicationFact[],
  drills: readonly DrillFact[],
  atMs: EpochMs,
  zone: string,
  months: number,
): Coverage[] {
  const past = drills.filter((drill) => drill.atMs <= atMs && drill.outcome !== 'cancelled');
  const names = lastMonths(zone, atMs, months);
  return applications.map(({ id, intervalMs }) => {
    const own = past.filter((drill) => drill.applicationId === id);
    const passed = own.filter((drill) => drill.outcome === 'passed');
    const lastPassedMs = passed.length ? Math.max(...passed.map((drill) => drill.atMs)) : null;
    const provenUntilMs = lastPassedMs === null ? null : lastPassedMs + intervalMs;
    return {
      applicationId: id,
      lastPassedMs,
      provenUntilMs,
      state: provenUntilMs === null ? 'never' : provenUntilMs > atMs ? 'proven' : 'overdue',
      passed: passed.length,
      held: own.length,
      interval: wilson(passed.length, own.length),
      words: confidenceWords(passed.length, own.length),
      months: names.map((month) => {
        const inMonth = own.filter((drill) => monthOf(zone, drill.atMs) === month);
        const best = inMonth.some((d) => d.outcome === 'passed') ? 'passed' : inMonth.length ? 'failed' : 'none';
        return { month, best };
      }),
    };
  });
}

/** Share of applications that are proven; of none, 1: nothing is missing. */
export function shareProven(coverage: readonly Coverage[]): number {
  return coverage.length ? coverage.filter((c) => c.state === 'proven').length / coverage.length : 1;
}

function monthOf(zone: string, atMs: EpochMs): string {
  const { year, month } = civilOf(Math.floor((atMs + offsetAt(zone, atMs)) / DAY));
  return `${year}-${String(month).padStart(2, '0')}`;
}

function lastMonths(zone: string, atMs: EpochMs, count: number): string[] {
  const { year, month } = civilOf(Math.floor((atMs + offsetAt(zone, atMs)) / DAY));
  return Array.from({ length: count }, (_, i) => {
    const first = civilOf(dayNumber(year, month - (count - 1 - i), 1));
    return `${first.year}-${String(first.month).padStart(2, '0')}`;
  });
}
