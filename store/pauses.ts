/** Pauses that are in force at a moment. */
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';

export interface PauseInForce {
  readonly id: number;
  readonly scope: 'policy' | 'site' | 'workload';
  readonly scopeId: number;
  /** "Policy Tier 1 critical", "Site Norde", "Workload tkt-db-01". */
  readonly of: string;
  readonly fromMs: EpochMs;
  readonly toMs: EpochMs;
  readonly reason: string;
  readonly by: string | null;
}

/** All of them, those that end last first. */
export async function pausesAt(db: Database, atMs: EpochMs): Promise<PauseInForce[]> {
  const rows = await select<Omit<PauseInForce, 'of'> & { name: string | null }>(
    db,
    `SELECT p.id, p.scope, p.scope_id scopeId, p.from_ms fromMs, p.to_ms toMs, p.reason, u.full_name \`by\`,
            COALESCE(y.name, s.name, w.name) name
       FROM pauses p LEFT JOIN users u ON u.id = p.created_by
       LEFT JOIN policies y ON p.scope = 'policy' AND y.id = p.scope_id LEFT JOIN sites s ON p.scope = 'site' AND s.id = p.scope_id
       LEFT JOIN workloads w ON p.scope = 'workload' AND w.id = p.scope_id
      WHERE p.from_ms <= ? AND p.to_ms > ? ORDER BY p.to_ms DESC`,
    [atMs, atMs],
  );
  return rows.map(({ name, ...p }) => ({ ...p, of: `${p.scope[0]?.toUpperCase()}${p.scope.slice(1)} ${name ?? ''}` }));
}
