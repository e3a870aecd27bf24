/** Links between sites: what they can carry, what they carry, and what they may carry. */
import { throttledRate, type Throttle } from '@/core/flow/throttle';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { parseJson } from '@/store/schedules';

export interface LinkView {
  readonly id: number;
  readonly name: string;
  readonly rateBps: number;
  readonly mayBps: number;
  readonly factor: number;
  readonly throttles: readonly Throttle[];
}

export async function linksView(db: Database, asOfMs: EpochMs): Promise<LinkView[]> {
  const rows = await select<{
    id: number;
    name: string;
    rate_bps: number;
    throttles: string | readonly Throttle[];
    factor: number | null;
  }>(
    db,
    `SELECT l.id, l.name, l.rate_bps, l.throttles, MIN(c.factor) factor FROM links l
       LEFT JOIN conditions c ON c.subject = l.name AND c.from_ms <= ? AND (c.to_ms IS NULL OR c.to_ms > ?)
      GROUP BY l.id ORDER BY l.id`,
    [asOfMs, asOfMs],
  );
  return rows.map((row) => {
    const throttles = parseJson<readonly Throttle[]>(row.throttles);
    return {
      id: row.id,
      name: row.name,
      rateBps: row.rate_bps,
      mayBps: throttledRate(row.rate_bps, throttles, asOfMs),
      factor: row.factor ?? 1,
      throttles,
    };
  });
}
