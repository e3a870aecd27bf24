/**
 * Transfers that share resources, as an exact fluid simulation: between two events every rate is constant and max-min
 * fair, so completion instants are computed, not stepped towards.
 *
 * Invariants: `atMs` never goes back; bytes sent never exceed bytes asked; a transfer completes once.
 */
import { fairShares } from '@/core/flow/fair-share';
import type { EpochMs } from '@/core/units';

export interface Transfer {
  readonly key: string;
  readonly over: readonly string[];
  /** Most it can use, in bits a second; Infinity: no limit of its own. */
  readonly demand: number;
  /** Share relative to others. */
  readonly weight: number;
  readonly totalBytes: number;
  sentBytes: number;
  /** Bits a second at present. */
  rateBps: number;
}

export interface CompletedTransfer {
  readonly key: string;
  readonly atMs: EpochMs;
}

export class TransferSimulation {
  private readonly active = new Map<string, Transfer>();
  private stale = false;

  /**
   * @param atMs where simulated time starts
   * @param capacityBps bits a second by resource name; may be changed through `setCapacity`
   */
  constructor(
    public atMs: EpochMs,
    private readonly capacityBps: Map<string, number>,
  ) {}

  /** Starts a transfer at `this.atMs`; one with the same key is left as it is. */
  start(
    key: string,
    over: readonly string[],
    totalBytes: number,
    { sentBytes = 0, demand = Infinity, weight = 1 }: { sentBytes?: number; demand?: number; weight?: number } = {},
  ): void {
    if (this.active.has(key)) return;
    this.active.set(key, { key, over, demand, weight, totalBytes, sentBytes, rateBps: 0 });
    this.stale = true;
  }

  stop(key: string): void {
    if (this.active.delete(key)) this.stale = true;
  }

  setCapacity(name: string, bps: number): void {
    if (this.capacityBps.get(name) === bps) return;
    this.capacityBps.set(name, bps);
    this.stale = true;
  }

  get(key: string): Readonly<Transfer> | undefined {
    this.refresh();
    return this.active.get(key);
  }

  list(): readonly Transfer[] {
    this.refresh();
    return [...this.active.values()];
  }

  /** Instant at which the next transfer completes at present rates, rounded up to a millisecond; null if none will. */
  nextCompletionMs(): EpochMs | null {
    this.refresh();
    let soonest = Infinity;
    for (const transfer of this.active.values()) soonest = Math.min(soonest, msLeft(transfer));
    return soonest === Infinity ? null : this.atMs + Math.ceil(soonest);
  }

  /** Moves time to `toMs`; returns what completed on the way, in order. O(completions x fair shares). */
  advance(toMs: EpochMs): CompletedTransfer[] {
    const done: CompletedTransfer[] = [];
    while (this.atMs < toMs || this.hasFinished()) {
      const next = this.nextCompletionMs();
      const until = next === null ? toMs : Math.min(next, toMs);
      const elapsed = until - this.atMs;
      // With no time passed an unlimited rate times zero is no number.
      for (const transfer of elapsed > 0 ? this.active.values() : [])
        transfer.sentBytes = Math.min(transfer.totalBytes, transfer.sentBytes + (transfer.rateBps * elapsed) / 8000);
      this.atMs = until;
      for (const transfer of [...this.active.values()])
        if (msLeft(transfer) < 0.5) {
          this.active.delete(transfer.key);
          done.push({ key: transfer.key, atMs: until });
          this.stale = true;
        }
      if (until >= toMs && !this.hasFinished()) break;
    }
    return done;
  }

  private hasFinished(): boolean {
    for (const transfer of this.active.values()) if (transfer.sentBytes >= transfer.totalBytes) return true;
    return false;
  }

  private refresh(): void {
    if (!this.stale) return;
    this.stale = false;
    const list = [...this.active.values()];
    const rates = fairShares(list, this.capacityBps);
    list.forEach((transfer, i) => (transfer.rateBps = rates[i] as number));
  }
}

function msLeft(transfer: Transfer): number {
  const bits = (transfer.totalBytes - transfer.sentBytes) * 8;
  if (bits <= 0) return 0;
  return transfer.rateBps > 0 ? (bits / transfer.rateBps) * 1000 : Infinity;
}
