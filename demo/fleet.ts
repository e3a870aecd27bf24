/** The scenario worked out: every workload with its disks, policy and address; the simulated estate; the runbooks. */
import { enrol } from '@/core/protect/enrolment';
import type { DiskRole } from '@/core/protect/policy';
import { answersOf, explain, type Answer, type Subject } from '@/core/protect/selector';
import { parseSelector } from '@/core/protect/selector-text';
import type { Member, RunbookPlan } from '@/core/recover/runbook';
import { GIB } from '@/core/units';
import {
  APPLICATIONS,
  DATA_ROLES,
  DATASTORE_BYTES,
  DATASTORES,
  DISKS,
  HISTORY_MS,
  LINKS,
  MOVERS,
  PLAIN_DISKS,
  POLICIES,
  REPOSITORIES,
  SITES,
  START_MS,
} from '@/demo/scenario';
import { chance } from '@/standin/world/content';
import type { Estate } from '@/standin/world/estate';

export interface FleetDisk {
  readonly id: number;
  readonly number: number;
  readonly role: DiskRole;
  readonly sizeBytes: number;
  readonly activeShare: number;
  readonly periodMs: number;
}
export interface FleetWorkload {
  readonly id: number;
  readonly name: string;
  readonly applicationId: number;
  readonly application: string;
  readonly tier: 1 | 2 | 3 | 4;
  readonly siteId: number;
  readonly clusterId: number;
  readonly datastoreId: number;
  readonly networkId: number;
  readonly address: string;
  readonly role: string;
  readonly cores: number;
  readonly memoryBytes: number;
  readonly disks: readonly FleetDisk[];
  readonly policyId: number | null;
  readonly reason: { readonly answers: readonly Answer[]; readonly alsoFits: readonly string[] };
}

/** Networks: one live and one test network a site; ids are 2 x site - 1 and 2 x site. */
export const liveNetwork = (siteId: number): number => siteId * 2 - 1;
const FIRST_DATASTORE: Readonly<Record<number, number>> = { 1: 1, 2: 3, 3: 5, 4: 6 };

export function buildFleet(): FleetWorkload[] {
  const fleet: FleetWorkload[] = [];
  const used = new Map<number, number>();
  let diskId = 0;
  APPLICATIONS.forEach(([key, application, tier, counts, roles], a) => {
    const numbers = new Map<string, number>();
    let turn = 0;
    counts.forEach((count, s) => {
      for (let i = 0; i < count; i++) {
        const role = roles[turn++ % roles.length] as string;
        const number = (numbers.get(role) ?? 0) + 1;
        numbers.set(role, number);
        const site = SITES[s] as (typeof SITES)[number];
        const host = (used.get(site.id) ?? 10) + 1;
        used.set(site.id, host);
        const id = fleet.length + 1;
        const name = `${key}-${role}-${String(number).padStart(2, '0')}`;
        const disks = (DISKS[role] ?? PLAIN_DISKS).map(([diskRole, sizeBytes, activeShare, periodMs], n): FleetDisk => {
          diskId++;
          const size =
            diskRole === 'data' ? Math.round((sizeBytes * (0.5 + chance(diskId, 9))) / GIB) * GIB : sizeBytes;
          return { id: diskId, number: n, role: diskRole, sizeBytes: size, activeShare, periodMs };
        });
        fleet.push({
          id,
          name,
          applicationId: a + 1,
          application,
          tier,
          siteId: site.id,
          clusterId: site.id,
          datastoreId: FIRST_DATASTORE[site.id] as number,
          networkId: liveNetwork(site.id),
          address: addressOf(site.subnet, host),
          role,
          cores: DATA_ROLES.has(role) ? 8 : 4,
          memoryBytes: (DATA_ROLES.has(role) ? 32 : 8) * GIB,
          disks,
          ...enrolmentOf({
            name,
            application,
            site: site.name,
            cluster: `${site.code.toLowerCase()}-c1`,
            datastore: DATASTORES.find((d) => d.id === FIRST_DATASTORE[site.id])?.name ?? '',
            tier: String(tier),
            labels: { role },
          }),
        });
      }
    });
  });
  return fleet;
}

function addressOf(subnet: string, host: number): string {
  return subnet.endsWith('::') ? `${subnet}${host.toString(16)}` : `${subnet}.${host}`;
}

const RULES = POLICIES.map((policy) => ({
  id: policy.id,
  policyId: policy.id,
  rank: policy.id,
  selector: parseSelector(policy.takes),
}));

