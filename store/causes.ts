/** Causes that need a person, as spans: opened and closed when they begin and end, many effects folded into one. */
import { causeKey, titleOf } from '@/core/protect/cause';
import { groupBy } from '@/core/group-by';
import { SETTLED_MS, type CauseState } from '@/core/notify/notice';
import type { EpochMs } from '@/core/units';
import { execute, inTransaction, insertMany, select, type Database, type Tx } from '@/store/database';

export interface OpenCause {
  readonly key: string;
  readonly title: string;
  readonly state: CauseState;
  readonly workloads: number;
  readonly effect: string;
}

/** What is wrong at this moment, counted from what the database knows. */
export async function presentCauses(db: Database): Promise<OpenCause[]> {
  const [failing, late, bad, findings, conditions] = await Promise.all([
    select<{ cause_code: string; cause_subject: string; workload_id: number; is_over: number }>(
      db,
      `SELECT s.cause_code, s.cause_subject, s.workload_id, m.id IS NOT NULL is_over FROM schedules s
         LEFT JOIN misses m ON m.workload_id = s.workload_id AND m.is_open = 1 WHERE s.failing_since_ms IS NOT NULL`,
    ),
    select<{ name: string }>(
      db,
      `SELECT w.name FROM misses m JOIN workloads w ON w.id = m.workload_id JOIN enrolments e ON e.workload_id = w.id
        WHERE m.is_open = 1 AND NOT EXISTS (SELECT 1 FROM schedules s WHERE s.workload_id = w.id AND s.failing_since_ms IS NOT NULL)
        ORDER BY w.name`,
    ),
    select<{ place: string; cause: 'rotten' | 'missing'; points: number; workloads: number }>(
      db,
      `SELECT COALESCE(r.name, d.name) place, p.bad_cause cause, COUNT(*) points, COUNT(DISTINCT p.workload_id) workloads FROM points p
         LEFT JOIN repositories r ON p.place_kind = 'repository' AND r.id = p.place_id
         LEFT JOIN datastores d ON p.place_kind = 'datastore' AND d.id = p.place_id
        WHERE p.bad_ms IS NOT NULL AND p.repaired_ms IS NULL AND p.gone_ms IS NULL GROUP BY place, cause`,
    ),
    select<{ kind: 'unknown' | 'snapshot'; place: string | null; n: number; workloads: number; detail: string }>(
      db,
      `SELECT f.kind, COALESCE(r.name, d.name) place, COUNT(*) n, COUNT(DISTINCT f.workload_id) workloads, MAX(f.detail) detail FROM findings f
         LEFT JOIN repositories r ON f.place_kind = 'repository' AND r.id = f.place_id
         LEFT JOIN datastores d ON f.place_kind = 'datastore' AND d.id = f.place_id
        WHERE f.to_ms IS NULL AND f.kind <> 'missing' GROUP BY f.kind, place`,
    ),
    select<{ subject: string; state: string }>(
      db,
      `SELECT subject, state FROM conditions WHERE to_ms IS NULL AND state IN ('default-password', 'wrong-clock')`,
    ),
  ]);
  return [
    ...failures(failing),
    ...(late.length
      ? [
          {
            key: 'late',
            title: 'Points come later than the RPO allows',
            state: 'over' as const,
            workloads: late.length,
            effect: `${named(late.map((w) => w.name))}: no run has failed; their lanes are too slow or too far apart.`,
          },
        ]
      : []),
    ...bad.map((b) => ({
      key: `bad/${b.cause}/${b.place}`,
      title:
        b.cause === 'rotten'
          ? `${counted(b.points, 'point')} at ${b.place} read back wrong`
          : `${counted(b.points, 'point')} at ${b.place} are not there`,
      state: 'over' as const,
      workloads: b.workloads,
      effect:
        b.cause === 'rotten'
          ? 'They are not counted any more. A good copy elsewhere repairs them by itself; without one, take new points and look at the storage.'
          : 'They are not counted any more. Find out who deletes there; the next runs take new points.',
    })),
    ...findings.map((f) =>
      f.kind === 'unknown'
        ? {
            key: `found/${f.place ?? ''}`,
            title: `${counted(f.n, 'copy', 'copies')} at ${f.place ?? ''} belong to nothing here`,
            state: 'inside' as const,
            workloads: 0,
            effect: 'They take space and nobody counts on them. Look at the reconciliation before anything is deleted.',
          }
        : {
            key: 'left-snapshots',
            title: `${counted(f.n, 'snapshot')} cannot be removed`,
            state: 'inside' as const,
            workloads: f.workloads,
            effect: `${f.detail} Its removal is tried again every hour; working disks grow until then.`,
          },
    ),
    ...conditions.map(({ subject, state }) =>
      state === 'default-password'
        ? {
            key: `password/${subject}`,
            title: `${subject} still has the password it came with`,
            state: 'inside' as const,
            workloads: 0,
            effect:
              'Whoever reads its manual can delete copies there. Set a password of your own at the site controller.',
          }
        : {
            key: `clock/${subject}`,
            title: `The clock of ${subject} is wrong`,
            state: 'closing' as const,
            workloads: 0,
            effect:
              'Its runs are refused, since the age of their points could not be trusted. Set the time source of the controller.',
          },
    ),
  ];
}

function failures(
  rows: ReadonlyArray<{ cause_code: string; cause_subject: string; workload_id: number; is_over: number }>,
): OpenCause[] {
  return [...groupBy(rows, (row) => causeKey(row.cause_code, row.cause_subject))].map(([key, list]) => {
    const [{ cause_code: code, cause_subject: subject }] = list as [(typeof rows)[number]];
    const workloads = new Set(list.map((row) => row.workload_id)).size;
    const over = new Set(list.filter((row) => row.is_over).map((row) => row.workload_id)).size;
    return {
      key,
      title: titleOf(code, subject),
      state: over ? 'over' : 'inside',
      workloads,
      effect: `${counted(workloads, 'workload')} affected, ${over ? `${over} over` : 'all inside so far'}.`,
    };
  });
}

const counted = (n: number, one: string, many = `${one}s`): string => `${n} ${n === 1 ? one : many}`;
const named = (names: readonly string[]): string =>
  names.length > 3 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');

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
        'UPDATE causes SET state = ?, workloads = ?, title = ?, effect = ? WHERE cause_key = ? AND to_ms IS NULL',
        [cause.state, cause.workloads, cause.title.slice(0, 200), cause.effect.slice(0, 500), cause.key],
        tx,
      );
    const absent = present.filter((cause) => !byKey.has(cause.key));
    const back = await reopen(db, absent, nowMs, tx);
    const fresh = absent.filter((cause) => !back.has(cause.key));
    await insertMany(
      db,
      'causes',
      ['cause_key', 'title', 'state', 'workloads', 'effect', 'from_ms'],
      fresh.map((c) => [
        c.key.slice(0, 160),
        c.title.slice(0, 200),
        c.state,
        c.workloads,
        c.effect.slice(0, 500),
        nowMs,
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
