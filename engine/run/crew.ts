/** Carries out claimed runs and settles them: the shell around execute.ts. */
import type { Logger } from 'pino';
import { followersOf, placeKindOf, type Lane } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { ControllerError, type Place, type SiteController } from '@/connectors/site-controller';
import { LostLease } from '@/engine/lost-lease';
import { executeRun, failureOf } from '@/engine/run/execute';
import { backoffMs, isTriedAgain, runKeys, type Outcome, type RunJob, type RunStep } from '@/engine/run/job';
import { streamKey } from '@/engine/streams';
import type { Waits } from '@/engine/waits';
import type { Database } from '@/store/database';
import { claimRuns } from '@/store/claim';
import type { Limits } from '@/store/limits';
import { cancelRequests, capturedWith, recordProgress, renewLeases, type ClaimedRun } from '@/store/runs';
import type { LanesOf } from '@/store/schedules';
import { sourcePoint, type LaneOfWorkload } from '@/store/points';
import { settleCancelled, settleFailure, settlePutOff, settleSuccesses, type SettledSuccess } from '@/store/settle';

/** Runs that one engine has in hand at most. */
const IN_HAND = 256;
/** Least time between two writings of progress, in ms of real time. */
const SHOW_MS = 500;
/** How often waiting runs are looked at while nothing changes here, in ms of real time. */
const LOOK_MS = 500;

/** Where places lie and how long they lock a point; read once, places do not move. */
export type PlaceFacts = (place: Place) => { readonly siteId: number; readonly immutableMs: number };

interface InHand {
  readonly run: ClaimedRun;
  readonly lane: Lane;
  readonly place: Place;
  readonly abort: AbortController;
  /** Lanes that are due once this run has its point. */
  readonly followers: readonly Lane[];
  steps: readonly RunStep[];
}

export class Crew {
  private readonly inHand = new Map<number, InHand>();
  private shownAt = 0;
  private lookedAt = 0;
  private finished: Array<{ readonly work: InHand; readonly outcome: Outcome }> = [];

  constructor(
    private readonly db: Database,
    private readonly owner: string,
    private readonly site: SiteController,
    private readonly waits: Waits,
    private readonly lanesOf: LanesOf,
    private readonly factsOf: PlaceFacts,
    private readonly limits: Limits,
    private readonly nowMs: () => EpochMs,
    private readonly log: Pick<Logger, 'info' | 'warn'>,
  ) {}

  get busy(): number {
    return this.inHand.size;
  }

  /** True if something has ended that is not written yet. */
  get hasEnded(): boolean {
    return this.finished.length > 0;
  }

  /** Renews the leases of what is in hand; what is another engine's by now is let go as it is. */
  async renew(): Promise<void> {
    for (const id of await renewLeases(this.db, this.owner, [...this.inHand.keys()])) {
      const work = this.inHand.get(id);
      this.inHand.delete(id);
      work?.abort.abort(new LostLease(`run ${id}`));
      if (work) this.waits.abort(runKeys(id, work.run.attempt).copy, new LostLease(`run ${id}`));
    }
  }

  /**
   * Claims as many waiting runs as there is room for and sets them going. Unless something has `changed` here it looks only
   * now and then: what waits, waits for a slot that a run of ours or of another engine has.
   */
  async takeUp(changed = true): Promise<number> {
    const room = IN_HAND - this.inHand.size;
    if (room <= 0 || (!changed && Date.now() - this.lookedAt < LOOK_MS)) return 0;
    this.lookedAt = Date.now();
    const claimed = await claimRuns(this.db, this.owner, this.nowMs(), room, {
      limits: this.limits,
      lanesOf: this.lanesOf,
    });
    for (const run of claimed)
      await this.begin(run).catch(async (error: unknown) => {
        if (!(error instanceof ControllerError)) throw error;
        const outcome = { ...failureOf(error, run.workload_name), steps: [], endedMs: this.nowMs() };
        await this.settleOther(run, outcome);
        this.note(run, outcome);
      });
    return claimed.length;
  }

  /** Asks the sites about everything that is under way. */
  async poll(): Promise<void> {
    const keys = this.waits.parkedKeys;
    if (!keys.length) return;
    try {
      for (const progress of await this.site.progress(keys)) this.waits.report(progress);
    } catch (error) {
      // A controller that was restarted may not know a transfer, or not answer at all: each run fails by its own cause.
      for (const key of keys)
        await this.site.progress([key]).then(
          ([progress]) => progress && this.waits.report(progress),
          (own: unknown) => this.waits.abort(key, own instanceof Error ? own : new Error(String(error))),
        );
    }
  }

  async cancelWanted(): Promise<void> {
    if (!this.inHand.size) return;
    for (const id of await cancelRequests(this.db, this.owner)) {
      const work = this.inHand.get(id);
      work?.abort.abort();
      if (work) this.waits.abort(runKeys(id, work.run.attempt).copy, new Error('cancelled'));
    }
  }

  /**
   * Writes what has ended. Returns the lanes of workloads that have a new point. What could not be written is tried again
   * in the next round: its run is in hand until then.
   */
  async settle(): Promise<LaneOfWorkload[]> {
    const done = this.finished.splice(0);
    let written = 0;
    try {
      const successes = done.flatMap(({ work, outcome }) =>
        outcome.kind === 'succeeded' ? [this.successOf(work, outcome)] : [],
      );
      const ours = successes.length ? await settleSuccesses(this.db, this.owner, successes) : [];
      await this.releaseCaptured(ours);
      for (const { work, outcome } of done) {
        await this.settleOther(work.run, outcome);
        this.inHand.delete(work.run.id);
        this.note(work.run, outcome);
        written++;
      }
      return ours.map((s) => ({ workloadId: s.run.workload_id, laneKey: s.run.lane_key }));
    } catch (error) {
      this.finished.unshift(...done.slice(written));
      throw error;
    }
  }

