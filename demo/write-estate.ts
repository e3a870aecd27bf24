/** Writes the estate into the empty database: sites, workloads, policies, enrolments, runbooks. */
import type { Pool } from 'mysql2/promise';
import type { Lane } from '@/core/protect/policy';
import { placeOf } from '@/engine/run/crew';
import { liveNetwork, type FleetRunbook, type FleetWorkload } from '@/demo/fleet';
import { insert } from '@/demo/insert';
import {
  APPLICATIONS,
  DATASTORE_BYTES,
  DATASTORES,
  HISTORY_MS,
  LINKS,
  MOVERS,
  POLICIES,
  REPOSITORIES,
  SITES,
  START_MS,
  TIERS,
} from '@/demo/scenario';

/** Where a lane of a workload of the scenario writes. */
export const placeFor = (w: FleetWorkload, lane: Lane) => {
  const site = SITES.find(({ id }) => id === w.siteId);
  return placeOf({ datastore_id: w.datastoreId, workload_site_id: w.siteId, site_name: site?.name ?? '' }, lane);
};
export const siteOfPlace = (kind: string, id: number): number => {
  const place = (kind === 'datastore' ? DATASTORES : REPOSITORIES).find((p) => p.id === id);
  if (!place) throw new Error(`The scenario has no ${kind} ${id}.`);
  return place.site;
};

export async function writeEstate(
  pool: Pool,
  fleet: readonly FleetWorkload[],
  runbooks: readonly FleetRunbook[],
): Promise<void> {
  await insert(
    pool,
    'tiers',
    ['id', 'rpo_ms', 'rpo_site_lost_ms', 'rto_ms', 'drill_interval_ms', 'copies', 'keep_ms'],
    TIERS.map((t) => [t.id, t.rpo, t.rpoSiteLost, t.rto, t.drill, t.copies, t.keep]),
  );
  await insert(
    pool,
    'sites',
    ['id', 'code', 'name', 'kind', 'zone', 'map_x', 'map_y'],
    SITES.map((s) => [s.id, s.code, s.name, s.kind, s.zone, s.x, s.y]),
  );
  await insert(
    pool,
    'links',
    ['id', 'name', 'site_a', 'site_b', 'rate_bps', 'rtt_ms', 'loss'],
    LINKS.map((l) => [l.id, l.name, l.a, l.b, l.rateBps, l.rttMs, l.loss]),
  );
  await insert(
    pool,
    'clusters',
    ['id', 'site_id', 'name', 'cores', 'memory_bytes'],
    SITES.map((s) => [s.id, s.id, `${s.code.toLowerCase()}-c1`, s.cores, s.memory]),
  );
  await insert(
    pool,
    'datastores',
    ['id', 'site_id', 'name', 'capacity_bytes'],
    DATASTORES.map((s) => [s.id, s.site, s.name, DATASTORE_BYTES]),
  );
  await insert(
    pool,
    'repositories',
    ['id', 'site_id', 'name', 'capacity_bytes', 'immutable_ms'],
    REPOSITORIES.map((r) => [r.id, r.site, r.name, r.capacity, r.immutableMs]),
  );
  await insert(
    pool,
    'movers',
    ['id', 'site_id', 'name', 'slots', 'rate_bps'],
    MOVERS.map((m) => [m.id, m.site, m.name, m.slots, m.rateBps]),
  );
  await insert(
    pool,
    'networks',
    ['id', 'site_id', 'name', 'subnet', 'is_test'],
    SITES.flatMap((s) => {
      const [subnet, test] = s.subnet.endsWith('::')
        ? [`${s.subnet}/64`, '2001:db8:41::/64']
        : [`${s.subnet}.0/24`, `${s.subnet}.0/24`];
      return [
        [liveNetwork(s.id), s.id, `${s.code.toLowerCase()}-core`, subnet, false],
        [s.id * 2, s.id, `${s.code.toLowerCase()}-drill`, test, true],
      ];
    }),
  );
  await insert(
    pool,
    'applications',
    ['id', 'name', 'tier_id'],
    APPLICATIONS.map(([, name, tier], i) => [i + 1, name, tier]),
  );
  await insert(
    pool,
    'workloads',
    [
      'id',
      'name',
      'application_id',
      'site_id',
      'cluster_id',
      'datastore_id',
      'network_id',
      'address',
      'cores',
      'memory_bytes',
      'role',
      'labels',
      'guest_agent',
    ],
    fleet.map((w) => [
      w.id,
      w.name,
      w.applicationId,
      w.siteId,
      w.clusterId,
      w.datastoreId,
      w.networkId,
      w.address,
      w.cores,
      w.memoryBytes,
      w.role,
      JSON.stringify({ role: w.role }),
      true,
    ]),
  );
  await insert(
    pool,
    'disks',
    ['id', 'workload_id', 'number', 'role', 'size_bytes'],
    fleet.flatMap((w) => w.disks.map((k) => [k.id, w.id, k.number, k.role, k.sizeBytes])),
  );
  await insert(
    pool,
    'policies',
    ['id', 'name', 'note', 'revision'],
    POLICIES.map((p) => [p.id, p.name, p.note, 1]),
  );
  await insert(
    pool,
    'policy_revisions',
    ['policy_id', 'revision', 'lanes', 'rule', 'created_at_ms'],
    POLICIES.map((p) => [p.id, 1, JSON.stringify(p.lanes), JSON.stringify({ takes: p.takes }), START_MS - HISTORY_MS]),
  );
  await insert(
    pool,
    'enrolments',
    ['id', 'workload_id', 'policy_id', 'revision', 'reason', 'since_ms'],
    fleet.flatMap((w) =>
      w.policyId === null ? [] : [[w.id, w.id, w.policyId, 1, JSON.stringify(w.reason), START_MS - HISTORY_MS]],
    ),
  );
  await insert(
    pool,
    'runbooks',
    ['id', 'name', 'application_id', 'source_site_id', 'target_site_id', 'plan'],
    runbooks.map((r) => [r.id, r.name, r.applicationId, r.sourceSiteId, r.targetSiteId, JSON.stringify(r.plan)]),
  );
}
