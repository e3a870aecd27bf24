/**
 * The Clock port: what time it is for the fleet.
 *
 * Production reads the system clock. The demo reads one row, so that all processes agree, time can run faster, stand
 * still or jump. While `jump_to_ms` is set, time stands at `base_ms` and the engine that drives the jump moves it
 * forward step by step, so that everything that falls due on the way is executed.
 */
import { execute, selectOne, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

export interface ClockState {
  readonly nowMs: EpochMs;
  /** Seconds of fleet time a real second; 0 is paused. */
  readonly rate: number;
  readonly jumpToMs: EpochMs | null;
  readonly simulated: boolean;
}

export interface Clock {
  readonly kind: 'system' | 'demo';
  read(): Promise<ClockState>;
}

export const systemClock: Clock = {
  kind: 'system',
  read: () => Promise.resolve({ nowMs: Date.now(), rate: 1, jumpToMs: null, simulated: false }),
};

interface ClockRow {
  base_ms: number;
  real_base_ms: number;
  rate: number;
  jump_to_ms: number | null;
}

export class DemoClock implements Clock {
  readonly kind = 'demo';
  constructor(private readonly db: Database) {}

  async read(): Promise<ClockState> {
    const row = await selectOne<ClockRow>(
      this.db,
      'SELECT base_ms, real_base_ms, rate, jump_to_ms FROM clock WHERE id = 1',
    );
    if (!row) throw new Error('The demo clock has no row. Seed the demo first.');
    const elapsed = row.jump_to_ms === null ? Math.max(0, Date.now() - row.real_base_ms) * row.rate : 0;
    return { nowMs: Math.floor(row.base_ms + elapsed), rate: row.rate, jumpToMs: row.jump_to_ms, simulated: true };
  }

  /** Sets the speed from now on; 0 pauses. */
  async setRate(rate: number): Promise<void> {
    const { nowMs } = await this.read();
    await execute(
      this.db,
      'UPDATE clock SET base_ms = ?, real_base_ms = ?, rate = ? WHERE id = 1 AND jump_to_ms IS NULL',
      [nowMs, Date.now(), rate],
    );
  }

  /** Asks the engine to carry time forward to an instant. False if a jump is under way or the instant is not ahead. */
  async requestJump(toMs: EpochMs): Promise<boolean> {
    const { nowMs } = await this.read();
    if (toMs <= nowMs) return false;
    const { rows } = await execute(
      this.db,
      'UPDATE clock SET base_ms = ?, jump_to_ms = ? WHERE id = 1 AND jump_to_ms IS NULL',
      [nowMs, toMs],
    );
    return rows === 1;
  }

  /** One step of a jump; ends the jump when its instant is reached. */
  async stepTo(atMs: EpochMs, done: boolean): Promise<void> {
    await execute(
      this.db,
      `UPDATE clock SET base_ms = ?, real_base_ms = ?${done ? ', jump_to_ms = NULL' : ''} WHERE id = 1 AND jump_to_ms IS NOT NULL AND base_ms <= ?`,
      [atMs, Date.now(), atMs],
    );
  }

  /** The engine was here: where time goes on after everything was stopped or died. */
  async noteSeen(atMs: EpochMs): Promise<void> {
    await execute(this.db, 'UPDATE clock SET seen_ms = ? WHERE id = 1', [atMs]);
  }

  /** Lets time go on from where the engine last was: while nothing ran, no time passed. */
  async resume(): Promise<void> {
    await execute(this.db, 'UPDATE clock SET base_ms = GREATEST(base_ms, seen_ms), real_base_ms = ? WHERE id = 1', [
      Date.now(),
    ]);
  }

  async start(atMs: EpochMs, rate: number): Promise<void> {
    await execute(
      this.db,
      'REPLACE INTO clock (id, base_ms, real_base_ms, rate, jump_to_ms, seen_ms) VALUES (1, ?, ?, ?, NULL, ?)',
      [atMs, Date.now(), rate, atMs],
    );
  }
}

/** The clock that ANCHOR_CLOCK names: "demo" or, by default, the system's. */
export function openClock(db: Database, env: NodeJS.ProcessEnv): Clock {
  return env.ANCHOR_CLOCK === 'demo' ? new DemoClock(db) : systemClock;
}

/** The demo clock behind the port, or null. Told by its kind: bundles of a web build each have a class of their own. */
export function asDemoClock(clock: Clock): DemoClock | null {
  return clock.kind === 'demo' ? (clock as DemoClock) : null;
}
