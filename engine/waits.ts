/**
 * What running work waits for: transfers at the sites, and instants of fleet time. Work that waits is parked; the
 * driver may carry time on once everything in hand is parked or done.
 *
 * Idle is told by counting calls to the sites: work is either parked here, or inside a call, or about to go on in a
 * microtask, and a turn of the event loop lets those run.
 */
import { ControllerError, type SiteController, type TransferProgress } from '@/connectors/site-controller';
import type { EpochMs } from '@/core/units';

interface Parked {
  readonly resolve: (progress: TransferProgress) => void;
  readonly reject: (error: Error) => void;
}
interface Sleeper {
  readonly atMs: EpochMs;
  readonly wake: () => void;
}

export class Waits {
  private readonly transfers = new Map<string, Parked>();
  private sleepers: Sleeper[] = [];
  private calls = 0;
  private callEnded: Array<() => void> = [];
  /** Last word on each parked transfer, for progress on the screen. */
  readonly lastProgress = new Map<string, TransferProgress>();

  /** The same port, with its calls counted. */
  counting(site: SiteController): SiteController {
    const counted = async (call: () => Promise<unknown>): Promise<unknown> => {
      this.calls++;
      try {
        return await call();
      } finally {
        this.calls--;
        for (const resolve of this.callEnded.splice(0)) resolve();
      }
    };
    return new Proxy(site, {
      get:
        (target, name: keyof SiteController) =>
        (...values: never[]) =>
          counted(() => (target[name] as (...v: never[]) => Promise<unknown>)(...values)),
    });
  }

  untilTransferred(key: string): Promise<TransferProgress> {
    return new Promise((resolve, reject) => this.transfers.set(key, { resolve, reject }));
  }

  sleepUntil(atMs: EpochMs): Promise<void> {
    return new Promise((resolve) => this.sleepers.push({ atMs, wake: resolve }));
  }

  get parkedKeys(): string[] {
    return [...this.transfers.keys()];
  }

  /** Soonest instant at which a parked transfer ends; null if that is not known of each. */
  get nextEndMs(): EpochMs | null {
    const ends = [...this.transfers.keys()].map((key) => this.lastProgress.get(key)?.expectedMs ?? null);
    return ends.length && ends.every((end) => end !== null) ? Math.min(...ends) : null;
  }

  /** Soonest instant that a sleeper waits for, or null. */
  get nextWakeMs(): EpochMs | null {
    return this.sleepers.length ? Math.min(...this.sleepers.map((s) => s.atMs)) : null;
  }

  /** Wakes who waits for an instant up to `nowMs`. */
  wake(nowMs: EpochMs): void {
    const due = this.sleepers.filter((s) => s.atMs <= nowMs);
    if (!due.length) return;
    this.sleepers = this.sleepers.filter((s) => s.atMs > nowMs);
    for (const sleeper of due) sleeper.wake();
  }

  /** Takes in what the sites say of parked transfers. */
  report(progress: TransferProgress): void {
    const parked = this.transfers.get(progress.key);
    if (!parked) return;
    this.lastProgress.set(progress.key, progress);
    if (progress.failure === null && progress.completedMs === null) return;
    this.forget(progress.key);
    if (progress.failure) parked.reject(new ControllerError(progress.failure));
    else parked.resolve(progress);
  }

  /** Ends a wait with an error, if there is one under this key. */
  abort(key: string, error: Error): void {
    const parked = this.transfers.get(key);
    this.forget(key);
    parked?.reject(error);
  }

  /** Resolves when nothing is in hand but parked work. */
  async untilIdle(): Promise<void> {
    for (;;) {
      await new Promise((resolve) => setImmediate(resolve));
      if (this.calls === 0) return;
      await new Promise<void>((resolve) => this.callEnded.push(resolve));
    }
  }

  private forget(key: string): void {
    this.transfers.delete(key);
    this.lastProgress.delete(key);
  }
}
