/**
 * The schedule played forward: every lane of a fleet over hours or weeks, as a discrete-event simulation. Occurrences fall
 * due, wait for their workload and for a slot of a mover, share lines max-min fairly, and become points; exposure against
 * the RPO follows. "If nothing changes": open causes stay open, changes go on at their present rate.
 *
 * Cost: O(runs x (log lanes + classes of lanes x resources)); memory O(runs). A fleet of 10,000 makes a million runs a week.
 */
import type {
  Forecast,
  ForecastInput,
  ForecastLane,
  ForecastWorkload,
  MissCause,
  PredictedMiss,
} from '@/core/forecast/forecast';
import { IndexHeap } from '@/core/forecast/index-heap';
import { RunLog } from '@/core/forecast/run-log';
import { SharedLines } from '@/core/forecast/shared-lines';
import { staggerMs } from '@/core/protect/stagger';
import { nextAfter } from '@/core/time/cadence';
import type { DurationMs, EpochMs } from '@/core/units';

export function simulate(input: ForecastInput): Forecast {
  return new Simulation(input).run();
}

const NONE = NaN;
/** What stood in the way of a pending run last. */
const HELD = { busy: 1, slots: 2, shut: 3 } as const;
/** What a continuous lane sends is cut into stretches of this. */
const CONTINUOUS_MS: DurationMs = 60_000;

class Simulation {
  private nowMs: EpochMs;
  private readonly lines: SharedLines;
  private readonly due = new IndexHeap();
  private readonly timers = new IndexHeap();
  /** Lanes that wait for their opening, by its instant. */
  private readonly shut = new IndexHeap();
  private readonly waiting: readonly IndexHeap[];
  private readonly slots: Int32Array;
  private readonly classOf: Int32Array;
  private readonly shift: Float64Array;
  /** By lane: the due instant that waits to start, and what stood in its way last. */
  private readonly pending: Float64Array;
  private readonly held: Int8Array;
  private readonly dueOf: Float64Array;
  private readonly startOf: Float64Array;
  private readonly lastTaken: Float64Array;
  private readonly boundOf: Int32Array;
  /** By workload: the lane that runs, -1: none. */
  private readonly running: Int32Array;
  private readonly lanesOf: number[][];
  private readonly newest: Float64Array;
  private readonly log: RunLog;
  private readonly misses: PredictedMiss[] = [];
  private readonly load: readonly Float64Array[];
  private overtaken = 0;
  /** Turns of the resources in the order of time, those to come last. */
  private readonly turns: ReadonlyArray<{ readonly atMs: EpochMs; readonly resource: number; readonly bps: number }>;
  private turned = 0;

  constructor(private readonly input: ForecastInput) {
    const { lanes, workloads, resources, movers, fromMs, toMs, binMs } = input;
    this.nowMs = fromMs;
    this.lines = new SharedLines(
      fromMs,
      resources.map((r) => r.bps / 8000),
    );
    this.turns = resources
      .flatMap((r, resource) => (r.turns ?? []).map((turn) => ({ ...turn, resource })))
      .sort((a, b) => a.atMs - b.atMs);
    this.waiting = movers.map(() => new IndexHeap());
    this.slots = Int32Array.from(movers, (m) => m.slots);
    this.classOf = Int32Array.from(lanes, (lane) => this.lines.classFor(lane.over));
    this.shift = Float64Array.from(
      lanes,
      (lane) => lane.shiftMs ?? staggerMs(lane.cadence, workloads[lane.workload]?.id ?? 0),
    );
    this.pending = new Float64Array(lanes.length).fill(NONE);
    this.held = new Int8Array(lanes.length);
    this.dueOf = new Float64Array(lanes.length);
    this.startOf = new Float64Array(lanes.length);
    this.lastTaken = Float64Array.from(lanes, (lane) => lane.lastTakenMs ?? -Infinity);
    this.boundOf = new Int32Array(lanes.length).fill(-1);
    this.running = new Int32Array(workloads.length).fill(-1);
    this.lanesOf = workloads.map(() => []);
    lanes.forEach((lane, i) => this.lanesOf[lane.workload]?.push(i));
    this.newest = Float64Array.from(workloads, (w) => w.newestTakenMs ?? -Infinity);
    this.log = new RunLog();
    this.load = resources.map(() => new Float64Array(Math.ceil((toMs - fromMs) / binMs)));
  }

