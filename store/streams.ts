/** What streams give: how far each is now, and, as stretches, how far behind it was at any moment. */
import { groupBy } from '@/core/group-by';
import type { ExposureFlow, ExposurePoint } from '@/core/point/exposure';
import { SECOND, type EpochMs } from '@/core/units';
import { execute, inTransaction, insertMany, select, updateMany, type Database, type Tx } from '@/store/database';
import { openMisses } from '@/store/misses';
import { parseJson } from '@/store/schedules';
import { recountNewest } from '@/store/verification';

export interface KnownStream {
  enrolment_id: number;
  lane_key: string;
  workload_id: number;
  place_id: number;
  site_id: number;
  through_ms: EpochMs;
}
export interface SeenStream extends KnownStream {
  /** null: its controller did not answer, or does not know it. */
  readonly status: {
    readonly state: 'flowing' | 'behind' | 'broken';
    readonly throughMs: EpochMs;
    readonly spans: ReadonlyArray<{ readonly fromMs: EpochMs; readonly toMs: EpochMs }>;
    readonly behindBytes: number;
    readonly rateBps: number;
  } | null;
}

/** True if there is a stream to look at, wanted or not: nearly always there is none, and this is all that is read. */
export async function anyStream(db: Database): Promise<boolean> {
  return (await select(db, 'SELECT 1 FROM streams LIMIT 1')).length > 0;
}

/** True while a run of a workload is under way that opens its stream: it is noted once the run is settled. */
export async function opensStream(db: Database, workloadId: number): Promise<boolean> {
  const runs = await select(
    db,
    `SELECT 1 FROM runs WHERE workload_id = ? AND kind = 'stream' AND state = 'running' LIMIT 1`,
    [workloadId],
  );
  return runs.length > 0;
}

/** Streams of lanes that are in force. */
export async function knownStreams(db: Database): Promise<KnownStream[]> {
  const rows = await select<KnownStream & { lanes: string | ReadonlyArray<{ key: string; kind: string }> }>(
    db,
    `SELECT s.enrolment_id, s.lane_key, s.workload_id, s.place_id, s.site_id, s.through_ms, r.lanes FROM streams s
       JOIN enrolments e ON e.id = s.enrolment_id JOIN policy_revisions r ON r.policy_id = e.policy_id AND r.revision = e.revision`,
  );
  return rows.flatMap(({ lanes, ...stream }) => {
    const list = parseJson<ReadonlyArray<{ key: string; kind: string }>>(lanes);
    return list.some((lane) => lane.key === stream.lane_key && lane.kind === 'stream') ? [stream] : [];
  });
}

/** Writes what was seen, and carries the newest instants of the workloads along. */
export function recordStreams(db: Database, seen: readonly SeenStream[], nowMs: EpochMs): Promise<void> {
  return inTransaction(db, async (tx) => {
    // One that stood still at the last look may have moved on long after its limit: that it was missed is noted first.
    await openMisses(db, nowMs, { workloadIds: await stoodStill(db, tx), tx });
    const rows = seen.map(({ enrolment_id, lane_key, through_ms, status }) => [
      enrolment_id,
      lane_key,
      status?.state ?? 'broken',
      Math.max(through_ms, status?.throughMs ?? 0),
      JSON.stringify(status?.spans ?? null),
      status?.behindBytes ?? 0,
      status?.rateBps ?? 0,
      nowMs,
    ]);
    const columns = ['state', 'through_ms', 'spans', 'behind_bytes', 'rate_bps', 'seen_ms'];
    await updateMany(db, 'streams', ['enrolment_id', 'lane_key'], columns, rows, {
      assign: `t.state = v.state, t.through_ms = GREATEST(t.through_ms, v.through_ms), t.behind_bytes = v.behind_bytes,
        t.spans = IF(v.spans = 'null', t.spans, v.spans), t.rate_bps = v.rate_bps, t.seen_ms = v.seen_ms`,
      tx,
    });
    await execute(
      db,
      `UPDATE workloads w JOIN streams s ON s.workload_id = w.id SET w.newest_taken_ms = GREATEST(COALESCE(w.newest_taken_ms, 0), s.through_ms),
              w.newest_off_site_taken_ms = IF(s.site_id <> w.site_id, GREATEST(COALESCE(w.newest_off_site_taken_ms, 0), s.through_ms),
                                              w.newest_off_site_taken_ms)`,
      [],
      tx,
    );
    await noteStretches(db, seen, nowMs, tx);
    await forgetOthers(db, seen, tx);
  });
}

/** Workloads whose stream stood still when it was seen last. */
async function stoodStill(db: Database, tx: Tx): Promise<number[]> {
  const rows = await select<{ workload_id: number }>(
    db,
    'SELECT DISTINCT workload_id FROM stream_stretches WHERE is_open = 1 AND through_ms IS NOT NULL',
    [],
    tx,
  );
  return rows.map((row) => row.workload_id);
}

/** Streams of lanes that are not in force any more: their journals go, their marks stay as long as their ladder says. */
async function forgetOthers(db: Database, seen: readonly SeenStream[], tx: Tx): Promise<void> {
  const wanted = new Set(seen.map((s) => `${s.enrolment_id}/${s.lane_key}`));
  const all = await select<KnownStream>(db, 'SELECT enrolment_id, lane_key, workload_id FROM streams', [], tx);
  const others = all.filter((s) => !wanted.has(`${s.enrolment_id}/${s.lane_key}`));
  for (const { enrolment_id, lane_key } of others)
    await execute(db, 'DELETE FROM streams WHERE enrolment_id = ? AND lane_key = ?', [enrolment_id, lane_key], tx);
  if (others.length)
    await recountNewest(
      db,
      others.map((s) => s.workload_id),
      null,
      tx,
    );
}

