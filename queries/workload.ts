/** One workload: what could come back, from where, how old, and why each point is kept. */
import { describeLadder } from '@/core/protect/ladder-steady';
import { evaluateLadder, type Ladder } from '@/core/protect/ladder';
import { groupBy } from '@/core/group-by';
import { type Consistency, describeLaneCadence, type Lane, type LaneKind } from '@/core/protect/policy';
import type { Answer } from '@/core/protect/selector';
import { summariseExposure } from '@/core/point/exposure';
import type { EpochMs } from '@/core/units';
import { pausesOf, type PauseView } from '@/queries/pauses';
import { standings, type WorkloadStanding } from '@/queries/standing';
import { select, selectOne, type Database } from '@/store/database';
import { usableSpans } from '@/store/good';
import { parseJson } from '@/store/schedules';
import { streamedExposure, streamsOf, type StreamView } from '@/store/streams';

export interface PointView {
  readonly id: number;
  readonly runId: number;
  readonly kind: LaneKind;
  readonly lane: string;
  readonly place: string;
  readonly site: string;
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly consistency: Consistency;
  readonly digest: string;
  readonly storedBytes: number;
  readonly why: string;
  /** When it goes; null: as long as nothing newer replaces it. */
  readonly untilMs: EpochMs | null;
  readonly held: { readonly reason: string; readonly by: string } | null;
  readonly immutableUntilMs: EpochMs | null;
  /** Read back wrong or missing, and not repaired; null: good as far as known. */
  readonly bad: 'rotten' | 'missing' | null;
  readonly verifiedMs: EpochMs | null;
  /** Workloads that were captured at the same instant with it. */
  readonly together: number;
}

export interface WorkloadView {
  readonly standing: WorkloadStanding;
  readonly role: string;
  readonly address: string;
  readonly rtoMs: number;
  readonly siteLostRpoMs: number;
  readonly siteLostExposureMs: number | null;
  readonly copiesWanted: number;
  readonly share30: number;
  readonly lastRtaMs: number | null;
  readonly policy: {
    readonly id: number;
    readonly name: string;
    readonly inStep: boolean;
    readonly revision: number;
  } | null;
  readonly answers: readonly Answer[];
  readonly alsoFits: readonly string[];
  readonly lanes: ReadonlyArray<{
    readonly key: string;
    readonly cadence: string;
    readonly ladder: string;
    readonly consistency: Consistency;
    readonly dueMs: EpochMs | null;
    /** Workloads that are captured with it. */
    readonly together: number;
  }>;
  readonly disks: ReadonlyArray<{
    readonly number: number;
    readonly role: string;
    readonly sizeBytes: number;
    readonly inCopy: boolean;
  }>;
  readonly points: readonly PointView[];
  /** What holds its runs at that moment. */
  readonly pauses: readonly PauseView[];
  /** Empty away from now. */
  readonly streams: readonly StreamView[];
  readonly runs: ReadonlyArray<{
    readonly id: number;
    readonly lane: string;
    readonly state: string;
    readonly occurrenceMs: EpochMs;
    readonly endedMs: EpochMs | null;
    readonly detail: string | null;
  }>;
  readonly proofs: ReadonlyArray<{
    readonly drillId: number;
    readonly outcome: string;
    readonly atMs: EpochMs;
    readonly runbook: string;
  }>;
}

interface Base {
  id: number;
  role: string;
  address: string;
  application_id: number;
  site_id: number;
  rto_ms: number;
  rpo_site_lost_ms: number;
  copies: number;
}

