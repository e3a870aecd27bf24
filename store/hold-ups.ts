/** What holds up the runs of late workloads, if anything does: a pause, or what their runs wait for. */
import type { HoldUp } from '@/core/protect/open-cause';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { pausesAt } from '@/store/pauses';

interface Late {
  readonly id: number;
  readonly siteId: number;
}

/** By workload. What runs waited for is known of the present only. */
export async function holdUpsOf(
  db: Database,
  atMs: EpochMs,
  isNow: boolean,
  late: readonly Late[],
): Promise<Map<number, HoldUp>> {
  if (!late.length) return new Map();
  const ids = late.map((w) => w.id);
  const [waiting, paused] = await Promise.all([
    isNow ? waitsOf(db, ids) : new Map<number, HoldUp>(),
    pausesOver(db, atMs, late),
  ]);
  return new Map([...waiting, ...paused]);
}

async function pausesOver(db: Database, atMs: EpochMs, late: readonly Late[]): Promise<Map<number, HoldUp>> {
  const pauses = await pausesAt(db, atMs);
  if (!pauses.length) return new Map();
  const policies = await select<{ workload_id: number; policy_id: number }>(
    db,
    'SELECT workload_id, policy_id FROM enrolments WHERE workload_id IN (?)',
    [late.map((w) => w.id)],
  );
  const policyOf = new Map(policies.map((e) => [e.workload_id, e.policy_id]));
  const found = new Map<number, HoldUp>();
  for (const w of late) {
    const scopes = { workload: w.id, site: w.siteId, policy: policyOf.get(w.id) };
    const pause = pauses.find((p) => scopes[p.scope] === p.scopeId);
    if (pause)
      found.set(w.id, { title: `${pause.of} is paused`, words: `no run begins until it ends. ${pause.reason}` });
  }
  return found;
}

async function waitsOf(db: Database, ids: readonly number[]): Promise<Map<number, HoldUp>> {
  const rows = await select<{ workload_id: number; waits_for: string }>(
    db,
    `SELECT workload_id, waits_for FROM runs WHERE state = 'waiting' AND waits_for IS NOT NULL AND workload_id IN (?)
      ORDER BY occurrence_ms DESC`,
    [ids],
  );
  const words = 'nothing has failed; they go on by themselves.';
  return new Map(
    rows.map(({ workload_id, waits_for }) => [workload_id, { title: `Runs wait for ${waits_for}`, words }]),
  );
}
