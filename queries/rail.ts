/** What the time rail shows: a week of misses, failed runs and drills, in bins. */
import type { RailData } from '@/core/point/rail';
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';

export const RAIL_BACK_MS = 7 * 86_400_000;
const BIN_MS = 1_800_000;

export async function railData(db: Database, nowMs: EpochMs): Promise<RailData> {
  const toMs = nowMs;
  const fromMs = Math.floor((nowMs - RAIL_BACK_MS) / BIN_MS) * BIN_MS;
  const [misses, failed, drills] = await Promise.all([
    select<{ from_ms: EpochMs; to_ms: EpochMs | null }>(
      db,
      'SELECT from_ms, to_ms FROM misses WHERE from_ms < ? AND (to_ms IS NULL OR to_ms > ?)',
      [toMs, fromMs],
    ),
    select<{ hour: number; runs: number }>(
      db,
      `SELECT FLOOR(ended_ms / 3600000) hour, COUNT(*) runs FROM runs WHERE state = 'failed' AND ended_ms BETWEEN ? AND ? GROUP BY hour`,
      [fromMs, toMs],
    ),
    select<{ id: number; at_ms: EpochMs; state: string; name: string }>(
      db,
      `SELECT d.id, COALESCE(d.ended_ms, d.created_ms) at_ms, d.state, b.name FROM drills d JOIN runbooks b ON b.id = d.runbook_id
            WHERE d.created_ms BETWEEN ? AND ? ORDER BY d.created_ms`,
      [fromMs, toMs],
    ),
  ]);
  return {
    fromMs,
    toMs,
    binMs: BIN_MS,
    over: mostAtOnce(
      misses.map((m) => ({ fromMs: m.from_ms, toMs: m.to_ms ?? Infinity })),
      fromMs,
      toMs,
      BIN_MS,
    ),
    failed: failed.map((f) => ({ hourMs: f.hour * 3_600_000, runs: f.runs })),
    drills: drills.map((d) => ({ id: d.id, atMs: d.at_ms, outcome: d.state, name: d.name })),
  };
}

/** Largest number of spans open at once in each bin of [fromMs, toMs). O((spans + bins) log spans). */
export function mostAtOnce(
  spans: ReadonlyArray<{ readonly fromMs: number; readonly toMs: number }>,
  fromMs: number,
  toMs: number,
  binMs: number,
): number[] {
  const changes = spans
    .flatMap((s) => [
      { at: s.fromMs, by: 1 },
      { at: s.toMs, by: -1 },
    ])
    .sort((a, b) => a.at - b.at || a.by - b.by);
  const bins: number[] = [];
  let open = 0;
  let next = 0;
  for (let start = fromMs; start < toMs; start += binMs) {
    while (next < changes.length && (changes[next]?.at ?? 0) <= start) open += changes[next++]?.by ?? 0;
    let most = open;
    while (next < changes.length && (changes[next]?.at ?? 0) < start + binMs) {
      open += changes[next++]?.by ?? 0;
      most = Math.max(most, open);
    }
    bins.push(most);
  }
  return bins;
}
