/** What limits runs: slots of movers, hosts, datastores, repositories and links, and how many of them are taken. */
import { throttledRate, type Throttle } from '@/core/flow/throttle';
import { placeKindOf, type Lane, type LaneKind } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';
import { select, type Database, type Tx } from '@/store/database';
import type { ClaimedRun } from '@/store/runs';
import { parseJson, type LanesOf } from '@/store/schedules';

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

/** Links as they may be used at an instant: slots by name, and which one joins two sites. */
export interface Lines {
  readonly slots: ReadonlyMap<string, number>;
  readonly between: (a: number, b: number) => string | undefined;
}

/** Links as they may be used now: their throttles change by the hour, and by hand. */
export async function linesNow(db: Database, nowMs: EpochMs, tx: Tx): Promise<Lines> {
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

type RunPlaces = Pick<ClaimedRun, 'workload_site_id' | 'datastore_id' | 'lane_key'> & { readonly cluster_id: number };

/** What a run takes slots of: hosts and disks that it reads from, mover and link that send, the repository that takes it in. */
export function needsOf(run: RunPlaces, lanes: readonly Lane[], limits: Limits, lines: Lines): string[] {
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

/** What is free beside the runs that are under way, and their workloads. */
export async function runningNow(
  db: Database,
  lanesOf: LanesOf,
  limits: Limits,
  lines: Lines,
  tx: Tx,
): Promise<{ free: Map<string, number>; workloads: Set<number> }> {
  const rows = await select<RunPlaces & Pick<ClaimedRun, 'workload_id' | 'policy_id' | 'revision'>>(
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
