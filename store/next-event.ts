import { selectOne, type Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

/** When the next lane falls due, strictly after `nowMs`; a minute from now if nothing is planned. */
export async function nextEventMs(db: Database, nowMs: EpochMs): Promise<EpochMs> {
  const row = await selectOne<{ due: EpochMs | null }>(db, 'SELECT MIN(due_ms) due FROM schedules WHERE due_ms > ?', [
    nowMs,
  ]);
  return row?.due ?? nowMs + 60_000;
}

export interface NextWork {
  /** When something falls due, or is tried again; null: nothing is planned. */
  readonly plannedMs: EpochMs | null;
  /** Runs that could start now and wait for something. */
  readonly held: number;
  /** Runs that are under way, whoever has them. */
  readonly running: number;
  readonly drills: number;
}

export async function nextWork(db: Database, nowMs: EpochMs): Promise<NextWork> {
  const row = await selectOne<NextWork>(
    db,
    `SELECT (SELECT MIN(at_ms) FROM (SELECT MIN(due_ms) at_ms FROM schedules WHERE due_ms > :nowMs UNION ALL
                SELECT MIN(not_before_ms) FROM runs WHERE state = 'waiting' AND not_before_ms > :nowMs) planned) plannedMs,
            (SELECT COUNT(*) FROM runs WHERE state = 'waiting' AND not_before_ms <= :nowMs) held,
            (SELECT COUNT(*) FROM runs WHERE state = 'running') running,
            (SELECT COUNT(*) FROM drills WHERE state IN ('waiting', 'running', 'cleaning')) drills`,
    { nowMs },
  );
  return row ?? { plannedMs: null, held: 0, running: 0, drills: 0 };
}
