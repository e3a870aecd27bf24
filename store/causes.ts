/** Causes that need a person, as spans: opened and closed when they begin and end, many effects folded into one. */
import { SETTLED_MS } from '@/core/notify/notice';
import {
  badPointsCause,
  failureCauses,
  lateCauses,
  leftSnapshotsCause,
  siteCause,
  spaceCause,
  strangersCause,
  type BadPoints,
  type FailingLane,
  type LateWorkload,
  type OpenCause,
} from '@/core/protect/open-cause';
import type { EpochMs } from '@/core/units';
import { execute, inTransaction, insertMany, select, type Database, type Tx } from '@/store/database';
import { holdUpsOf } from '@/store/hold-ups';
import { spaceOfPlaces } from '@/store/space';

/** What is wrong at this moment, counted from what the database knows. */
export async function presentCauses(db: Database, nowMs: EpochMs): Promise<OpenCause[]> {
  const [failing, late, bad, strangers, left, sites, places] = await Promise.all([
    failingLanes(db),
    lateWorkloads(db),
    badPoints(db),
    select<{ place: string; copies: number }>(
      db,
      `SELECT COALESCE(r.name, d.name) place, COUNT(*) copies FROM findings f ${AT_PLACE('f')}
        WHERE f.to_ms IS NULL AND f.kind = 'unknown' GROUP BY place`,
    ),
    select<{ snapshots: number; workloads: number; detail: string }>(
      db,
      `SELECT COUNT(*) snapshots, COUNT(DISTINCT workload_id) workloads, MAX(detail) detail FROM findings
        WHERE to_ms IS NULL AND kind = 'snapshot' HAVING snapshots > 0`,
    ),
    select<{ subject: string; state: 'default-password' | 'wrong-clock' }>(
      db,
      `SELECT subject, state FROM conditions WHERE to_ms IS NULL AND state IN ('default-password', 'wrong-clock')`,
    ),
    spaceOfPlaces(db, nowMs),
  ]);
  return [
    ...failureCauses(failing),
    ...lateCauses(late, await holdUpsOf(db, nowMs, true, late)),
    ...bad.map(badPointsCause),
    ...strangers.map(({ place, copies }) => strangersCause(place, copies)),
    ...left.map(({ snapshots, workloads, detail }) => leftSnapshotsCause(snapshots, workloads, detail)),
    ...sites.map(({ subject, state }) => siteCause(subject, state)),
    ...places.flatMap((place) => spaceCause(place, nowMs) ?? []),
  ];
}

/** Names of the place that a row is about. */
const AT_PLACE = (row: string): string =>
  `LEFT JOIN repositories r ON ${row}.place_kind = 'repository' AND r.id = ${row}.place_id
   LEFT JOIN datastores d ON ${row}.place_kind = 'datastore' AND d.id = ${row}.place_id`;

async function failingLanes(db: Database): Promise<FailingLane[]> {
  const rows = await select<{ code: string; subject: string; workloadId: number; isOver: number }>(
    db,
    `SELECT s.cause_code code, s.cause_subject subject, s.workload_id workloadId, m.id IS NOT NULL isOver FROM schedules s
       LEFT JOIN misses m ON m.workload_id = s.workload_id AND m.is_open = 1 WHERE s.failing_since_ms IS NOT NULL`,
  );
  return rows.map((row) => ({ ...row, isOver: Boolean(row.isOver) }));
}

/** Enrolled workloads that are over though none of their lanes fails. */
async function lateWorkloads(db: Database): Promise<Array<LateWorkload & { readonly siteId: number }>> {
  const rows = await select<{ id: number; name: string; siteId: number }>(
    db,
    `SELECT w.id, w.name, w.site_id siteId FROM misses m JOIN workloads w ON w.id = m.workload_id JOIN enrolments e ON e.workload_id = w.id
      WHERE m.is_open = 1 AND NOT EXISTS (SELECT 1 FROM schedules s WHERE s.workload_id = w.id AND s.failing_since_ms IS NOT NULL)
      ORDER BY w.name`,
  );
  return rows.map((row) => ({ ...row, standing: 'over' }));
}

function badPoints(db: Database): Promise<BadPoints[]> {
  return select<BadPoints>(
    db,
    `SELECT COALESCE(r.name, d.name) place, p.bad_cause cause, COUNT(*) points, COUNT(DISTINCT p.workload_id) workloads
       FROM points p ${AT_PLACE('p')}
      WHERE p.bad_ms IS NOT NULL AND p.repaired_ms IS NULL AND p.gone_ms IS NULL GROUP BY place, cause`,
  );
}

/** Opens, updates and closes causes so that the open ones are these. Returns how many changed. */
export function recordCauses(db: Database, present: readonly OpenCause[], nowMs: EpochMs): Promise<number> {
  return inTransaction(db, async (tx) => {
    const open = await select<{ id: number; cause_key: string; state: string; workloads: number; title: string }>(
      db,
      'SELECT id, cause_key, state, workloads, title FROM causes WHERE to_ms IS NULL FOR UPDATE',
      [],
      tx,
    );
    const byKey = new Map(open.map((row) => [row.cause_key, row]));
    const keys = new Set(present.map((cause) => cause.key));
    const over = open.filter((row) => !keys.has(row.cause_key)).map((row) => row.id);
    if (over.length)
      await execute(db, 'UPDATE causes SET to_ms = GREATEST(?, from_ms) WHERE id IN (?)', [nowMs, over], tx);
    const changed = present.filter((cause) => {
      const was = byKey.get(cause.key);
      return was && (was.state !== cause.state || was.workloads !== cause.workloads || was.title !== cause.title);
    });
    for (const cause of changed)
      await execute(
        db,
        `UPDATE causes SET state = ?, workloads = ?, title = ?, effect = ?, over_ms = IF(state = 'over', COALESCE(over_ms, ?), over_ms)
          WHERE cause_key = ? AND to_ms IS NULL`,
        [cause.state, cause.workloads, cause.title.slice(0, 200), cause.effect.slice(0, 500), nowMs, cause.key],
        tx,
      );
    const absent = present.filter((cause) => !byKey.has(cause.key));
    const back = await reopen(db, absent, nowMs, tx);
    const fresh = absent.filter((cause) => !back.has(cause.key));
    await insertMany(
      db,
      'causes',
      ['cause_key', 'title', 'state', 'workloads', 'effect', 'from_ms', 'over_ms'],
      fresh.map((c) => [
        c.key.slice(0, 160),
        c.title.slice(0, 200),
        c.state,
        c.workloads,
        c.effect.slice(0, 500),
        nowMs,
        c.state === 'over' ? nowMs : null,
      ]),
      tx,
      'INSERT IGNORE',
    );
    return over.length + changed.length + absent.length;
  });
}

/** A cause that comes back soon after its end is the same one: who was told of it is not told again. */
async function reopen(db: Database, absent: readonly OpenCause[], nowMs: EpochMs, tx: Tx): Promise<Set<string>> {
  if (!absent.length) return new Set();
  const ended = await select<{ id: number; cause_key: string }>(
    db,
    'SELECT MAX(id) id, cause_key FROM causes WHERE cause_key IN (?) AND to_ms > ? GROUP BY cause_key',
    [absent.map((cause) => cause.key), nowMs - SETTLED_MS],
    tx,
  );
  if (ended.length)
    await execute(db, 'UPDATE causes SET to_ms = NULL WHERE id IN (?)', [ended.map((row) => row.id)], tx);
  return new Set(ended.map((row) => row.cause_key));
}
