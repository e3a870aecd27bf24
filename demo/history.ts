/**
 * Five weeks of Fennmark Rail, by running them: the engine's own executor and drill against the stand-in's own world,
 * event by event, without HTTP and database between. What comes out is what the database would hold.
 */
import { letGoBy } from '@/core/protect/ladder';
import { followersOf, type Lane } from '@/core/protect/policy';
import { nextDue } from '@/core/protect/stagger';
import type { EpochMs } from '@/core/units';
import type { Place, SiteController } from '@/connectors/site-controller';
import { rehearse, type DrillPoint } from '@/engine/drill/rehearse';
import { executeRun } from '@/engine/run/execute';
import { backoffMs, isTriedAgain, runKeys, type Capture, type Outcome, type SourcePoint } from '@/engine/run/job';
import { streamKey } from '@/engine/streams';
import { Waits } from '@/engine/waits';
import type { FleetRunbook, FleetWorkload } from '@/demo/fleet';
import type { History, HistoryDrill, HistoryPoint, HistoryRun, HistorySink, LaneState } from '@/demo/past';
import { EventQueue } from '@/demo/event-queue';
import { REPOSITORIES, SITES } from '@/demo/scenario';
import { placeFor } from '@/demo/write-estate';
import { localController } from '@/demo/local-controller';
import type { Controller } from '@/standin/operations';
import { WorldRefusal } from '@/standin/world/refusal';

/** Something to happen at an instant: a lane due, a try again, a fault set or cleared, a drill. */
export type Happening = { readonly atMs: EpochMs; readonly act: () => void };

export interface Plan {
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly fleet: readonly FleetWorkload[];
  readonly lanesOf: (workload: FleetWorkload) => readonly Lane[];
  readonly happenings: ReadonlyArray<{ readonly atMs: EpochMs; readonly act: (controller: Controller) => void }>;
  readonly drills: ReadonlyArray<{
    readonly atMs: EpochMs;
    readonly runbook: FleetRunbook;
    readonly siteOfPlace: (kind: string, id: number) => number;
  }>;
  readonly testNetworkOf: (siteId: number) => number;
  /** Takes what will not change any more, while the rest still runs. */
  readonly sink: HistorySink;
}
export class HistoryMaker {
  private nowMs: EpochMs;
  private readonly queue = new EventQueue();
  private readonly waits = new Waits();
  private readonly site: SiteController;
  private readonly runs: HistoryRun[] = [];
  private readonly points: HistoryPoint[] = [];
  private readonly drills: HistoryDrill[] = [];
  private readonly lanes: LaneState[] = [];
  private readonly busy = new Set<number>();
  private readonly blocked = new Map<number, LaneState[]>();
  /** Runs by what they are captured with. */
  private readonly captures = new Map<string, HistoryRun[]>();

  constructor(
    private readonly controller: Controller,
    private readonly plan: Plan,
  ) {
    this.nowMs = plan.fromMs;
    // Local calls answer within a microtask, so they need no counting.
    this.site = localController(controller, () => this.nowMs);
  }

  async make(): Promise<History> {
    for (const workload of this.plan.fleet) for (const lane of this.plan.lanesOf(workload)) this.enrol(workload, lane);
    for (const { atMs, act } of this.plan.happenings) this.queue.push(atMs, () => act(this.controller));
    for (const drill of this.plan.drills) this.queue.push(drill.atMs, () => this.startDrill(drill));
    for (let at = this.nextMs(); at !== null && at <= this.plan.toMs; at = this.nextMs()) await this.carryOn(at);
    this.nowMs = this.plan.toMs;
    this.controller.world.transfers.advance(this.plan.toMs);
    for (const key of this.waits.parkedKeys) this.controller.world.cancelTransfer(key);
    this.controller.world.snapshots.byKey.clear();
    for (const run of this.runs) if (run.state === 'waiting') this.plan.sink.run(run);
    for (const point of this.points) if (point.goneMs === null) this.plan.sink.point(point);
    return { runs: this.runs, points: this.points, drills: this.drills, lanes: this.lanes };
  }

  private nextMs(): EpochMs | null {
    const soonest = Math.min(
      this.queue.nextMs ?? Infinity,
      this.controller.world.transfers.nextEventMs() ?? Infinity,
      this.waits.nextWakeMs ?? Infinity,
    );
    return soonest === Infinity ? null : Math.max(soonest, this.nowMs);
  }

  private async carryOn(atMs: EpochMs): Promise<void> {
    this.nowMs = atMs;
    this.controller.world.transfers.advance(atMs);
    for (const key of this.waits.parkedKeys) this.report(key);
    this.waits.wake(atMs);
    for (const act of this.queue.popUntil(atMs)) act();
    await this.waits.untilIdle();
  }

