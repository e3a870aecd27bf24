/** Happenings in order of their instants: a binary heap, equal instants in order of arrival. */
import type { EpochMs } from '@/core/units';

interface Entry {
  readonly atMs: EpochMs;
  readonly order: number;
  readonly act: () => void;
}

export class EventQueue {
  private readonly heap: Entry[] = [];
  private order = 0;

  get nextMs(): EpochMs | null {
    return this.heap[0]?.atMs ?? null;
  }

  push(atMs: EpochMs, act: () => void): void {
    const { heap } = this;
    heap.push({ atMs, order: this.order++, act });
    for (let i = heap.length - 1; i > 0;) {
      const parent = (i - 1) >> 1;
      if (!before(heap[i], heap[parent])) break;
      swap(heap, i, parent);
      i = parent;
    }
  }

  /** Takes out what is due up to an instant, in order. */
  popUntil(atMs: EpochMs): Array<() => void> {
    const acts: Array<() => void> = [];
    while (this.heap[0] && this.heap[0].atMs <= atMs) acts.push(this.pop().act);
    return acts;
  }

  private pop(): Entry {
    const { heap } = this;
    const top = heap[0] as Entry;
    const last = heap.pop() as Entry;
    if (heap.length === 0) return top;
    heap[0] = last;
    for (let i = 0; ;) {
      const left = 2 * i + 1;
      let least = i;
      if (before(heap[left], heap[least])) least = left;
      if (before(heap[left + 1], heap[least])) least = left + 1;
      if (least === i) return top;
      swap(heap, i, least);
      i = least;
    }
  }
}

function before(a: Entry | undefined, b: Entry | undefined): boolean {
  if (!a || !b) return false;
  return a.atMs < b.atMs || (a.atMs === b.atMs && a.order < b.order);
}

function swap(heap: Entry[], i: number, j: number): void {
  [heap[i], heap[j]] = [heap[j] as Entry, heap[i] as Entry];
}