  run(): Forecast {
    this.input.lanes.forEach((lane, i) => {
      if (lane.blocked) return;
      if (lane.cadence.kind === 'continuous') this.due.push(i, this.nowMs);
      else this.schedule(i, this.nowMs);
    });
    const { toMs } = this.input;
    for (;;) {
      const turnMs = this.turns[this.turned]?.atMs ?? Infinity;
      const next = Math.min(this.due.topKey, this.timers.topKey, this.shut.topKey, this.lines.nextMs(), turnMs);
      if (!(next < toMs)) break;
      this.moveTo(next);
      this.turnLines();
      this.lines.takeDone((lane, bound) => this.transferred(lane, bound));
      while (this.timers.topKey <= next) this.complete(this.timers.pop() as number);
      while (this.shut.topKey <= next) this.tryStart(this.shut.pop() as number);
      while (this.due.topKey <= next) this.fallDue(this.due.pop() as number);
    }
    this.moveTo(toMs);
    this.input.workloads.forEach((_, w) => this.noteOpenMiss(w));
    const { resources, fromMs, binMs } = this.input;
    const bins = this.load[0]?.length ?? Math.ceil((toMs - fromMs) / binMs);
    return {
      runs: this.log,
      misses: this.misses.sort((a, b) => a.fromMs - b.fromMs || a.workloadId - b.workloadId),
      load: new Map(
        resources.map((r, i) => [
          r.id,
          (this.load[i] as Float64Array).map((bytes) => bytes / ((r.bps / 8000) * binMs)),
        ]),
      ),
      over: overByBin(this.misses, fromMs, toMs, binMs, bins),
      overtaken: this.overtaken,
    };
  }

  private schedule(lane: number, afterMs: EpochMs): void {
    const shift = this.shift[lane] as number;
    const next = nextAfter((this.input.lanes[lane] as ForecastLane).cadence, afterMs - shift);
    if (next !== null && next + shift < this.input.toMs) this.due.push(lane, next + shift);
  }

  private fallDue(lane: number): void {
    if (!Number.isNaN(this.pending[lane])) this.overtaken++;
    this.pending[lane] = this.nowMs;
    this.held[lane] = 0;
    this.schedule(lane, this.nowMs);
    this.tryStart(lane);
  }

  private turnLines(): void {
    for (let turn = this.turns[this.turned]; turn && turn.atMs <= this.nowMs; turn = this.turns[++this.turned])
      this.lines.setCapacity(turn.resource, turn.bps / 8000);
  }

  /** True if its runs may not start now: it is tried again when they may. */
  private isShut(lane: number): boolean {
    const span = (this.input.lanes[lane] as ForecastLane).shut?.find(({ toMs }) => toMs > this.nowMs);
    if (!span || span.fromMs > this.nowMs) return false;
    this.held[lane] = HELD.shut;
    this.shut.push(lane, span.toMs);
    return true;
  }

  private tryStart(lane: number): void {
    if (Number.isNaN(this.pending[lane]) || this.isShut(lane)) return;
    const { workload, mover } = this.input.lanes[lane] as ForecastLane;
    if (this.isBusy(workload)) {
      this.held[lane] = Math.max(HELD.busy, this.held[lane] as number);
      return;
    }
    if (mover >= 0 && (this.slots[mover] as number) <= 0) {
      this.held[lane] = HELD.slots;
      const { priority } = this.input.workloads[workload] as ForecastWorkload;
      this.waiting[mover]?.push(lane, priority * 1e14 + (this.pending[lane] as number));
      return;
    }
    this.start(lane);
  }

  private start(lane: number): void {
    const { workload, mover, bytesPerMs, mostBytes } = this.input.lanes[lane] as ForecastLane;
    this.running[workload] = lane;
    if (mover >= 0) this.slots[mover] = (this.slots[mover] as number) - 1;
    this.dueOf[lane] = this.pending[lane] as number;
    this.pending[lane] = NONE;
    this.startOf[lane] = this.nowMs;
    const bytes = Math.min(mostBytes, bytesPerMs * (this.nowMs - (this.lastTaken[lane] as number)));
    if (bytes > 0) this.lines.start(lane, this.classOf[lane] as number, bytes);
    else this.transferred(lane, -1);
  }

  private transferred(lane: number, bound: number): void {
    this.boundOf[lane] = bound;
    const ready = (this.startOf[lane] as number) + (this.input.lanes[lane] as ForecastLane).setupMs;
    if (ready > this.nowMs) {
      this.boundOf[lane] = -1;
      this.timers.push(lane, ready);
    } else this.complete(lane);
  }

  private complete(lane: number): void {
    const { workload, mover } = this.input.lanes[lane] as ForecastLane;
    const takenMs = this.startOf[lane] as number;
    this.log.add(lane, this.dueOf[lane] as number, takenMs, this.nowMs);
    this.lastTaken[lane] = takenMs;
    this.notePoint(workload, lane, takenMs);
    this.running[workload] = -1;
    if (mover >= 0) this.freeSlot(mover);
    this.callFollowers(lane);
    for (const other of this.lanesOf[workload] as number[]) if (!this.isBusy(workload)) this.tryStart(other);
  }

  /** Lanes after this one fall due with its point; a continuous lane sends on, at least a minute of changes at a time. */
  private callFollowers(lane: number): void {
    const { workload, key, cadence } = this.input.lanes[lane] as ForecastLane;
    if (cadence.kind === 'continuous')
      this.due.push(lane, Math.max(this.nowMs, (this.startOf[lane] as number) + CONTINUOUS_MS));
    for (const other of this.lanesOf[workload] as number[]) {
      const follower = this.input.lanes[other] as ForecastLane;
      if (follower.cadence.kind !== 'after' || follower.cadence.lane !== key || follower.blocked) continue;
      if (!Number.isNaN(this.pending[other])) this.overtaken++;
      this.pending[other] = this.nowMs;
      this.held[other] = 0;
    }
  }

