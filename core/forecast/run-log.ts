/** Runs of a forecast as columns of numbers: a million of them take some thirty megabytes. */
export class RunLog {
  private lane = new Int32Array(1024);
  private times = new Float64Array(3 * 1024);
  private length = 0;

  get count(): number {
    return this.length;
  }

  add(lane: number, dueMs: number, startMs: number, endMs: number): void {
    if (this.length === this.lane.length) this.grow();
    this.lane[this.length] = lane;
    this.times.set([dueMs, startMs, endMs], 3 * this.length);
    this.length++;
  }

  /** A run by its number, in the order in which they ended. */
  at(index: number): {
    readonly lane: number;
    readonly dueMs: number;
    readonly startMs: number;
    readonly endMs: number;
  } {
    const [dueMs, startMs, endMs] = this.times.subarray(3 * index, 3 * index + 3) as unknown as [
      number,
      number,
      number,
    ];
    return { lane: this.lane[index] as number, dueMs, startMs, endMs };
  }

  private grow(): void {
    const lane = new Int32Array(this.lane.length * 2);
    lane.set(this.lane);
    const times = new Float64Array(this.times.length * 2);
    times.set(this.times);
    [this.lane, this.times] = [lane, times];
  }
}
