/**
 * Claiming: which waiting runs an engine takes up. Whoever claims holds the row of `turns`, so that two engines never
 * give away the same slot; one running run a workload is a unique key besides.
 */
import { admit } from '@/core/protect/admission';
import type { Lane } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { barsOf, firstCopies, fullRepositories, putOff } from '@/store/bars';
import { execute, inTransaction, isDuplicateKey, select, updateMany, type Database, type Tx } from '@/store/database';
import { LEASE_MS, type ClaimedRun } from '@/store/runs';
import { linesNow, needsOf, runningNow, type Limits, type Lines } from '@/store/limits';
import type { LanesOf } from '@/store/schedules';

/** Waiting runs looked at at once: so many for each that may start, and so many at least. */
const LOOKED_AT = 4;
const LEAST_LOOK = 200;

interface WaitingRun extends ClaimedRun {
  cluster_id: number;
  waits_for: string | null;
  /** Of the workload's site. */
  zone: string;
}

/**
 * Claims waiting runs for `owner`, the worthiest tier and the nearest objective first. An older waiting occurrence of a
 * lane that a newer one has overtaken is recorded as missed, or as failed if it was tried. Runs are looked at until some
 * may start, so that many that wait for one thing keep nobody waiting that wants another.
 */
export async function claimRuns(
  db: Database,
  owner: string,
  nowMs: EpochMs,
  most: number,
  { limits, lanesOf }: { readonly limits: Limits; readonly lanesOf: LanesOf },
): Promise<ClaimedRun[]> {
  if (!(await somethingWaits(db, nowMs))) return [];
  try {
    return await inTransaction(db, async (tx) => {
      await execute(db, 'UPDATE turns SET number = number + 1', [], tx);
      await giveUpOvertaken(db, nowMs, tx);
      const lines = await linesNow(db, nowMs, tx);
      const room: Room = { ...(await runningNow(db, lanesOf, limits, lines, tx)), most };
      const page = Math.max(LEAST_LOOK, most * LOOKED_AT);
      for (let after = 0; ; after += page) {
        const waiting = await waitingRuns(db, nowMs, { after, page }, tx);
        const able = await admitted(db, waiting, room, nowMs, { limits, lines, lanesOf, tx });
        const chosen = await stillWaiting(
          db,
          able.map((run) => run.id),
          tx,
        );
        if (chosen.size) await begin(db, owner, nowMs, chosen, tx);
        if (chosen.size || waiting.length < page)
          return able.filter((run) => chosen.has(run.id)).map((run) => ({ ...run, attempt: run.attempt + 1 }));
      }
    });
  } catch (error) {
    // A person's run of one of these workloads was begun at the same moment; the next round sees it.
    if (isDuplicateKey(error)) return [];
    throw error;
  }
}

/** What is free, and how many may start. */
interface Room {
  readonly free: ReadonlyMap<string, number>;
  readonly workloads: ReadonlySet<number>;
  readonly most: number;
}

/** Of waiting runs those that may start; what the others wait for is written beside them. */
async function admitted(
  db: Database,
  waiting: readonly WaitingRun[],
  room: Room,
  nowMs: EpochMs,
  { limits, lines, lanesOf, tx }: { limits: Limits; lines: Lines; lanesOf: LanesOf; tx: Tx },
): Promise<WaitingRun[]> {
  if (!waiting.length) return [];
  const lanes = new Map<number, readonly Lane[]>();
  for (const run of waiting) lanes.set(run.id, await lanesOf(run.policy_id, run.revision, tx));
  const laneKeys = new Map(waiting.map((run) => [run.id, run.lane_key]));
  const laneOf = (id: number) => lanes.get(id)?.find((lane) => lane.key === laneKeys.get(id));
  const full = await fullRepositories(db, tx);
  const first = await firstCopies(db, waiting, laneOf, full, tx);
  const shut = await putOff(db, waiting, laneOf, first, nowMs, tx);
  const able = waiting.filter((run) => !shut.has(run.id));
  const bars = await barsOf(db, able, laneOf, first, full, tx);
  const candidates = able.map((run) => {
    const barredBy = bars.get(run.id);
    const needs = needsOf(run, lanes.get(run.id) ?? [], limits, lines);
    return { id: run.id, workloadId: run.workload_id, needs, ...(barredBy === undefined ? {} : { barredBy }) };
  });
  const { admitted: ids, waiting: held } = admit(candidates, room.free, room.workloads, room.most);
  await noteWaits(db, able, held, tx);
  const may = new Set(ids);
  return able.filter((run) => may.has(run.id));
}

