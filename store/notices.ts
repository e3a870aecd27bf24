/** Notices: planned once a cause and route, delivered until it worked or was given up, and kept. */
import { noticeKey, type KnownCause, type PlannedNotice, type PlannedSoFar, type Route } from '@/core/notify/notice';
import { randomUUID } from 'node:crypto';
import type { EpochMs } from '@/core/units';
import { execute, insertMany, select, updateMany, type Database } from '@/store/database';

interface RouteRow {
  id: number;
  kind: 'mail' | 'webhook';
  target: string;
  level: Route['level'];
  quiet_from_min: number | null;
  quiet_to_min: number | null;
  escalate_after_ms: number | null;
  gather_ms: number;
}

const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];

/** Routes in force; quiet hours are those of `zone`. */
export async function noticeRoutes(db: Database, zone: string): Promise<Route[]> {
  const rows = await select<RouteRow>(db, 'SELECT * FROM notice_routes WHERE removed_ms IS NULL');
  return rows.map((r) => ({
    id: r.id,
    level: r.level,
    escalateAfterMs: r.escalate_after_ms,
    gatherMs: r.gather_ms,
    quiet:
      r.quiet_from_min === null || r.quiet_to_min === null
        ? null
        : { kind: 'weekly', zone, weekdays: EVERY_DAY, fromMin: r.quiet_from_min, toMin: r.quiet_to_min },
  }));
}

/** Causes that are open or ended since `sinceMs`, and what was planned for them. */
export async function knownCauses(
  db: Database,
  sinceMs: EpochMs,
): Promise<{ readonly causes: readonly KnownCause[]; readonly planned: PlannedSoFar }> {
  const rows = await select<{
    id: number;
    state: KnownCause['state'];
    from_ms: EpochMs;
    over_ms: EpochMs | null;
    to_ms: EpochMs | null;
    taken: number;
  }>(
    db,
    'SELECT id, state, from_ms, over_ms, to_ms, taken_ms IS NOT NULL taken FROM causes WHERE to_ms IS NULL OR to_ms > ?',
    [sinceMs],
  );
  const causes = rows.map((c) => ({
    id: c.id,
    state: c.state,
    fromMs: c.from_ms,
    overMs: c.over_ms,
    toMs: c.to_ms,
    taken: Boolean(c.taken),
  }));
  if (!causes.length) return { causes, planned: new Map() };
  const notices = await select<{
    route_id: number;
    cause_id: number;
    reason: PlannedNotice['reason'];
    told_ms: EpochMs | null;
  }>(
    db,
    'SELECT route_id, cause_id, reason, COALESCE(sent_ms, given_up_ms) told_ms FROM notices WHERE cause_id IN (?)',
    [causes.map((c) => c.id)],
  );
  const planned = notices.map((n) => [noticeKey(n.route_id, n.cause_id, n.reason), n.told_ms] as const);
  return { causes, planned: new Map(planned) };
}

export async function planNotices(db: Database, planned: readonly PlannedNotice[], nowMs: EpochMs): Promise<void> {
  await insertMany(
    db,
    'notices',
    ['route_id', 'cause_id', 'reason', 'event_id', 'created_ms', 'not_before_ms'],
    planned.map((n) => [n.routeId, n.causeId, n.reason, randomUUID(), nowMs, n.notBeforeMs]),
    undefined,
    'INSERT IGNORE',
  );
}

export interface OpenNotice {
  id: number;
  route_id: number;
  kind: 'mail' | 'webhook';
  target: string;
  secret: Buffer | null;
  reason: PlannedNotice['reason'] | 'trial';
  event_id: string;
  attempts: number;
  cause_key: string | null;
  title: string | null;
  state: string | null;
  workloads: number | null;
  effect: string | null;
  from_ms: EpochMs | null;
  to_ms: EpochMs | null;
}

/** Notices to be sent by now, those of one route next to each other. */
export function openNotices(db: Database, nowMs: EpochMs): Promise<OpenNotice[]> {
  return select<OpenNotice>(
    db,
    `SELECT n.id, n.route_id, r.kind, r.target, r.secret, n.reason, n.event_id, n.attempts, c.cause_key, c.title, c.state, c.workloads,
            c.effect, c.from_ms, c.to_ms
       FROM notices n JOIN notice_routes r ON r.id = n.route_id LEFT JOIN causes c ON c.id = n.cause_id
      WHERE n.sent_ms IS NULL AND n.given_up_ms IS NULL AND n.not_before_ms <= ? AND r.removed_ms IS NULL
      ORDER BY n.route_id, n.id LIMIT 200`,
    [nowMs],
  );
}

export async function recordSent(db: Database, ids: readonly number[], nowMs: EpochMs): Promise<void> {
  await execute(db, 'UPDATE notices SET sent_ms = ?, attempts = attempts + 1, failure = NULL WHERE id IN (?)', [
    nowMs,
    ids,
  ]);
}

/** Each was tried once more; at `againMs` it is tried again, or given up if that is null. */
export async function recordFailed(
  db: Database,
  rows: ReadonlyArray<{ readonly id: number; readonly againMs: EpochMs | null }>,
  failure: string,
  nowMs: EpochMs,
): Promise<void> {
  await updateMany(
    db,
    'notices',
    ['id'],
    ['not_before_ms', 'given_up_ms', 'failure'],
    rows.map((r) => [r.id, r.againMs ?? nowMs, r.againMs === null ? nowMs : null, failure.slice(0, 300)]),
    { set: 't.attempts = t.attempts + 1' },
  );
}
