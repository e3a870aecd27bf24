/** Work beside the rounds: each kind of it at most once at a time, so that a slow place does not hold up runs. */
import type { Logger } from 'pino';

/** Pause after a failure, in ms of real time. */
const CALM_MS = 1000;

export class Beside {
  private readonly underWay = new Map<string, Promise<void>>();
  private readonly calmUntil = new Map<string, number>();

  constructor(private readonly log: Pick<Logger, 'error'>) {}

  /** Begins `work` unless what was begun under this name goes on; true if it did. What fails is logged, and may be begun again. */
  begin(name: string, work: () => Promise<unknown>): boolean {
    if (this.underWay.has(name) || Date.now() < (this.calmUntil.get(name) ?? 0)) return false;
    const done = work()
      .then(
        () => undefined,
        (error: unknown) => {
          this.calmUntil.set(name, Date.now() + CALM_MS);
          this.log.error({ err: error, what: name }, `${name} failed; trying again later`);
        },
      )
      .finally(() => this.underWay.delete(name));
    this.underWay.set(name, done);
    return true;
  }

  /** Resolves when nothing is under way. */
  async done(): Promise<void> {
    while (this.underWay.size) await Promise.all(this.underWay.values());
  }
}
