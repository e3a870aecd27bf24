/** What the forecast starts from: workloads, lanes and what they send, lines and movers, as they stand now. */
import { nextThrottleTurn, throttledRate, type Throttle } from '@/core/flow/throttle';
import type { ForecastInput, ForecastLane, ForecastResource } from '@/core/forecast/forecast';
import { drivingCadence, type Lane } from '@/core/protect/policy';
import { staggerMs } from '@/core/protect/stagger';
import { longestGap } from '@/core/time/cadence';
import { shutSpans, type Span } from '@/core/time/window';
import { DAY, HOUR, MINUTE, type DurationMs, type EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { lanesReader, parseJson } from '@/store/schedules';

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

interface WorkloadRow {
  id: number;
  site_id: number;
  application_id: number;
  rpo_ms: number;
  tier: number;
  newest: EpochMs | null;
  bytes: number | null;
}
interface LinkRow {
  id: number;
  name: string;
  site_a: number;
  site_b: number;
  rate_bps: number;
  throttles: string | readonly Throttle[];
  factor: number | null;
}
interface Pause {
  scope: 'workload' | 'site' | 'policy';
  scope_id: number;
  from_ms: EpochMs;
  to_ms: EpochMs;
}

export async function forecastInput(db: Database, nowMs: EpochMs): Promise<ForecastInput> {
  const toMs = nowMs + AHEAD_MS;
  const [workloads, rows, links, movers, pauses] = await Promise.all([
    select<WorkloadRow>(
      db,
      `SELECT w.id, w.site_id, w.application_id, t.rpo_ms, t.id tier, w.newest_taken_ms newest, SUM(d.size_bytes) bytes FROM workloads w
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
    select<LinkRow>(
      db,
      `SELECT l.id, l.name, l.site_a, l.site_b, l.rate_bps, l.throttles, c.factor FROM links l
         LEFT JOIN conditions c ON c.subject = l.name AND c.to_ms IS NULL ORDER BY l.id`,
    ),
    select<{ site_id: number; name: string; slots: number; rate_bps: number }>(
      db,
      'SELECT site_id, name, slots, rate_bps FROM movers ORDER BY id',
    ),
    select<Pause>(db, 'SELECT scope, scope_id, from_ms, to_ms FROM pauses WHERE to_ms > ? AND from_ms < ?', [
      nowMs,
      toMs,
    ]),
  ]);
  const index = new Map(workloads.map((w, i) => [w.id, i]));
  const lanesOf = lanesReader(db);
  const shutOf = shutReader(pauses, nowMs, toMs);
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
      ...(lane.together ? { shiftMs: staggerMs(lane.cadence, workload.application_id) } : {}),
      over: sends ? [...(mover < 0 ? [] : [mover]), ...(link < 0 ? [] : [movers.length + link])] : [],
      mover: sends ? mover : -1,
      setupMs: row.setup_ms ?? ASSUMED_SETUP_MS,
      bytesPerMs: sends ? (row.sent ?? 0) / Math.max(MINUTE, longestGap(drivingCadence(all, lane)) ?? HOUR) : 0,
      mostBytes: sends ? (workload.bytes ?? 0) : 0,
      lastTakenMs: row.last_taken_ms ?? workload.newest ?? nowMs,
      blocked: Boolean(row.failing),
      // A stream flows on through pauses and windows: they hold its marks.
      ...(lane.kind === 'stream' ? {} : shutOf(row, lane, workload)),
    });
  }
  return {
    fromMs: nowMs,
    toMs,
    binMs: BIN_MS,
    resources: [
      ...movers.map((m) => ({ id: m.name, bps: m.rate_bps })),
      ...links.map((link) => lineOf(link, nowMs, toMs)),
    ],
    movers: movers.map((m) => ({ id: m.name, slots: m.slots })),
    workloads: workloads.map((w) => ({ id: w.id, rpoMs: w.rpo_ms, priority: w.tier, newestTakenMs: w.newest })),
    lanes,
  };
}

/** A link as it will be throttled; a line that is slow now stays so. */
function lineOf(link: LinkRow, fromMs: EpochMs, toMs: EpochMs): ForecastResource {
  const throttles = parseJson<readonly Throttle[]>(link.throttles);
  const bps = link.rate_bps * (link.factor ?? 1);
  const turns: Array<{ atMs: EpochMs; bps: number }> = [];
  for (
    let at: EpochMs | null = throttles.length ? fromMs : null;
    at !== null;
    at = nextThrottleTurn(throttles, at, toMs)
  )
    turns.push({ atMs: at, bps: throttledRate(bps, throttles, at) });
  return { id: link.name, bps, ...(turns.length ? { turns } : {}) };
}

/** When no run of a lane may start; what many lanes have alike is computed once. */
function shutReader(pauses: readonly Pause[], fromMs: EpochMs, toMs: EpochMs) {
  const known = new Map<string, readonly Span[]>();
  return (row: Pick<LaneRow, 'policy_id'>, { opening }: Lane, of: WorkloadRow): { readonly shut?: readonly Span[] } => {
    const scopes = { workload: of.id, site: of.site_id, policy: row.policy_id };
    const held = pauses.filter((pause) => scopes[pause.scope] === pause.scope_id);
    if (!opening && !held.length) return {};
    const key = JSON.stringify([opening, held]);
    let shut = known.get(key);
    if (!shut) {
      const paused = held.map((pause) => ({ kind: 'dated' as const, fromMs: pause.from_ms, toMs: pause.to_ms }));
      const blackouts = [...(opening?.blackouts ?? []), ...paused];
      known.set(key, (shut = shutSpans({ windows: opening?.windows ?? [], blackouts }, fromMs, toMs)));
    }
    return shut.length ? { shut } : {};
  };
}

function joins(link: { readonly site_a: number; readonly site_b: number }, a: number, b: number): boolean {
  return a !== b && ((link.site_a === a && link.site_b === b) || (link.site_a === b && link.site_b === a));
}
