/** Policies: what is promised, to whom, and who still runs an older revision. */
import type { LaneFacts } from '@/core/forecast/lane-preview';
import { describeLadder, steadyCount } from '@/core/protect/ladder-steady';
import { type Ladder } from '@/core/protect/ladder';
import { chainOf, describeLaneCadence, type Lane } from '@/core/protect/policy';
import { worstOfRegular } from '@/core/point/exposure';
import { longestGap, occurrences, type Cadence } from '@/core/time/cadence';
import { DAY, type EpochMs } from '@/core/units';
import { siteList } from '@/queries/places';
import { select, selectOne, type Database } from '@/store/database';
import { parseJson } from '@/store/schedules';

export interface LaneView {
  readonly lane: Lane;
  /** What it runs by: its own cadence, or that of the lane it comes after. */
  readonly runsBy: Cadence;
  readonly cadence: string;
  readonly ladder: string;
  /** Next due instants of the lane as such, before workloads are spread over it. */
  readonly nextMs: readonly EpochMs[];
  readonly steadyPoints: number;
  /** Cadence + the longest recent run; null for a lane run by hand. */
  readonly worstMs: number | null;
  readonly typicalMs: number;
}

export interface PolicyCard {
  readonly id: number;
  readonly name: string;
  readonly note: string;
  readonly revision: number;
  readonly workloads: number;
  readonly outOfStep: number;
  readonly lanes: readonly LaneView[];
}

export interface PolicyView extends PolicyCard {
  /** By lane; one that has not run lately is missing. */
  readonly facts: Readonly<Record<string, LaneFacts>>;
  /** Whom it takes: a selector as people write it. */
  readonly takes: string;
  /** Strictest RPO among its workloads, in ms; null if it has none. */
  readonly rpoMs: number | null;
  readonly members: ReadonlyArray<{
    readonly id: number;
    readonly name: string;
    readonly application: string;
    readonly tier: number;
    readonly revision: number;
  }>;
  readonly revisions: ReadonlyArray<{
    readonly revision: number;
    readonly createdMs: EpochMs;
    readonly by: string | null;
  }>;
}

interface Row {
  id: number;
  name: string;
  note: string;
  revision: number;
  lanes: Lane[] | string;
  rule: { readonly takes: string } | string;
  workloads: number;
  behind: number | null;
}

const SQL = `SELECT p.id, p.name, p.note, p.revision, r.lanes, r.rule, COUNT(e.id) workloads, SUM(e.revision <> p.revision) behind
  FROM policies p JOIN policy_revisions r ON r.policy_id = p.id AND r.revision = p.revision LEFT JOIN enrolments e ON e.policy_id = p.id`;

export async function policyCards(db: Database, nowMs: EpochMs): Promise<PolicyCard[]> {
  const rows = await select<Row>(db, `${SQL} GROUP BY p.id ORDER BY p.id`);
  return Promise.all(rows.map((row) => cardOf(db, row, nowMs)));
}

async function cardOf(db: Database, row: Row, nowMs: EpochMs): Promise<PolicyCard> {
  const slow = await select<{ lane_key: string; typical: number }>(
    db,
    'SELECT s.lane_key, MAX(s.typical_ms) typical FROM schedules s JOIN enrolments e ON e.id = s.enrolment_id WHERE e.policy_id = ? GROUP BY s.lane_key',
    [row.id],
  );
  const lanes = parseJson(row.lanes);
  return {
    id: row.id,
    name: row.name,
    note: row.note,
    revision: row.revision,
    workloads: row.workloads,
    outOfStep: row.behind ?? 0,
    lanes: lanes.map((lane) => {
      const chain = chainOf(lanes, lane);
      const typicalMs = chain.reduce((sum, l) => sum + (slow.find((s) => s.lane_key === l.key)?.typical ?? 0), 0);
      return laneView(lane, (chain.at(-1) as Lane).cadence, typicalMs, nowMs);
    }),
  };
}

