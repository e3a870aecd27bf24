/** The instant of a point: a snapshot of one workload, or of several at once, with or without guest freeze. */
import type { CauseCode } from '@/core/protect/cause';
import type { Consistency } from '@/core/protect/policy';
import type { DurationMs, EpochMs } from '@/core/units';
import { ControllerError } from '@/connectors/site-controller';
import { runKeys, type RunContext, type RunJob } from '@/engine/run/job';
import type { StepLog } from '@/engine/run/step-log';

/** How far the clock of a site may be off; ages of points would be wrong by as much. */
const CLOCK_TOLERANCE_MS: DurationMs = 5 * 60_000;

export async function takeSnapshot(
  job: RunJob,
  key: string,
  context: RunContext,
  log: StepLog,
): Promise<{ takenMs: EpochMs; consistency: Consistency }> {
  const { lane, siteName } = job;
  log.begin(STEPS[job.capture ? 'together' : 'alone'][lane.consistency]);
  const askedMs = context.nowMs();
  const ask = (wanted: Consistency) => capture(job, key, wanted, context);
  const { takenMs, consistency } = await ask(lane.consistency).catch((error: unknown) => {
    const mayGoOn = lane.consistency !== 'crash' && lane.withoutFreeze === 'go-on';
    if (!mayGoOn || !(error instanceof ControllerError) || !GUEST_CAUSES.has(error.code)) throw error;
    log.begin('snapshot without freeze', error.message);
    return ask('crash');
  });
  // Who comes late to a capture finds its instant in the past, rightly.
  const earliestMs = job.capture ? -Infinity : askedMs - CLOCK_TOLERANCE_MS;
  if (takenMs < earliestMs || takenMs > context.nowMs() + CLOCK_TOLERANCE_MS) {
    await dropCapture(job, context);
    const off = Math.round((takenMs - context.nowMs()) / 60_000);
    throw new ControllerError({
      code: 'clock-drift',
      subject: siteName,
      detail: `The site says the point was taken ${Math.abs(off)} min ${off > 0 ? 'in the future' : 'ago'}.`,
    });
  }
  return { takenMs, consistency };
}

/** By what the guest is asked for; the database has room for 24 letters. */
const STEPS: Readonly<Record<'alone' | 'together', Readonly<Record<Consistency, string>>>> = {
  alone: { crash: 'snapshot', filesystem: 'flush and snapshot', application: 'freeze and snapshot' },
  together: { crash: 'snapshot together', filesystem: 'flush together', application: 'freeze together' },
};

/** An instant that was told wrong is wrong for all that have it: whoever comes later must not take it for good. */
async function dropCapture({ capture: together }: RunJob, { site }: RunContext): Promise<void> {
  const members = (await together?.members()) ?? [];
  await Promise.allSettled(members.map(({ runId }) => site.releaseSnapshot(runKeys(runId, 1, true).snapshot)));
}

async function capture(
  { workloadId, capture: together }: RunJob,
  key: string,
  consistency: Consistency,
  { site }: RunContext,
): Promise<{ readonly takenMs: EpochMs; readonly consistency: Consistency }> {
  if (!together) return { ...(await site.snapshot({ key, workloadId, consistency })), consistency };
  const members = (await together.members()).map((member) => ({
    key: runKeys(member.runId, 1, true).snapshot,
    workloadId: member.workloadId,
  }));
  return site.snapshotTogether({ key: together.key, own: { key, workloadId }, members, consistency });
}

const GUEST_CAUSES: ReadonlySet<CauseCode> = new Set(['guest-credentials', 'guest-agent-missing', 'freeze-timeout']);
