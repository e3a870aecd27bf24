/** What must hold after any storm; each broken one is said in a line. */
import { spansOver } from '@/core/point/exposure';
import { evaluateLadder } from '@/core/protect/ladder';
import { groupBy } from '@/core/group-by';
import type { Lane } from '@/core/protect/policy';
import { nextDue } from '@/core/protect/stagger';
import type { EpochMs } from '@/core/units';
import { DiskContent } from '@/standin/world/content';
import { pointDigest } from '@/standin/world/digest';
import { usableSpans } from '@/store/good';
import { estateOf, START, type Harbour } from '../integration/harbour';
import { IMMUTABLE_MS, RPO_MS, WORKLOADS } from './fleet';

interface RunRow {
  id: number;
  workload_id: number;
  lane_key: string;
  occurrence_ms: EpochMs;
  started_by: string;
  state: string;
  cause_code: string | null;
}
interface PointRow {
  id: number;
  run_id: number;
  workload_id: number;
  lane_key: string;
  place_kind: 'datastore' | 'repository';
  place_id: number;
  copy_key: string;
  digest: string;
  taken_ms: EpochMs;
  usable_ms: EpochMs;
  marked_ms: EpochMs | null;
  gone_ms: EpochMs | null;
  held_at_ms: EpochMs | null;
  immutable_until_ms: EpochMs | null;
  bad_ms: EpochMs | null;
  repaired_ms: EpochMs | null;
  group_key: string | null;
}

export async function brokenInvariants(harbour: Harbour, lanes: readonly Lane[], untilMs: EpochMs): Promise<string[]> {
  const runs = await harbour.rows<RunRow>('SELECT * FROM runs ORDER BY workload_id, lane_key, occurrence_ms');
  const points = await harbour.rows<PointRow>('SELECT * FROM points ORDER BY taken_ms, id');
  return [
    ...occurrences(lanes, runs, points, untilMs),
    ...runsAndPoints(runs, points),
    ...(await places(harbour, points)),
    ...kept(lanes, points, untilMs),
    ...together(points),
    ...(await exposure(harbour, points, untilMs)),
  ];
}

const instants = (list: readonly EpochMs[]): string => list.map((at) => new Date(at).toISOString()).join(', ');

/** Every occurrence is one run or one recorded miss, none is made up. */
function occurrences(
  lanes: readonly Lane[],
  runs: readonly RunRow[],
  points: readonly PointRow[],
  untilMs: EpochMs,
): string[] {
  const broken: string[] = [];
  for (let id = 1; id <= WORKLOADS; id++)
    for (const lane of lanes) {
      const planned = runs.filter((r) => r.workload_id === id && r.lane_key === lane.key && r.started_by === 'cadence');
      const found = planned.map((r) => r.occurrence_ms);
      const wanted =
        lane.cadence.kind === 'after'
          ? points.filter((p) => p.workload_id === id && p.lane_key === lane.source).map((p) => p.usable_ms)
          : dueInstants(id, lane, untilMs);
      const missing = wanted.filter((at) => !found.includes(at));
      const extra = found.filter((at) => !wanted.includes(at));
      if (missing.length) broken.push(`workload ${id}, ${lane.key}: no run for ${instants(missing)}`);
      if (extra.length) broken.push(`workload ${id}, ${lane.key}: a run for ${instants(extra)}, which was not due`);
      if (new Set(found).size !== found.length) broken.push(`workload ${id}, ${lane.key}: an occurrence twice`);
    }
  return broken;
}

function dueInstants(workloadId: number, lane: Lane, untilMs: EpochMs): EpochMs[] {
  const found: EpochMs[] = [];
  for (let at: EpochMs | null = START + workloadId * 45_000; at !== null && at <= untilMs;) {
    found.push(at);
    at = nextDue(lane, { workload_id: workloadId, application_id: 1 }, at);
  }
  return found;
}

