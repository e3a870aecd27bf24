/** A process that is wanted: once it is to be kept up, it is started again whenever it ends by itself. */
import type { ChildProcess } from 'node:child_process';

/** Pause before it is started again, in ms; doubled each time it lives for less than `STEADY_MS`, up to the longest. */
const PAUSE_MS = 1_000;
const LONGEST_PAUSE_MS = 30_000;
const STEADY_MS = 60_000;
const PATIENCE_MS = 12_000;

export interface KeptOptions {
  readonly name: string;
  readonly start: () => ChildProcess;
  readonly say: (text: string) => void;
  readonly pauseMs?: number;
  /** How long it may take to end when it is asked to, before it is ended, in ms; 12 s without. */
  readonly patienceMs?: number;
}

export class Kept {
  private current: ChildProcess;
  private startedMs = 0;
  private pauseMs: number;
  private timer: NodeJS.Timeout | undefined;
  private keeping = false;
  private stopping = false;

  constructor(private readonly options: KeptOptions) {
    this.pauseMs = options.pauseMs ?? PAUSE_MS;
    this.current = this.begin();
  }

  get name(): string {
    return this.options.name;
  }
  get child(): ChildProcess {
    return this.current;
  }
  get ended(): boolean {
    return hasEnded(this.current);
  }

  /** From now on it does not stay away. */
  keepUp(): void {
    this.keeping = true;
    if (this.ended) this.again();
  }

  /** Asks it to end, and ends it if that takes too long; it stays away. */
  async stop(): Promise<void> {
    this.stopping = true;
    clearTimeout(this.timer);
    const child = this.current;
    if (hasEnded(child)) return;
    const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()));
    child.kill('SIGTERM');
    const patience = setTimeout(() => child.kill('SIGKILL'), this.options.patienceMs ?? PATIENCE_MS);
    await gone;
    clearTimeout(patience);
  }

  private begin(): ChildProcess {
    this.startedMs = performance.now();
    const child = this.options.start();
    child.once('exit', () => this.again());
    return child;
  }

  private again(): void {
    if (!this.keeping || this.stopping) return;
    const { name, say, pauseMs = PAUSE_MS } = this.options;
    const steady = performance.now() - this.startedMs > STEADY_MS;
    this.pauseMs = steady ? pauseMs : Math.min(LONGEST_PAUSE_MS, 2 * this.pauseMs);
    const how = this.current.signalCode ?? `exit ${this.current.exitCode}`;
    say(`${name} ended by itself (${how}); it is started again.`);
    this.timer = setTimeout(() => (this.current = this.begin()), this.pauseMs);
  }
}

const hasEnded = ({ exitCode, signalCode }: ChildProcess): boolean => exitCode !== null || signalCode !== null;
