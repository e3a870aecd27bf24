/** Writes five weeks of history: runs and points as they become final, the rest once it is made. */
import type { Pool } from 'mysql2/promise';
import { spansOver } from '@/core/point/exposure';
import { POINT_COLUMNS, pointRow } from '@/store/settle';
import type { FleetWorkload } from '@/demo/fleet';
import type { History, HistoryPoint, HistoryRun, HistorySink } from '@/demo/past';
import { insert, RowStream } from '@/demo/insert';
import { HISTORY_MS, REPOSITORIES, START_MS, TIERS, TROUBLE } from '@/demo/scenario';
import { placeFor, siteOfPlace } from '@/demo/write-estate';

/** Steps of runs are kept this far back; what a run did stays for ever. */
const STEPS_KEPT_MS = 2 * 86_400_000;

/** What is known of the history once it is made; its runs and points went by the stream. */
export async function writeHistory(pool: Pool, history: History, fleet: readonly FleetWorkload[]): Promise<void> {
  await insert(
    pool,
    'schedules',
    [
      'enrolment_id',
      'lane_key',
      'workload_id',
      'due_ms',
      'typical_ms',
      'failing_since_ms',
      'failures',
      'cause_code',
      'cause_subject',
    ],
    history.lanes.map((s) => [
      s.workload.id,
      s.lane.key,
      s.workload.id,
      s.dueMs,
      s.typicalMs,
      s.failingSinceMs,
      s.failures,
      s.causeCode,
      s.causeSubject,
    ]),
  );
  await insert(pool, 'misses', ['workload_id', 'from_ms', 'to_ms'], missesOf(history.points, fleet));
  await insert(
    pool,
    'drills',
    ['id', 'runbook_id', 'state', 'created_ms', 'started_ms', 'ended_ms', 'record'],
    history.drills.map((d, i) => [
      i + 1,
      d.runbook.id,
      d.record.outcome,
      d.atMs,
      d.atMs,
      d.record.endedMs,
      JSON.stringify(d.record),
    ]),
  );
  await insert(
    pool,
    'drill_lines',
    ['drill_id', 'at_ms', 'text'],
    history.drills.flatMap((d, i) => d.lines.map((l) => [i + 1, l.atMs, l.text])),
  );
  await insert(
    pool,
    'conditions',
    ['subject', 'state', 'from_ms', 'to_ms', 'factor'],
    TROUBLE.filter((t) => t.kind.startsWith('link') || t.kind === 'site-down').map((t) => [
      t.subject,
      t.kind === 'link-cut' ? 'down' : t.kind === 'link-slow' ? 'slow' : 'no-answer',
      START_MS - t.agoMin * 60_000,
      t.forMin === null ? null : START_MS - (t.agoMin - t.forMin) * 60_000,
      t.kind === 'link-cut' ? 0 : (t.factor ?? null),
    ]),
  );
  await insert(
    pool,
    'streams',
    ['enrolment_id', 'lane_key', 'workload_id', 'place_id', 'site_id', 'through_ms', 'seen_ms'],
    history.lanes.flatMap(({ workload, lane, live }) => {
      const newest = lane.kind === 'stream' ? live.at(-1) : undefined;
      const place = placeFor(workload, lane);
      return newest
        ? [
            [
              workload.id,
              lane.key,
              workload.id,
              place.id,
              siteOfPlace(place.kind, place.id),
              newest.takenAtMs,
              START_MS,
            ],
          ]
        : [];
    }),
  );
  await pool.query(`UPDATE workloads w SET newest_taken_ms = (SELECT MAX(taken_ms) FROM points p WHERE p.workload_id = w.id AND p.gone_ms IS NULL),
      newest_off_site_taken_ms = (SELECT MAX(taken_ms) FROM points p WHERE p.workload_id = w.id AND p.gone_ms IS NULL AND p.site_id <> w.site_id)`);
  for (const drill of history.drills)
    if (drill.record.outcome === 'passed')
      await pool.query('UPDATE workloads SET last_passed_drill_ms = ? WHERE id IN (?)', [
        drill.record.endedMs,
        drill.record.members.map((m) => m.workloadId),
      ]);
}

/** Runs and points on their way into the database while the history is still made. */
export class HistoryStream implements HistorySink {
  private readonly runs: RowStream;
  private readonly points: RowStream;

  constructor(pool: Pool) {
    this.runs = new RowStream(pool, 'runs', RUN_COLUMNS);
    this.points = new RowStream(pool, 'points', ['id', ...POINT_COLUMNS, 'gone_ms', 'freed_bytes']);
  }