  /** Snapshots that were captured together, now that their points are written; one that stays is left to reconciliation. */
  private async releaseCaptured(written: readonly SettledSuccess[]): Promise<void> {
    const runs = written.filter(({ run }) => run.group_key !== null).map(({ run }) => run);
    await Promise.allSettled(
      runs.flatMap((run) => {
        const keys = runKeys(run.id, run.attempt, true);
        return [this.site.releaseSnapshot(keys.snapshot), this.site.forgetTransfer(keys.copy)];
      }),
    );
  }

  private async settleOther(run: ClaimedRun, outcome: Outcome): Promise<void> {
    if (outcome.kind === 'failed') {
      const again = outcome.retryable && isTriedAgain(run.attempt, run.group_key !== null);
      const retryAtMs = again ? outcome.endedMs + backoffMs(run.attempt) : null;
      await settleFailure(this.db, this.owner, { ...outcome, run, retryAtMs });
    } else if (outcome.kind === 'put-off') await settlePutOff(this.db, this.owner, { ...outcome, runId: run.id });
    else if (outcome.kind === 'cancelled')
      await settleCancelled(this.db, this.owner, run.id, outcome.endedMs, outcome.steps);
  }

  /** One line a run that has ended, by its number. */
  private note(run: ClaimedRun, outcome: Outcome): void {
    const facts = { run: run.id, workload: run.workload_name, lane: run.lane_key, attempt: run.attempt };
    if (outcome.kind === 'failed')
      this.log.warn({ ...facts, cause: outcome.code, detail: outcome.detail }, 'run failed');
    else this.log.info(facts, `run ${outcome.kind}`);
  }

  /** Writes how far everything is, for those who watch; twice a second of real time is enough for them. */
  async showProgress(): Promise<void> {
    if (Date.now() - this.shownAt < SHOW_MS) return;
    this.shownAt = Date.now();
    const rows = [...this.inHand.values()].map(({ run, steps }) => {
      const sent = this.waits.lastProgress.get(runKeys(run.id, run.attempt).copy);
      return {
        id: run.id,
        step: steps.at(-1)?.name ?? 'snapshot',
        steps,
        sentBytes: sent?.sentBytes ?? null,
        totalBytes: sent?.totalBytes ?? null,
        rateBps: sent?.rateBps ?? null,
      };
    });
    await recordProgress(this.db, this.owner, rows);
  }

  private async begin(run: ClaimedRun): Promise<void> {
    const lanes = await this.lanesOf(run.policy_id, run.revision);
    const lane = lanes.find((l) => l.key === run.lane_key);
    if (!lane)
      throw new Error(`Run ${run.id} names lane ${run.lane_key}, which revision ${run.revision} does not have.`);
    const work: InHand = {
      run,
      lane,
      place: placeOf(run, lane),
      abort: new AbortController(),
      followers: followersOf(lanes, lane.key),
      steps: [],
    };
    this.inHand.set(run.id, work);
    const job: RunJob = {
      runId: run.id,
      attempt: run.attempt,
      workloadId: run.workload_id,
      workloadName: run.workload_name,
      siteName: run.site_name,
      lane,
      place: work.place,
      immutableMs: this.factsOf(work.place).immutableMs,
      occurrenceMs: run.occurrence_ms,
      streamKey: streamKey(run, work.place),
      ...(lane.kind === 'copy' ? { source: await sourcePoint(this.db, run.workload_id, lane.source ?? '') } : {}),
      ...captureOf(run, (key) => capturedWith(this.db, key)),
    };
    const carryOut = async (): Promise<void> => {
      const outcome = await executeRun(job, {
        site: this.site,
        nowMs: this.nowMs,
        untilTransferred: (key) => this.waits.untilTransferred(key),
        onStep: (steps) => (work.steps = steps),
        signal: work.abort.signal,
      });
      this.finished.push({ work, outcome });
    };
    void carryOut();
  }

  private successOf(
    { run, place, followers }: InHand,
    outcome: Extract<Outcome, { kind: 'succeeded' }>,
  ): SettledSuccess {
    const { siteId, immutableMs } = this.factsOf(place);
    return {
      ...outcome,
      run,
      place,
      placeSiteId: siteId,
      copyKey: runKeys(run.id, run.attempt).copy,
      followers,
      immutableUntilMs: immutableMs > 0 ? outcome.takenMs + immutableMs : null,
    };
  }
}

/** Where a lane of a workload writes. */
export function placeOf(run: Pick<ClaimedRun, 'datastore_id' | 'workload_site_id' | 'site_name'>, lane: Lane): Place {
  if (lane.kind === 'snapshot') return { kind: 'datastore', id: run.datastore_id };
  const id = lane.targets[String(run.workload_site_id)];
  if (id === undefined)
    throw new ControllerError({
      code: 'no-target',
      subject: `${run.site_name} in lane ${lane.key}`,
      detail: `The lane names no place for workloads of ${run.site_name}.`,
    });
  return { kind: placeKindOf(lane.kind), id };
}

/** The capture that a run belongs to, if it is one of several. */
function captureOf(
  { group_key: key }: ClaimedRun,
  members: (key: string) => ReturnType<NonNullable<RunJob['capture']>['members']>,
): Pick<RunJob, 'capture'> {
  return key === null ? {} : { capture: { key, members: () => members(key) } };
}
