/** What the forecast starts from: workloads, lanes and what they send, lines and movers, as they stand now. */
import type { ForecastInput, ForecastLane } from '@/core/forecast/simulate';
import { drivingCadence } from '@/core/protect/policy';
import { longestGap } from '@/core/time/cadence';
import { DAY, HOUR, MINUTE, type DurationMs, type EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { lanesReader } from '@/store/schedules';

/** How far ahead, and how finely. */
export const AHEAD_MS: DurationMs = 2 * DAY;
const BIN_MS = 30 * MINUTE;
/** What lanes send is taken from this far back. */
const LEARN_MS: DurationMs = 2 * DAY;
/** Assumed for a lane that has not run lately: common practice, no source. */
const ASSUMED_SETUP_MS = MINUTE;

interface LaneRow {
  workload_id: number;
  lane_key: string;
  policy_id: number;
  revision: number;
  failing: number;
  kind: string | null;
  place_kind: string | null;
  place_site: number | null;
  sent: number | null;
  setup_ms: number | null;
  last_taken_ms: EpochMs | null;
}

export async function forecastInput(db: Database, nowMs: EpochMs): Promise<ForecastInput> {
  const [workloads, rows, links, movers] = await Promise.all([
    select<{ id: number; site_id: number; rpo_ms: number; tier: number; newest: EpochMs | null; bytes: number | null }>(
      db,
      `SELECT w.id, w.site_id, t.rpo_ms, t.id tier, w.newest_taken_ms newest, SUM(d.size_bytes) bytes FROM workloads w
         JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id LEFT JOIN disks d ON d.workload_id = w.id
        GROUP BY w.id ORDER BY w.id`,
    ),
    select<LaneRow>(
      db,
      `SELECT s.workload_id, s.lane_key, e.policy_id, e.revision, s.failing_since_ms IS NOT NULL failing, p.kind, p.place_kind,
              p.site_id place_site, p.sent, p.setup_ms, p.last_taken_ms
         FROM schedules s JOIN enrolments e ON e.id = s.enrolment_id
         LEFT JOIN (SELECT p.workload_id, p.lane_key, MAX(p.kind) kind, MAX(p.place_kind) place_kind, MAX(p.site_id) site_id,
                           AVG(r.sent_bytes) sent, MIN(p.usable_ms - p.taken_ms) setup_ms, MAX(p.taken_ms) last_taken_ms
                      FROM workloads w STRAIGHT_JOIN points p ON p.workload_id = w.id AND p.taken_ms > ? STRAIGHT_JOIN runs r ON r.id = p.run_id
                     GROUP BY p.workload_id, p.lane_key) p
           ON p.workload_id = s.workload_id AND p.lane_key = s.lane_key
        ORDER BY s.workload_id, s.lane_key`,
      [nowMs - LEARN_MS],
    ),
    select<{ id: number; name: string; site_a: number; site_b: number; rate_bps: number; factor: number | null }>(
      db,
      `SELECT l.id, l.name, l.site_a, l.site_b, l.rate_bps, c.factor FROM links l
         LEFT JOIN conditions c ON c.subject = l.name AND c.to_ms IS NULL ORDER BY l.id`,
    ),
    select<{ site_id: number; name: string; slots: number; rate_bps: number }>(
      db,
      'SELECT site_id, name, slots, rate_bps FROM movers ORDER BY id',
    ),
  ]);
  const index = new Map(workloads.map((w, i) => [w.id, i]));
  const lanesOf = lanesReader(db);
  const placeSite = new Map(rows.map((row) => [`${row.workload_id}/${row.lane_key}`, row.place_site]));
  const lanes: ForecastLane[] = [];
  for (const row of rows) {
    const i = index.get(row.workload_id);
    const all = await lanesOf(row.policy_id, row.revision);
    const lane = all.find((l) => l.key === row.lane_key);
    const workload = i === undefined ? undefined : workloads[i];
    if (i === undefined || !workload || !lane) continue;
    // A copy is sent from where the lane that it copies keeps its points.
    const fromSite = placeSite.get(`${row.workload_id}/${lane.source ?? ''}`) ?? workload.site_id;
    const mover = movers.findIndex((m) => m.site_id === fromSite);
    const link = links.findIndex((l) => joins(l, fromSite, row.place_site ?? fromSite));
    const sends = lane.kind !== 'snapshot';
    lanes.push({
      workload: i,
      key: row.lane_key,
      cadence: lane.kind === 'stream' ? { kind: 'continuous' } : lane.cadence,
      over: sends ? [...(mover < 0 ? [] : [mover]), ...(link < 0 ? [] : [movers.length + link])] : [],
      mover: sends ? mover : -1,
      setupMs: row.setup_ms ?? ASSUMED_SETUP_MS,
      bytesPerMs: sends ? (row.sent ?? 0) / Math.max(MINUTE, longestGap(drivingCadence(all, lane)) ?? HOUR) : 0,
      mostBytes: sends ? (workload.bytes ?? 0) : 0,
      lastTakenMs: row.last_taken_ms ?? workload.newest ?? nowMs,
      blocked: Boolean(row.failing),
    });
  }
  return {
    fromMs: nowMs,
    toMs: nowMs + AHEAD_MS,
    binMs: BIN_MS,
    resources: [
      ...movers.map((m) => ({ id: m.name, bps: m.rate_bps })),
      ...links.map((l) => ({ id: l.name, bps: l.rate_bps * (l.factor ?? 1) })),
    ],
    movers: movers.map((m) => ({ id: m.name, slots: m.slots })),
    workloads: workloads.map((w) => ({ id: w.id, rpoMs: w.rpo_ms, priority: w.tier, newestTakenMs: w.newest })),
    lanes,
  };
}

function joins(link: { readonly site_a: number; readonly site_b: number }, a: number, b: number): boolean {
  return a !== b && ((link.site_a === a && link.site_b === b) || (link.site_a === b && link.site_b === a));
}
