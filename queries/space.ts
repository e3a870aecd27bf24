/** Repositories as they stood at a moment, and when each will be full. */
import { spaceTrend } from '@/core/forecast/space';
import { groupBy } from '@/core/group-by';
import { DAY, type DurationMs, type EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';

/** The trend is taken from this far back. */
const TREND_MS: DurationMs = 14 * DAY;

export interface RepositorySpace {
  readonly id: number;
  readonly name: string;
  readonly capacityBytes: number;
  readonly usedBytes: number;
  readonly bytesPerDay: number | null;
  readonly fullMs: EpochMs | null;
}

export async function repositorySpace(db: Database, asOfMs: EpochMs): Promise<RepositorySpace[]> {
  const [repositories, samples] = await Promise.all([
    select<{ id: number; name: string; capacity_bytes: number }>(
      db,
      'SELECT id, name, capacity_bytes FROM repositories ORDER BY id',
    ),
    select<{ repository_id: number; at_ms: EpochMs; used_bytes: number }>(
      db,
      'SELECT repository_id, at_ms, used_bytes FROM space_samples WHERE at_ms BETWEEN ? AND ? ORDER BY at_ms',
      [asOfMs - TREND_MS, asOfMs],
    ),
  ]);
  const bySubject = groupBy(samples, (s) => s.repository_id);
  return repositories.map((r) => {
    const own = (bySubject.get(r.id) ?? []).map((s) => ({ atMs: s.at_ms, usedBytes: s.used_bytes }));
    const trend = spaceTrend(own, r.capacity_bytes, asOfMs);
    return {
      id: r.id,
      name: r.name,
      capacityBytes: r.capacity_bytes,
      usedBytes: own.at(-1)?.usedBytes ?? 0,
      bytesPerDay: trend?.bytesPerDay ?? null,
      fullMs: trend?.fullMs ?? null,
    };
  });
}
