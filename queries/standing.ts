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

/** What depends on the moment. */
interface Facts {
  readonly takenMs: EpochMs | null;
  readonly provenMs: EpochMs | null;
  /** The soonest that a point should be usable; null: none is expected. */
  readonly expectedMs: EpochMs | null;
}
type FactsOf = (workload: WorkloadRow) => Facts;

/** All workloads, in the order of tier, site, application and name. */
export async function standings(db: Database, asOfMs: EpochMs, isNow: boolean): Promise<WorkloadStanding[]> {
  // Joined here: names of applications and sites would else be read ten thousand times.
  const [workloads, applications, sites, factsOf] = await Promise.all([
    select<WorkloadRow>(
      db,
      'SELECT id, name, application_id, site_id, newest_taken_ms, last_passed_drill_ms FROM workloads',
    ),
    select<ApplicationRow>(
      db,
      'SELECT a.id, a.name, t.id tier, t.rpo_ms, t.drill_interval_ms FROM applications a JOIN tiers t ON t.id = a.tier_id',
    ),
    select<{ id: number; name: string }>(db, 'SELECT id, name FROM sites'),
    isNow ? factsNow(db, asOfMs) : factsThen(db, asOfMs),
  ]);
  const applicationOf = new Map(applications.map((a) => [a.id, a]));
  const siteOf = new Map(sites.map((s) => [s.id, s.name]));
  const list = workloads.flatMap((workload) => {
    const application = applicationOf.get(workload.application_id);
    const site = siteOf.get(workload.site_id) ?? '';
    return application ? [standingIn(workload, application, site, factsOf(workload), asOfMs)] : [];
  });
  return list.sort(
    (a, b) => a.tier - b.tier || a.siteId - b.siteId || a.applicationId - b.applicationId || (a.name < b.name ? -1 : 1),
  );
}

interface WorkloadRow {
  readonly id: number;
  readonly name: string;
  readonly application_id: number;
  readonly site_id: number;
  readonly newest_taken_ms: EpochMs | null;
  readonly last_passed_drill_ms: EpochMs | null;
}
interface ApplicationRow {
  readonly id: number;
  readonly name: string;
  readonly tier: number;
  readonly rpo_ms: number;
  readonly drill_interval_ms: number;
}

/** Each field by itself: copied with others it would make a slow object, ten thousand times. */
function standingIn(
  workload: WorkloadRow,
  application: ApplicationRow,
  site: string,
  { takenMs, provenMs, expectedMs }: Facts,
  asOfMs: EpochMs,
): WorkloadStanding {
  const rpoMs = application.rpo_ms;
  const exposureMs = takenMs === null ? null : Math.max(0, asOfMs - takenMs);
  const standing = standingOf(exposureMs, rpoMs, asOfMs, expectedMs);
  return {
    id: workload.id,
    name: workload.name,
    applicationId: application.id,
    application: application.name,
    tier: application.tier,
    siteId: workload.site_id,
    site,
    takenMs,
    rpoMs,
    exposureMs,
    standing,
    overAtMs: takenMs === null || standing === 'over' ? null : takenMs + rpoMs,
    unproven: provenMs === null || asOfMs - provenMs > application.drill_interval_ms,
    provenMs,
  };
}

/**
 * Expected now: the soonest that a lane which does not fail, or a run already begun, should have a point usable. What is due
 * after the horizon of closing comes too late to matter, and is not read.
 */
async function factsNow(db: Database, nowMs: EpochMs): Promise<FactsOf> {
  const [planned, begun] = await Promise.all([
    select<Expected>(
      db,
      'SELECT workload_id, due_ms + typical_ms expected_ms FROM schedules WHERE failing_since_ms IS NULL AND due_ms <= ?',
      [nowMs + CLOSING_HORIZON_MS],
    ),
    select<Expected>(
      db,
      `SELECT r.workload_id, r.occurrence_ms + c.typical_ms expected_ms FROM runs r
         JOIN schedules c ON c.enrolment_id = r.enrolment_id AND c.lane_key = r.lane_key AND c.failing_since_ms IS NULL
        WHERE r.state IN ('running','waiting')`,
    ),
  ]);
  const soonest = new Map<number, EpochMs>();
  for (const { workload_id, expected_ms } of [...planned, ...begun])
    if (expected_ms < (soonest.get(workload_id) ?? Infinity)) soonest.set(workload_id, expected_ms);
  return ({ id, newest_taken_ms, last_passed_drill_ms }) => ({
    takenMs: newest_taken_ms,
    provenMs: last_passed_drill_ms,
    expectedMs: soonest.get(id) ?? null,
  });
}

interface Expected {
  workload_id: number;
  expected_ms: EpochMs;
}
const NOTHING: Facts = { takenMs: null, provenMs: null, expectedMs: null };

/** In the past what came is known: what was to be expected is told by whether a miss followed. */
async function factsThen(db: Database, atMs: EpochMs): Promise<FactsOf> {
  const [rows, missed] = await Promise.all([
    select<{ id: number; taken_ms: EpochMs | null; proven_ms: EpochMs | null }>(
      db,
      `SELECT w.id, NULLIF(GREATEST(
          COALESCE((SELECT p.taken_ms FROM points p WHERE p.workload_id = w.id AND ${USABLE_AT} ORDER BY p.taken_ms DESC LIMIT 1), 0),
          COALESCE(${STREAM_THROUGH_AT}, 0)), 0) taken_ms, d.proven_ms
         FROM workloads w LEFT JOIN (SELECT b.application_id, b.source_site_id, MAX(d.ended_ms) proven_ms FROM drills d
             JOIN runbooks b ON b.id = d.runbook_id WHERE d.state = 'passed' AND d.ended_ms <= :at
            GROUP BY b.application_id, b.source_site_id) d
           ON d.application_id = w.application_id AND d.source_site_id = w.site_id`,
      { at: atMs },
    ),
    missedSoonAfter(db, atMs),
  ]);
  const facts = new Map(
    rows.map((row) => [
      row.id,
      { takenMs: row.taken_ms, provenMs: row.proven_ms, expectedMs: missed.has(row.id) ? Infinity : atMs },
    ]),
  );
  return ({ id }) => facts.get(id) ?? NOTHING;
}

async function missedSoonAfter(db: Database, atMs: EpochMs): Promise<Set<number>> {
  const rows = await select<{ workload_id: number }>(
    db,
    'SELECT DISTINCT workload_id FROM misses WHERE from_ms > ? AND from_ms <= ?',
    [atMs, atMs + CLOSING_HORIZON_MS],
  );
  return new Set(rows.map((row) => row.workload_id));
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