function runsAndPoints(runs: readonly RunRow[], points: readonly PointRow[]): string[] {
  const broken: string[] = [];
  const byRun = new Map(points.map((p) => [p.run_id, p]));
  if (byRun.size !== points.length) broken.push('two points of one run');
  const states = new Map(runs.map((r) => [r.id, r.state]));
  for (const p of points)
    if (states.get(p.run_id) !== 'succeeded')
      broken.push(`point ${p.id} belongs to a run that is ${states.get(p.run_id)}`);
  for (const r of runs) {
    if (r.state === 'succeeded' && !byRun.has(r.id)) broken.push(`run ${r.id} succeeded without a point`);
    if (r.state === 'failed' && (r.cause_code === null || r.cause_code === 'internal'))
      broken.push(`run ${r.id} failed without a cause: ${r.cause_code}`);
    if (r.state === 'running') broken.push(`run ${r.id} still runs after the quiet`);
  }
  return broken;
}

/** Every point lies at its place with the digest of its source at its instant; nothing else of ours lies there. */
async function places(harbour: Harbour, points: readonly PointRow[]): Promise<string[]> {
  const broken: string[] = [];
  const estate = estateOf(WORKLOADS);
  const digests = new Map<string, string>();
  const digestOf = (workloadId: number, takenMs: EpochMs): string => {
    const key = `${workloadId}/${takenMs}`;
    const known = digests.get(key);
    if (known) return known;
    const disks = estate.workloads.find((w) => w.id === workloadId)?.disks ?? [];
    const digest = pointDigest(disks.map((disk) => new DiskContent(disk, estate.bornMs).digest(takenMs)));
    digests.set(key, digest);
    return digest;
  };
  const live = points.filter((p) => p.gone_ms === null);
  for (const p of live) {
    if (p.digest !== digestOf(p.workload_id, p.taken_ms)) broken.push(`point ${p.id} has not the digest of its source`);
    if (p.marked_ms !== null) broken.push(`point ${p.id} was marked and is still there after the quiet`);
    const bad = p.bad_ms !== null && p.repaired_ms === null;
    const place = { kind: p.place_kind, id: p.place_id };
    const answer = (await harbour
      .operation('verifyCopy', { place, copyKey: p.copy_key })
      .catch((error: unknown) => ({ digest: String(error) }))) as { digest: string };
    if (!bad && answer.digest !== p.digest)
      broken.push(`point ${p.id} (${p.copy_key}) at ${p.place_kind} ${p.place_id}: ${answer.digest}`);
    if (bad && answer.digest === p.digest) broken.push(`point ${p.id} is marked bad and reads back well`);
  }
  for (const place of estate.places) {
    const { copies } = (await harbour.operation('inventory', { place: { kind: place.kind, id: place.id } })) as {
      copies: Array<{ copyKey: string }>;
    };
    const known = new Set(
      live.filter((p) => p.place_kind === place.kind && p.place_id === place.id).map((p) => p.copy_key),
    );
    for (const { copyKey } of copies)
      if (!known.has(copyKey) && !copyKey.startsWith('shipped') && !(await isLocked(harbour, place, copyKey)))
        broken.push(`${copyKey} lies at ${place.name} and no point stands for it`);
  }
  const { snapshots } = (await harbour.operation('snapshots', {})) as { snapshots: Array<{ key: string }> };
  for (const { key } of snapshots) broken.push(`snapshot ${key} was left`);
  return broken;
}

/** A leftover that its place has locked stays until its date. */
async function isLocked(harbour: Harbour, place: { kind: string; id: number }, copyKey: string): Promise<boolean> {
  if (place.kind !== 'repository' || place.id !== 2 || IMMUTABLE_MS === 0) return false;
  const body = { place: { kind: place.kind, id: place.id }, copyKey };
  return harbour.operation('deleteCopy', body).then(
    () => false,
    () => true,
  );
}

