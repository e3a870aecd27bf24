/**
 * Runbooks: could we bring it back, in which order, how long; drills and their proof. They recover at another site, so
 * the RPO that counts is the one with the site lost.
 */
import type { Network } from '@/core/recover/activity-network';
import type { DrillRecord, MemberResult } from '@/core/recover/drill-record';
import { NoOrder, simulateRto, type RtoDistribution } from '@/core/recover/rto';
import {
  estimateTimeline,
  membersOf,
  predecessorsOf,
  readinessOf,
  type ReadinessCheck,
  type RunbookPlan,
} from '@/core/recover/runbook';
import type { EpochMs } from '@/core/units';
import { select, selectOne, type Database } from '@/store/database';
import { runbookById, testNetworkOf, usablePointsAt } from '@/store/runbooks';
import { parseJson } from '@/store/schedules';

export interface DrillSummary {
  readonly id: number;
  readonly state: string;
  readonly atMs: EpochMs;
  readonly rpaMs: number | null;
  readonly rtaMs: number | null;
  readonly reason: string;
}

export interface RunbookCard {
  readonly id: number;
  readonly name: string;
  readonly application: string;
  readonly tier: number;
  readonly source: string;
  readonly members: number;
  readonly rtoMs: number;
  readonly lastDrill: DrillSummary | null;
  readonly underWay: boolean;
}

interface CardRow {
  id: number;
  name: string;
  application: string;
  tier: number;
  source: string;
  target: string;
  rto_ms: number;
  rpo_ms: number;
  plan: RunbookPlan | string;
}
interface DrillRow {
  id: number;
  runbook_id: number;
  state: string;
  created_ms: EpochMs;
  ended_ms: EpochMs | null;
  record: DrillRecord | string | null;
}

const CARD = `SELECT b.id, b.name, a.name application, a.tier_id tier, s.name source, g.name target, t.rto_ms, t.rpo_site_lost_ms rpo_ms, b.plan FROM runbooks b
  JOIN applications a ON a.id = b.application_id JOIN tiers t ON t.id = a.tier_id JOIN sites s ON s.id = b.source_site_id JOIN sites g ON g.id = b.target_site_id`;

export async function runbookCards(db: Database): Promise<RunbookCard[]> {
  const [rows, drills] = await Promise.all([
    select<CardRow>(db, `${CARD} ORDER BY a.tier_id, b.name`),
    select<DrillRow>(
      db,
      'SELECT id, runbook_id, state, created_ms, ended_ms, record FROM drills ORDER BY id DESC LIMIT 500',
    ),
  ]);
  return rows.map((row) => {
    const mine = drills.filter((d) => d.runbook_id === row.id);
    const last = mine.find((d) => d.ended_ms !== null);
    return {
      id: row.id,
      name: row.name,
      application: row.application,
      tier: row.tier,
      source: row.source,
      rtoMs: row.rto_ms,
      members: membersOf(parseJson(row.plan)).length,
      lastDrill: last ? summaryOf(last) : null,
      underWay: mine.some((d) => d.ended_ms === null),
    };
  });
}

function summaryOf(d: DrillRow): DrillSummary {
  const record = d.record === null ? null : parseJson<DrillRecord>(d.record);
  return {
    id: d.id,
    state: d.state,
    atMs: d.ended_ms ?? d.created_ms,
    rpaMs: record?.rpaMs ?? null,
    rtaMs: record?.rtaMs ?? null,
    reason: record?.reason ?? '',
  };
}

export interface RunbookView extends RunbookCard {
  readonly target: string;
  readonly rpoMs: number;
  readonly plan: RunbookPlan;
  readonly estimate: Network;
  /** The runbook played through with the durations that drills measured; null: it has no order. */
  readonly chance: RtoDistribution | null;
  /** Expected duration of each member and whether a drill measured it. */
  readonly durations: ReadonlyArray<{ readonly workloadId: number; readonly ms: number; readonly measured: boolean }>;
  readonly readiness: readonly ReadinessCheck[];
  readonly drills: readonly DrillSummary[];
  readonly points: ReadonlyArray<{ readonly workloadId: number; readonly takenMs: EpochMs }>;
  readonly networks: ReadonlyArray<{ readonly id: number; readonly name: string; readonly subnet: string }>;
  readonly openDrill: number | null;
}

/** Assumed for a member that no drill has measured: common practice, no source. */
const ASSUMED_MS = 6 * 60_000;

