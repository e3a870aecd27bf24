/**
 * Transfers that share lines, for very many of them: the same max-min fair fluid model as flow/transfers.ts, by classes.
 *
 * Transfers over the same resources have the same rate at all times, so a class keeps one number: what each of its
 * transfers has been served since the beginning. A transfer ends when that reaches what it was at its start and its size
 * (processor sharing in virtual time). An event costs O(classes x resources), whatever number of transfers there is.
 *
 * Invariant (shared-lines.test.ts): completion times are those of TransferSimulation.
 */
import { IndexHeap } from '@/core/forecast/index-heap';

/**
 * What ends within this, in ms, is done: an instant of today is exact to a quarter of a microsecond only, and less time
 * than that cannot pass.
 */
const GRAIN_MS = 1e-3;

export class SharedLines {
  private atMs: number;
  private readonly capacity: Float64Array;
  private readonly classes: Array<{ readonly over: readonly number[]; readonly heap: IndexHeap }> = [];
  private readonly classOf = new Map<string, number>();
  private served: Float64Array = new Float64Array(0);
  private rate: Float64Array = new Float64Array(0);
  private count: Int32Array = new Int32Array(0);
  /** Resource that holds each class back, -1: none. */
  private bound: Int32Array = new Int32Array(0);
  private stale = true;
  /** Bytes a ms in use by resource, at present rates. */
  readonly used: Float64Array;
  private readonly left: Float64Array;
  private readonly weight: Float64Array;

  /** @param bytesPerMs capacity of each resource */
  constructor(fromMs: number, bytesPerMs: readonly number[]) {
    this.atMs = fromMs;
    this.capacity = Float64Array.from(bytesPerMs);
    this.used = new Float64Array(bytesPerMs.length);
    this.left = new Float64Array(bytesPerMs.length);
    this.weight = new Float64Array(bytesPerMs.length);
  }

  /** Number of the class of transfers over these resources. */
  classFor(over: readonly number[]): number {
    const key = over.join(',');
    const known = this.classOf.get(key);
    if (known !== undefined) return known;
    const index = this.classes.length;
    this.classes.push({ over, heap: new IndexHeap() });
    this.classOf.set(key, index);
    this.served = grown(this.served, Float64Array);
    this.rate = grown(this.rate, Float64Array);
    this.count = grown(this.count, Int32Array);
    this.bound = grown(this.bound, Int32Array);
    return index;
  }

  /** Resource that holds the transfers of a class back at present, -1: none. */
  boundBy(classIndex: number): number {
    this.share();
    return this.count[classIndex] ? (this.bound[classIndex] as number) : -1;
  }

  /** Starts a transfer at the present moment. */
  start(item: number, classIndex: number, bytes: number): void {
    (this.classes[classIndex] as { heap: IndexHeap }).heap.push(item, (this.served[classIndex] as number) + bytes);
    this.count[classIndex] = (this.count[classIndex] as number) + 1;
    this.stale = true;
  }

  /** Instant of the next completion; Infinity if none will come. */
  nextMs(): number {
    this.share();
    let next = Infinity;
    for (let c = 0; c < this.classes.length; c++) {
      if (!this.count[c]) continue;
      const bytes = (this.classes[c] as { heap: IndexHeap }).heap.topKey - (this.served[c] as number);
      const ms = bytes / (this.rate[c] as number);
      next = Math.min(next, ms <= GRAIN_MS || bytes <= 0 ? 0 : ms);
    }
    return this.atMs + next;
  }

  /** Carries time forward, at most to the next completion. */
  moveTo(toMs: number): void {
    this.share();
    const elapsed = toMs - this.atMs;
    if (elapsed > 0)
      for (let c = 0; c < this.classes.length; c++)
        if (this.count[c]) this.served[c] = (this.served[c] as number) + (this.rate[c] as number) * elapsed;
    this.atMs = toMs;
  }

  /** Takes out what is complete at this moment, with the resource that held it back (-1: none). */
  takeDone(take: (item: number, bound: number) => void): void {
    for (let c = 0; c < this.classes.length; c++) {
      const { heap } = this.classes[c] as { heap: IndexHeap };
      const near = (this.served[c] as number) + (this.rate[c] as number) * GRAIN_MS;
      while (this.count[c] && heap.topKey <= near) {
        this.count[c] = (this.count[c] as number) - 1;
        this.stale = true;
        take(heap.pop() as number, this.bound[c] as number);
      }
    }
  }

  /** Max-min fair rates of the classes by progressive filling, each weighing as many as its transfers are. */
  private share(): void {
    if (!this.stale) return;
    this.stale = false;
    const { left, weight, used, classes, count, rate, bound } = this;
    left.set(this.capacity);
    weight.fill(0);
    used.fill(0);
    let open = 0;
    for (let c = 0; c < classes.length; c++) {
      rate[c] = 0;
      if (!count[c]) continue;
      open++;
      bound[c] = -2;
      for (const r of (classes[c] as { over: readonly number[] }).over)
        weight[r] = (weight[r] as number) + (count[c] as number);
    }
    let level = 0;
    while (open > 0) {
      let tightest = -1;
      let step = Infinity;
      for (let r = 0; r < left.length; r++) {
        if (!((weight[r] as number) > 0)) continue;
        const room = Math.max(0, left[r] as number) / (weight[r] as number);
        if (room < step) [step, tightest] = [room, r];
      }
      level += step;
      if (tightest >= 0)
        for (let r = 0; r < left.length; r++) left[r] = (left[r] as number) - step * (weight[r] as number);
      for (let c = 0; c < classes.length; c++) {
        if (!count[c] || bound[c] !== -2) continue;
        const { over } = classes[c] as { over: readonly number[] };
        if (tightest >= 0 && !over.includes(tightest)) continue;
        rate[c] = level;
        bound[c] = tightest;
        open--;
        for (const r of over) {
          weight[r] = (weight[r] as number) - (count[c] as number);
          used[r] = (used[r] as number) + (count[c] as number) * level;
        }
      }
    }
  }
}

function grown<T extends Float64Array | Int32Array>(old: T, Kind: new (length: number) => T): T {
  const next = new Kind(old.length + 1);
  next.set(old as never);
  return next;
}