  readonly run = (run: HistoryRun): void => this.runs.push(runRow(run));
  readonly point = (point: HistoryPoint): void => this.points.push(historyPointRow(point));

  async end(): Promise<void> {
    await Promise.all([this.runs.end(), this.points.end()]);
  }
}

export interface SpaceReading {
  readonly kind: 'repository' | 'datastore';
  readonly id: number;
  readonly atMs: number;
  readonly usedBytes: number;
}

export async function writeSpace(pool: Pool, readings: readonly SpaceReading[]): Promise<void> {
  await insert(
    pool,
    'place_space',
    ['place_kind', 'place_id', 'at_ms', 'used_bytes'],
    readings.map((r) => [r.kind, r.id, r.atMs, r.usedBytes]),
  );
}

const RUN_COLUMNS = [
  'id',
  'enrolment_id',
  'workload_id',
  'policy_id',
  'revision',
  'lane_key',
  'kind',
  'occurrence_ms',
  'started_by',
  'state',
  'steps',
  'attempt',
  'not_before_ms',
  'started_ms',
  'ended_ms',
  'taken_ms',
  'inspected_bytes',
  'total_bytes',
  'sent_bytes',
  'stored_bytes',
  'cause_code',
  'cause_subject',
  'detail',
  'remedy',
  'group_key',
] as const;

function runRow(run: HistoryRun): unknown[] {
  const { outcome } = run;
  const good = outcome?.kind === 'succeeded' ? outcome : null;
  const bad = outcome?.kind === 'failed' ? outcome : null;
  const ended = run.state === 'succeeded' || run.state === 'failed';
  const keepSteps = outcome && (run.state === 'failed' || run.occurrenceMs > START_MS - STEPS_KEPT_MS);
  return [
    run.id,
    run.workload.id,
    run.workload.id,
    run.workload.policyId,
    1,
    run.lane.key,
    run.lane.kind,
    run.occurrenceMs,
    'cadence',
    run.state,
    keepSteps ? JSON.stringify(outcome.steps) : null,
    run.attempt,
    run.occurrenceMs,
    run.startedMs,
    ended ? (outcome?.endedMs ?? null) : null,
    good?.takenMs ?? null,
    good?.inspectedBytes ?? null,
    good?.sentBytes ?? null,
    good?.sentBytes ?? null,
    good?.storedBytes ?? null,
    bad?.code ?? null,
    bad?.subject ?? null,
    bad?.detail ?? null,
    bad?.remedy ?? null,
    run.groupKey,
  ];
}

function historyPointRow({ run, outcome, copyKey, goneMs, freedBytes }: HistoryPoint): unknown[] {
  const place = placeFor(run.workload, run.lane);
  const immutableMs = place.kind === 'repository' ? (REPOSITORIES.find((r) => r.id === place.id)?.immutableMs ?? 0) : 0;
  const point = pointRow({
    ...outcome,
    run: {
      id: run.id,
      workload_id: run.workload.id,
      lane_key: run.lane.key,
      kind: run.lane.kind,
      group_key: run.groupKey,
    },
    place,
    placeSiteId: siteOfPlace(place.kind, place.id),
    copyKey,
    immutableUntilMs: immutableMs ? outcome.takenMs + immutableMs : null,
  });
  return [run.id, ...point, goneMs, freedBytes];
}

/** Spans over the RPO, from when a workload was first protected (or, enrolled nowhere, from the beginning) until now. */
function missesOf(points: readonly HistoryPoint[], fleet: readonly FleetWorkload[]): unknown[][] {
  const byWorkload = new Map<number, Array<{ takenAtMs: number; usableFromMs: number; goneAtMs: number | null }>>();
  for (const { run, outcome } of points) {
    const list = byWorkload.get(run.workload.id) ?? [];
    // A point that went was never the newest: for the span over the RPO it counts as there.
    list.push({ takenAtMs: outcome.takenMs, usableFromMs: outcome.usableMs, goneAtMs: null });
    byWorkload.set(run.workload.id, list);
  }
  return fleet.flatMap((w) => {
    const list = byWorkload.get(w.id) ?? [];
    const from = list.length ? Math.min(...list.map((p) => p.usableFromMs)) : START_MS - HISTORY_MS;
    const rpo = TIERS[w.tier - 1]?.rpo ?? 0;
    return spansOver(list, from, START_MS, rpo).map((span) => [
      w.id,
      span.fromMs,
      span.toMs === START_MS ? null : span.toMs,
    ]);
  });
}
