/** The table of workloads: filtered and sorted on the server, handed out in windows. */
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import { worstExposures } from '@/core/point/exposure';
import { standings, type WorkloadStanding } from '@/queries/standing';
import { select, type Database } from '@/store/database';
import { USABLE_AT, usableSpans } from '@/store/good';
import { streamedExposure } from '@/store/streams';

export const WORKLOAD_SORTS = ['name', 'application', 'tier', 'site', 'exposure', 'used', 'policy', 'proven'] as const;
export type WorkloadSort = (typeof WORKLOAD_SORTS)[number];

export interface WorkloadFilter {
  readonly text: string;
  readonly standing: string;
  readonly tier: string;
  readonly site: string;
  readonly policy: string;
  readonly unproven: boolean;
  readonly sort: WorkloadSort;
  readonly descending: boolean;
}

export interface WorkloadRow extends WorkloadStanding {
  readonly policy: string | null;
  readonly policyId: number | null;
  readonly inStep: boolean;
  /** Sites where it has points. */
  readonly places: readonly string[];
  /** Worst exposure; null: for a while there was no usable point. */
  readonly worstDayMs: number | null;
  readonly worstWeekMs: number | null;
}

export interface WorkloadPage {
  readonly total: number;
  readonly offset: number;
  /** Rows in a window at most. */
  readonly window: number;
  readonly rows: readonly WorkloadRow[];
}

interface PolicyOf {
  policy_id: number;
  policy: string;
  revision: number;
  newest: number;
}

const DAY_MS = 86_400_000;
/** Rows in one window at most: more than fit on most screens, and few enough to be read at once. */
export const WINDOW = 40;

export async function workloadPage(
  db: Database,
  asOfMs: EpochMs,
  isNow: boolean,
  filter: WorkloadFilter,
  offset: number,
): Promise<WorkloadPage> {
  // Of all workloads only where the choice or the order is by policy; else of the window alone.
  const byPolicy = filter.policy !== '' || filter.sort === 'policy';
  const [list, allPolicies] = await Promise.all([
    standings(db, asOfMs, isNow),
    byPolicy ? policiesOf(db) : NO_POLICIES,
  ]);
  const chosen = list.filter((w) => matches(w, filter, allPolicies.get(w.id))).sort(comparison(filter, allPolicies));
  const rows = chosen.slice(offset, offset + WINDOW);
  const ids = rows.map((w) => w.id);
  const [worst, places, policies] = await Promise.all([
    worstOf(db, ids, asOfMs),
    placesOf(db, ids, asOfMs, isNow),
    byPolicy ? allPolicies : policiesOf(db, ids),
  ]);
  return {
    total: chosen.length,
    offset,
    window: WINDOW,
    rows: rows.map((w) => {
      const policy = policies.get(w.id);
      return {
        ...w,
        policy: policy?.policy ?? null,
        policyId: policy?.policy_id ?? null,
        inStep: policy ? policy.revision === policy.newest : true,
        places: places.get(w.id) ?? [],
        ...(worst.get(w.id) ?? { worstDayMs: null, worstWeekMs: null }),
      };
    }),
  };
}

const NO_POLICIES: ReadonlyMap<number, PolicyOf> = new Map();

/** `ids`: of these workloads only; absent: of all. */
async function policiesOf(db: Database, ids?: readonly number[]): Promise<ReadonlyMap<number, PolicyOf>> {
  if (ids && !ids.length) return NO_POLICIES;
  const [enrolments, policies] = await Promise.all([
    select<{ workload_id: number; policy_id: number; revision: number }>(
      db,
      `SELECT workload_id, policy_id, revision FROM enrolments ${ids ? 'WHERE workload_id IN (?)' : ''}`,
      ids ? [ids] : [],
    ),
    select<{ id: number; name: string; revision: number }>(db, 'SELECT id, name, revision FROM policies'),
  ]);
  const byId = new Map(policies.map((p) => [p.id, p]));
  return new Map(
    enrolments.map(({ workload_id, policy_id, revision }) => {
      const policy = byId.get(policy_id);
      return [workload_id, { policy_id, policy: policy?.name ?? '', revision, newest: policy?.revision ?? revision }];
    }),
  );
}

