/** Rows by hand, for tests of what is read. */
import { execute, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

export interface PointRow {
  readonly workloadId: number;
  readonly takenMs: EpochMs;
  readonly usableMs: EpochMs;
  readonly goneMs?: EpochMs;
  readonly lane?: string;
  readonly digest?: string;
  /** Datastore 2 at Millbrook without. */
  readonly place?: { readonly kind: 'datastore' | 'repository'; readonly id: number; readonly siteId: number };
  readonly groupKey?: string;
}

/** A run that succeeded and its point; the number of the point. The newest of its workload is noted. */
export async function addPoint(db: Database, p: PointRow): Promise<number> {
  const { workloadId, takenMs, usableMs, lane = 'replica' } = p;
  const place = p.place ?? { kind: 'datastore', id: 2, siteId: 2 };
  const kind = lane === 'copy' ? 'copy' : 'replica';
  const run = await execute(
    db,
    `INSERT INTO runs (enrolment_id, workload_id, policy_id, revision, lane_key, kind, occurrence_ms, started_by, state, not_before_ms, started_ms, ended_ms)
      VALUES (?, ?, 1, 1, ?, ?, ?, 'cadence', 'succeeded', ?, ?, ?)`,
    [workloadId, workloadId, lane, kind, takenMs, takenMs, takenMs, usableMs],
  );
  const made = await execute(
    db,
    `INSERT INTO points (run_id, workload_id, lane_key, kind, place_kind, place_id, site_id, consistency, taken_ms, usable_ms, gone_ms,
                         digest, disks, stored_bytes, copy_key, verified_ms, group_key)
      VALUES (?, ?, ?, ?, ?, ?, ?, 'crash', ?, ?, ?, ?, '[]', 7, ?, ?, ?)`,
    [
      run.id,
      workloadId,
      lane,
      kind,
      place.kind,
      place.id,
      place.siteId,
      takenMs,
      usableMs,
      p.goneMs ?? null,
      p.digest ?? 'd',
      `c${run.id}.1`,
      takenMs,
      p.groupKey ?? null,
    ],
  );
  await execute(db, 'UPDATE workloads SET newest_taken_ms = GREATEST(COALESCE(newest_taken_ms, 0), ?) WHERE id = ?', [
    takenMs,
    workloadId,
  ]);
  return made.id;
}
