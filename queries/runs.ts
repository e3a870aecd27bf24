/** Runs: what is running, what failed, why, what now. */
import type { RunStepView } from '@/core/protect/run';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { parseJson } from '@/store/schedules';

export interface RunFilter {
  readonly state: string;
  readonly cause: string;
  readonly subject: string;
  readonly text: string;
}

export interface RunView {
  readonly id: number;
  readonly workloadId: number;
  readonly workload: string;
  readonly policy: string;
  readonly lane: string;
  readonly state: string;
  readonly startedBy: string;
  readonly attempt: number;
  readonly occurrenceMs: EpochMs;
  readonly startedMs: EpochMs | null;
  readonly endedMs: EpochMs | null;
  readonly notBeforeMs: EpochMs;
  /** What a waiting run waits for; null: its turn. */
  readonly waitsFor: string | null;
  readonly step: string | null;
  readonly steps: readonly RunStepView[];
  readonly inspectedBytes: number | null;
  readonly sentBytes: number | null;
  readonly totalBytes: number | null;
  readonly storedBytes: number | null;
  readonly rateBps: number | null;
  readonly cause: {
    readonly code: string;
    readonly subject: string;
    readonly detail: string;
    readonly remedy: string;
  } | null;
}

interface Row {
  id: number;
  workload_id: number;
  workload: string;
  policy: string;
  lane_key: string;
  state: string;
  started_by: string;
  attempt: number;
  occurrence_ms: EpochMs;
  started_ms: EpochMs | null;
  ended_ms: EpochMs | null;
  not_before_ms: EpochMs;
  waits_for: string | null;
  step: string | null;
  steps: readonly RunStepView[] | string | null;
  inspected_bytes: number | null;
  sent_bytes: number | null;
  total_bytes: number | null;
  stored_bytes: number | null;
  rate_bps: number | null;
  cause_code: string | null;
  cause_subject: string | null;
  detail: string | null;
  remedy: string | null;
}

const STATES = ['waiting', 'running', 'succeeded', 'failed', 'cancelled', 'missed'];
const SELECT = `SELECT r.*, w.name workload, p.name policy FROM runs r JOIN workloads w ON w.id = r.workload_id JOIN policies p ON p.id = r.policy_id`;

/** The newest runs up to a moment, at most `limit`, and how many there are by state in the day before it. */
export async function runList(
  db: Database,
  asOfMs: EpochMs,
  filter: RunFilter,
  limit: number,
): Promise<{ readonly runs: readonly RunView[]; readonly day: Readonly<Record<string, number>> }> {
  const where = ['r.occurrence_ms <= :at'];
  if (STATES.includes(filter.state)) where.push('r.state = :state');
  if (filter.cause) where.push('r.cause_code = :cause');
  if (filter.subject) where.push('r.cause_subject = :subject');
  if (filter.text) where.push('w.name LIKE :text');
  const values = {
    at: asOfMs,
    state: filter.state,
    cause: filter.cause,
    subject: filter.subject,
    text: `%${filter.text.replace(/[\\%_]/g, '\\$&')}%`,
    limit,
  };
  const [rows, day] = await Promise.all([
    select<Row>(
      db,
      `${SELECT} WHERE ${where.join(' AND ')} ORDER BY r.state = 'running' DESC, r.occurrence_ms DESC, r.id DESC LIMIT :limit`,
      values,
    ),
    select<{ state: string; n: number }>(
      db,
      'SELECT state, COUNT(*) n FROM runs WHERE occurrence_ms BETWEEN ? AND ? GROUP BY state',
      [asOfMs - 86_400_000, asOfMs],
    ),
  ]);
  return { runs: rows.map(viewOf), day: Object.fromEntries(day.map((d) => [d.state, d.n])) };
}

export async function runView(db: Database, id: number): Promise<RunView | null> {
  const [row] = await select<Row>(db, `${SELECT} WHERE r.id = ?`, [id]);
  return row ? viewOf(row) : null;
}

function viewOf(r: Row): RunView {
  return {
    id: r.id,
    workloadId: r.workload_id,
    workload: r.workload,
    policy: r.policy,
    lane: r.lane_key,
    state: r.state,
    startedBy: r.started_by,
    attempt: r.attempt,
    occurrenceMs: r.occurrence_ms,
    startedMs: r.started_ms,
    endedMs: r.ended_ms,
    notBeforeMs: r.not_before_ms,
    waitsFor: r.waits_for,
    step: r.step,
    steps: r.steps === null ? [] : parseJson<readonly RunStepView[]>(r.steps),
    inspectedBytes: r.inspected_bytes,
    sentBytes: r.sent_bytes,
    totalBytes: r.total_bytes,
    storedBytes: r.stored_bytes,
    rateBps: r.rate_bps,
    cause: r.cause_code
      ? { code: r.cause_code, subject: r.cause_subject ?? '', detail: r.detail ?? '', remedy: r.remedy ?? '' }
      : null,
  };
}
