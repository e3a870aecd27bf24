/**
 * One run, step by step, against the port to the sites. Knows no database: what it needs comes as a job, what it did
 * goes out as an outcome. Every step carries an operation key made from run and try, so asking twice has one effect; a try
 * that follows another (a retry, or a takeover after a crash) first takes back what that one left in the world.
 */
import { CAUSES } from '@/core/protect/cause';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import {
  isTriedAgain,
  runKeys,
  type Failure,
  type Outcome,
  type RunContext,
  type RunJob,
  type RunKeys,
} from '@/engine/run/job';
import { LostLease } from '@/engine/lost-lease';
import { makePoint } from '@/engine/run/send';
import { StepLog } from '@/engine/run/step-log';

export async function executeRun(job: RunJob, context: RunContext): Promise<Outcome> {
  const log = new StepLog(context);
  const together = job.capture !== undefined;
  const keys = runKeys(job.runId, job.attempt, together);
  try {
    if (job.attempt > 1) await clearUp(runKeys(job.runId, job.attempt - 1, together), context.site, together);
    const made = await makePoint(job, keys, context, log);
    if (made.kind === 'put-off') return { ...made, steps: log.end(made.waitsFor), endedMs: context.nowMs() };
    return { ...made, steps: log.end('done'), endedMs: made.usableMs };
  } catch (error) {
    if (context.signal.reason instanceof LostLease)
      return { kind: 'lost', steps: log.end('lost'), endedMs: context.nowMs() };
    const failure = failureOf(error, job.workloadName);
    const triedAgain = failure.retryable && isTriedAgain(job.attempt, together) && !context.signal.aborted;
    await clearUp(keys, context.site, together && triedAgain);
    if (context.signal.aborted) return { kind: 'cancelled', steps: log.end('cancelled'), endedMs: context.nowMs() };
    return { ...failure, steps: log.end(failure.detail), endedMs: context.nowMs() };
  }
}

/**
 * Leaves nothing behind of a run that did not succeed, but a snapshot that was captured together where the run is tried
 * again from it. A site that does not answer is cleared by reconciliation.
 */
async function clearUp(keys: RunKeys, site: SiteController, keepSnapshot: boolean): Promise<void> {
  await Promise.allSettled([
    site.cancelTransfer(keys.copy),
    ...(keepSnapshot ? [] : [site.releaseSnapshot(keys.snapshot)]),
  ]);
}

/** What a failed run says of an error. */
export function failureOf(error: unknown, workloadName: string): Failure {
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
