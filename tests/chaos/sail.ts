/** Sails one storm: a fleet of its own, engines and a stand-in as processes, blows while time passes, then quiet. */
import type { ChildProcess } from 'node:child_process';
import { holdPoint, runNow } from '@/commands/runs';
import { perform, type Person } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { HOUR, type EpochMs } from '@/core/units';
import { execute } from '@/store/database';
import { Harbour } from '../integration/harbour';
import { IMMUTABLE_MS, lanesFor, RPO_MS, WORKLOADS } from './fleet';
import { brokenInvariants } from './invariants';
import { stormOf, type Blow } from './storm';

export interface Outcome {
  readonly seed: number;
  readonly broken: readonly string[];
  readonly runs: number;
  readonly days: number;
}

const PERSON: Person = { id: 1, name: 'ines', fullName: 'Ines', role: 'administrator' };
/** The quiet at the end: long enough for every retry, every look of reconciliation and every lock. */
const QUIET_MS = 7 * HOUR;

export async function sail(seed: number, legs: number, port: number): Promise<Outcome> {
  const lanes = lanesFor(seed);
  const harbour = await Harbour.build(`chaos_${port}`, lanes, { workloads: WORKLOADS, port });
  const voyage = new Voyage(harbour);
  try {
    await voyage.begin();
    for (const leg of stormOf(seed, legs)) await voyage.leg(leg.blow, leg.passMs);
    const untilMs = await voyage.quiet();
    const broken = await brokenInvariants(harbour, lanes, untilMs);
    const [count] = await harbour.rows<{ runs: number; first: EpochMs }>(
      'SELECT COUNT(*) runs, MIN(occurrence_ms) first FROM runs',
    );
    return { seed, broken, runs: count?.runs ?? 0, days: (untilMs - (count?.first ?? untilMs)) / (24 * HOUR) };
  } catch (error) {
    return { seed, broken: [String((error as Error).stack ?? error)], runs: 0, days: 0 };
  } finally {
    await harbour.close();
  }
}

class Voyage {
  private engines: ChildProcess[] = [];
  private standIn: ChildProcess | null = null;
  private readonly faults: Array<{ readonly kind: string; readonly subject: string }> = [];

  constructor(private readonly harbour: Harbour) {}

  async begin(): Promise<void> {
    const { db } = this.harbour;
    await execute(db, 'UPDATE tiers SET rpo_ms = ?', [RPO_MS]);
    await execute(db, 'UPDATE repositories SET immutable_ms = ? WHERE id = 2', [IMMUTABLE_MS]);
    this.standIn = await this.harbour.startStandIn();
    this.engines = [this.harbour.startEngine()];
  }

  async leg(blow: Blow, passMs: number): Promise<void> {
    if (blow.kind === 'clock-leaps') await this.leap(blow.byMs);
    if (blow.kind === 'fault') await this.fault(blow.fault);
    if (blow.kind === 'heal') await this.heal();
    if (blow.kind === 'second-engine') this.engines.push(this.harbour.startEngine());
    if (blow.kind === 'run-now')
      await this.mayBeRefused(perform(runNow, { workloadId: blow.workloadId, laneKey: blow.lane }, this.context));
    if (blow.kind === 'hold') await this.hold();
    await this.harbour.beginJump(passMs);
    if ('afterRealMs' in blow) {
      await new Promise((resolve) => setTimeout(resolve, blow.afterRealMs));
      await this.strike(blow.kind);
    }
    await this.harbour.untilArrived(120_000);
  }

