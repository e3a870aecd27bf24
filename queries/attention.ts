/** Attention: one entry a cause, many effects, with the best next action. */
import { groupBy } from '@/core/group-by';
import { causeKey, CAUSES, isCauseCode, titleOf } from '@/core/protect/cause';
import { lateCauses, shareUsed, spaceCause } from '@/core/protect/open-cause';
import { HOUR, type EpochMs } from '@/core/units';
import type { WorkloadStanding } from '@/queries/standing';
import { select, type Database } from '@/store/database';
import { holdUpsOf } from '@/store/hold-ups';
import { spaceOfPlaces, type PlaceSpace } from '@/store/space';

export type AttentionAction =
  | { readonly kind: 'open-runs'; readonly cause: string; readonly subject: string; readonly label: string }
  | { readonly kind: 'open-workloads'; readonly filter: string; readonly label: string }
  | { readonly kind: 'open-runbooks'; readonly label: string }
  | { readonly kind: 'open-policies'; readonly label: string }
  | { readonly kind: 'open-places'; readonly label: string };

export interface AttentionEntry {
  readonly key: string;
  readonly state: 'over' | 'closing' | 'inside' | 'unproven';
  readonly count: string;
  readonly title: string;
  readonly sinceMs: EpochMs | null;
  readonly effect: string;
  readonly workloadIds: readonly number[];
  readonly action: AttentionAction;
  /** Whether somebody sees to it; absent: it is none that is told by notices. */
  readonly takenBy?: string | null;
}

interface Failing {
  workload_id: number;
  cause_code: string;
  cause_subject: string;
  since_ms: EpochMs;
}

const FAILING_NOW = `SELECT workload_id, cause_code, cause_subject, failing_since_ms since_ms FROM schedules WHERE failing_since_ms IS NOT NULL`;
/** As it was: failed runs of the three hours before that no success of the same lane had followed by then. */
const FAILING_THEN = `SELECT r.workload_id, r.cause_code, r.cause_subject, MIN(r.ended_ms) since_ms FROM runs r
   WHERE r.state = 'failed' AND r.ended_ms BETWEEN :at - 10800000 AND :at
     AND NOT EXISTS (SELECT 1 FROM points p WHERE p.workload_id = r.workload_id AND p.lane_key = r.lane_key AND p.taken_ms > r.occurrence_ms AND p.usable_ms <= :at)
   GROUP BY r.workload_id, r.cause_code, r.cause_subject`;

export async function attention(
  db: Database,
  asOfMs: EpochMs,
  isNow: boolean,
  list: readonly WorkloadStanding[],
): Promise<AttentionEntry[]> {
  const [failing, bare, places, others, taken] = await Promise.all([
    select<Failing>(db, isNow ? FAILING_NOW : FAILING_THEN, { at: asOfMs }),
    select<{ id: number }>(
      db,
      'SELECT id FROM workloads w WHERE NOT EXISTS (SELECT 1 FROM enrolments e WHERE e.workload_id = w.id AND e.since_ms <= ?)',
      [asOfMs],
    ),
    spaceOfPlaces(db, asOfMs),
    otherCauses(db, asOfMs),
    takenUp(db, asOfMs),
  ]);
  const enrolledNowhere = new Set(bare.map((w) => w.id));
  const byId = new Map(list.map((w) => [w.id, w]));
  const entries = foldByCause(failing, byId, asOfMs, isNow);
  const explained = new Set(entries.flatMap((e) => e.workloadIds));
  entries.push(...notEnrolled(list.filter((w) => enrolledNowhere.has(w.id))));
  const unexplained = list.filter((w) => !explained.has(w.id) && !enrolledNowhere.has(w.id));
  entries.push(...(await lateEntries(db, asOfMs, isNow, unexplained)));
  entries.push(...places.flatMap((p) => spaceEntry(p, asOfMs)));
  entries.push(...others);
  entries.push(...unproven(list));
  const told = entries.map((e) => (taken.has(e.key) ? { ...e, takenBy: taken.get(e.key) ?? null } : e));
  return told.sort(
    (a, b) =>
      rank(a) - rank(b) || worstTier(a, byId) - worstTier(b, byId) || (a.sinceMs ?? Infinity) - (b.sinceMs ?? Infinity),
  );
}

