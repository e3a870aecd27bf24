/** Where notices go, and what became of the newest. */
import type { Level } from '@/core/notify/notice';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';

export interface RouteRow {
  readonly id: number;
  readonly kind: 'mail' | 'webhook';
  readonly target: string;
  readonly level: Level;
  readonly quietFromMin: number | null;
  readonly quietToMin: number | null;
  readonly escalateAfterMs: number | null;
  readonly gatherMs: number;
}
export interface NoticeRow {
  readonly id: number;
  readonly target: string;
  readonly reason: string;
  readonly title: string;
  readonly createdMs: EpochMs;
  readonly sentMs: EpochMs | null;
  readonly givenUp: boolean;
  readonly attempts: number;
  readonly notBeforeMs: EpochMs;
  readonly failure: string | null;
}

export async function noticesView(
  db: Database,
): Promise<{ readonly routes: readonly RouteRow[]; readonly notices: readonly NoticeRow[] }> {
  const [routes, notices] = await Promise.all([
    select<RouteRow>(
      db,
      `SELECT id, kind, target, level, quiet_from_min quietFromMin, quiet_to_min quietToMin, escalate_after_ms escalateAfterMs, gather_ms gatherMs
         FROM notice_routes WHERE removed_ms IS NULL ORDER BY id`,
    ),
    select<Omit<NoticeRow, 'givenUp'> & { givenUp: number }>(
      db,
      `SELECT n.id, r.target, n.reason, COALESCE(c.title, 'Trial') title, n.created_ms createdMs, n.sent_ms sentMs,
              n.given_up_ms IS NOT NULL givenUp, n.attempts, n.not_before_ms notBeforeMs, n.failure
         FROM notices n JOIN notice_routes r ON r.id = n.route_id LEFT JOIN causes c ON c.id = n.cause_id
        ORDER BY n.id DESC LIMIT 50`,
    ),
  ]);
  return { routes, notices: notices.map((n) => ({ ...n, givenUp: Boolean(n.givenUp) })) };
}