export async function runbookView(db: Database, id: number, nowMs: EpochMs): Promise<RunbookView | null> {
  const runbook = await runbookById(db, id);
  const row = await selectOne<CardRow>(db, `${CARD} WHERE b.id = ?`, [id]);
  if (!runbook || !row) return null;
  const members = membersOf(runbook.plan);
  const ids = members.map((m) => m.workloadId);
  const [drills, points, facts] = await Promise.all([
    select<DrillRow>(
      db,
      'SELECT id, runbook_id, state, created_ms, ended_ms, record FROM drills WHERE runbook_id = ? ORDER BY id DESC LIMIT 8',
      [id],
    ),
    usablePointsAt(db, runbook.target_site_id, ids, nowMs, nowMs),
    readinessFacts(db, runbook.application_id, runbook.source_site_id, runbook.target_site_id),
  ]);
  const measured = measuredTimes(drills);
  const durations = members.map((m) => ({
    workloadId: m.workloadId,
    ms: measured.get(m.workloadId)?.[0] ?? ASSUMED_MS,
    measured: measured.has(m.workloadId),
  }));
  const estimate = estimateTimeline(runbook.plan, new Map(durations.map((d) => [d.workloadId, d.ms])));
  const ended = drills.filter((d) => d.ended_ms !== null);
  return {
    id: row.id,
    name: row.name,
    application: row.application,
    tier: row.tier,
    source: row.source,
    target: row.target,
    rtoMs: row.rto_ms,
    rpoMs: row.rpo_ms,
    members: members.length,
    plan: runbook.plan,
    estimate,
    chance: estimate.kind === 'timed' ? chanceOf(runbook.plan, measured, row.rto_ms, row.id) : null,
    durations,
    underWay: ended.length < drills.length,
    openDrill: drills.find((d) => d.ended_ms === null)?.id ?? null,
    lastDrill: ended[0] ? summaryOf(ended[0]) : null,
    drills: ended.map(summaryOf),
    points: [...points.values()].map((p) => ({ workloadId: p.workload_id, takenMs: p.taken_ms })),
    networks: facts.networks,
    readiness: readinessOf({
      plan: runbook.plan,
      estimate,
      rtoMs: row.rto_ms,
      testNetworkId: await testNetworkOf(db, runbook.target_site_id),
      ...facts,
      points: new Map([...points].map(([w, p]) => [w, { takenMs: p.taken_ms, diskIds: p.disks.map((d) => d.diskId) }])),
      networks: new Map(facts.networks.map((n) => [n.id, { name: n.name, isTest: Boolean(n.is_test) }])),
    }),
  };
}

/** Times from a member's start to its last passed check, newest drill first. */
function measuredTimes(drills: readonly DrillRow[]): Map<number, number[]> {
  const found = new Map<number, number[]>();
  for (const drill of drills) {
    const record = drill.record === null ? null : parseJson<DrillRecord>(drill.record);
    for (const m of record?.members ?? [])
      if (m.readyMs !== null && m.startedMs !== null)
        found.set(m.workloadId, [...(found.get(m.workloadId) ?? []), m.readyMs - m.startedMs]);
  }
  return found;
}

/** Played through this often for the chance to meet the RTO; the seed is the runbook's, so the answer stays the same. */
const PLAYS = 4_000;

/** Null where the members have no order: readiness says so. */
function chanceOf(plan: RunbookPlan, times: ReadonlyMap<number, readonly number[]>, rtoMs: number, seed: number) {
  const before = predecessorsOf(plan);
  const members = membersOf(plan).map((m) => ({
    id: String(m.workloadId),
    after: (before.get(m.workloadId) ?? []).map(String),
    measuredMs: times.get(m.workloadId) ?? [ASSUMED_MS],
  }));
  try {
    return simulateRto(members, rtoMs, { runs: PLAYS, seed });
  } catch (error) {
    if (error instanceof NoOrder) return null;
    throw error;
  }
}

async function readinessFacts(db: Database, applicationId: number, sourceSiteId: number, targetSiteId: number) {
  const [workloads, disks, clusters, networks] = await Promise.all([
    select<{ id: number; name: string; cores: number; memory_bytes: number }>(
      db,
      'SELECT id, name, cores, memory_bytes FROM workloads WHERE application_id = ? AND site_id = ?',
      [applicationId, sourceSiteId],
    ),
    select<{ id: number; workload_id: number }>(
      db,
      `SELECT d.id, d.workload_id FROM disks d JOIN workloads w ON w.id = d.workload_id WHERE w.application_id = ? AND w.site_id = ? AND d.role <> 'scratch'`,
      [applicationId, sourceSiteId],
    ),
    select<{
      id: number;
      name: string;
      cores: number;
      memory_bytes: number;
      used_cores: number | null;
      used_memory: number | null;
    }>(
      db,
      `SELECT c.id, c.name, c.cores, c.memory_bytes, SUM(w.cores) used_cores, SUM(w.memory_bytes) used_memory FROM clusters c
             LEFT JOIN workloads w ON w.cluster_id = c.id WHERE c.site_id = ? GROUP BY c.id`,
      [targetSiteId],
    ),
    select<{ id: number; name: string; subnet: string; is_test: number }>(
      db,
      'SELECT id, name, subnet, is_test FROM networks WHERE site_id = ? ORDER BY id',
      [targetSiteId],
    ),
  ]);
  const neededDisks = new Map<number, number[]>();
  for (const d of disks) neededDisks.set(d.workload_id, [...(neededDisks.get(d.workload_id) ?? []), d.id]);
  return {
    applicationWorkloads: workloads,
    neededDisks,
    needs: new Map(workloads.map((w) => [w.id, { cores: w.cores, memoryBytes: w.memory_bytes }])),
    clusters: new Map(
      clusters.map((c) => [
        c.id,
        {
          name: c.name,
          freeCores: c.cores - (c.used_cores ?? 0),
          freeMemoryBytes: c.memory_bytes - (c.used_memory ?? 0),
        },
      ]),
    ),
    networks,
  };
}