interface Stretch {
  id: number;
  workload_id: number;
  site_id: number;
  from_ms: EpochMs;
  lag_ms: number | null;
  through_ms: EpochMs | null;
}

/** A stream that moves is at most `lag_ms` behind during its stretch; one that stands has an instant. */
async function noteStretches(db: Database, seen: readonly SeenStream[], nowMs: EpochMs, tx: Tx): Promise<void> {
  const open = await select<Stretch>(
    db,
    'SELECT id, workload_id, site_id, from_ms, lag_ms, through_ms FROM stream_stretches WHERE is_open = 1 FOR UPDATE',
    [],
    tx,
  );
  const ended: number[] = [];
  const begun: unknown[][] = [];
  const wanted = new Set(seen.map((s) => `${s.workload_id}/${s.site_id}`));
  for (const stretch of open) if (!wanted.has(`${stretch.workload_id}/${stretch.site_id}`)) ended.push(stretch.id);
  for (const { workload_id, site_id, through_ms, status } of seen) {
    const throughMs = Math.max(through_ms, status?.throughMs ?? 0);
    const stands = status?.state !== 'flowing' && throughMs === through_ms;
    const lagMs = stands ? null : lagClass(nowMs - throughMs);
    const was = open.find((s) => s.workload_id === workload_id && s.site_id === site_id);
    const same = was && (stands ? was.through_ms === throughMs : was.lag_ms === lagMs);
    if (same) continue;
    if (was) ended.push(was.id);
    begun.push([workload_id, site_id, nowMs, lagMs, stands ? throughMs : null]);
  }
  if (ended.length)
    await execute(db, 'UPDATE stream_stretches SET to_ms = GREATEST(?, from_ms) WHERE id IN (?)', [nowMs, ended], tx);
  const columns = ['workload_id', 'site_id', 'from_ms', 'lag_ms', 'through_ms'];
  if (begun.length) await insertMany(db, 'stream_stretches', columns, begun, tx);
}

/** Lags are kept by classes, each twice the one before, so that a stretch lasts; the upper end, so that none is made less. */
function lagClass(lagMs: number): number {
  let upper = 5 * SECOND;
  while (upper < lagMs) upper *= 2;
  return upper;
}

export interface StreamView {
  readonly lane: string;
  readonly place: string;
  readonly site: string;
  readonly state: 'starting' | 'flowing' | 'behind' | 'broken';
  readonly throughMs: EpochMs;
  readonly spans: ReadonlyArray<{ readonly fromMs: EpochMs; readonly toMs: EpochMs }>;
  readonly behindBytes: number;
  readonly rateBps: number;
}

/** The streams of a workload, as they were seen last. */
export async function streamsOf(db: Database, workloadId: number): Promise<StreamView[]> {
  const rows = await select<Omit<StreamView, 'spans'> & { spans: string | StreamView['spans'] }>(
    db,
    `SELECT s.lane_key lane, d.name place, t.name site, s.state, s.through_ms throughMs, s.spans, s.behind_bytes behindBytes,
            s.rate_bps rateBps
       FROM streams s JOIN datastores d ON d.id = s.place_id JOIN sites t ON t.id = s.site_id WHERE s.workload_id = ? ORDER BY s.lane_key`,
    [workloadId],
  );
  return rows.map((row) => ({ ...row, spans: parseJson<StreamView['spans']>(row.spans) }));
}

/** Newest instant that a stream had at `:at`, by workload; null without one. `w` is the alias of workloads. */
export const STREAM_THROUGH_AT = `(SELECT MAX(COALESCE(h.through_ms, :at - h.lag_ms)) FROM stream_stretches h
  WHERE h.workload_id = w.id AND h.from_ms <= :at AND (h.to_ms IS NULL OR h.to_ms > :at))`;

/** What the streams of workloads had: flows, and instants at which they stood. */
export async function streamedExposure(
  db: Database,
  workloadIds: readonly number[],
  fromMs: EpochMs,
  toMs: EpochMs,
): Promise<Map<number, { readonly points: ExposurePoint[]; readonly flows: ExposureFlow[] }>> {
  if (!workloadIds.length) return new Map();
  const rows = await select<Omit<Stretch, 'id' | 'site_id'> & { to_ms: EpochMs | null }>(
    db,
    `SELECT workload_id, from_ms, to_ms, lag_ms, through_ms FROM stream_stretches
      WHERE workload_id IN (?) AND from_ms <= ? AND (to_ms IS NULL OR to_ms > ?) ORDER BY from_ms`,
    [workloadIds, toMs, fromMs],
  );
  const stretches = [...groupBy(rows, (row) => row.workload_id)].map(([id, list]) => {
    const flows = list.flatMap(({ from_ms, to_ms, lag_ms }) =>
      lag_ms === null ? [] : [{ fromMs: from_ms, toMs: to_ms ?? toMs, lagMs: lag_ms }],
    );
    const points = list.flatMap(({ from_ms, to_ms, through_ms }) =>
      through_ms === null ? [] : [{ takenAtMs: through_ms, usableFromMs: from_ms, goneAtMs: to_ms }],
    );
    return [id, { points, flows }] as const;
  });
  return new Map(stretches);
}
