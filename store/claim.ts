/**
 * Claiming: which waiting runs an engine takes up. Whoever claims holds the row of `turns`, so that two engines never
 * give away the same slot; one running run a workload is a unique key besides.
 */
import { admit } from '@/core/protect/admission';
import { placeKindOf, type Lane, type LaneKind } from '@/core/protect/policy';
import { throttledRate, type Throttle } from '@/core/flow/throttle';
import type { EpochMs } from '@/core/units';
import { barsOf, firstCopies, fullRepositories, putOff } from '@/store/bars';
import { execute, inTransaction, isDuplicateKey, select, updateMany, type Database, type Tx } from '@/store/database';
import { LEASE_MS, type ClaimedRun } from '@/store/runs';
import { parseJson, type LanesOf } from '@/store/schedules';

/** Waiting runs looked at in one claim, for each that may start. */
const LOOKED_AT = 4;

interface WaitingRun extends ClaimedRun {
  cluster_id: number;
  waits_for: string | null;
  /** Of the workload's site. */
  zone: string;
}

/** What limits runs, read once: movers, places and hosts do not change while an engine runs. */
export interface Limits {
  /** Slots by name, and the name of what a run works with. */
  readonly slots: ReadonlyMap<string, number>;
  readonly moverOf: ReadonlyMap<number, string>;
  readonly siteOfRepository: ReadonlyMap<number, number>;
  readonly datastoreName: ReadonlyMap<number, string>;
  readonly clusterName: ReadonlyMap<number, string>;
  readonly repositoryName: ReadonlyMap<number, string>;
  readonly siteOfDatastore: ReadonlyMap<number, number>;
}

export async function readLimits(db: Database): Promise<Limits> {
  const [movers, datastores, clusters, repositories] = await Promise.all([
    select<{ site_id: number; name: string; slots: number }>(db, 'SELECT site_id, name, slots FROM movers'),
    select<{ id: number; site_id: number; name: string; slots: number }>(
      db,
      'SELECT id, site_id, name, slots FROM datastores',
    ),
    select<{ id: number; name: string; slots: number }>(db, 'SELECT id, name, slots FROM clusters'),
    select<{ id: number; site_id: number; name: string; slots: number }>(
      db,
      'SELECT id, site_id, name, slots FROM repositories',
    ),
  ]);
  const names = (rows: ReadonlyArray<{ id: number; name: string }>) => new Map(rows.map((r) => [r.id, r.name]));
  return {
    slots: new Map([...movers, ...datastores, ...clusters, ...repositories].map((r) => [r.name, r.slots])),
    moverOf: new Map(movers.map((m) => [m.site_id, m.name])),
    siteOfRepository: new Map(repositories.map((r) => [r.id, r.site_id])),
    siteOfDatastore: new Map(datastores.map((r) => [r.id, r.site_id])),
    datastoreName: names(datastores),
    clusterName: names(clusters),
    repositoryName: names(repositories),
  };
}

/** A link has a slot for each of these, in bits a second, of what it may carry at the moment; at least one. */
const SLOT_BPS = 25e6;

interface Lines {
  readonly slots: ReadonlyMap<string, number>;
  readonly between: (a: number, b: number) => string | undefined;
}

/** Links as they may be used now: their throttles change by the hour, and by hand. */
async function linesNow(db: Database, nowMs: EpochMs, tx: Tx): Promise<Lines> {
  const links = await select<{
    name: string;
    site_a: number;
    site_b: number;
    rate_bps: number;
    throttles: string | readonly Throttle[];
  }>(db, 'SELECT name, site_a, site_b, rate_bps, throttles FROM links', [], tx);
  const names = new Map(
    links.flatMap((l) => [
      [`${l.site_a}/${l.site_b}`, l.name],
      [`${l.site_b}/${l.site_a}`, l.name],
    ]),
  );
  const slotsOf = (l: (typeof links)[number]): number =>
    Math.max(1, Math.floor(throttledRate(l.rate_bps, parseJson(l.throttles), nowMs) / SLOT_BPS));
  return { slots: new Map(links.map((l) => [l.name, slotsOf(l)])), between: (a, b) => names.get(`${a}/${b}`) };
}