async function begin(db: Database, owner: string, nowMs: EpochMs, ids: ReadonlySet<number>, tx: Tx): Promise<void> {
  await execute(
    db,
    `UPDATE runs SET state = 'running', owner = ?, lease_real_ms = ?, attempt = attempt + 1, waits_for = NULL,
            started_ms = COALESCE(started_ms, ?) WHERE id IN (?) AND state = 'waiting'`,
    [owner, Date.now() + LEASE_MS, nowMs, [...ids]],
    tx,
  );
}

async function somethingWaits(db: Database, nowMs: EpochMs): Promise<boolean> {
  const rows = await select(db, `SELECT 1 FROM runs WHERE state = 'waiting' AND not_before_ms <= ? LIMIT 1`, [nowMs]);
  return rows.length > 0;
}

/**
 * The order is urgency: tier, then the instant at which the workload's exposure goes over its RPO. Read without locks: of
 * what it joins others may hold rows, and waiting runs are few among many, so they are read first whatever the statistics say.
 */
function waitingRuns(
  db: Database,
  nowMs: EpochMs,
  { after, page }: { readonly after: number; readonly page: number },
  tx: Tx,
): Promise<WaitingRun[]> {
  return select<WaitingRun>(
    db,
    `SELECT r.id, r.enrolment_id, r.workload_id, w.name workload_name, w.site_id workload_site_id, w.application_id, s.name site_name,
            s.zone, r.group_key, w.datastore_id, w.cluster_id, r.policy_id, r.revision, r.lane_key, r.kind, r.attempt, r.occurrence_ms, r.waits_for, r.started_by
       FROM runs r FORCE INDEX (runs_state) STRAIGHT_JOIN workloads w ON w.id = r.workload_id JOIN sites s ON s.id = w.site_id
       JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id
      WHERE r.state = 'waiting' AND r.not_before_ms <= ?
        AND NOT EXISTS (SELECT 1 FROM pauses p WHERE p.from_ms <= ? AND p.to_ms > ? AND r.started_by <> 'person'
              AND ((p.scope = 'workload' AND p.scope_id = w.id) OR (p.scope = 'site' AND p.scope_id = w.site_id)
                OR (p.scope = 'policy' AND p.scope_id = r.policy_id)))
      ORDER BY r.started_by = 'person' DESC, a.tier_id, COALESCE(w.newest_taken_ms, 0) + t.rpo_ms, r.occurrence_ms, r.id
      LIMIT ? OFFSET ?`,
    [nowMs, nowMs, nowMs, page, after],
    tx,
  );
}

/** Of these runs those that wait still, locked: a person may just have cancelled one. */
async function stillWaiting(db: Database, ids: readonly number[], tx: Tx): Promise<Set<number>> {
  if (!ids.length) return new Set();
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM runs WHERE id IN (?) AND state = 'waiting' ORDER BY id FOR UPDATE SKIP LOCKED`,
    [ids],
    tx,
  );
  return new Set(rows.map((row) => row.id));
}

/** Says what each waiting run waits for, where that has changed. */
async function noteWaits(
  db: Database,
  runs: readonly WaitingRun[],
  held: ReadonlyMap<number, string>,
  tx: Tx,
): Promise<void> {
  const rows = runs.filter((run) => held.has(run.id) && held.get(run.id) !== run.waits_for);
  await updateMany(
    db,
    'runs',
    ['id'],
    ['waits_for'],
    rows.map((run) => [run.id, held.get(run.id)]),
    { fence: { sql: `t.state = 'waiting'`, values: [] }, tx },
  );
}

async function giveUpOvertaken(db: Database, nowMs: EpochMs, tx: Tx): Promise<void> {
  const overtaken = await select<{ id: number }>(
    db,
    `SELECT id FROM (SELECT id, started_by, occurrence_ms, MAX(IF(not_before_ms <= ? OR waits_for IS NOT NULL, occurrence_ms, NULL)) OVER (PARTITION BY enrolment_id, lane_key) newest_ms
       FROM runs WHERE state = 'waiting') waiting WHERE occurrence_ms < newest_ms AND started_by <> 'person'`,
    [nowMs],
    tx,
  );
  if (overtaken.length)
    await execute(
      db,
      `UPDATE runs SET ended_ms = IF(cause_code IS NULL, NULL, ?), state = IF(cause_code IS NULL, 'missed', 'failed')
        WHERE id IN (?) AND state = 'waiting'`,
      [nowMs, overtaken.map((run) => run.id)],
      tx,
    );
}