  private report(key: string): void {
    try {
      this.waits.report(this.controller.world.transfers.progress(key));
    } catch (error) {
      if (!(error instanceof WorldRefusal)) throw error;
      this.waits.abort(key, error);
    }
  }

  private enrol(workload: FleetWorkload, lane: Lane): void {
    const state: LaneState = {
      workload,
      lane,
      dueMs: null,
      typicalMs: 60_000,
      failingSinceMs: null,
      failures: 0,
      causeCode: null,
      causeSubject: null,
      waiting: null,
      live: [],
    };
    this.lanes.push(state);
    this.scheduleNext(state, this.plan.fromMs);
  }

  private scheduleNext(state: LaneState, afterMs: EpochMs): void {
    state.dueMs = nextDue(state.lane, staggered(state.workload), afterMs);
    if (state.dueMs !== null && state.dueMs <= this.plan.toMs) this.queue.push(state.dueMs, () => this.fallDue(state));
  }

  private fallDue(state: LaneState): void {
    this.fallDueAt(state, state.dueMs as EpochMs);
    this.scheduleNext(state, this.nowMs);
  }

  private stateOf(workload: FleetWorkload, laneKey: string): LaneState {
    const state = this.lanes.find((s) => s.workload === workload && s.lane.key === laneKey);
    if (!state) throw new Error(`${workload.name} has no lane ${laneKey}.`);
    return state;
  }

  private placeOf({ workload, lane }: LaneState): Place {
    return placeFor(workload, lane);
  }

  private sourceOf({ workload, lane }: LaneState): SourcePoint | null {
    const source = this.stateOf(workload, lane.source ?? '');
    const newest = source.live.at(-1);
    if (!newest) return null;
    const place = this.placeOf(source);
    return { ...newest.outcome, place: { ...place, copyKey: newest.copyKey } };
  }

  private fallDueAt(state: LaneState, occurrenceMs: EpochMs): void {
    if (state.waiting) this.end(state.waiting, state.waiting.outcome ? 'failed' : 'missed');
    const run: HistoryRun = {
      id: this.runs.length + 1,
      workload: state.workload,
      lane: state.lane,
      occurrenceMs,
      groupKey: groupKeyOf(state, occurrenceMs),
      startedMs: null,
      attempt: 0,
      state: 'waiting',
      outcome: null,
    };
    this.runs.push(run);
    const { groupKey: key } = run;
    if (key !== null) this.captures.set(key, [...(this.captures.get(key) ?? []), run]);
    state.waiting = run;
    this.tryStart(state);
  }

  private tryStart(state: LaneState): void {
    const run = state.waiting;
    if (!run || run.state !== 'waiting') return;
    const { id } = state.workload;
    if (this.busy.has(id)) {
      this.blocked.set(id, [...(this.blocked.get(id) ?? []), state]);
      return;
    }
    this.busy.add(id);
    state.waiting = null;
    run.attempt++;
    run.startedMs ??= this.nowMs;
    void this.carryOut(state, run);
  }

  private async carryOut(state: LaneState, run: HistoryRun): Promise<void> {
    const { workload, lane } = state;
    const place = this.placeOf(state);
    const outcome = await executeRun(
      {
        runId: run.id,
        attempt: run.attempt,
        workloadId: workload.id,
        workloadName: workload.name,
        siteName: siteName(workload.siteId),
        lane,
        place,
        immutableMs: immutableMsOf(place),
        occurrenceMs: run.occurrenceMs,
        streamKey: streamKey({ enrolment_id: workload.id, lane_key: lane.key }, place),
        ...this.captureOf(run),
        ...(lane.kind === 'copy' ? { source: this.sourceOf(state) } : {}),
      },
      {
        site: this.site,
        nowMs: () => this.nowMs,
        untilTransferred: (key) => this.waits.untilTransferred(key),
        onStep: () => undefined,
        signal: NEVER.signal,
      },
    );
    this.busy.delete(workload.id);
    this.settle(state, run, outcome);
    const next = this.blocked.get(workload.id) ?? [];
    this.blocked.delete(workload.id);
    for (const other of next) this.tryStart(other);
  }

  private captureOf(run: HistoryRun): { capture?: Capture } {
    const key = run.groupKey;
    if (key === null) return {};
    const open = () => (this.captures.get(key) ?? []).filter((r) => r.state === 'waiting' || r.outcome === null);
    // Those that are due at the same instant are there once this one has given way.
    const members = () => Promise.resolve().then(() => open().map((r) => ({ runId: r.id, workloadId: r.workload.id })));
    return { capture: { key, members } };
  }