export async function workloadView(
  db: Database,
  id: number,
  asOfMs: EpochMs,
  isNow: boolean,
): Promise<WorkloadView | null> {
  const base = await selectOne<Base>(
    db,
    `SELECT w.id, w.role, w.address, w.application_id, w.site_id, t.rto_ms, t.rpo_site_lost_ms, t.copies FROM workloads w
       JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id WHERE w.id = ?`,
    [id],
  );
  const standing = (await standings(db, asOfMs, isNow)).find((w) => w.id === id);
  if (!base || !standing) return null;
  const enrolment = await enrolmentOf(db, id);
  const lanes = enrolment?.lanes ?? [];
  const monthMs = asOfMs - 30 * 86_400_000;
  const [points, disks, runs, proofs, dues, usable, streamed, streams, pauses] = await Promise.all([
    pointViews(db, id, asOfMs, lanes),
    select<{ number: number; role: string; size_bytes: number }>(
      db,
      'SELECT number, role, size_bytes FROM disks WHERE workload_id = ? ORDER BY number',
      [id],
    ),
    select<{
      id: number;
      lane_key: string;
      state: string;
      occurrence_ms: EpochMs;
      ended_ms: EpochMs | null;
      detail: string | null;
    }>(
      db,
      'SELECT id, lane_key, state, occurrence_ms, ended_ms, detail FROM runs WHERE workload_id = ? AND occurrence_ms <= ? ORDER BY occurrence_ms DESC LIMIT 8',
      [id, asOfMs],
    ),
    select<{ id: number; state: string; ended_ms: EpochMs; name: string }>(
      db,
      `SELECT d.id, d.state, d.ended_ms, b.name FROM drills d JOIN runbooks b ON b.id = d.runbook_id
            WHERE b.application_id = ? AND b.source_site_id = ? AND d.ended_ms <= ? ORDER BY d.ended_ms DESC LIMIT 3`,
      [base.application_id, base.site_id, asOfMs],
    ),
    select<{ lane_key: string; due_ms: EpochMs | null }>(
      db,
      'SELECT lane_key, due_ms FROM schedules WHERE workload_id = ?',
      [id],
    ),
    select<{ taken_ms: EpochMs; usable_ms: EpochMs; bad_ms: EpochMs | null; repaired_ms: EpochMs | null }>(
      db,
      'SELECT taken_ms, usable_ms, bad_ms, repaired_ms FROM points WHERE workload_id = ? AND usable_ms <= ? AND taken_ms > ?',
      [id, asOfMs, asOfMs - 32 * 86_400_000],
    ),
    streamedExposure(db, [id], monthMs, asOfMs),
    isNow ? streamsOf(db, id) : [],
    pausesOf(db, { workloadId: id, siteId: base.site_id, policyId: enrolment?.policy_id ?? null }, asOfMs),
  ]);
  const offSite = [
    ...points.filter((p) => p.site !== standing.site).map((p) => p.takenMs),
    ...streams.filter((s) => s.site !== standing.site).map((s) => s.throughMs),
  ];
  const { points: stood = [], flows = [] } = streamed.get(id) ?? {};
  const excluded = new Set(
    lanes.length ? lanes[0]?.excludeRoles.filter((role) => lanes.every((l) => l.excludeRoles.includes(role))) : [],
  );
  return {
    standing,
    role: base.role,
    address: base.address,
    rtoMs: base.rto_ms,
    siteLostRpoMs: base.rpo_site_lost_ms,
    copiesWanted: base.copies,
    // A stream may have gone on since the moment of the page was read.
    siteLostExposureMs: offSite.length ? Math.max(0, asOfMs - Math.max(...offSite)) : null,
    share30: summariseExposure([...usable.flatMap(usableSpans), ...stood], monthMs, asOfMs, standing.rpoMs, flows)
      .shareWithin,
    streams,
    pauses,
    lastRtaMs: await lastRta(db, proofs.find((p) => p.state === 'passed')?.id, id),
    policy: enrolment
      ? {
          id: enrolment.policy_id,
          name: enrolment.name,
          inStep: enrolment.revision === enrolment.newest,
          revision: enrolment.revision,
        }
      : null,
    answers: enrolment?.reason.answers ?? [],
    alsoFits: enrolment?.reason.alsoFits ?? [],
    lanes: lanes.map((l) => ({
      key: l.key,
      cadence: describeLaneCadence(l),
      ladder: describeLadder(l.ladder),
      consistency: l.consistency,
      dueMs: dues.find((d) => d.lane_key === l.key)?.due_ms ?? null,
      together: l.together ? (enrolment?.fellows ?? 0) : 0,
    })),
    disks: disks.map((d) => ({
      number: d.number,
      role: d.role,
      sizeBytes: d.size_bytes,
      inCopy: lanes.length > 0 && !excluded.has(d.role as never),
    })),
    points,
    runs: runs.map((r) => ({
      id: r.id,
      lane: r.lane_key,
      state: r.state,
      occurrenceMs: r.occurrence_ms,
      endedMs: r.ended_ms,
      detail: r.detail,
    })),
    proofs: proofs.map((p) => ({ drillId: p.id, outcome: p.state, atMs: p.ended_ms, runbook: p.name })),
  };
}

interface EnrolmentRow {
  policy_id: number;
  name: string;
  revision: number;
  newest: number;
  fellows: number;
  lanes: readonly Lane[];
  reason: { readonly answers: readonly Answer[]; readonly alsoFits: readonly string[] };
}

