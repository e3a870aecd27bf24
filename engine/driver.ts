/**
 * The engine's round. Each round looks at the clock, plans what is due, takes up runs and drills, asks the sites,
 * settles what has ended, thins and watches. With the demo clock a jump is carried out here: time moves in small steps,
 * and on only when all work in hand is parked at a site or done, so a jump executes what a night would have; where nothing
 * is to be done a step goes to the next thing that is.
 */
import { randomUUID } from 'node:crypto';
import type { Logger } from 'pino';
import type { EpochMs } from '@/core/units';
import type { SiteController } from '@/connectors/site-controller';
import { Beside } from '@/engine/beside';
import { observeConditions } from '@/engine/conditions';
import { DrillDesk } from '@/engine/drill/desk';
import { Crew, type PlaceFacts } from '@/engine/run/crew';
import { Thinning } from '@/engine/thin';
import { notify, type Senders } from '@/engine/notify';
import { observeStreams } from '@/engine/streams';
import { reconcileDue } from '@/engine/reconcile';
import { readBackDue } from '@/engine/verify';
import { Waits } from '@/engine/waits';
import { asDemoClock, type Clock } from '@/store/clock';
import { select, type Database } from '@/store/database';
import { closeMisses, openMisses } from '@/store/misses';
import { nextWork } from '@/store/next-event';
import { readLimits } from '@/store/limits';
import { beat, giveBack, isWatch, LEASE_MS, takeOverDeadRuns } from '@/store/runs';
import { lanesReader, planDue } from '@/store/schedules';

/** Longest steps of a jump, while something is under way and while nothing is, in ms of fleet time. */
const STEP_MS = 30_000;
const IDLE_STEP_MS = 15 * 60_000;
const PLAN_BATCH = 400;
/** Pause between two rounds while runs are in hand, in ms of real time. */
const BUSY_MS = 20;
const HEARTBEAT_MS = LEASE_MS / 5;
/**
 * How often misses are looked for, in ms of real time: every workload is read for that. When they begin and end is
 * arithmetic, and does not depend on it.
 */
const MISSES_MS = 1_000;
/** How often the sites are asked about themselves, in ms of fleet time. */
const CONDITIONS_MS = 60_000;
/** How often streams are looked at, points are read back and places are compared, in ms of fleet time. */
const STREAMS_MS = 15_000;
const READ_BACK_MS = 15 * 60_000;
const RECONCILE_MS = 3_600_000;

export interface EngineParts {
  readonly db: Database;
  readonly clock: Clock;
  readonly log: Logger;
  /** Makes the port to the sites; it reads the engine's instant. */
  readonly connect: (nowMs: () => EpochMs) => SiteController;
  readonly senders: Senders;
  /** Pause between two rounds, in ms of real time. */
  readonly roundMs: number;
}

export class Engine {
  readonly id = randomUUID();
  private readonly startedRealMs = Date.now();
  private nowMs: EpochMs = 0;
  private stopping = false;
  private rounds: Promise<void> = Promise.resolve();
  private beatAt = 0;
  private missesAt = 0;
  /** Of several engines one looks after what concerns all. */
  private watches = false;
  private conditionsAtMs = 0;
  private streamsAtMs = 0;
  private readBackAtMs = 0;
  private reconciledAtMs = 0;
  private readonly waits = new Waits();
  private readonly site: SiteController;
  private readonly lanesOf;
  private crew: Crew | null = null;
  private readonly desk: DrillDesk;
  private readonly beside: Beside;
  private readonly thinning: Thinning;

  constructor(private readonly parts: EngineParts) {
    const now = () => this.nowMs;
    this.site = this.waits.counting(parts.connect(now));
    this.lanesOf = lanesReader(parts.db);
    this.beside = new Beside(parts.log);
    this.thinning = new Thinning(parts.db, this.site, this.lanesOf);
    this.desk = new DrillDesk(parts.db, this.id, this.site, this.waits, now);
  }