const ORDER = ['over', 'closing', 'inside', 'unproven'] as const;
const rank = (e: AttentionEntry): number => ORDER.indexOf(e.state);
const worstTier = (e: AttentionEntry, byId: Map<number, WorkloadStanding>): number =>
  Math.min(...e.workloadIds.map((id) => byId.get(id)?.tier ?? 9));

function foldByCause(
  failing: readonly Failing[],
  byId: Map<number, WorkloadStanding>,
  asOfMs: EpochMs,
  isNow: boolean,
): AttentionEntry[] {
  const causes = groupBy(failing, (f) => causeKey(f.cause_code, f.cause_subject));
  return [...causes].map(([key, list]): AttentionEntry => {
    const { cause_code: code, cause_subject: subject } = list[0] as Failing;
    const ids = [...new Set(list.map((f) => f.workload_id))];
    const workloads = ids.flatMap((id) => byId.get(id) ?? []);
    const over = workloads.filter((w) => w.standing === 'over').length;
    const closing = workloads.filter((w) => w.standing === 'closing').length;
    const state = over ? 'over' : closing ? 'closing' : 'inside';
    return {
      key,
      state,
      count: over ? `${over} over` : closing ? `${closing} closing` : `${ids.length} failing`,
      title: titleOf(code, subject),
      sinceMs: Math.min(...list.map((f) => f.since_ms)),
      effect: effectOf(
        workloads,
        over,
        closing,
        nextOf(workloads, asOfMs),
        isCauseCode(code) && isNow ? CAUSES[code].remedy : '',
      ),
      workloadIds: ids,
      action: { kind: 'open-runs', cause: code, subject, label: 'See the failed runs' },
    };
  });
}

/** What comes next if nothing changes: which of the closing workloads goes over its RPO first. */
function nextOf(workloads: readonly WorkloadStanding[], asOfMs: EpochMs): string {
  const [next] = workloads
    .filter((w) => w.standing === 'closing' && w.overAtMs !== null)
    .sort((a, b) => (a.overAtMs ?? 0) - (b.overAtMs ?? 0));
  if (!next || next.overAtMs === null) return '';
  const ms = Math.max(0, next.overAtMs - asOfMs);
  return ` Next over: ${next.name} in ${ms < HOUR ? `${Math.round(ms / 60_000)} min` : `${(ms / HOUR).toFixed(1)} h`}.`;
}

function effectOf(
  workloads: readonly WorkloadStanding[],
  over: number,
  closing: number,
  next: string,
  remedy: string,
): string {
  const count = workloads.length === 1 ? (workloads[0]?.name ?? '') : `${workloads.length} workloads`;
  const parts = [over ? `${over} over` : '', closing ? `${closing} closing` : ''].filter(Boolean).join(', ');
  return `${count} affected${parts ? ` (${parts})` : ', all inside so far'}.${next} ${remedy}`;
}

function notEnrolled(bare: readonly WorkloadStanding[]): AttentionEntry[] {
  if (!bare.length) return [];
  return [
    {
      key: 'not-enrolled',
      state: 'over',
      count: `${bare.length} over`,
      title:
        bare.length === 1 ? `${bare[0]?.name} is enrolled nowhere` : `${bare.length} workloads are enrolled nowhere`,
      sinceMs: null,
      effect: `${bare
        .slice(0, 3)
        .map((w) => w.name)
        .join(
          ', ',
        )}${bare.length > 3 ? ' and others' : ''}: no policy takes copies of ${bare.length === 1 ? 'it' : 'them'}, nothing could come back.`,
      workloadIds: bare.map((w) => w.id),
      action: { kind: 'open-workloads', filter: 'policy=none', label: bare.length === 1 ? 'See it' : 'See them' },
    },
  ];
}