async function enrolmentOf(db: Database, workloadId: number): Promise<EnrolmentRow | null> {
  const row = await selectOne<EnrolmentRow>(
    db,
    `SELECT e.policy_id, p.name, e.revision, p.revision newest, r.lanes, e.reason,
            (SELECT COUNT(*) - 1 FROM enrolments f JOIN workloads v ON v.id = f.workload_id
              WHERE f.policy_id = e.policy_id AND f.revision = e.revision AND v.application_id = w.application_id) fellows
       FROM enrolments e JOIN policies p ON p.id = e.policy_id JOIN workloads w ON w.id = e.workload_id
       JOIN policy_revisions r ON r.policy_id = e.policy_id AND r.revision = e.revision WHERE e.workload_id = ?`,
    [workloadId],
  );
  return row ? { ...row, lanes: parseJson(row.lanes), reason: parseJson(row.reason) } : null;
}

interface PointRow {
  id: number;
  run_id: number;
  kind: LaneKind;
  lane_key: string;
  place: string;
  site: string;
  taken_ms: EpochMs;
  usable_ms: EpochMs;
  consistency: Consistency;
  digest: string;
  stored_bytes: number;
  held_at_ms: EpochMs | null;
  held_reason: string | null;
  held_by: string | null;
  immutable_until_ms: EpochMs | null;
  bad_ms: EpochMs | null;
  bad_cause: 'rotten' | 'missing' | null;
  repaired_ms: EpochMs | null;
  verified_ms: EpochMs | null;
  together: number;
}

async function pointViews(
  db: Database,
  workloadId: number,
  asOfMs: EpochMs,
  lanes: readonly Lane[],
): Promise<PointView[]> {
  const rows = await select<PointRow>(
    db,
    `SELECT p.id, p.run_id, p.kind, p.lane_key, COALESCE(r.name, d.name) place, s.name site, p.taken_ms, p.usable_ms, p.consistency, p.digest, p.stored_bytes,
            p.held_at_ms, p.held_reason, u.full_name held_by, p.immutable_until_ms,
            p.bad_ms, p.bad_cause, p.repaired_ms, p.verified_ms,
            IF(p.group_key IS NULL, 0, (SELECT COUNT(*) - 1 FROM points g WHERE g.group_key = p.group_key AND g.taken_ms = p.taken_ms)) together
       FROM points p JOIN sites s ON s.id = p.site_id LEFT JOIN users u ON u.id = p.held_by
       LEFT JOIN repositories r ON p.place_kind = 'repository' AND r.id = p.place_id
       LEFT JOIN datastores d ON p.place_kind = 'datastore' AND d.id = p.place_id
      WHERE p.workload_id = ? AND p.usable_ms <= ? AND (p.gone_ms IS NULL OR p.gone_ms > ?) ORDER BY p.taken_ms DESC`,
    [workloadId, asOfMs, asOfMs],
  );
  const reasons = new Map<string, { why: string; untilMs: EpochMs | null }>();
  for (const [laneKey, list] of groupBy(rows, (row) => row.lane_key)) {
    const ladder: Ladder | undefined = lanes.find((l) => l.key === laneKey)?.ladder;
    if (!ladder) continue;
    const seen = list.map((p) => ({
      id: String(p.id),
      takenAtMs: p.taken_ms,
      ...(p.held_at_ms !== null
        ? { heldUntilMs: Infinity }
        : p.immutable_until_ms !== null
          ? { heldUntilMs: p.immutable_until_ms }
          : {}),
    }));
    for (const keep of evaluateLadder(ladder, seen, asOfMs).keep) reasons.set(keep.id, keep);
  }
  return rows.map((p) => ({
    id: p.id,
    runId: p.run_id,
    kind: p.kind,
    lane: p.lane_key,
    place: p.place,
    site: p.site,
    takenMs: p.taken_ms,
    usableMs: p.usable_ms,
    consistency: p.consistency,
    digest: p.digest,
    storedBytes: p.stored_bytes,
    why: reasons.get(String(p.id))?.why ?? 'goes at the next thinning',
    untilMs: reasons.get(String(p.id))?.untilMs ?? null,
    held: p.held_at_ms !== null ? { reason: p.held_reason ?? '', by: p.held_by ?? '' } : null,
    immutableUntilMs: p.immutable_until_ms,
    bad:
      p.bad_ms !== null && p.bad_ms <= asOfMs && (p.repaired_ms === null || p.repaired_ms > asOfMs)
        ? p.bad_cause
        : null,
    verifiedMs: p.verified_ms,
    together: p.together,
  }));
}

async function lastRta(db: Database, drillId: number | undefined, workloadId: number): Promise<number | null> {
  if (drillId === undefined) return null;
  const row = await selectOne<{
    record: { members: ReadonlyArray<{ workloadId: number; rtaMs: number | null }> } | string;
  }>(db, 'SELECT record FROM drills WHERE id = ?', [drillId]);
  return row ? (parseJson(row.record).members.find((m) => m.workloadId === workloadId)?.rtaMs ?? null) : null;
}
