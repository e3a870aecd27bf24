/** What a forecast starts from, and what it says. */
import type { RunLog } from '@/core/forecast/run-log';
import type { Cadence } from '@/core/time/cadence';
import type { Span } from '@/core/time/window';
import type { DurationMs, EpochMs } from '@/core/units';

export interface ForecastWorkload {
  readonly id: number;
  readonly rpoMs: DurationMs;
  /** Lower starts first where runs wait for a slot. */
  readonly priority: number;
  /** Newest usable point; null: none. */
  readonly newestTakenMs: EpochMs | null;
}
export interface ForecastLane {
  /** Index into the workloads. */
  readonly workload: number;
  readonly key: string;
  readonly cadence: Cadence;
  /** Start later than the cadence by this; absent: the usual spread over it. */
  readonly shiftMs?: DurationMs;
  /** Indices of the resources its transfers go over. */
  readonly over: readonly number[];
  /** Index of the mover whose slot it takes, -1: none. */
  readonly mover: number;
  /** A run takes at least this, however fast the line is. */
  readonly setupMs: DurationMs;
  /** Bytes that change in a ms, and the most that can have changed. */
  readonly bytesPerMs: number;
  readonly mostBytes: number;
  /** When its last point was taken; null: none, the next copy is full. */
  readonly lastTakenMs: EpochMs | null;
  /** False while something stands in its way that is not over by itself. */
  readonly blocked?: boolean;
  /** Stretches in which none of its runs may start, pauses and windows that are shut: ascending, apart from each other. */
  readonly shut?: readonly Span[];
}
export interface ForecastResource {
  readonly id: string;
  readonly bps: number;
  /** What it carries from an instant on, ascending; absent: its rate throughout. */
  readonly turns?: ReadonlyArray<{ readonly atMs: EpochMs; readonly bps: number }>;
}
export interface ForecastInput {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly resources: readonly ForecastResource[];
  readonly movers: ReadonlyArray<{ readonly id: string; readonly slots: number }>;
  readonly workloads: readonly ForecastWorkload[];
  readonly lanes: readonly ForecastLane[];
  /** Width of the bins of the loads. */
  readonly binMs: DurationMs;
}

/** Why an RPO will be missed: what the point that ended the miss, or would have, waited for longest. */
export interface MissCause {
  readonly kind: 'cadence' | 'workload-busy' | 'slots' | 'shut' | 'line' | 'blocked' | 'no-lane';
  /** Mover or resource, where it is one. */
  readonly id: string | null;
}
export interface PredictedMiss {
  readonly workloadId: number;
  readonly fromMs: EpochMs;
  /** Null: not over at the end of the forecast. */
  readonly toMs: EpochMs | null;
  readonly cause: MissCause;
}
export interface Forecast {
  readonly runs: RunLog;
  readonly misses: readonly PredictedMiss[];
  /** By resource: share of its rate in use, bin by bin. */
  readonly load: ReadonlyMap<string, Float64Array>;
  /** Most workloads over their RPO at one time, bin by bin. */
  readonly over: Int32Array;
  /** Occurrences that a newer one of their lane overtook before they could start. */
  readonly overtaken: number;
}