/** The policy whose rule comes first takes a workload; others that would are named. */
function enrolmentOf(subject: Subject): Pick<FleetWorkload, 'policyId' | 'reason'> {
  const [found] = enrol([subject], RULES);
  if (found?.kind !== 'enrolled') return { policyId: null, reason: { answers: [], alsoFits: [] } };
  const rule = RULES.find((r) => r.id === found.ruleId);
  return {
    policyId: found.policyId,
    reason: {
      answers: rule ? answersOf(explain(rule.selector, subject)) : [],
      alsoFits: found.others.flatMap((id) => POLICIES.find((p) => p.id === id)?.name ?? []),
    },
  };
}

export function buildEstate(fleet: readonly FleetWorkload[]): Estate {
  return {
    bornMs: START_MS - HISTORY_MS - 30 * 86_400_000,
    sites: SITES.map(({ id, code, name }) => ({ id, code, name })),
    links: LINKS.map((l) => ({
      id: l.id,
      name: l.name,
      siteA: l.a,
      siteB: l.b,
      rateBps: l.rateBps,
      ...('slow' in l ? { slow: l.slow } : {}),
    })),
    movers: MOVERS.map((m) => ({ id: m.id, siteId: m.site, name: m.name, rateBps: m.rateBps })),
    places: [
      ...DATASTORES.map((d) => ({
        kind: 'datastore' as const,
        id: d.id,
        siteId: d.site,
        name: d.name,
        capacityBytes: DATASTORE_BYTES,
      })),
      ...REPOSITORIES.map((r) => ({
        kind: 'repository' as const,
        id: r.id,
        siteId: r.site,
        name: r.name,
        capacityBytes: r.capacity,
      })),
    ],
    workloads: fleet.map((w) => ({
      id: w.id,
      name: w.name,
      siteId: w.siteId,
      datastoreId: w.datastoreId,
      guestAgent: true,
      cluster: `${SITES[w.siteId - 1]?.code.toLowerCase()}-c1`,
      bootSeconds: (w.role === 'db' ? 210 : 80) + Math.round(chance(w.id, 1) * 90),
      serviceSeconds: (w.role === 'db' ? 240 : 45) + Math.round(chance(w.id, 2) * 60),
      disks: w.disks.map((d) => ({
        id: d.id,
        seed: 1000 + d.id,
        imageSeed: d.role === 'system' ? 7 : 500 + d.id,
        role: d.role,
        sizeBytes: d.sizeBytes,
        activeShare: d.activeShare,
        periodMs: d.periodMs,
      })),
    })),
  };
}

export interface FleetRunbook {
  readonly id: number;
  readonly name: string;
  readonly applicationId: number;
  readonly sourceSiteId: number;
  readonly targetSiteId: number;
  readonly plan: RunbookPlan;
}

/** Where copies of a site can be started: the site that receives its replicas or backups. */
const TARGET_OF: Readonly<Record<number, number>> = { 1: 2, 2: 1, 3: 1, 4: 2 };
const WAVES: ReadonlyArray<readonly [string, ReadonlySet<string>]> = [
  ['Data', new Set(['db', 'mq', 'dc', 'idx', 'arc', 'fs', 'store'])],
  ['Services', new Set(['api', 'app', 'feed', 'gw', 'job', 'hub', 'mx', 'ocr', 'rep', 'pay'])],
  ['Front', new Set(['web', 'sign', 'rec', 'scan', 'tile', 'vm', 'sim'])],
];

/** A runbook for an application's workloads at one site, data first, then services, then the front. */
export function buildRunbook(
  id: number,
  application: string,
  sourceSiteId: number,
  fleet: readonly FleetWorkload[],
): FleetRunbook {
  const mine = fleet.filter((w) => w.application === application && w.siteId === sourceSiteId);
  const targetSiteId = TARGET_OF[sourceSiteId] as number;
  const target = SITES.find((s) => s.id === targetSiteId) as (typeof SITES)[number];
  const waves = WAVES.map(([name, roles]) => ({
    name,
    members: mine.filter((w) => roles.has(w.role)).map((w, _i, list) => memberOf(w, list, target.id, target.subnet)),
  }));
  return {
    id,
    name: `${application} to ${target.name}${sourceSiteId === 3 ? ' from Hollin Point' : ''}`,
    applicationId: (mine[0] as FleetWorkload).applicationId,
    sourceSiteId,
    targetSiteId,
    plan: { waves: waves.filter((wave) => wave.members.length > 0) },
  };
}

/** Addresses keep their host part in the target's subnet, shifted out of the way of its own machines. */
function memberOf(w: FleetWorkload, wave: readonly FleetWorkload[], targetSiteId: number, subnet: string): Member {
  const host = 100 + (w.id % 150);
  return {
    workloadId: w.id,
    name: w.name,
    clusterId: targetSiteId,
    networkId: liveNetwork(targetSiteId),
    address: addressOf(subnet, host),
    after: w.role === 'pay' ? wave.filter((o) => o.role === 'api').map((o) => o.id) : [],
    checks: w.role === 'db' ? ['ping', 'port', 'query'] : ['ping', 'port'],
  };
}
