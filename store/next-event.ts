import { selectOne, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

/** When the next lane falls due, strictly after `nowMs`; a minute from now if nothing is planned. */
export async function nextEventMs(db: Database, nowMs: EpochMs): Promise<EpochMs> {
  const row = await selectOne<{ due: EpochMs | null }>(db, 'SELECT MIN(due_ms) due FROM schedules WHERE due_ms > ?', [
    nowMs,
  ]);
  return row?.due ?? nowMs + 60_000;
}

/** When there is something to do next, none later than `atMostMs`; null while runs are under way or wait for something. */
export async function nextWorkMs(db: Database, nowMs: EpochMs, atMostMs: EpochMs): Promise<EpochMs | null> {
  const row = await selectOne<{ due: EpochMs | null; retry: EpochMs | null; busy: number }>(
    db,
    `SELECT (SELECT MIN(due_ms) FROM schedules WHERE due_ms > ?) due,
            (SELECT MIN(not_before_ms) FROM runs WHERE state = 'waiting') retry,
            EXISTS (SELECT 1 FROM runs WHERE state = 'running') OR EXISTS (SELECT 1 FROM drills WHERE state IN ('waiting', 'running', 'cleaning')) busy`,
    [nowMs],
  );
  if (!row || row.busy || (row.retry !== null && row.retry <= nowMs)) return null;
  return Math.min(row.due ?? atMostMs, row.retry ?? atMostMs, atMostMs);
}