export function matches(
  w: WorkloadStanding,
  filter: WorkloadFilter,
  policy: { readonly policy_id: number } | undefined,
): boolean {
  const text = filter.text.toLowerCase();
  if (text && !w.name.toLowerCase().includes(text) && !w.application.toLowerCase().includes(text)) return false;
  // Inside includes closing, as in the summary.
  if (filter.standing === 'inside' ? w.standing === 'over' : filter.standing && w.standing !== filter.standing)
    return false;
  if (filter.tier && String(w.tier) !== filter.tier) return false;
  if (filter.site && w.site !== filter.site) return false;
  if (filter.policy === 'none' ? policy : filter.policy && String(policy?.policy_id) !== filter.policy) return false;
  return !filter.unproven || w.unproven;
}

function comparison({ sort, descending }: WorkloadFilter, policies: ReadonlyMap<number, PolicyOf>) {
  const used = (w: WorkloadStanding) => (w.exposureMs === null ? Infinity : w.exposureMs / w.rpoMs);
  const key: Record<WorkloadSort, (w: WorkloadStanding) => string | number> = {
    name: (w) => w.name,
    application: (w) => w.application,
    tier: (w) => w.tier,
    site: (w) => w.site,
    exposure: (w) => w.exposureMs ?? Infinity,
    used,
    policy: (w) => policies.get(w.id)?.policy ?? '',
    proven: (w) => w.provenMs ?? 0,
  };
  const of = key[sort];
  const sign = descending ? -1 : 1;
  return (a: WorkloadStanding, b: WorkloadStanding): number => {
    const x = of(a);
    const y = of(b);
    if (x === y) return a.name < b.name ? -1 : 1;
    return x < y ? -sign : sign;
  };
}

async function worstOf(db: Database, ids: readonly number[], asOfMs: EpochMs) {
  const found = new Map<number, { worstDayMs: number | null; worstWeekMs: number | null }>();
  if (!ids.length) return found;
  const points = await select<{
    workload_id: number;
    taken_ms: EpochMs;
    usable_ms: EpochMs;
    bad_ms: EpochMs | null;
    repaired_ms: EpochMs | null;
  }>(
    db,
    `SELECT workload_id, taken_ms, usable_ms, bad_ms, repaired_ms FROM points WHERE workload_id IN (?) AND taken_ms > ? AND usable_ms <= ?`,
    [ids, asOfMs - 9 * DAY_MS, asOfMs],
  );
  const byWorkload = groupBy(points, (p) => p.workload_id);
  const streamed = await streamedExposure(db, ids, asOfMs - 7 * DAY_MS, asOfMs);
  for (const id of ids) {
    // Points thinned since then were usable then: for the past they count.
    const { points: stood = [], flows = [] } = streamed.get(id) ?? {};
    const mine = [...(byWorkload.get(id) ?? []).flatMap(usableSpans), ...stood];
    const [worstDayMs = null, worstWeekMs = null] = worstExposures(mine, flows, asOfMs, [DAY_MS, 7 * DAY_MS]);
    found.set(id, { worstDayMs, worstWeekMs });
  }
  return found;
}

async function placesOf(
  db: Database,
  ids: readonly number[],
  asOfMs: EpochMs,
  isNow: boolean,
): Promise<Map<number, string[]>> {
  const found = new Map<number, string[]>();
  if (!ids.length) return found;
  const rows = await select<{ workload_id: number; site: string }>(
    db,
    `SELECT DISTINCT p.workload_id, s.name site FROM points p JOIN sites s ON s.id = p.site_id
      WHERE p.workload_id IN (:ids) AND ${USABLE_AT} ${isNow ? 'AND p.gone_ms IS NULL' : ''} ORDER BY p.workload_id, s.id`,
    { ids, at: asOfMs },
  );
  for (const row of rows) found.set(row.workload_id, [...(found.get(row.workload_id) ?? []), row.site]);
  return found;
}

export interface FilterChoices {
  readonly sites: readonly string[];
  readonly policies: ReadonlyArray<{ readonly id: number; readonly name: string }>;
}

export async function filterChoices(db: Database): Promise<FilterChoices> {
  const sites = await select<{ name: string }>(db, 'SELECT name FROM sites ORDER BY id');
  return { sites: sites.map((s) => s.name), policies: await select(db, 'SELECT id, name FROM policies ORDER BY name') };
}
