/** A runbook's plan, its order, its estimated timeline and its readiness, from plain data. */
import { timeNetwork, type Activity, type Network } from '@/core/recover/activity-network';
import type { DurationMs, EpochMs } from '@/core/units';

export const CHECK_KINDS = ['ping', 'port', 'query'] as const;
export type RunbookCheck = (typeof CHECK_KINDS)[number];

export interface Member {
  readonly workloadId: number;
  readonly name: string;
  readonly clusterId: number;
  readonly networkId: number;
  readonly address: string;
  /** Members of the same or an earlier wave that must have passed their checks. */
  readonly after: readonly number[];
  readonly checks: readonly RunbookCheck[];
}
export interface Wave {
  readonly name: string;
  readonly members: readonly Member[];
}
export interface RunbookPlan {
  readonly waves: readonly Wave[];
}

/** What each member waits for: its own dependencies and every member of the wave before. */
export function predecessorsOf(plan: RunbookPlan): Map<number, readonly number[]> {
  const found = new Map<number, readonly number[]>();
  plan.waves.forEach((wave, i) => {
    const before = plan.waves[i - 1]?.members.map((m) => m.workloadId) ?? [];
    for (const member of wave.members) found.set(member.workloadId, [...new Set([...before, ...member.after])]);
  });
  return found;
}

export const membersOf = (plan: RunbookPlan): Member[] => plan.waves.flatMap((wave) => [...wave.members]);

/** Estimated timeline. `durationMs` of a member counts from its start to its last passed check. */
export function estimateTimeline(plan: RunbookPlan, durationMs: ReadonlyMap<number, DurationMs>): Network {
  const predecessors = predecessorsOf(plan);
  const activities = membersOf(plan).map((m): Activity => ({
    id: String(m.workloadId),
    duration: durationMs.get(m.workloadId) ?? 0,
    after: (predecessors.get(m.workloadId) ?? []).map(String),
  }));
  return timeNetwork(activities);
}

export interface ReadinessInput {
  readonly plan: RunbookPlan;
  /** Workloads of the application: all of them should be members. */
  readonly applicationWorkloads: ReadonlyArray<{ readonly id: number; readonly name: string }>;
  /** Newest usable point at the target site by workload, with the disks in it. */
  readonly points: ReadonlyMap<number, { readonly takenMs: EpochMs; readonly diskIds: readonly number[] }>;
  /** Disks each workload needs to boot and serve (all but scratch). */
  readonly neededDisks: ReadonlyMap<number, readonly number[]>;
  readonly needs: ReadonlyMap<number, { readonly cores: number; readonly memoryBytes: number }>;
  readonly clusters: ReadonlyMap<
    number,
    { readonly name: string; readonly freeCores: number; readonly freeMemoryBytes: number }
  >;
  readonly networks: ReadonlyMap<number, { readonly name: string; readonly isTest: boolean }>;
  readonly testNetworkId: number | null;
  readonly estimate: Network;
  readonly rtoMs: DurationMs;
}

export interface ReadinessCheck {
  readonly name: string;
  readonly ready: boolean;
  /** What was found, or what is wrong and for whom. */
  readonly finding: string;
}

/** Whether a runbook would work now, check by check. */
export function readinessOf(input: ReadinessInput): ReadinessCheck[] {
  return [allMembers(input), usablePoints(input), room(input), networksMapped(input), reachesRto(input)];
}

function verdict(name: string, wrong: readonly string[], good: string): ReadinessCheck {
  return { name, ready: wrong.length === 0, finding: wrong.length ? wrong.join('; ') : good };
}

function allMembers({ plan, applicationWorkloads }: ReadinessInput): ReadinessCheck {
  const members = new Set(membersOf(plan).map((m) => m.workloadId));
  const missing = applicationWorkloads.filter((w) => !members.has(w.id)).map((w) => `${w.name} is in no wave`);
  return verdict(
    'Every workload of the application is a member',
    missing,
    `${members.size} of ${applicationWorkloads.length}`,
  );
}

function usablePoints({ plan, points, neededDisks }: ReadinessInput): ReadinessCheck {
  const wrong = membersOf(plan).flatMap((m) => {
    const point = points.get(m.workloadId);
    if (!point) return [`${m.name} has no usable point at the target site`];
    const lacking = (neededDisks.get(m.workloadId) ?? []).filter((id) => !point.diskIds.includes(id));
    return lacking.length ? [`${lacking.length} disk of ${m.name} is in no point`] : [];
  });
  return verdict('A usable point for every disk', wrong, 'all disks covered at the target site');
}

function room({ plan, needs, clusters }: ReadinessInput): ReadinessCheck {
  const wanted = new Map<number, { cores: number; memory: number }>();
  for (const m of membersOf(plan)) {
    const need = needs.get(m.workloadId);
    const sum = wanted.get(m.clusterId) ?? { cores: 0, memory: 0 };
    wanted.set(m.clusterId, { cores: sum.cores + (need?.cores ?? 0), memory: sum.memory + (need?.memoryBytes ?? 0) });
  }
  const wrong: string[] = [];
  const good: string[] = [];
  for (const [id, sum] of wanted) {
    const cluster = clusters.get(id);
    const text = `${sum.cores} cores, ${Math.round(sum.memory / 2 ** 30)} GiB`;
    if (!cluster) wrong.push(`cluster ${id} is not known`);
    else if (cluster.freeCores < sum.cores || cluster.freeMemoryBytes < sum.memory)
      wrong.push(
        `${cluster.name} has ${cluster.freeCores} cores and ${Math.floor(cluster.freeMemoryBytes / 2 ** 30)} GiB free, needs ${text}`,
      );
    else good.push(`${text} of ${cluster.freeCores} cores free on ${cluster.name}`);
  }
  return verdict('Room at the target', wrong, good.join('; '));
}

function networksMapped({ plan, networks, testNetworkId }: ReadinessInput): ReadinessCheck {
  const wrong = membersOf(plan).flatMap((m) =>
    networks.has(m.networkId) ? [] : [`${m.name} is mapped to no network`],
  );
  if (testNetworkId === null) wrong.push('the target site has no test network for drills');
  const addresses = membersOf(plan).map((m) => `${m.networkId} ${m.address}`);
  const twice = addresses.filter((a, i) => addresses.indexOf(a) !== i);
  if (twice.length) wrong.push(`two members have the address ${twice[0]?.split(' ')[1]}`);
  return verdict('Networks mapped', wrong, 'every member has a network and an address of its own');
}

function reachesRto({ estimate, rtoMs }: ReadinessInput): ReadinessCheck {
  const name = 'The order reaches the RTO';
  const minutes = (ms: number) => `${Math.round(ms / 60_000)} min`;
  switch (estimate.kind) {
    case 'cycle':
      return { name, ready: false, finding: `members wait for each other: ${estimate.ids.join(', ')}` };
    case 'unknown-predecessor':
      return { name, ready: false, finding: `member ${estimate.id} waits for ${estimate.after}, which is no member` };
    case 'timed':
      return {
        name,
        ready: estimate.duration <= rtoMs,
        finding: `estimated ${minutes(estimate.duration)} of ${minutes(rtoMs)}`,
      };
  }
}
