/** Where every workload stands at a moment: the one query behind Watch, Workloads and the summary. */
import { CLOSING_HORIZON_MS, standingOf, type Standing } from '@/core/point/exposure';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { USABLE_AT } from '@/store/good';
import { STREAM_THROUGH_AT } from '@/store/streams';

export interface WorkloadStanding {
  readonly id: number;
  readonly name: string;
  readonly applicationId: number;
  readonly application: string;
  readonly tier: number;
  readonly siteId: number;
  readonly site: string;
  readonly takenMs: EpochMs | null;
  readonly rpoMs: number;
  /** null: no usable point at all. */
  readonly exposureMs: number | null;
  readonly standing: Standing;
  /** When it goes over if nothing newer becomes usable; null where it already is. */
  readonly overAtMs: EpochMs | null;
  readonly unproven: boolean;
  readonly provenMs: EpochMs | null;
}

interface Row {
  id: number;
  name: string;
  application_id: number;
  application: string;
  tier: number;
  site_id: number;
  site: string;
  taken_ms: EpochMs | null;
  rpo_ms: number;
  drill_interval_ms: number;
  proven_ms: EpochMs | null;
  expected_ms: EpochMs | null;
}

const COMMON = `w.id, w.name, w.application_id, a.name application, a.tier_id tier, w.site_id, s.name site, t.rpo_ms, t.drill_interval_ms`;
const TABLES = `workloads w JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id JOIN sites s ON s.id = w.site_id`;

/** Expected: the soonest that a lane which does not fail, or a run already begun, should have a point usable. */
const NOW_SQL = `SELECT ${COMMON}, w.newest_taken_ms taken_ms, w.last_passed_drill_ms proven_ms,
    LEAST(COALESCE(plan.expected_ms, run.expected_ms), COALESCE(run.expected_ms, plan.expected_ms)) expected_ms
  FROM ${TABLES}
  LEFT JOIN (SELECT workload_id, MIN(due_ms + typical_ms) expected_ms FROM schedules WHERE failing_since_ms IS NULL GROUP BY workload_id) plan
    ON plan.workload_id = w.id
  LEFT JOIN (SELECT r.workload_id, MIN(r.occurrence_ms + c.typical_ms) expected_ms FROM runs r
               JOIN schedules c ON c.enrolment_id = r.enrolment_id AND c.lane_key = r.lane_key AND c.failing_since_ms IS NULL
              WHERE r.state IN ('running','waiting') GROUP BY r.workload_id) run ON run.workload_id = w.id`;

/** In the past what came is known: expected is not asked, the next miss is. */
const PAST_SQL = `SELECT ${COMMON},
    NULLIF(GREATEST(
      COALESCE((SELECT p.taken_ms FROM points p WHERE p.workload_id = w.id AND ${USABLE_AT} ORDER BY p.taken_ms DESC LIMIT 1), 0),
      COALESCE(${STREAM_THROUGH_AT}, 0)), 0) taken_ms,
    (SELECT MAX(d.ended_ms) FROM drills d JOIN runbooks b ON b.id = d.runbook_id
      WHERE d.state = 'passed' AND d.ended_ms <= :at AND b.application_id = w.application_id AND b.source_site_id = w.site_id) proven_ms,
    NULL expected_ms FROM ${TABLES}`;

/** All workloads, in the order of tier, site, application and name. */
export async function standings(db: Database, asOfMs: EpochMs, isNow: boolean): Promise<WorkloadStanding[]> {
  const order = ' ORDER BY a.tier_id, w.site_id, w.application_id, w.name';
  const rows = await select<Row>(db, (isNow ? NOW_SQL : PAST_SQL) + order, { at: asOfMs });
  const nextMiss = isNow ? new Map<number, EpochMs>() : await missesSoonAfter(db, asOfMs);
  return rows.map((row) => toStanding(row, asOfMs, isNow, nextMiss.get(row.id) ?? null));
}

function toStanding(row: Row, asOfMs: EpochMs, isNow: boolean, missMs: EpochMs | null): WorkloadStanding {
  const exposureMs = row.taken_ms === null ? null : Math.max(0, asOfMs - row.taken_ms);
  const expected = isNow ? row.expected_ms : missMs === null ? asOfMs : Infinity;
  const standing = standingOf(exposureMs, row.rpo_ms, asOfMs, expected);
  return {
    id: row.id,
    name: row.name,
    applicationId: row.application_id,
    application: row.application,
    tier: row.tier,
    siteId: row.site_id,
    site: row.site,
    takenMs: row.taken_ms,
    rpoMs: row.rpo_ms,
    exposureMs,
    standing,
    overAtMs: row.taken_ms === null || standing === 'over' ? null : row.taken_ms + row.rpo_ms,
    unproven: row.proven_ms === null || asOfMs - row.proven_ms > row.drill_interval_ms,
    provenMs: row.proven_ms,
  };
}

async function missesSoonAfter(db: Database, atMs: EpochMs): Promise<Map<number, EpochMs>> {
  const rows = await select<{ workload_id: number; from_ms: EpochMs }>(
    db,
    'SELECT workload_id, MIN(from_ms) from_ms FROM misses WHERE from_ms > ? AND from_ms <= ? GROUP BY workload_id',
    [atMs, atMs + CLOSING_HORIZON_MS],
  );
  return new Map(rows.map((row) => [row.workload_id, row.from_ms]));
}

export interface StandingCounts {
  readonly total: number;
  readonly over: number;
  readonly closing: number;
  readonly unproven: number;
}

/** Inside includes closing: total = over + inside. */
export function countStandings(list: readonly WorkloadStanding[]): StandingCounts {
  return {
    total: list.length,
    over: list.filter((w) => w.standing === 'over').length,
    closing: list.filter((w) => w.standing === 'closing').length,
    unproven: list.filter((w) => w.unproven).length,
  };
}