  private freeSlot(mover: number): void {
    this.slots[mover] = (this.slots[mover] as number) + 1;
    const queue = this.waiting[mover] as IndexHeap;
    while (queue.size && (this.slots[mover] as number) > 0) {
      const lane = queue.pop() as number;
      const { workload } = this.input.lanes[lane] as ForecastLane;
      // One that a newer occurrence replaced, or whose workload is busy again, comes back by itself.
      if (!Number.isNaN(this.pending[lane]) && !this.isBusy(workload) && !this.isShut(lane)) this.start(lane);
    }
  }

  private notePoint(workload: number, lane: number, takenMs: EpochMs): void {
    const { id, rpoMs } = this.input.workloads[workload] as ForecastWorkload;
    const before = this.newest[workload] as number;
    if (takenMs <= before) return;
    this.newest[workload] = takenMs;
    const fromMs = Math.max(this.input.fromMs, before + rpoMs);
    if (this.nowMs > fromMs) this.misses.push({ workloadId: id, fromMs, toMs: this.nowMs, cause: this.causeOf(lane) });
  }

  /** What took the run longest: waiting, the line, or neither, and then the cadence itself is too slow. */
  private causeOf(lane: number): MissCause {
    const { mover, setupMs } = this.input.lanes[lane] as ForecastLane;
    const waited = (this.startOf[lane] as number) - (this.dueOf[lane] as number);
    const sent = this.nowMs - (this.startOf[lane] as number) - setupMs;
    if (waited > 0 && waited >= sent) return this.causeOfWait(lane, mover);
    const bound = this.boundOf[lane] as number;
    return sent > 0 && bound >= 0
      ? { kind: 'line', id: this.input.resources[bound]?.id ?? null }
      : { kind: 'cadence', id: null };
  }

  private causeOfWait(lane: number, mover: number): MissCause {
    if (this.held[lane] === HELD.shut) return { kind: 'shut', id: null };
    return this.held[lane] === HELD.slots
      ? { kind: 'slots', id: this.input.movers[mover]?.id ?? null }
      : { kind: 'workload-busy', id: null };
  }

  private noteOpenMiss(workload: number): void {
    const { id, rpoMs } = this.input.workloads[workload] as ForecastWorkload;
    const fromMs = Math.max(this.input.fromMs, (this.newest[workload] as number) + rpoMs);
    if (fromMs >= this.nowMs) return;
    const cause = this.causeOfOpen(workload);
    this.misses.push({ workloadId: id, fromMs, toMs: null, cause });
  }

  private causeOfOpen(workload: number): MissCause {
    const lanes = this.lanesOf[workload] as number[];
    if (!lanes.length) return { kind: 'no-lane', id: null };
    const open = lanes.filter((lane) => !(this.input.lanes[lane] as ForecastLane).blocked);
    if (!open.length) return { kind: 'blocked', id: null };
    const running = this.running[workload] as number;
    const bound = running < 0 ? -1 : this.lines.boundBy(this.classOf[running] as number);
    if (bound >= 0) return { kind: 'line', id: this.input.resources[bound]?.id ?? null };
    const stuck = open.find((lane) => !Number.isNaN(this.pending[lane]) && (this.held[lane] as number) > HELD.busy);
    if (stuck === undefined) return { kind: 'cadence', id: null };
    return this.causeOfWait(stuck, (this.input.lanes[stuck] as ForecastLane).mover);
  }

  private isBusy(workload: number): boolean {
    return (this.running[workload] as number) >= 0;
  }

  private moveTo(toMs: EpochMs): void {
    const { fromMs, binMs } = this.input;
    this.lines.moveTo(this.nowMs);
    for (let from = this.nowMs; from < toMs;) {
      const bin = Math.floor((from - fromMs) / binMs);
      const to = Math.min(toMs, fromMs + (bin + 1) * binMs);
      for (let r = 0; r < this.load.length; r++) {
        const used = this.lines.used[r] as number;
        const bins = this.load[r] as Float64Array;
        if (used > 0) bins[bin] = (bins[bin] as number) + used * (to - from);
      }
      from = to;
    }
    this.lines.moveTo(toMs);
    this.nowMs = toMs;
  }
}

function overByBin(
  misses: readonly PredictedMiss[],
  fromMs: EpochMs,
  toMs: EpochMs,
  binMs: DurationMs,
  bins: number,
): Int32Array {
  const over = new Int32Array(bins);
  const binOf = (ms: EpochMs): number => Math.min(bins - 1, Math.floor((ms - fromMs) / binMs));
  for (const miss of misses)
    for (let b = binOf(miss.fromMs); b <= binOf((miss.toMs ?? toMs) - 1); b++) over[b] = (over[b] as number) + 1;
  return over;
}