/** Nothing that was held, immutable or needed by its ladder is gone. */
function kept(lanes: readonly Lane[], points: readonly PointRow[], untilMs: EpochMs): string[] {
  const broken: string[] = [];
  for (const p of points) {
    if (p.gone_ms === null) continue;
    if (p.held_at_ms !== null) broken.push(`point ${p.id} was held and is gone`);
    if (p.immutable_until_ms !== null && p.gone_ms < p.immutable_until_ms)
      broken.push(`point ${p.id} was immutable and is gone`);
  }
  for (let id = 1; id <= WORKLOADS; id++)
    for (const lane of lanes) {
      const all = points.filter((p) => p.workload_id === id && p.lane_key === lane.key);
      // A point that was bad for a time stood for nothing then.
      if (all.some((p) => p.bad_ms !== null)) continue;
      const gone = new Set(all.filter((p) => p.gone_ms !== null).map((p) => String(p.id)));
      const asSeen = all.map((p) => ({ id: String(p.id), takenAtMs: p.taken_ms }));
      for (const keep of evaluateLadder(lane.ladder, asSeen, untilMs).keep)
        if (gone.has(keep.id))
          broken.push(`point ${keep.id} is gone, and the ladder of ${lane.key} needs it: ${keep.why}`);
    }
  return broken;
}

/** What was captured together has one instant, but for what was tried again after its snapshot had gone: that is later. */
function together(points: readonly PointRow[]): string[] {
  return [...groupBy(points, (p) => p.group_key)].flatMap(([key, list]) => {
    const first = Math.min(...list.map((p) => p.taken_ms));
    const alone = list.filter((p) => p.taken_ms !== first);
    return key !== null && alone.length === list.length - 1 && list.length > 2
      ? [`${key} was captured at ${new Set(list.map((p) => p.taken_ms)).size} instants`]
      : [];
  });
}

/** Exposure and misses in the database are what core/ computes from the points. */
async function exposure(harbour: Harbour, points: readonly PointRow[], untilMs: EpochMs): Promise<string[]> {
  const broken: string[] = [];
  const newest = await harbour.rows<{ id: number; newest_taken_ms: EpochMs | null }>(
    'SELECT id, newest_taken_ms FROM workloads',
  );
  const misses = await harbour.rows<{ workload_id: number; from_ms: EpochMs; to_ms: EpochMs | null }>(
    'SELECT workload_id, from_ms, to_ms FROM misses ORDER BY from_ms',
  );
  const streams = await harbour.rows<{ workload_id: number; through_ms: EpochMs }>('SELECT * FROM streams');
  const through = new Map(streams.map((s) => [s.workload_id, s.through_ms]));
  for (const { id, newest_taken_ms } of newest) {
    const mine = points.filter((p) => p.workload_id === id);
    const good = mine.filter((p) => p.gone_ms === null && (p.bad_ms === null || p.repaired_ms !== null));
    const streamed = through.get(id) ?? 0;
    const expected = good.length ? Math.max(streamed, ...good.map((p) => p.taken_ms)) : null;
    if (newest_taken_ms !== expected)
      broken.push(`workload ${id}: the newest point is noted as of ${newest_taken_ms} and is of ${expected}`);
    if (!mine.length) continue;
    // Between its marks a stream closes a miss when it is looked at: what it gave is in no point.
    if (through.has(id)) {
      if (misses.some((m) => m.workload_id === id && m.to_ms === null))
        broken.push(`workload ${id}: over after the quiet`);
      continue;
    }
    const first = Math.min(...mine.map((p) => p.usable_ms));
    const spans = spansOver(mine.flatMap(usableSpans), first, untilMs, RPO_MS).map((s) => `${s.fromMs}-${s.toMs}`);
    // Before there was any point a workload is over from its enrolment on; what of that lies after the first one counts.
    const noted = misses
      .map((m) => ({ ...m, from_ms: Math.max(m.from_ms, first), to_ms: m.to_ms ?? untilMs }))
      .filter((m) => m.workload_id === id && m.to_ms > m.from_ms)
      .map((m) => `${m.from_ms}-${m.to_ms}`);
    if (spans.join() !== noted.join())
      broken.push(`workload ${id}: misses are noted as ${noted.join(', ')} and are ${spans.join(', ')}`);
  }
  return broken;
}
