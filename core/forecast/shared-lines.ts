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
  private readonly classes: LineClass[] = [];
  private readonly classOf = new Map<string, number>();
  private served: Float64Array = new Float64Array(0);
  private rate: Float64Array = new Float64Array(0);
  private count: Int32Array = new Int32Array(0);
  /** Resource that holds each class back, -1: none. */
  private bound: Int32Array = new Int32Array(0);
  /** Classes that share no resource, even through others, do not touch each other: only groups that changed are shared anew. */
  private groups: Group[] = [];
  private groupOf: Int32Array = new Int32Array(0);
  private readonly stale = new Set<number>();
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
    this.regroup();
    return index;
  }

  /** Resource that holds the transfers of a class back at present, -1: none. */
  boundBy(classIndex: number): number {
    this.share();
    return this.count[classIndex] ? (this.bound[classIndex] as number) : -1;
  }

  /** From the present moment on a resource carries this many bytes a ms. */
  setCapacity(resource: number, bytesPerMs: number): void {
    this.capacity[resource] = bytesPerMs;
    for (const group of this.groups) if (group.resources.includes(resource)) this.stale.add(group.index);
  }

  /** Starts a transfer at the present moment. */
  start(item: number, classIndex: number, bytes: number): void {
    (this.classes[classIndex] as LineClass).heap.push(item, (this.served[classIndex] as number) + bytes);
    this.count[classIndex] = (this.count[classIndex] as number) + 1;
    this.stale.add(this.groupOf[classIndex] as number);
  }

  /** Instant of the next completion; Infinity if none will come. */
  nextMs(): number {
    this.share();
    let next = Infinity;
    for (let c = 0; c < this.classes.length; c++) {
      if (!this.count[c]) continue;
      const bytes = (this.classes[c] as LineClass).heap.topKey - (this.served[c] as number);
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
        this.stale.add(this.groupOf[c] as number);
        take(heap.pop() as number, this.bound[c] as number);
      }
    }
  }

  /** Groups of classes joined by the resources they share. O(classes x resources), when a class is new. */
  private regroup(): void {
    const leader = Int32Array.from(this.capacity, (_, r) => r);
    const find = (r: number): number => {
      let at = r;
      while (leader[at] !== at) at = leader[at] as number;
      return at;
    };
    for (const { over } of this.classes) for (const r of over.slice(1)) leader[find(r)] = find(over[0] as number);
    const groups = new Map<number, Group>();
    this.groupOf = new Int32Array(this.classes.length);
    this.classes.forEach(({ over }, c) => {
      const key = over.length ? find(over[0] as number) : -1;
      const group = groups.get(key) ?? { index: groups.size, classes: [], resources: [] };
      group.classes.push(c);
      groups.set(key, group);
      this.groupOf[c] = group.index;
    });
    leader.forEach((_, r) => groups.get(find(r))?.resources.push(r));
    this.groups = [...groups.values()];
    this.stale.clear();
    this.groups.forEach((group) => this.stale.add(group.index));
  }

  private share(): void {
    if (!this.stale.size) return;
    for (const index of this.stale) this.shareGroup(this.groups[index] as Group);
    this.stale.clear();
  }

  /** Max-min fair rates of the classes of a group by progressive filling, each weighing as many as its transfers are. */
  private shareGroup(group: Group): void {
    const { left, weight, used, classes, count, rate, bound } = this;
    for (const r of group.resources) {
      left[r] = this.capacity[r] as number;
      weight[r] = 0;
      used[r] = 0;
    }
    let open = 0;
    for (const c of group.classes) {
      rate[c] = 0;
      if (!count[c]) continue;
      open++;
      bound[c] = OPEN;
      for (const r of (classes[c] as LineClass).over) weight[r] = (weight[r] as number) + (count[c] as number);
    }
    let level = 0;
    while (open > 0) {
      let tightest = -1;
      let step = Infinity;
      for (const r of group.resources) {
        if (!((weight[r] as number) > 0)) continue;
        const room = Math.max(0, left[r] as number) / (weight[r] as number);
        if (room < step) [step, tightest] = [room, r];
      }
      level += step;
      if (tightest >= 0) for (const r of group.resources) left[r] = (left[r] as number) - step * (weight[r] as number);
      for (const c of group.classes) {
        if (!count[c] || bound[c] !== OPEN) continue;
        const { over } = classes[c] as LineClass;
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

/** A class whose rate is not fixed yet. */
const OPEN = -2;

interface LineClass {
  readonly over: readonly number[];
  readonly heap: IndexHeap;
}
interface Group {
  readonly index: number;
  readonly classes: number[];
  readonly resources: number[];
}

function grown<T extends Float64Array | Int32Array>(old: T, Kind: new (length: number) => T): T {
  const next = new Kind(old.length + 1);
  next.set(old as never);
  return next;
}
