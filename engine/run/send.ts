/** The ways in which a run makes its point: from a snapshot, from another copy, or out of a stream. */
import { journalSpan, type LaneKind } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import { takeSnapshot } from '@/engine/run/capture';
import type { PutOff, RunContext, RunJob, RunKeys, Success } from '@/engine/run/job';
import type { StepLog } from '@/engine/run/step-log';

type Way = (job: RunJob, keys: RunKeys, context: RunContext, log: StepLog) => Promise<Success | PutOff>;

/** Of a snapshot: what changed since the newest copy at the place. */
const fromSnapshot: Way = async (job, keys, context, log) => {
  const { site } = context;
  const { takenMs, consistency } = await takeSnapshot(job, keys.snapshot, context, log);
  context.signal.throwIfAborted();
  const scope = { snapshotKey: keys.snapshot, place: job.place, excludeRoles: job.lane.excludeRoles };
  if (job.lane.firstCopy === 'shipped') {
    log.begin('write to a disk');
    const { arrivesMs } = await site.shipDisk(scope);
    if (arrivesMs > context.nowMs()) {
      await release(keys.snapshot, site, log);
      return { kind: 'put-off', untilMs: arrivesMs, waitsFor: 'the disk that is on its way' };
    }
  }
  log.begin('read changes');
  const changes = await site.readChanges(scope);
  context.signal.throwIfAborted();
  log.begin(job.lane.kind === 'snapshot' ? 'keep' : 'send');
  await site.startTransfer({ key: keys.copy, kind: job.lane.kind, ...scope, ...sendingOf(job) });
  const sent = await context.untilTransferred(keys.copy);
  context.signal.throwIfAborted();
  log.begin('verify');
  const storedBytes = await verifiedBytes(job, keys.copy, changes.digest, site);
  await lock(job, keys.copy, takenMs, site);
  // One of a capture stays until its point is written: a try after a crash goes on from it.
  if (!job.capture) {
    log.begin('release snapshot');
    await release(keys.snapshot, site, log);
  }
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
};

/** A copy of a point that is there already: from its place to another one. */
const fromCopy: Way = async (job, keys, context, log) => {
  const { site } = context;
  const { source } = job;
  if (!source)
    throw new ControllerError({
      code: 'no-source-point',
      subject: job.workloadName,
      detail: `Lane ${job.lane.source ?? ''} has no good point of it.`,
    });
  log.begin('send');
  await site.startCopy({ key: keys.copy, from: source.place, place: job.place, ...sendingOf(job) });
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
};

/** A mark of a stream; the first one is a copy like any other, from which the stream goes on. */
const fromStream: Way = async (job, keys, context, log) => {
  const { site } = context;
  const { streamKey, place, lane } = job;
  log.begin('mark the stream');
  const mark = await site.markStream(streamKey, keys.copy, job.occurrenceMs);
  if (!mark) {
    const first = await fromSnapshot(job, keys, context, log);
    log.begin('open the stream');
    const journalMs = journalSpan(lane);
    await site.openStream({ key: streamKey, copyKey: keys.copy, place, journalMs, ...sendingOf(job) });
    return first;
  }
  context.signal.throwIfAborted();
  log.begin('verify');
  await verifiedBytes(job, keys.copy, mark.digest, site);
  await lock(job, keys.copy, mark.takenMs, site);
  // What is in the mark went over the line with the stream.
  return {
    kind: 'succeeded',
    ...mark,
    inspectedBytes: 0,
    sentBytes: 0,
    usableMs: context.nowMs(),
    consistency: 'crash',
  };
};

const WAYS: Readonly<Record<LaneKind, Way>> = {
  snapshot: fromSnapshot,
  backup: fromSnapshot,
  replica: fromSnapshot,
  copy: fromCopy,
  stream: fromStream,
};

/** Makes the point of a run, in the way of its lane. */
export const makePoint: Way = (job, keys, context, log) => WAYS[job.lane.kind](job, keys, context, log);

const sendingOf = ({ lane: { sending } }: RunJob) => (sending ? { sending } : {});

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
