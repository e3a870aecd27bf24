/** Lists for the API: windows of rows by their id, the newest first, with a cursor that stays true while rows come and go. */
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { parseJson } from '@/store/schedules';

export interface Page<Item> {
  readonly items: readonly Item[];
  /** Id to go on after; null: this was the last. */
  readonly nextAfter: number | null;
}

export interface ListOptions {
  readonly after: number | null;
  readonly limit: number;
  /** Columns that must equal a value; null values are left out. */
  readonly where: Readonly<Record<string, string | number | null>>;
}

/** An instant as text; null stays null. */
export const instant = (ms: EpochMs | null): string | null => (ms === null ? null : new Date(ms).toISOString());

async function page<Row extends { id: number }, Item>(
  db: Database,
  sql: string,
  key: string,
  { after, limit, where }: ListOptions,
  item: (row: Row) => Item,
): Promise<Page<Item>> {
  const conditions: string[] = [];
  const values: unknown[] = [];
  for (const [column, value] of Object.entries(where)) {
    if (value === null) continue;
    conditions.push(`${column} = ?`);
    values.push(value);
  }
  if (after !== null) {
    conditions.push(`${key} < ?`);
    values.push(after);
  }
  const rows = await select<Row>(
    db,
    `${sql} ${conditions.length ? `WHERE ${conditions.join(' AND ')}` : ''} ORDER BY ${key} DESC LIMIT ?`,
    [...values, limit + 1],
  );
  const shown = rows.slice(0, limit);
  return { items: shown.map(item), nextAfter: rows.length > limit ? (shown.at(-1)?.id ?? null) : null };
}

interface WorkloadRow {
  id: number;
  name: string;
  application: string;
  tier: number;
  site: string;
  policy_id: number | null;
  rpo_ms: number;
  newest_taken_ms: EpochMs | null;
}

export function listWorkloads(db: Database, options: ListOptions, nowMs: EpochMs) {
  return page(
    db,
    `SELECT w.id, w.name, a.name application, a.tier_id tier, s.name site, e.policy_id, t.rpo_ms, w.newest_taken_ms
       FROM workloads w JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id
       JOIN sites s ON s.id = w.site_id LEFT JOIN enrolments e ON e.workload_id = w.id`,
    'w.id',
    options,
    (w: WorkloadRow) => ({
      id: w.id,
      name: w.name,
      application: w.application,
      tier: w.tier,
      site: w.site,
      policyId: w.policy_id,
      rpoSeconds: w.rpo_ms / 1000,
      newestPointTakenAt: instant(w.newest_taken_ms),
      exposureSeconds: w.newest_taken_ms === null ? null : Math.max(0, Math.round((nowMs - w.newest_taken_ms) / 1000)),
    }),
  );
}

export function listPolicies(db: Database, options: ListOptions) {
  return page(
    db,
    `SELECT p.id, p.name, p.note, p.revision, r.lanes, r.rule FROM policies p
       JOIN policy_revisions r ON r.policy_id = p.id AND r.revision = p.revision`,
    'p.id',
    options,
    (p: {
      id: number;
      name: string;
      note: string;
      revision: number;
      lanes: string | object[];
      rule: string | { takes: string };
    }) => ({
      id: p.id,
      name: p.name,
      note: p.note,
      revision: p.revision,
      selector: parseJson(p.rule).takes,
      lanes: parseJson(p.lanes),
    }),
  );
}

export function listEnrolments(db: Database, options: ListOptions) {
  return page(
    db,
    'SELECT e.id, e.workload_id, e.policy_id, e.revision, p.revision newest, e.since_ms FROM enrolments e JOIN policies p ON p.id = e.policy_id',
    'e.id',
    options,
    (e: {
      id: number;
      workload_id: number;
      policy_id: number;
      revision: number;
      newest: number;
      since_ms: EpochMs;
    }) => ({
      id: e.id,
      workloadId: e.workload_id,
      policyId: e.policy_id,
      revision: e.revision,
      inStep: e.revision === e.newest,
      since: instant(e.since_ms),
    }),
  );
}

interface RunRow {
  id: number;
  workload_id: number;
  policy_id: number;
  lane_key: string;
  kind: string;
  state: string;
  attempt: number;
  occurrence_ms: EpochMs;
  started_ms: EpochMs | null;
  ended_ms: EpochMs | null;
  sent_bytes: number | null;
  stored_bytes: number | null;
  cause_code: string | null;
  cause_subject: string | null;
  detail: string | null;
  remedy: string | null;
}

export function listRuns(db: Database, options: ListOptions) {
  return page(
    db,
    `SELECT id, workload_id, policy_id, lane_key, kind, state, attempt, occurrence_ms, started_ms, ended_ms, sent_bytes, stored_bytes,
            cause_code, cause_subject, detail, remedy FROM runs`,
    'id',
    options,
    (r: RunRow) => ({
      id: r.id,
      workloadId: r.workload_id,
      policyId: r.policy_id,
      lane: r.lane_key,
      kind: r.kind,
      state: r.state,
      attempt: r.attempt,
      occurrenceAt: instant(r.occurrence_ms),
      startedAt: instant(r.started_ms),
      endedAt: instant(r.ended_ms),
      sentBytes: r.sent_bytes,
      storedBytes: r.stored_bytes,
      cause: r.cause_code ? { code: r.cause_code, subject: r.cause_subject, detail: r.detail, remedy: r.remedy } : null,
    }),
  );
}

interface PointRow {
  id: number;
  run_id: number;
  workload_id: number;
  lane_key: string;
  kind: string;
  place_kind: string;
  place_id: number;
  consistency: string;
  taken_ms: EpochMs;
  usable_ms: EpochMs;
  gone_ms: EpochMs | null;
  held_at_ms: EpochMs | null;
  immutable_until_ms: EpochMs | null;
  verified_ms: EpochMs | null;
  bad: number;
  digest: string;
  stored_bytes: number;
}

export function listPoints(db: Database, options: ListOptions) {
  return page(
    db,
    `SELECT id, run_id, workload_id, lane_key, kind, place_kind, place_id, consistency, taken_ms, usable_ms, gone_ms, held_at_ms,
            immutable_until_ms, verified_ms, bad_ms IS NOT NULL AND repaired_ms IS NULL bad, digest, stored_bytes FROM points`,
    'id',
    options,
    (p: PointRow) => ({
      id: p.id,
      runId: p.run_id,
      workloadId: p.workload_id,
      lane: p.lane_key,
      kind: p.kind,
      place: { kind: p.place_kind, id: p.place_id },
      consistency: p.consistency,
      takenAt: instant(p.taken_ms),
      usableAt: instant(p.usable_ms),
      goneAt: instant(p.gone_ms),
      held: p.held_at_ms !== null,
      immutableUntil: instant(p.immutable_until_ms),
      verifiedAt: instant(p.verified_ms),
      bad: Boolean(p.bad),
      digest: p.digest,
      storedBytes: p.stored_bytes,
    }),
  );
}