export interface DrillView {
  readonly id: number;
  readonly state: string;
  readonly runbookId: number;
  readonly runbook: string;
  readonly application: string;
  readonly tier: number;
  readonly source: string;
  readonly target: string;
  readonly rpoMs: number;
  readonly rtoMs: number;
  readonly startedBy: string | null;
  readonly createdMs: EpochMs;
  readonly startedMs: EpochMs | null;
  readonly endedMs: EpochMs | null;
  readonly pointInTimeMs: EpochMs | null;
  readonly cancelRequested: boolean;
  readonly plan: RunbookPlan;
  readonly members: readonly MemberResult[];
  readonly record: DrillRecord | null;
  readonly lines: ReadonlyArray<{ readonly id: number; readonly atMs: EpochMs; readonly text: string }>;
}

interface DrillDetail extends CardRow, DrillRow {
  started_ms: EpochMs | null;
  point_in_time_ms: EpochMs | null;
  cancel_requested: number;
  progress: readonly MemberResult[] | string | null;
  started_by: string | null;
}

export async function drillView(db: Database, id: number): Promise<DrillView | null> {
  const row = await selectOne<DrillDetail>(
    db,
    `SELECT d.*, b.name, b.plan, a.name application, a.tier_id tier, s.name source, g.name target, t.rto_ms, t.rpo_site_lost_ms rpo_ms, u.full_name started_by
       FROM drills d JOIN runbooks b ON b.id = d.runbook_id JOIN applications a ON a.id = b.application_id JOIN tiers t ON t.id = a.tier_id
       JOIN sites s ON s.id = b.source_site_id JOIN sites g ON g.id = b.target_site_id LEFT JOIN users u ON u.id = d.started_by WHERE d.id = ?`,
    [id],
  );
  if (!row) return null;
  const lines = await select<{ id: number; at_ms: EpochMs; text: string }>(
    db,
    'SELECT id, at_ms, text FROM drill_lines WHERE drill_id = ? ORDER BY at_ms, id',
    [id],
  );
  const record = row.record === null ? null : parseJson<DrillRecord>(row.record);
  const members = record?.members ?? (row.progress === null ? [] : parseJson<readonly MemberResult[]>(row.progress));
  return {
    id: row.id,
    state: row.state,
    runbookId: row.runbook_id,
    runbook: row.name,
    application: row.application,
    tier: row.tier,
    source: row.source,
    target: row.target,
    rpoMs: row.rpo_ms,
    rtoMs: row.rto_ms,
    startedBy: row.started_by,
    createdMs: row.created_ms,
    startedMs: row.started_ms,
    endedMs: row.ended_ms,
    pointInTimeMs: row.point_in_time_ms,
    cancelRequested: Boolean(row.cancel_requested),
    plan: parseJson(row.plan),
    members,
    record,
    lines: lines.map((l) => ({ id: l.id, atMs: l.at_ms, text: l.text })),
  };
}

export interface ProofRow extends DrillSummary {
  readonly runbook: string;
  readonly application: string;
  readonly tier: number;
  readonly rpoMs: number;
  readonly rtoMs: number;
  readonly members: number;
}

/** Every ended drill up to a moment, newest first, and the applications that never had one pass. */
export async function proofList(
  db: Database,
  asOfMs: EpochMs,
): Promise<{ readonly proofs: readonly ProofRow[]; readonly never: readonly string[] }> {
  const rows = await select<DrillRow & CardRow>(
    db,
    `SELECT d.id, d.runbook_id, d.state, d.created_ms, d.ended_ms, d.record, b.name, a.name application, a.tier_id tier, t.rpo_site_lost_ms rpo_ms, t.rto_ms, b.plan FROM drills d
       JOIN runbooks b ON b.id = d.runbook_id JOIN applications a ON a.id = b.application_id JOIN tiers t ON t.id = a.tier_id
      WHERE d.ended_ms <= ? ORDER BY d.ended_ms DESC LIMIT 200`,
    [asOfMs],
  );
  const never = await select<{ name: string }>(
    db,
    `SELECT a.name FROM applications a WHERE NOT EXISTS (SELECT 1 FROM drills d JOIN runbooks b ON b.id = d.runbook_id
        WHERE b.application_id = a.id AND d.state = 'passed' AND d.ended_ms <= ?) ORDER BY a.tier_id, a.name`,
    [asOfMs],
  );
  return {
    proofs: rows.map((r) => ({
      ...summaryOf(r),
      runbook: r.name,
      application: r.application,
      tier: r.tier,
      rpoMs: r.rpo_ms,
      rtoMs: r.rto_ms,
      members: membersOf(parseJson(r.plan)).length,
    })),
    never: never.map((n) => n.name),
  };
}