  /** Everything heals, one engine goes on, and time enough passes for it to put all in order. */
  async quiet(): Promise<EpochMs> {
    await this.heal();
    for (const engine of this.engines.slice(1)) await this.harbour.kill(engine);
    this.engines = this.engines.slice(0, 1);
    // Every point is due to be read back: what rotted without being read since is found now.
    await execute(this.harbour.db, 'UPDATE points SET verified_ms = 0 WHERE gone_ms IS NULL');
    for (let step = 0; step < 2; step++) {
      await this.harbour.beginJump(QUIET_MS / 2);
      await this.harbour.untilArrived(180_000);
      await this.untilTakenOver();
    }
    // The last look: nothing is in hand at this instant, and what was due was done.
    for (let tries = 0; tries < 200; tries++) {
      await this.harbour.beginJump(60_000);
      await this.harbour.untilArrived();
      const [busy] = await this.harbour.rows<{ n: number }>(
        `SELECT (SELECT COUNT(*) FROM runs WHERE state IN ('running', 'waiting')) + (SELECT COUNT(*) FROM points WHERE marked_ms IS NOT NULL AND gone_ms IS NULL) n`,
      );
      if (busy?.n === 0) break;
    }
    await this.harbour.kill(this.engines[0] as ChildProcess);
    return (await this.harbour.clock.read()).nowMs;
  }

  private get context() {
    return { db: this.harbour.db, clock: this.harbour.clock, person: PERSON };
  }

  private async strike(kind: Blow['kind']): Promise<void> {
    const [engine] = this.engines;
    if (kind === 'kill-engine' && engine) {
      await this.harbour.kill(engine);
      this.engines = [...this.engines.slice(1), this.harbour.startEngine()];
    }
    if (kind === 'stop-engine' && engine) {
      const gone = new Promise((resolve) => engine.once('exit', resolve));
      engine.kill('SIGTERM');
      this.engines = [...this.engines.slice(1), this.harbour.startEngine()];
      await gone;
    }
    if (kind === 'kill-stand-in' && this.standIn) {
      await this.harbour.kill(this.standIn);
      this.standIn = await this.harbour.startStandIn();
    }
    if (kind === 'drop-connections') await this.dropConnections();
  }

  private async dropConnections(): Promise<void> {
    const mine = await this.harbour.rows<{ id: number }>('SELECT CONNECTION_ID() id');
    const rows = await this.harbour.rows<{ id: number }>(
      'SELECT ID id FROM information_schema.PROCESSLIST WHERE DB = ?',
      [this.harbour.name],
    );
    for (const { id } of rows)
      if (id !== mine[0]?.id) await execute(this.harbour.db, `KILL CONNECTION ${id}`).catch(() => undefined);
  }

  /** While nobody watched, hours went by: all engines are gone, and the clock stands elsewhere when one comes back. */
  private async leap(byMs: number): Promise<void> {
    for (const engine of this.engines) await this.harbour.kill(engine);
    await execute(this.harbour.db, 'UPDATE clock SET base_ms = base_ms + ?, seen_ms = base_ms', [byMs]);
    this.engines = [this.harbour.startEngine()];
  }

  private async fault(fault: { readonly kind: string; readonly subject: string }): Promise<void> {
    this.faults.push(fault);
    await this.harbour.fault('setFault', fault);
  }

  private async heal(): Promise<void> {
    for (const fault of this.faults.splice(0)) await this.harbour.fault('clearFault', fault);
  }

  private async hold(): Promise<void> {
    const [point] = await this.harbour.rows<{ id: number }>(
      'SELECT id FROM points WHERE gone_ms IS NULL AND marked_ms IS NULL AND held_at_ms IS NULL ORDER BY taken_ms LIMIT 1',
    );
    if (point)
      await this.mayBeRefused(
        perform(holdPoint, { pointId: point.id, reason: 'asked for by the storm' }, this.context),
      );
  }

  private async mayBeRefused(deed: Promise<unknown>): Promise<void> {
    await deed.catch((error: unknown) => {
      if (!(error instanceof Refusal)) throw error;
    });
  }

  private async untilTakenOver(): Promise<void> {
    for (let i = 0; i < 100; i++) {
      const [dead] = await this.harbour.rows<{ n: number }>(
        `SELECT COUNT(*) n FROM runs WHERE state = 'running' AND lease_real_ms < ?`,
        [Date.now()],
      );
      if (dead?.n === 0) return;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error('Runs of a dead engine were not taken over.');
  }
}
