/** What reconciliation found: copies that the database does not know, points whose copy is missing, snapshots that stay. */
import type { EpochMs } from '@/core/units';
import { execute, inTransaction, insertMany, select, type Database } from '@/store/database';
import { READABLE, type ReadablePoint } from '@/store/verification';

export const FINDING_KINDS = ['unknown', 'missing', 'snapshot'] as const;
export type FindingKind = (typeof FINDING_KINDS)[number];

export interface PlaceId {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
}
export interface Finding {
  readonly kind: FindingKind;
  readonly copyKey: string;
  readonly workloadId: number | null;
  readonly pointId: number | null;
  readonly takenMs: EpochMs | null;
  readonly detail: string;
}

/** What the database knows of a place: keys of points that are there, by key. */
export async function knownCopies(db: Database, place: PlaceId): Promise<Map<string, ReadablePoint>> {
  const rows = await select<ReadablePoint>(
    db,
    `SELECT ${READABLE} FROM points
      WHERE place_kind = ? AND place_id = ? AND gone_ms IS NULL`,
    [place.kind, place.id],
  );
  return new Map(rows.map((row) => [row.copy_key, row]));
}

/** State of runs by number. */
export async function runStates(db: Database, ids: readonly number[]): Promise<Map<number, string>> {
  if (!ids.length) return new Map();
  const rows = await select<{ id: number; state: string }>(db, 'SELECT id, state FROM runs WHERE id IN (?)', [ids]);
  return new Map(rows.map((row) => [row.id, row.state]));
}

/** The place that was looked at the longest ago, or never. */
export async function placeToReconcile(db: Database, beforeMs: EpochMs): Promise<PlaceId | null> {
  const [place] = await select<PlaceId>(
    db,
    `SELECT p.kind, p.id FROM (SELECT 'repository' kind, id FROM repositories UNION ALL SELECT 'datastore', id FROM datastores) p
       LEFT JOIN reconciliations r ON r.place_kind = p.kind AND r.place_id = p.id
      WHERE r.at_ms IS NULL OR r.at_ms < ? ORDER BY r.at_ms IS NOT NULL, r.at_ms, p.kind DESC, p.id LIMIT 1`,
    [beforeMs],
  );
  return place ?? null;
}

/** Writes what was found at a place (null: snapshots of working disks): new ones open, ones that are over close. */
export function recordFindings(
  db: Database,
  place: PlaceId | null,
  found: readonly Finding[],
  nowMs: EpochMs,
  looked: { readonly copies: number; readonly failure: string | null },
): Promise<void> {
  return inTransaction(db, async (tx) => {
    const [kind, id] = [place?.kind ?? null, place?.id ?? null];
    if (looked.failure === null) {
      const open = await select<{ id: number; kind: FindingKind; copy_key: string }>(
        db,
        'SELECT id, kind, copy_key FROM findings WHERE to_ms IS NULL AND place_kind <=> ? AND place_id <=> ? FOR UPDATE',
        [kind, id],
        tx,
      );
      const keys = new Set(found.map((f) => `${f.kind}/${f.copyKey}`));
      const over = open.filter((f) => !keys.has(`${f.kind}/${f.copy_key}`)).map((f) => f.id);
      if (over.length) await execute(db, 'UPDATE findings SET to_ms = ? WHERE id IN (?)', [nowMs, over], tx);
      const known = new Set(open.map((f) => `${f.kind}/${f.copy_key}`));
      await insertMany(
        db,
        'findings',
        ['kind', 'place_kind', 'place_id', 'copy_key', 'workload_id', 'point_id', 'taken_ms', 'detail', 'from_ms'],
        found
          .filter((f) => !known.has(`${f.kind}/${f.copyKey}`))
          .map((f) => [f.kind, kind, id, f.copyKey, f.workloadId, f.pointId, f.takenMs, f.detail.slice(0, 300), nowMs]),
        tx,
        'INSERT IGNORE',
      );
    }
    if (place)
      await execute(
        db,
        'REPLACE INTO reconciliations (place_kind, place_id, at_ms, copies, failure) VALUES (?, ?, ?, ?, ?)',
        [kind, id, nowMs, looked.copies, looked.failure?.slice(0, 300) ?? null],
        tx,
      );
  });
}
