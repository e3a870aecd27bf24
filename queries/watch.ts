/** Watch: are we safe, what needs me. */
import { groupBy } from '@/core/group-by';
import type { EpochMs } from '@/core/units';
import { attention, type AttentionEntry } from '@/queries/attention';
import { countStandings, standings, type StandingCounts, type WorkloadStanding } from '@/queries/standing';
import { select, type Database } from '@/store/database';

/** One bar of Soundings: a workload, or, in a large fleet, an application at a site by its worst and median. */
export interface SoundingBar {
  readonly id: number;
  readonly label: string;
  readonly application: string;
  readonly tier: number;
  readonly site: string;
  readonly rpoMs: number;
  /** Exposure of the worst; null: no usable point at all. */
  readonly exposureMs: number | null;
  readonly medianMs: number | null;
  readonly standing: WorkloadStanding['standing'];
  readonly unproven: boolean;
  readonly takenMs: EpochMs | null;
  readonly overAtMs: EpochMs | null;
  readonly provenMs: EpochMs | null;
  readonly members: number;
  readonly over: number;
  readonly workloadIds: readonly number[];
}

/** More bars than this do not fit at 1280. */
const MOST_BARS = 220;

export interface SiteOnMap {
  readonly id: number;
  readonly name: string;
  readonly x: number;
  readonly y: number;
  readonly workloads: number;
  readonly over: number;
  readonly closing: number;
  readonly silent: boolean;
}
export interface LinkOnMap {
  readonly name: string;
  readonly a: number;
  readonly b: number;
  readonly state: 'up' | 'slow' | 'down';
  readonly factor: number | null;
}
export interface WatchData {
  readonly counts: StandingCounts;
  readonly bars: readonly SoundingBar[];
  readonly grouped: boolean;
  readonly attention: readonly AttentionEntry[];
  readonly sites: readonly SiteOnMap[];
  readonly links: readonly LinkOnMap[];
}

export async function watch(db: Database, asOfMs: EpochMs, isNow: boolean): Promise<WatchData> {
  const list = await standings(db, asOfMs, isNow);
  const [entries, sites, links, conditions] = await Promise.all([
    attention(db, asOfMs, isNow, list),
    select<{ id: number; name: string; map_x: number; map_y: number }>(
      db,
      'SELECT id, name, map_x, map_y FROM sites ORDER BY id',
    ),
    select<{ name: string; site_a: number; site_b: number }>(db, 'SELECT name, site_a, site_b FROM links ORDER BY id'),
    select<{ subject: string; state: string; factor: number | null }>(
      db,
      'SELECT subject, state, factor FROM conditions WHERE from_ms <= ? AND (to_ms IS NULL OR to_ms > ?)',
      [asOfMs, asOfMs],
    ),
  ]);
  const grouped = list.length > MOST_BARS;
  const now = new Map(conditions.map((c) => [c.subject, c]));
  return {
    counts: countStandings(list),
    grouped,
    bars: grouped ? groupBars(list) : list.map(barOf),
    attention: entries,
    sites: sites.map((s) => {
      const here = list.filter((w) => w.siteId === s.id);
      const { over, closing } = countStandings(here);
      return {
        id: s.id,
        name: s.name,
        x: s.map_x,
        y: s.map_y,
        workloads: here.length,
        over,
        closing,
        silent: now.get(s.name)?.state === 'no-answer',
      };
    }),
    links: links.map((l) => {
      const c = now.get(l.name);
      return {
        name: l.name,
        a: l.site_a,
        b: l.site_b,
        state: c?.state === 'down' ? 'down' : c?.state === 'slow' ? 'slow' : 'up',
        factor: c?.factor ?? null,
      };
    }),
  };
}

function barOf(w: WorkloadStanding): SoundingBar {
  return {
    id: w.id,
    label: w.name,
    application: w.application,
    tier: w.tier,
    site: w.site,
    rpoMs: w.rpoMs,
    exposureMs: w.exposureMs,
    medianMs: null,
    standing: w.standing,
    unproven: w.unproven,
    takenMs: w.takenMs,
    overAtMs: w.overAtMs,
    provenMs: w.provenMs,
    members: 1,
    over: w.standing === 'over' ? 1 : 0,
    workloadIds: [w.id],
  };
}

/** Applications at a site; beyond MOST_BARS of those, sites of a tier. A group with one miss shows it: the worst is the bar. */
export function groupBars(list: readonly WorkloadStanding[]): SoundingBar[] {
  const fine = collect(
    list,
    (w) => `${w.tier}/${w.siteId}/${w.applicationId}`,
    (w) => w.application,
  );
  return fine.length <= MOST_BARS
    ? fine
    : collect(
        list,
        (w) => `${w.tier}/${w.siteId}`,
        (w) => `Tier ${w.tier}`,
      );
}

function collect(
  list: readonly WorkloadStanding[],
  keyOf: (w: WorkloadStanding) => string,
  labelOf: (w: WorkloadStanding) => string,
): SoundingBar[] {
  const groups = groupBy(list, keyOf);
  return [...groups.values()].map((group) => {
    const sorted = [...group].sort((a, b) => (a.exposureMs ?? Infinity) - (b.exposureMs ?? Infinity));
    const worst = sorted.at(-1) as WorkloadStanding;
    const over = group.filter((w) => w.standing === 'over').length;
    return {
      ...barOf(worst),
      label: labelOf(worst),
      medianMs: sorted[Math.floor((sorted.length - 1) / 2)]?.exposureMs ?? null,
      standing: over ? 'over' : group.some((w) => w.standing === 'closing') ? 'closing' : 'inside',
      unproven: group.some((w) => w.unproven),
      members: group.length,
      over,
      workloadIds: [],
    };
  });
}