  /** Works until `stop`; a round that fails is logged and the next one tries again. */
  run(): Promise<void> {
    return (this.rounds = this.goRound());
  }

  private async goRound(): Promise<void> {
    while (!this.stopping) {
      let again = false;
      try {
        again = await this.round();
      } catch (error) {
        this.parts.log.error({ err: error }, 'round failed; trying again');
        await pause(1000);
      }
      if (!again) await pause(this.crew?.busy ? Math.min(BUSY_MS, this.parts.roundMs) : this.parts.roundMs);
    }
  }

  /** Takes up nothing new, and gives back what is not done after `patienceMs` of real time: another engine goes on at once. */
  async stop(patienceMs = 5_000): Promise<void> {
    this.stopping = true;
    const until = Date.now() + patienceMs;
    // The round that is under way ends first: both would write what has ended.
    await Promise.race([this.rounds, pause(patienceMs)]);
    const { crew } = this;
    while (crew && crew.busy > 0 && Date.now() < until) {
      await crew.poll();
      await this.waits.untilIdle();
      await this.settleFinished(crew, true);
      await pause(100);
    }
    await giveBack(this.parts.db, this.id);
    // What goes on beside can be cut off anywhere: somebody else finishes it.
    await Promise.race([this.beside.done(), pause(patienceMs)]);
  }

  /** One round; true if there is more to do at once. */
  async round(): Promise<boolean> {
    const state = await this.parts.clock.read();
    const demo = asDemoClock(this.parts.clock);
    if (state.jumpToMs === null || !demo) {
      await this.tick(state.nowMs, false);
      return false;
    }
    const next = Math.min(await this.nextStepMs(state.nowMs), state.jumpToMs);
    await this.tick(next, true);
    await this.waits.untilIdle();
    await demo.stepTo(next, next >= state.jumpToMs);
    return true;
  }

  /**
   * Where a jump goes on to: the next instant at which something is to be done, of work that is known to end as well as of
   * what is planned. What cannot be known (another engine's work, a drill, a run that waits for what others do) is looked
   * at in short steps; a busy fleet is, too, or each end of a transfer would be a step of its own.
   */
  private async nextStepMs(nowMs: EpochMs): Promise<EpochMs> {
    const soonMs = nowMs + STEP_MS;
    const wakeMs = Math.max(this.waits.nextWakeMs ?? Infinity, nowMs + 1);
    const { plannedMs, held, running, drills } = await nextWork(this.parts.db, nowMs);
    const endMs = running ? this.waits.nextEndMs : Infinity;
    // Each run is one of ours that waits for its transfer, or there is more to do than to wait.
    const allSend = running === this.waits.parkedKeys.length;
    const unknown = drills > 0 || !allSend || endMs === null || (held > 0 && running === 0);
    if (unknown) return Math.min(soonMs, wakeMs);
    const restMs = Math.max(soonMs, Math.min(endMs, nowMs + IDLE_STEP_MS));
    return Math.min(plannedMs ?? Infinity, restMs, wakeMs);
  }

  /** `waitForAll`: all that can be done at this instant is done before returning, as a jump needs it. */
  private async tick(nowMs: EpochMs, waitForAll: boolean): Promise<void> {
    const { db } = this.parts;
    this.nowMs = Math.max(this.nowMs, nowMs);
    const crew = (this.crew ??= await this.hireCrew());
    await asDemoClock(this.parts.clock)?.noteSeen(this.nowMs);
    await this.beat();
    await crew.cancelWanted();
    this.waits.wake(this.nowMs);
    await this.desk.takeUp();
    // Streams before misses are opened: what they have brought counts.
    const [planned] = await Promise.all([this.plan(), crew.poll(), this.lookAtStreams()]);
    const looks = waitForAll || Date.now() - this.missesAt >= MISSES_MS;
    let settled: boolean;
    do {
      if (waitForAll) await this.waits.untilIdle();
      settled = crew.hasEnded;
      await this.settleFinished(crew, looks);
    } while ((await crew.takeUp(waitForAll || planned > 0 || settled)) > 0 && waitForAll);
    await this.desk.settle();
    if (looks) {
      this.missesAt = Date.now();
      await closeMisses(db, this.nowMs);
    }
    this.beside.begin('progress', () => crew.showProgress());
    this.beside.begin('thinning', () => this.thinning.carryOn(this.nowMs));
    if (this.watches) this.lookAround();
    if (!waitForAll) return;
    // When what was begun will end is known once it was asked about.
    await crew.poll();
    await this.beside.done();
  }

