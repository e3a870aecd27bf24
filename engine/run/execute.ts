/**
 * One run, step by step, against the port to the sites. Knows no database: what it needs comes as a job, what it did
 * goes out as an outcome. Every step carries an operation key made from run and try, so asking twice has one effect; a try
 * that follows another (a retry, or a takeover after a crash) first takes back what that one left in the world.
 */
import type { CauseCode } from '@/core/protect/cause';
import { CAUSES } from '@/core/protect/cause';
import type { Consistency, Lane } from '@/core/protect/policy';
import type { RunStepView } from '@/core/protect/run';
import type { DurationMs, EpochMs } from '@/core/units';
import {
  ControllerError,
  type CopyName,
  type DiskContent,
  type Place,
  type SiteController,
  type TransferProgress,
} from '@/connectors/site-controller';

export interface RunJob {
  readonly runId: number;
  /** 1 for the first try. */
  readonly attempt: number;
  readonly workloadId: number;
  readonly workloadName: string;
  /** Site it runs at. */
  readonly siteName: string;
  readonly lane: Lane;
  readonly place: Place;
  /** How long its place locks a point, 0: not at all. */
  readonly immutableMs: DurationMs;
  /** Of a copy: the point it copies, null if there is none; absent for runs that take their point at the source. */
  readonly source?: SourcePoint | null;
}

/** A point that a copy is made of. */
export interface SourcePoint {
  readonly place: CopyName;
  readonly takenMs: EpochMs;
  readonly consistency: Consistency;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
}

export type RunStep = RunStepView;

export interface RunContext {
  readonly site: SiteController;
  readonly nowMs: () => EpochMs;
  /** Resolves when the transfer is complete at its place; rejects with its failure. */
  readonly untilTransferred: (key: string) => Promise<TransferProgress>;
  readonly onStep: (steps: readonly RunStep[]) => void;
  readonly signal: AbortSignal;
}

export interface Success {
  readonly kind: 'succeeded';
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly inspectedBytes: number;
  readonly sentBytes: number;
  readonly storedBytes: number;
  readonly digest: string;
  readonly disks: readonly DiskContent[];
  /** What the point really has: less than the lane asks where the guest could not be frozen. */
  readonly consistency: Consistency;
}
export interface Failure {
  readonly kind: 'failed';
  readonly code: CauseCode;
  readonly subject: string;
  readonly detail: string;
  readonly remedy: string;
  readonly retryable: boolean;
}
export type Outcome = (Success | Failure | { readonly kind: 'cancelled' }) & {
  readonly steps: readonly RunStep[];
  readonly endedMs: EpochMs;
};

/** Tries of one run, the first included; with the waits between them they span an hour. */
export const ATTEMPTS = 8;
const LONGEST_WAIT_MS: DurationMs = 15 * 60_000;

/** How long to wait before try `attempt` + 1: 1, 2, 4, 8 min, then every 15. A newer occurrence of the lane comes first. */
export function backoffMs(attempt: number): DurationMs {
  return Math.min(LONGEST_WAIT_MS, 60_000 * 2 ** (attempt - 1));
}

/** Keys of what one try of a run makes in the world. */
export function runKeys(runId: number, attempt: number): { readonly snapshot: string; readonly copy: string } {
  return { snapshot: `s${runId}.${attempt}`, copy: `c${runId}.${attempt}` };
}

export async function executeRun(job: RunJob, context: RunContext): Promise<Outcome> {
  const log = new StepLog(context);
  const keys = runKeys(job.runId, job.attempt);
  try {
    if (job.attempt > 1) await clearUp(runKeys(job.runId, job.attempt - 1), context.site);
    const success = await (job.lane.kind === 'copy' ? copyOver : carryOut)(job, keys, context, log);
    return { ...success, steps: log.end('done'), endedMs: success.usableMs };
  } catch (error) {
    await clearUp(keys, context.site);
    if (context.signal.aborted) return { kind: 'cancelled', steps: log.end('cancelled'), endedMs: context.nowMs() };
    const failure = failureOf(error, job.workloadName);
    return { ...failure, steps: log.end(failure.detail), endedMs: context.nowMs() };
  }
}

async function carryOut(
  job: RunJob,
  keys: ReturnType<typeof runKeys>,
  context: RunContext,
  log: StepLog,
): Promise<Success> {
  const { site } = context;
  const { takenMs, consistency } = await takeSnapshot(job, keys.snapshot, context, log);
  context.signal.throwIfAborted();
  log.begin('read changes');
  const scope = { place: job.place, excludeRoles: job.lane.excludeRoles };
  const changes = await site.readChanges({ snapshotKey: keys.snapshot, ...scope });
  context.signal.throwIfAborted();
  log.begin(job.lane.kind === 'snapshot' ? 'keep' : 'send');
  await site.startTransfer({ key: keys.copy, snapshotKey: keys.snapshot, kind: job.lane.kind, ...scope });
  const sent = await context.untilTransferred(keys.copy);
  context.signal.throwIfAborted();
  log.begin('verify');
  const storedBytes = await verifiedBytes(job, keys.copy, changes.digest, site);
  await lock(job, keys.copy, takenMs, site);
  log.begin('release snapshot');
  await release(keys.snapshot, site, log);
  return {
    kind: 'succeeded',
    takenMs,
    usableMs: sent.completedMs ?? context.nowMs(),
    inspectedBytes: changes.inspectedBytes,
    sentBytes: sent.totalBytes,
    storedBytes,
    digest: changes.digest,
    disks: changes.disks,
    consistency,
  };
}

