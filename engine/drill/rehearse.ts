/**
 * A drill against the port to the sites: clones in the test network, waves, checks, content, and complete removal.
 * Knows no database. Whatever happens on the way, every clone is removed and the record says so.
 */
import { predecessorsOf, type Member, type RunbookPlan } from '@/core/recover/runbook';
import type { DrillRecord, MemberResult } from '@/core/recover/drill-record';
import type { EpochMs } from '@/core/units';
import { ControllerError, type Place, type SiteController } from '@/connectors/site-controller';
import { LostLease } from '@/engine/lost-lease';

export interface DrillPoint {
  readonly pointId: number;
  readonly place: Place;
  readonly copyKey: string;
  readonly takenMs: EpochMs;
  readonly digest: string;
}

export interface DrillJob {
  readonly drillId: number;
  readonly plan: RunbookPlan;
  readonly testNetworkId: number;
  readonly points: ReadonlyMap<number, DrillPoint>;
  readonly startedMs: EpochMs;
}

export interface DrillContext {
  readonly site: SiteController;
  readonly nowMs: () => EpochMs;
  readonly sleepUntil: (atMs: EpochMs) => Promise<void>;
  readonly say: (atMs: EpochMs, text: string) => void;
  readonly onProgress: (members: readonly MemberResult[]) => void;
  readonly signal: AbortSignal;
}

export const cloneKey = (drillId: number, workloadId: number): string => `d${drillId}.${workloadId}`;

/** Throws `LostLease`, and cleans nothing up, where another engine has taken the drill over. */
export async function rehearse(job: DrillJob, context: DrillContext): Promise<DrillRecord> {
  const results = new Map<number, MemberResult>();
  const members = job.plan.waves.flatMap((wave) => wave.members);
  for (const m of members) results.set(m.workloadId, emptyResult(m, job));
  let reason = '';
  try {
    for (const [i, wave] of job.plan.waves.entries()) {
      context.say(context.nowMs(), `Wave ${i + 1}, ${wave.name}: ${wave.members.map((m) => m.name).join(', ')}`);
      await startWave(wave.members, job, context, results);
      const failed = wave.members.map((m) => results.get(m.workloadId)).find((r) => r?.failure);
      if (failed?.failure) throw new Error(failed.failure.title);
      context.signal.throwIfAborted();
    }
  } catch (error) {
    reason = context.signal.aborted ? 'cancelled by a person' : (error as Error).message;
  }
  // Its clones are those of the engine that has it now.
  if (context.signal.reason instanceof LostLease) throw context.signal.reason;
  const cleanup = await removeClones(members, job, context);
  return recordOf(job, [...results.values()], cleanup, reason, context);
}

async function startWave(
  members: readonly Member[],
  job: DrillJob,
  context: DrillContext,
  results: Map<number, MemberResult>,
): Promise<void> {
  const predecessors = predecessorsOf(job.plan);
  const done = new Map<number, Promise<void>>();
  const start = (m: Member): Promise<void> => {
    const known = done.get(m.workloadId);
    if (known) return known;
    const inWave = members.filter((other) => (predecessors.get(m.workloadId) ?? []).includes(other.workloadId));
    const work = Promise.all(inWave.map(start)).then(() => {
      if (inWave.some((other) => results.get(other.workloadId)?.failure)) return undefined;
      return bringUp(m, job, context, results);
    });
    done.set(m.workloadId, work);
    return work;
  };
  await Promise.all(members.map(start));
}