  /** Returns how many runs were made. */
  private async plan(): Promise<number> {
    for (let all = 0; ;) {
      const made = await planDue(this.parts.db, this.lanesOf, this.nowMs, PLAN_BATCH);
      all += made;
      if (made < PLAN_BATCH) return all;
    }
  }

  private async lookAtStreams(): Promise<void> {
    if (this.nowMs - this.streamsAtMs < STREAMS_MS) return;
    this.streamsAtMs = this.nowMs;
    await observeStreams(this.parts.db, this.site, this.nowMs);
  }

  /** Conditions of the sites, causes and notices, points read back, places compared: each at its interval of fleet time. */
  private lookAround(): void {
    const { db, senders } = this.parts;
    const nowMs = this.nowMs;
    if (nowMs - this.conditionsAtMs >= CONDITIONS_MS) {
      const look = () => observeConditions(db, this.site, nowMs).finally(() => notify(db, senders, nowMs));
      if (this.beside.begin('conditions and notices', look)) this.conditionsAtMs = nowMs;
    }
    if (nowMs - this.readBackAtMs >= READ_BACK_MS) {
      if (this.beside.begin('read-back', () => readBackDue(db, this.site, nowMs))) this.readBackAtMs = nowMs;
    }
    if (nowMs - this.reconciledAtMs >= RECONCILE_MS) {
      if (this.beside.begin('reconciliation', () => reconcileDue(db, this.site, nowMs))) this.reconciledAtMs = nowMs;
    }
  }

  /** Misses are opened before what ends them is written, whether it is time to look or not. */
  private async settleFinished(crew: Crew, looks: boolean): Promise<void> {
    if (looks || crew.hasEnded) await openMisses(this.parts.db, this.nowMs);
    this.thinning.want(await crew.settle());
  }

  private async beat(): Promise<void> {
    if (Date.now() - this.beatAt < HEARTBEAT_MS) return;
    this.beatAt = Date.now();
    await beat(this.parts.db, { id: this.id, pid: process.pid, startedRealMs: this.startedRealMs });
    await this.crew?.renew();
    this.watches = await isWatch(this.parts.db, this.id);
    const taken = await takeOverDeadRuns(this.parts.db);
    if (taken) this.parts.log.warn({ runs: taken }, 'took over runs of an engine that is gone');
  }

  private async hireCrew(): Promise<Crew> {
    const { db } = this.parts;
    const factsOf = await placeFacts(db);
    const limits = await readLimits(db);
    return new Crew(
      db,
      this.id,
      this.site,
      this.waits,
      this.lanesOf,
      factsOf,
      limits,
      () => this.nowMs,
      this.parts.log,
    );
  }
}

async function placeFacts(db: Database): Promise<PlaceFacts> {
  const datastores = await select<{ id: number; site_id: number }>(db, 'SELECT id, site_id FROM datastores');
  const repositories = await select<{ id: number; site_id: number; immutable_ms: number }>(
    db,
    'SELECT id, site_id, immutable_ms FROM repositories',
  );
  const facts = new Map([
    ...datastores.map((d) => [`datastore:${d.id}`, { siteId: d.site_id, immutableMs: 0 }] as const),
    ...repositories.map((r) => [`repository:${r.id}`, { siteId: r.site_id, immutableMs: r.immutable_ms }] as const),
  ]);
  return (place) => {
    const found = facts.get(`${place.kind}:${place.id}`);
    if (!found) throw new Error(`Place ${place.kind} ${place.id} is not known.`);
    return found;
  };
}

function pause(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}
