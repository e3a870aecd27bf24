/** Places that hold points: their space, and what lies there against what should. */
import { DAY, type EpochMs } from '@/core/units';
import { spaceOfPlaces } from '@/store/space';
import { select, type Database } from '@/store/database';

export interface PlaceRow {
  readonly kind: 'repository' | 'datastore';
  readonly id: number;
  readonly name: string;
  readonly site: string;
  readonly points: number;
  readonly badPoints: number;
  readonly capacityBytes: number;
  readonly usedBytes: number | null;
  /** By points that went in the last day. */
  readonly freedBytes: number;
  readonly fullMs: EpochMs | null;
  readonly immutableMs: number;
  readonly lookedMs: EpochMs | null;
  readonly failure: string | null;
}
export interface FindingRow {
  readonly id: number;
  readonly kind: 'unknown' | 'missing' | 'snapshot';
  readonly place: string | null;
  readonly placeKind: 'repository' | 'datastore' | null;
  readonly placeId: number | null;
  readonly copyKey: string;
  readonly workloadId: number | null;
  readonly workload: string | null;
  readonly takenMs: EpochMs | null;
  readonly sinceMs: EpochMs;
  readonly detail: string;
}

/** Findings shown at most; the count says how many there are. */
const SHOWN = 200;

export async function placesView(
  db: Database,
  asOfMs: EpochMs,
): Promise<{ readonly places: readonly PlaceRow[]; readonly findings: readonly FindingRow[]; readonly found: number }> {
  const [rows, space, findings, count] = await Promise.all([
    select<{
      kind: 'repository' | 'datastore';
      id: number;
      name: string;
      site: string;
      capacity_bytes: number;
      immutable_ms: number;
      at_ms: EpochMs | null;
      failure: string | null;
      points: number;
      bad: number;
      freed: number;
    }>(
      db,
      `SELECT p.kind, p.id, p.name, s.name site, p.capacity_bytes, p.immutable_ms, r.at_ms, r.failure,
              COALESCE(c.points, 0) points, COALESCE(c.bad, 0) bad, COALESCE(g.freed, 0) freed
         FROM (SELECT 'repository' kind, id, name, site_id, capacity_bytes, immutable_ms FROM repositories
               UNION ALL SELECT 'datastore', id, name, site_id, capacity_bytes, 0 FROM datastores) p
         JOIN sites s ON s.id = p.site_id
         LEFT JOIN reconciliations r ON r.place_kind = p.kind AND r.place_id = p.id
         LEFT JOIN (SELECT place_kind, place_id, COUNT(*) points, SUM(bad_ms IS NOT NULL AND repaired_ms IS NULL) bad FROM points
                     WHERE usable_ms <= ? AND (gone_ms IS NULL OR gone_ms > ?) GROUP BY place_kind, place_id) c
           ON c.place_kind = p.kind AND c.place_id = p.id
         LEFT JOIN (SELECT place_kind, place_id, SUM(freed_bytes) freed FROM points WHERE gone_ms > ? AND gone_ms <= ?
                     GROUP BY place_kind, place_id) g ON g.place_kind = p.kind AND g.place_id = p.id
        ORDER BY p.kind DESC, p.id`,
      [asOfMs, asOfMs, asOfMs - DAY, asOfMs],
    ),
    spaceOfPlaces(db, asOfMs),
    select<{
      id: number;
      kind: FindingRow['kind'];
      place: string | null;
      place_kind: FindingRow['placeKind'];
      place_id: number | null;
      copy_key: string;
      workload_id: number | null;
      workload: string | null;
      taken_ms: EpochMs | null;
      from_ms: EpochMs;
      detail: string;
    }>(
      db,
      `SELECT f.id, f.kind, COALESCE(r.name, d.name) place, f.place_kind, f.place_id, f.copy_key, f.workload_id, w.name workload,
              f.taken_ms, f.from_ms, f.detail
         FROM findings f LEFT JOIN workloads w ON w.id = f.workload_id
         LEFT JOIN repositories r ON f.place_kind = 'repository' AND r.id = f.place_id
         LEFT JOIN datastores d ON f.place_kind = 'datastore' AND d.id = f.place_id
        WHERE f.from_ms <= ? AND (f.to_ms IS NULL OR f.to_ms > ?) ORDER BY f.kind, f.from_ms DESC, f.id LIMIT ?`,
      [asOfMs, asOfMs, SHOWN],
    ),
    select<{ n: number }>(db, 'SELECT COUNT(*) n FROM findings WHERE from_ms <= ? AND (to_ms IS NULL OR to_ms > ?)', [
      asOfMs,
      asOfMs,
    ]),
  ]);
  const spaceOf = new Map(space.map((s) => [`${s.kind}:${s.id}`, s]));
  return {
    places: rows.map((p) => {
      const own = spaceOf.get(`${p.kind}:${p.id}`);
      return {
        kind: p.kind,
        id: p.id,
        name: p.name,
        site: p.site,
        points: p.points,
        badPoints: p.bad,
        capacityBytes: p.capacity_bytes,
        usedBytes: own?.usedBytes ?? null,
        freedBytes: p.freed,
        fullMs: own?.fullMs ?? null,
        immutableMs: p.immutable_ms,
        lookedMs: p.at_ms,
        failure: p.failure,
      };
    }),
    findings: findings.map((f) => ({
      id: f.id,
      kind: f.kind,
      place: f.place,
      placeKind: f.place_kind,
      placeId: f.place_id,
      copyKey: f.copy_key,
      workloadId: f.workload_id,
      workload: f.workload,
      takenMs: f.taken_ms,
      sinceMs: f.from_ms,
      detail: f.detail,
    })),
    found: count[0]?.n ?? 0,
  };
}

export function siteList(db: Database): Promise<Array<{ readonly id: number; readonly name: string }>> {
  return select(db, 'SELECT id, name FROM sites ORDER BY id');
}
