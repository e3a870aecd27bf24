/** Places that hold copies as they stood at a moment, and when each will be full. */
import { spaceTrend } from '@/core/forecast/space';
import { groupBy } from '@/core/group-by';
import type { FillingPlace } from '@/core/protect/open-cause';
import { DAY, type DurationMs, type EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';

/** The trend is taken from this far back. */
const TREND_MS: DurationMs = 14 * DAY;

export interface PlaceSpace extends FillingPlace {
  readonly id: number;
}

/** Repositories first. */
export async function spaceOfPlaces(db: Database, asOfMs: EpochMs): Promise<PlaceSpace[]> {
  const [places, samples] = await Promise.all([
    select<{ kind: PlaceSpace['kind']; id: number; name: string; capacity_bytes: number }>(
      db,
      `SELECT 'repository' kind, id, name, capacity_bytes FROM repositories UNION ALL
       SELECT 'datastore', id, name, capacity_bytes FROM datastores ORDER BY kind DESC, id`,
    ),
    select<{ place_kind: PlaceSpace['kind']; place_id: number; at_ms: EpochMs; used_bytes: number }>(
      db,
      'SELECT place_kind, place_id, at_ms, used_bytes FROM place_space WHERE at_ms BETWEEN ? AND ? ORDER BY at_ms',
      [asOfMs - TREND_MS, asOfMs],
    ),
  ]);
  const byPlace = groupBy(samples, (s) => `${s.place_kind}:${s.place_id}`);
  return places.map(({ kind, id, name, capacity_bytes: capacityBytes }) => {
    const own = (byPlace.get(`${kind}:${id}`) ?? []).map((s) => ({ atMs: s.at_ms, usedBytes: s.used_bytes }));
    const trend = spaceTrend(own, capacityBytes, asOfMs);
    return {
      kind,
      id,
      name,
      capacityBytes,
      usedBytes: own.at(-1)?.usedBytes ?? null,
      bytesPerDay: trend?.bytesPerDay ?? null,
      fullMs: trend?.fullMs ?? null,
    };
  });
}