  private settle(state: LaneState, run: HistoryRun, outcome: Outcome): void {
    if (outcome.kind === 'succeeded') {
      run.outcome = outcome;
      if (run.groupKey !== null)
        this.controller.operations.releaseSnapshot({ snapshotKey: runKeys(run.id, run.attempt, true).snapshot });
      const immutableMs = immutableMsOf(this.placeOf(state));
      this.end(run, 'succeeded');
      const point = {
        id: String(run.id),
        takenAtMs: outcome.takenMs,
        run,
        outcome,
        copyKey: runKeys(run.id, run.attempt).copy,
        ...(immutableMs > 0 ? { heldUntilMs: outcome.takenMs + immutableMs } : {}),
        goneMs: null,
        freedBytes: null,
      };
      this.points.push(point);
      state.live.push(point);
      Object.assign(state, {
        typicalMs: Math.max(1000, outcome.usableMs - run.occurrenceMs),
        failingSinceMs: null,
        failures: 0,
        causeCode: null,
        causeSubject: null,
      });
      this.thin(state);
      for (const follower of followersOf(this.plan.lanesOf(state.workload), state.lane.key))
        this.fallDueAt(this.stateOf(state.workload, follower.key), outcome.usableMs);
      return;
    }
    if (outcome.kind !== 'failed') throw new Error('Nobody cancels or ships in the past.');
    run.outcome = outcome;
    state.failingSinceMs ??= outcome.endedMs;
    Object.assign(state, { failures: state.failures + 1, causeCode: outcome.code, causeSubject: outcome.subject });
    const again = outcome.retryable && isTriedAgain(run.attempt, run.groupKey !== null);
    // A newer occurrence already waits: this one is overtaken.
    if (!again || state.waiting) return this.end(run, 'failed');
    run.state = 'waiting';
    state.waiting = run;
    this.queue.push(outcome.endedMs + backoffMs(run.attempt), () => state.waiting === run && this.tryStart(state));
  }

  private end(run: HistoryRun, state: 'succeeded' | 'failed' | 'missed'): void {
    run.state = state;
    this.plan.sink.run(run);
  }

  private thin(state: LaneState): void {
    const letGo = letGoBy(state.lane.ladder, state.live, this.nowMs);
    if (!letGo.length) return;
    const gone = new Set(letGo);
    for (let i = state.live.length - 1; i >= 0; i--) {
      const point = state.live[i] as HistoryPoint;
      if (!gone.has(point.id)) continue;
      point.goneMs = this.nowMs;
      point.freedBytes = this.controller.world.deleteCopy(this.placeOf(state), point.copyKey);
      this.plan.sink.point(point);
      state.live.splice(i, 1);
    }
  }

  private startDrill({ runbook, siteOfPlace }: Plan['drills'][number]): void {
    const startedMs = this.nowMs;
    const points = new Map<number, DrillPoint>();
    for (const state of this.lanes) {
      const place = this.placeOf(state);
      if (siteOfPlace(place.kind, place.id) !== runbook.targetSiteId) continue;
      const newest = state.live.at(-1);
      const known = points.get(state.workload.id);
      if (!newest || (known && known.takenMs >= newest.outcome.takenMs)) continue;
      points.set(state.workload.id, {
        pointId: newest.run.id,
        place,
        copyKey: newest.copyKey,
        takenMs: newest.outcome.takenMs,
        digest: newest.outcome.digest,
      });
    }
    const lines: Array<{ atMs: EpochMs; text: string }> = [];
    const drillId = this.drills.length + 1;
    const carryOut = async (): Promise<void> => {
      const record = await rehearse(
        {
          drillId,
          plan: runbook.plan,
          testNetworkId: this.plan.testNetworkOf(runbook.targetSiteId),
          points,
          startedMs,
        },
        {
          site: this.site,
          nowMs: () => this.nowMs,
          sleepUntil: (at) => this.waits.sleepUntil(at),
          say: (at, text) => lines.push({ atMs: at, text }),
          onProgress: () => undefined,
          signal: NEVER.signal,
        },
      );
      this.drills.push({ runbook, atMs: startedMs, record, lines });
    };
    void carryOut();
  }
}

const siteName = (id: number): string => SITES.find((site) => site.id === id)?.name ?? `site ${id}`;

const immutableMsOf = (place: Place): number =>
  REPOSITORIES.find((r) => place.kind === 'repository' && r.id === place.id)?.immutableMs ?? 0;

const staggered = ({ id, applicationId }: FleetWorkload) => ({ workload_id: id, application_id: applicationId });

const groupKeyOf = ({ lane, workload }: LaneState, atMs: EpochMs): string | null =>
  lane.together ? `${lane.key}/${workload.applicationId}/${atMs}` : null;

const NEVER = new AbortController();