async function bringUp(
  m: Member,
  job: DrillJob,
  context: DrillContext,
  results: Map<number, MemberResult>,
): Promise<void> {
  const update = (change: Partial<MemberResult>): void => {
    results.set(m.workloadId, { ...(results.get(m.workloadId) as MemberResult), ...change });
    context.onProgress([...results.values()]);
  };
  const { site } = context;
  const key = cloneKey(job.drillId, m.workloadId);
  try {
    const point = job.points.get(m.workloadId);
    if (!point)
      throw new ControllerError({ code: 'unknown-subject', subject: `a usable point of ${m.name}`, detail: '' });
    update({ startedMs: context.nowMs() });
    const { readyMs } = await site.clone({
      key,
      copyKey: point.copyKey,
      place: point.place,
      clusterId: m.clusterId,
      networkId: job.testNetworkId,
      address: m.address,
    });
    await until(readyMs, context);
    update({ clonedMs: readyMs });
    const { bootedMs } = await site.boot(key);
    await until(bootedMs, context);
    update({ bootedMs });
    context.say(bootedMs, `${m.name} booted in the test network`);
    await runChecks(m, key, context, results, update);
    const contentEqual = (await site.contentDigest(key)) === point.digest;
    update({ contentEqual });
    if (!contentEqual)
      throw new ControllerError({
        code: 'corrupt-copy',
        subject: m.name,
        detail: 'Content digest differs from the point.',
      });
    context.say(context.nowMs(), `${m.name} holds the content of its point`);
    const last = (results.get(m.workloadId) as MemberResult).checks.at(-1)?.passedMs ?? bootedMs;
    update({ readyMs: last, rtaMs: last - job.startedMs });
  } catch (error) {
    if (context.signal.aborted) return;
    const failure =
      error instanceof ControllerError
        ? { title: error.message, remedy: error.remedy }
        : { title: (error as Error).message, remedy: 'Look into the engine log, then drill again.' };
    update({ failure });
    context.say(context.nowMs(), `${m.name} failed: ${failure.title}`);
  }
}

async function runChecks(
  m: Member,
  key: string,
  context: DrillContext,
  results: Map<number, MemberResult>,
  update: (change: Partial<MemberResult>) => void,
): Promise<void> {
  for (const check of m.checks) {
    const before = (results.get(m.workloadId) as MemberResult).checks;
    try {
      const { passedMs, detail } = await context.site.check(key, check);
      await until(passedMs, context);
      update({ checks: [...before, { check, passedMs, detail }] });
      context.say(passedMs, `${m.name}: ${check} passed, ${detail}`);
    } catch (error) {
      if (error instanceof ControllerError)
        update({ checks: [...before, { check, passedMs: null, detail: error.failure.detail }] });
      throw error;
    }
  }
}

async function until(atMs: EpochMs, context: DrillContext): Promise<void> {
  if (atMs > context.nowMs()) await context.sleepUntil(atMs);
  context.signal.throwIfAborted();
}

/** Clones of a site that does not answer are tried again until it does, for an hour of fleet time. */
async function removeClones(
  members: readonly Member[],
  job: DrillJob,
  context: DrillContext,
): Promise<DrillRecord['cleanup']> {
  let left = members.map((m) => ({ name: m.name, key: cloneKey(job.drillId, m.workloadId) }));
  const total = left.length;
  for (let round = 0; left.length && round < 60; round++) {
    if (round) await context.sleepUntil(context.nowMs() + 60_000);
    const tries = await Promise.allSettled(left.map((clone) => context.site.removeClone(clone.key)));
    left = left.filter((_, i) => tries[i]?.status === 'rejected');
  }
  context.say(
    context.nowMs(),
    left.length
      ? `Not cleaned up: ${left.map((c) => c.name).join(', ')}`
      : 'Every clone is removed from the test network',
  );
  return { complete: left.length === 0, clonesRemoved: total - left.length, left: left.map((c) => c.name) };
}

function emptyResult(m: Member, job: DrillJob): MemberResult {
  const point = job.points.get(m.workloadId);
  return {
    workloadId: m.workloadId,
    name: m.name,
    pointId: point?.pointId ?? 0,
    pointTakenMs: point?.takenMs ?? 0,
    startedMs: null,
    clonedMs: null,
    bootedMs: null,
    checks: [],
    readyMs: null,
    contentEqual: null,
    rpaMs: point ? job.startedMs - point.takenMs : 0,
    rtaMs: null,
    failure: null,
  };
}

function recordOf(
  job: DrillJob,
  members: readonly MemberResult[],
  cleanup: DrillRecord['cleanup'],
  reason: string,
  context: DrillContext,
): DrillRecord {
  const allReady = members.every((m) => m.readyMs !== null && m.contentEqual === true);
  const outcome = context.signal.aborted ? 'cancelled' : allReady && cleanup.complete ? 'passed' : 'failed';
  return {
    outcome,
    startedMs: job.startedMs,
    endedMs: context.nowMs(),
    members,
    rpaMs: Math.max(0, ...members.map((m) => m.rpaMs)),
    rtaMs: allReady ? Math.max(...members.map((m) => m.rtaMs ?? 0)) : null,
    cleanup,
    reason: reason || (cleanup.complete ? '' : 'not cleaned up'),
  };
}
