/** Workloads that are late though none of their runs failed: what holds them up, if anything does. */
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import type { AttentionEntry } from '@/queries/attention';
import { pausesAt } from '@/queries/pauses';
import type { WorkloadStanding } from '@/queries/standing';
import { select, type Database } from '@/store/database';

interface Reason {
  readonly title: string;
  readonly words: string;
}

/** Of over and closing workloads: an entry for each thing that holds some of them up, and one for the others. */
export async function lateEntries(
  db: Database,
  asOfMs: EpochMs,
  isNow: boolean,
  list: readonly WorkloadStanding[],
): Promise<AttentionEntry[]> {
  const late = list.filter((w) => w.standing !== 'inside');
  if (!late.length) return [];
  const ids = late.map((w) => w.id);
  const [paused, waiting] = await Promise.all([pausesOver(db, asOfMs, late), isNow ? waitsOf(db, ids) : new Map()]);
  const reasonOf = (w: WorkloadStanding): Reason | undefined => paused.get(w.id) ?? waiting.get(w.id);
  const groups = groupBy(late, (w) => `${w.standing}/${reasonOf(w)?.title ?? ''}`);
  return [...groups.values()].map((some) => entryOf(some, reasonOf(some[0] as WorkloadStanding)));
}

function entryOf(some: readonly WorkloadStanding[], reason: Reason | undefined): AttentionEntry {
  const state = some[0]?.standing === 'over' ? 'over' : 'closing';
  const names = some.slice(0, 3).map((w) => w.name);
  const more = some.length > 3 ? ` and ${some.length - 3} more` : '';
  const usual = state === 'over' ? 'Points come later than the RPO allows' : 'The next points will come too late';
  return {
    key: reason ? `late-${state}/${reason.title}` : `late-${state}`,
    state,
    count: `${some.length} ${state}`,
    title: reason?.title ?? usual,
    sinceMs: null,
    effect: `${names.join(', ')}${more}: ${reason?.words ?? 'no run has failed; their lanes are too slow or too far apart.'}`,
    workloadIds: some.map((w) => w.id),
    action: { kind: 'open-workloads', filter: `standing=${state}`, label: 'See the workloads' },
  };
}

async function pausesOver(
  db: Database,
  atMs: EpochMs,
  late: readonly WorkloadStanding[],
): Promise<Map<number, Reason>> {
  const pauses = await pausesAt(db, atMs);
  if (!pauses.length) return new Map();
  const policies = await select<{ workload_id: number; policy_id: number }>(
    db,
    'SELECT workload_id, policy_id FROM enrolments WHERE workload_id IN (?)',
    [late.map((w) => w.id)],
  );
  const policyOf = new Map(policies.map((e) => [e.workload_id, e.policy_id]));
  const found = new Map<number, Reason>();
  for (const w of late) {
    const scopes = { workload: w.id, site: w.siteId, policy: policyOf.get(w.id) };
    const pause = pauses.find((p) => scopes[p.scope] === p.scopeId);
    if (pause)
      found.set(w.id, { title: `${pause.of} is paused`, words: `no run begins until it ends. ${pause.reason}` });
  }
  return found;
}

async function waitsOf(db: Database, ids: readonly number[]): Promise<Map<number, Reason>> {
  const rows = await select<{ workload_id: number; waits_for: string }>(
    db,
    `SELECT workload_id, waits_for FROM runs WHERE state = 'waiting' AND waits_for IS NOT NULL AND workload_id IN (?)
      ORDER BY occurrence_ms DESC`,
    [ids],
  );
  return new Map(
    rows.map(({ workload_id, waits_for }) => [
      workload_id,
      { title: `Runs wait for ${waits_for}`, words: 'nothing has failed; they go on by themselves.' },
    ]),
  );
}