/** A copy of a point that is there already: from its place to another one. */
async function copyOver(
  job: RunJob,
  keys: ReturnType<typeof runKeys>,
  context: RunContext,
  log: StepLog,
): Promise<Success> {
  const { site } = context;
  const { source } = job;
  if (!source)
    throw new ControllerError({
      code: 'no-source-point',
      subject: job.workloadName,
      detail: `Lane ${job.lane.source ?? ''} has no good point of it.`,
    });
  log.begin('send');
  await site.startCopy({ key: keys.copy, from: source.place, place: job.place });
  const sent = await context.untilTransferred(keys.copy);
  context.signal.throwIfAborted();
  log.begin('verify');
  const storedBytes = await verifiedBytes(job, keys.copy, source.digest, site);
  await lock(job, keys.copy, source.takenMs, site);
  await site.forgetTransfer(keys.copy);
  return {
    kind: 'succeeded',
    takenMs: source.takenMs,
    usableMs: sent.completedMs ?? context.nowMs(),
    inspectedBytes: sent.totalBytes,
    sentBytes: sent.totalBytes,
    storedBytes,
    digest: source.digest,
    disks: source.disks,
    consistency: source.consistency,
  };
}

/** How far the clock of a site may be off; ages of points would be wrong by as much. */
const CLOCK_TOLERANCE_MS: DurationMs = 5 * 60_000;

async function takeSnapshot(
  { lane, workloadId, siteName }: RunJob,
  key: string,
  context: RunContext,
  log: StepLog,
): Promise<{ takenMs: EpochMs; consistency: Consistency }> {
  const freeze = lane.consistency === 'application';
  log.begin(freeze ? 'freeze and snapshot' : 'snapshot');
  const askedMs = context.nowMs();
  let consistency = lane.consistency;
  const ask = (frozen: boolean) => context.site.snapshot({ key, workloadId, freeze: frozen });
  const { takenMs } = await ask(freeze).catch((error: unknown) => {
    const mayGoOn = freeze && lane.withoutFreeze === 'go-on';
    if (!mayGoOn || !(error instanceof ControllerError) || !FREEZE_CAUSES.has(error.code)) throw error;
    consistency = 'crash';
    log.begin('snapshot without freeze', error.message);
    return ask(false);
  });
  if (takenMs < askedMs - CLOCK_TOLERANCE_MS || takenMs > context.nowMs() + CLOCK_TOLERANCE_MS) {
    const off = Math.round((takenMs - context.nowMs()) / 60_000);
    throw new ControllerError({
      code: 'clock-drift',
      subject: siteName,
      detail: `The site says the point was taken ${Math.abs(off)} min ${off > 0 ? 'in the future' : 'ago'}.`,
    });
  }
  return { takenMs, consistency };
}

const FREEZE_CAUSES: ReadonlySet<CauseCode> = new Set(['guest-credentials', 'guest-agent-missing', 'freeze-timeout']);

async function verifiedBytes(job: RunJob, copyKey: string, digest: string, site: SiteController): Promise<number> {
  const stored = await site.verifyCopy(job.place, copyKey);
  if (stored.digest !== digest)
    throw new ControllerError({
      code: 'corrupt-copy',
      subject: job.workloadName,
      detail: 'The digest at the place is not the one taken at the source.',
    });
  return stored.storedBytes;
}

async function lock({ place, immutableMs }: RunJob, copyKey: string, takenMs: EpochMs, site: SiteController) {
  if (immutableMs > 0) await site.lockCopy({ ...place, copyKey }, takenMs + immutableMs);
}

/** The point is good whether its snapshot goes or not; one that stays is found and tried again by reconciliation. */
async function release(key: string, site: SiteController, log: StepLog): Promise<void> {
  try {
    await site.releaseSnapshot(key);
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    log.note(error.message);
  }
}

/** Leaves nothing behind of a run that did not succeed. A site that does not answer is cleared by reconciliation. */
async function clearUp(keys: ReturnType<typeof runKeys>, site: SiteController): Promise<void> {
  await Promise.allSettled([site.cancelTransfer(keys.copy), site.releaseSnapshot(keys.snapshot)]);
}

function failureOf(error: unknown, workloadName: string): Failure {
  if (error instanceof ControllerError)
    return {
      kind: 'failed',
      code: error.code,
      subject: error.subject,
      detail: error.failure.detail,
      remedy: error.remedy,
      retryable: error.retryable,
    };
  const detail = error instanceof Error ? error.message : String(error);
  return {
    kind: 'failed',
    code: 'internal',
    subject: workloadName,
    detail: detail.slice(0, 400),
    remedy: CAUSES.internal.remedy,
    retryable: true,
  };
}

class StepLog {
  private steps: RunStep[] = [];
  constructor(private readonly context: RunContext) {}

  begin(name: string, noteOfLast = ''): void {
    this.close(noteOfLast);
    this.steps.push({ name, startedMs: this.context.nowMs(), endedMs: null, note: '' });
    this.context.onStep(this.steps);
  }

  /** Says something of the step at hand, which ends with it. */
  note(text: string): void {
    this.close(text);
  }

  end(note: string): readonly RunStep[] {
    this.close(note);
    return this.steps;
  }

  private close(note: string): void {
    const last = this.steps.at(-1);
    if (last && last.endedMs === null)
      this.steps[this.steps.length - 1] = { ...last, endedMs: this.context.nowMs(), note };
  }
}