/** A cause as an entry; the count says of how many, or what is full. */
function spaceEntry(place: PlaceSpace, asOfMs: EpochMs): AttentionEntry[] {
  const cause = spaceCause(place, asOfMs);
  if (!cause) return [];
  const { key, state, title, effect } = cause;
  const count = `${Math.floor(shareUsed(place) * 100)}% full`;
  const action = { kind: 'open-policies', label: 'See the ladders' } as const;
  return [{ key, state, title, effect, count, sinceMs: null, workloadIds: [], action }];
}

/** Workloads that are late though none of their runs failed, by what holds them up. */
async function lateEntries(
  db: Database,
  asOfMs: EpochMs,
  isNow: boolean,
  list: readonly WorkloadStanding[],
): Promise<AttentionEntry[]> {
  const late = list.flatMap(({ id, name, siteId, standing }) =>
    standing === 'inside' ? [] : [{ id, name, siteId, standing }],
  );
  const causes = lateCauses(late, await holdUpsOf(db, asOfMs, isNow, late));
  return causes.map(({ key, state, title, effect, workloadIds }) => ({
    key,
    state,
    title,
    effect,
    workloadIds,
    count: `${workloadIds.length} ${state}`,
    sinceMs: null,
    action: { kind: 'open-workloads', filter: `standing=${state}`, label: 'See the workloads' },
  }));
}

/** Who sees to which open cause; null: nobody yet. */
async function takenUp(db: Database, asOfMs: EpochMs): Promise<Map<string, string | null>> {
  const rows = await select<{ cause_key: string; taken: string | null }>(
    db,
    `SELECT c.cause_key, IF(c.taken_ms <= ?, u.full_name, NULL) taken FROM causes c LEFT JOIN users u ON u.id = c.taken_by
      WHERE c.from_ms <= ? AND (c.to_ms IS NULL OR c.to_ms > ?)`,
    [asOfMs, asOfMs, asOfMs],
  );
  return new Map(rows.map((row) => [row.cause_key, row.taken]));
}

/** Causes that the engine keeps as spans and that no failing run shows: bad points, what places hold besides, sites. */
async function otherCauses(db: Database, asOfMs: EpochMs): Promise<AttentionEntry[]> {
  const rows = await select<{
    cause_key: string;
    title: string;
    state: 'over' | 'closing' | 'inside';
    workloads: number;
    effect: string;
    from_ms: EpochMs;
  }>(
    db,
    `SELECT cause_key, title, state, workloads, effect, from_ms FROM causes
      WHERE from_ms <= ? AND (to_ms IS NULL OR to_ms > ?)
        AND (cause_key LIKE 'bad/%' OR cause_key LIKE 'found/%' OR cause_key LIKE 'password/%' OR cause_key LIKE 'clock/%' OR cause_key = 'left-snapshots')`,
    [asOfMs, asOfMs],
  );
  return rows.map((c) => ({
    key: c.cause_key,
    state: c.state,
    count: c.workloads ? `${c.workloads} affected` : 'look',
    title: c.title,
    sinceMs: c.from_ms,
    effect: c.effect,
    workloadIds: [],
    action: { kind: 'open-places', label: 'See the places' },
  }));
}

function unproven(list: readonly WorkloadStanding[]): AttentionEntry[] {
  const some = list.filter((w) => w.unproven);
  if (!some.length) return [];
  const applications = new Set(some.map((w) => w.application)).size;
  return [
    {
      key: 'unproven',
      state: 'unproven',
      count: `${some.length} unproven`,
      title: `${some.length} workloads have no passed drill in their interval`,
      sinceMs: null,
      effect: `They belong to ${applications} applications. A drill runs beside production and takes nothing down.`,
      workloadIds: some.map((w) => w.id),
      action: { kind: 'open-runbooks', label: 'Choose a drill' },
    },
  ];
}