function laneView(lane: Lane, runsBy: Cadence, typicalMs: number, nowMs: EpochMs): LaneView {
  // A stream flows between its marks: only the way there counts.
  const gap = lane.kind === 'stream' ? 0 : longestGap(runsBy);
  return {
    lane,
    runsBy,
    cadence: describeLaneCadence(lane),
    ladder: describeLadder(lane.ladder),
    typicalMs,
    nextMs: occurrences(runsBy, nowMs, nowMs + 8 * 86_400_000).slice(0, 6),
    steadyPoints: steadyPoints(lane.ladder, longestGap(runsBy), nowMs),
    worstMs: gap === null ? null : worstOfRegular(gap, typicalMs),
  };
}

function steadyPoints(ladder: Ladder, gapMs: number | null, nowMs: EpochMs): number {
  return gapMs === null ? 0 : steadyCount(ladder, gapMs, nowMs);
}

export async function policyView(db: Database, id: number, nowMs: EpochMs): Promise<PolicyView | null> {
  const row = await selectOne<Row>(db, `${SQL} WHERE p.id = ? GROUP BY p.id`, [id]);
  if (!row) return null;
  const [card, facts, members, revisions] = await Promise.all([
    cardOf(db, row, nowMs),
    laneFacts(db, id, nowMs),
    select<{ id: number; name: string; application: string; tier: number; revision: number; rpo_ms: number }>(
      db,
      `SELECT w.id, w.name, a.name application, a.tier_id tier, e.revision, t.rpo_ms FROM enrolments e JOIN workloads w ON w.id = e.workload_id
             JOIN applications a ON a.id = w.application_id JOIN tiers t ON t.id = a.tier_id WHERE e.policy_id = ? ORDER BY a.name, w.name`,
      [id],
    ),
    select<{ revision: number; created_at_ms: EpochMs; full_name: string | null }>(
      db,
      'SELECT r.revision, r.created_at_ms, u.full_name FROM policy_revisions r LEFT JOIN users u ON u.id = r.created_by WHERE r.policy_id = ? ORDER BY r.revision DESC',
      [id],
    ),
  ]);
  return {
    ...card,
    facts,
    takes: parseJson(row.rule).takes,
    members,
    rpoMs: members.length ? Math.min(...members.map((m) => m.rpo_ms)) : null,
    revisions: revisions.map((r) => ({ revision: r.revision, createdMs: r.created_at_ms, by: r.full_name })),
  };
}

/** What can take copies in, and for which sites a target is to be named. */
export interface TargetPlaces {
  readonly sites: ReadonlyArray<{ readonly id: number; readonly name: string }>;
  readonly places: ReadonlyArray<{
    readonly kind: 'repository' | 'datastore';
    readonly id: number;
    readonly name: string;
    readonly siteId: number;
  }>;
}

export async function targetPlaces(db: Database): Promise<TargetPlaces> {
  const [sites, places] = await Promise.all([
    siteList(db),
    select<TargetPlaces['places'][number]>(
      db,
      `SELECT 'repository' kind, id, name, site_id siteId FROM repositories UNION ALL
       SELECT 'datastore', id, name, site_id FROM datastores ORDER BY kind, id`,
    ),
  ]);
  return { sites, places };
}

async function laneFacts(db: Database, policyId: number, nowMs: EpochMs): Promise<Record<string, LaneFacts>> {
  const rows = await select<{ lane_key: string; sent: number; stored: number; least: number; mean: number }>(
    db,
    `SELECT p.lane_key, AVG(r.sent_bytes) sent, AVG(p.stored_bytes) stored, MIN(p.usable_ms - p.taken_ms) least, AVG(p.usable_ms - p.taken_ms) mean
       FROM enrolments e JOIN points p ON p.workload_id = e.workload_id AND p.taken_ms > ? JOIN runs r ON r.id = p.run_id
      WHERE e.policy_id = ? GROUP BY p.lane_key`,
    [nowMs - 2 * DAY, policyId],
  );
  return Object.fromEntries(
    rows.map((r) => [r.lane_key, { sentBytes: r.sent, storedBytes: r.stored, leastMs: r.least, meanMs: r.mean }]),
  );
}
