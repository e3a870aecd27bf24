import { selectOne, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

/** When the next lane falls due, strictly after `nowMs`; a minute from now if nothing is planned. */
export async function nextEventMs(db: Database, nowMs: EpochMs): Promise<EpochMs> {
  const row = await selectOne<{ due: EpochMs | null }>(db, 'SELECT MIN(due_ms) due FROM schedules WHERE due_ms > ?', [
    nowMs,
  ]);
  return row?.due ?? nowMs + 60_000;
}
