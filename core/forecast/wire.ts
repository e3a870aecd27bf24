/**
 * A forecast's input as small as it goes over the wire: what repeats, cadences and ways, stands once and is named by its
 * number. `pack` and `unpack` invert each other.
 */
import type { ForecastInput, ForecastLane } from '@/core/forecast/forecast';
import type { Cadence } from '@/core/time/cadence';
import type { Span } from '@/core/time/window';

/** workload, key, cadence, way, mover, setup ms, bytes a ms, most bytes, last taken, blocked, shift ms, shut. */
type LaneRow = readonly [
  ...head: readonly [number, number, number, number, number, number, number, number],
  lastTakenMs: number | null,
  blocked: 0 | 1,
  shiftMs: number | null,
  shut: number | null,
];

export interface PackedForecast extends Omit<ForecastInput, 'lanes'> {
  readonly keys: readonly string[];
  readonly cadences: readonly Cadence[];
  readonly ways: ReadonlyArray<readonly number[]>;
  readonly shuts: ReadonlyArray<readonly Span[]>;
  readonly rows: readonly LaneRow[];
}

export function pack({ lanes, ...rest }: ForecastInput): PackedForecast {
  const keys = new Numbered<string>(String);
  const cadences = new Numbered<Cadence>((c) => JSON.stringify(c));
  const ways = new Numbered<readonly number[]>((w) => w.join());
  const shuts = new Numbered<readonly Span[]>((spans) => JSON.stringify(spans));
  const rows = lanes.map((l): LaneRow => [
    l.workload,
    keys.of(l.key),
    cadences.of(l.cadence),
    ways.of(l.over),
    l.mover,
    l.setupMs,
    Number(l.bytesPerMs.toPrecision(6)),
    l.mostBytes,
    l.lastTakenMs,
    l.blocked ? 1 : 0,
    l.shiftMs ?? null,
    l.shut ? shuts.of(l.shut) : null,
  ]);
  const [c, w, s] = [cadences.values, ways.values, shuts.values];
  return { ...rest, keys: keys.values, cadences: c, ways: w, shuts: s, rows };
}

export function unpack({ keys, cadences, ways, shuts, rows, ...rest }: PackedForecast): ForecastInput {
  const lanes = rows.map(
    ([
      workload,
      key,
      cadence,
      way,
      mover,
      setupMs,
      bytesPerMs,
      mostBytes,
      lastTakenMs,
      blocked,
      shiftMs,
      shut,
    ]): ForecastLane => ({
      workload,
      key: keys[key] as string,
      cadence: cadences[cadence] as Cadence,
      over: ways[way] as readonly number[],
      mover,
      setupMs,
      bytesPerMs,
      mostBytes,
      lastTakenMs,
      blocked: blocked === 1,
      ...(shiftMs === null ? {} : { shiftMs }),
      ...(shut === null ? {} : { shut: shuts[shut] as readonly Span[] }),
    }),
  );
  return { ...rest, lanes };
}

/** Values numbered in the order in which they first came. */
class Numbered<T> {
  readonly values: T[] = [];
  private readonly numbers = new Map<string, number>();
  constructor(private readonly nameOf: (value: T) => string) {}
  of(value: T): number {
    const name = this.nameOf(value);
    const known = this.numbers.get(name);
    if (known !== undefined) return known;
    this.numbers.set(name, this.values.length);
    return this.values.push(value) - 1;
  }
}
