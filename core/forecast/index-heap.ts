/** A binary heap of small whole numbers by a key each: the least key on top, equal keys in order of the numbers. */
export class IndexHeap {
  private readonly items: number[] = [];
  private readonly keys: number[] = [];

  get size(): number {
    return this.items.length;
  }

  /** Key on top; Infinity if there is none. */
  get topKey(): number {
    return this.keys[0] ?? Infinity;
  }

  /** O(log n). */
  push(item: number, key: number): void {
    let i = this.items.length;
    this.items.push(item);
    this.keys.push(key);
    while (i > 0) {
      const parent = (i - 1) >> 1;
      if (!this.before(item, key, parent)) break;
      this.items[i] = this.items[parent] as number;
      this.keys[i] = this.keys[parent] as number;
      i = parent;
    }
    this.items[i] = item;
    this.keys[i] = key;
  }

  /** Takes out what is on top; undefined if there is nothing. O(log n). */
  pop(): number | undefined {
    const top = this.items[0];
    const item = this.items.pop();
    const key = this.keys.pop();
    const n = this.items.length;
    if (item === undefined || key === undefined || n === 0) return top;
    let i = 0;
    for (;;) {
      let child = 2 * i + 1;
      if (child >= n) break;
      if (child + 1 < n && this.before(this.items[child + 1] as number, this.keys[child + 1] as number, child)) child++;
      if (!this.after(item, key, child)) break;
      this.items[i] = this.items[child] as number;
      this.keys[i] = this.keys[child] as number;
      i = child;
    }
    this.items[i] = item;
    this.keys[i] = key;
    return top;
  }

  private before(item: number, key: number, other: number): boolean {
    const k = this.keys[other] as number;
    return key < k || (key === k && item < (this.items[other] as number));
  }
  private after(item: number, key: number, other: number): boolean {
    const k = this.keys[other] as number;
    return key > k || (key === k && item > (this.items[other] as number));
  }
}