/**
 * Claims waiting runs for `owner`, the worthiest tier and the nearest objective first. An older waiting occurrence of a
 * lane that a newer one has overtaken is recorded as missed, or as failed if it was tried.
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
      const waiting = await waitingRuns(db, nowMs, most * LOOKED_AT, tx);
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
      const lines = await linesNow(db, nowMs, tx);
      const running = await runningNow(db, lanesOf, limits, lines, tx);
      const candidates = able.map((run) => {
        const barredBy = bars.get(run.id);
        const needs = needsOf(run, lanes.get(run.id) ?? [], limits, lines);
        return { id: run.id, workloadId: run.workload_id, needs, ...(barredBy === undefined ? {} : { barredBy }) };
      });
      const { admitted, waiting: held } = admit(candidates, running.free, running.workloads, most);
      await noteWaits(db, able, held, tx);
      const chosen = await stillWaiting(db, admitted, tx);
      if (chosen.size)
        await execute(
          db,
          `UPDATE runs SET state = 'running', owner = ?, lease_real_ms = ?, attempt = attempt + 1, waits_for = NULL,
                  started_ms = COALESCE(started_ms, ?) WHERE id IN (?) AND state = 'waiting'`,
          [owner, Date.now() + LEASE_MS, nowMs, [...chosen]],
          tx,
        );
      return able.filter((run) => chosen.has(run.id)).map((run) => ({ ...run, attempt: run.attempt + 1 }));
    });
  } catch (error) {
    // A person's run of one of these workloads was begun at the same moment; the next round sees it.
    if (isDuplicateKey(error)) return [];
    throw error;
  }
}

async function somethingWaits(db: Database, nowMs: EpochMs): Promise<boolean> {
  const rows = await select(db, `SELECT 1 FROM runs WHERE state = 'waiting' AND not_before_ms <= ? LIMIT 1`, [nowMs]);
  return rows.length > 0;
}

/**
 * The order is urgency: tier, then the instant at which the workload's exposure goes over its RPO. Read without locks: of
 * what it joins others may hold rows, and waiting runs are few among many, so they are read first whatever the statistics say.
 */
function waitingRuns(db: Database, nowMs: EpochMs, most: number, tx: Tx): Promise<WaitingRun[]> {
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
      ORDER BY r.started_by = 'person' DESC, a.tier_id, COALESCE(w.newest_taken_ms, 0) + t.rpo_ms, r.occurrence_ms
      LIMIT ?`,
    [nowMs, nowMs, nowMs, most],
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

type RunPlaces = Pick<WaitingRun, 'workload_site_id' | 'datastore_id' | 'cluster_id' | 'lane_key'>;

/** What a run takes slots of: hosts and disks that it reads from, mover and link that send, the repository that takes it in. */
function needsOf(run: RunPlaces, lanes: readonly Lane[], limits: Limits, lines: Lines): string[] {
  const lane = lanes.find((l) => l.key === run.lane_key);
  if (!lane) return [];
  const targetOf = (of: Lane | undefined): number => of?.targets[String(run.workload_site_id)] ?? 0;
  const reads = [limits.clusterName.get(run.cluster_id), limits.datastoreName.get(run.datastore_id)];
  const source = targetOf(lanes.find((l) => l.key === lane.source));
  const sendsFrom = lane.kind === 'copy' ? limits.siteOfRepository.get(source) : run.workload_site_id;
  const sites = placeKindOf(lane.kind) === 'repository' ? limits.siteOfRepository : limits.siteOfDatastore;
  const link = lines.between(sendsFrom ?? 0, sites.get(targetOf(lane)) ?? 0);
  const sends = [limits.moverOf.get(sendsFrom ?? 0), link];
  const needs: Readonly<Record<LaneKind, ReadonlyArray<string | undefined>>> = {
    snapshot: reads,
    replica: [...reads, ...sends],
    stream: [...reads, ...sends],
    backup: [...reads, ...sends, limits.repositoryName.get(targetOf(lane))],
    copy: [...sends, limits.repositoryName.get(targetOf(lane))],
  };
  return needs[lane.kind].filter((name) => name !== undefined);
}

async function runningNow(
  db: Database,
  lanesOf: LanesOf,
  limits: Limits,
  lines: Lines,
  tx: Tx,
): Promise<{ free: Map<string, number>; workloads: Set<number> }> {
  const rows = await select<RunPlaces & Pick<WaitingRun, 'workload_id' | 'policy_id' | 'revision'>>(
    db,
    `SELECT r.workload_id, w.site_id workload_site_id, w.datastore_id, w.cluster_id, r.policy_id, r.revision, r.lane_key
       FROM runs r JOIN workloads w ON w.id = r.workload_id WHERE r.state = 'running'`,
    [],
    tx,
  );
  const free = new Map([...limits.slots, ...lines.slots]);
  for (const run of rows) {
    const lanes = await lanesOf(run.policy_id, run.revision, tx);
    for (const name of needsOf(run, lanes, limits, lines)) free.set(name, (free.get(name) ?? 0) - 1);
  }
  return { free, workloads: new Set(rows.map((row) => row.workload_id)) };
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
