/** Pauses as pages show them. */
import type { EpochMs } from '@/core/units';
import type { Database } from '@/store/database';
import { pausesAt, type PauseInForce } from '@/store/pauses';

export { pausesAt };
export type PauseView = PauseInForce;

/** Those that hold the runs of a workload. */
export async function pausesOf(
  db: Database,
  of: { readonly workloadId: number; readonly siteId: number; readonly policyId: number | null },
  atMs: EpochMs,
): Promise<PauseView[]> {
  const wanted = { workload: of.workloadId, site: of.siteId, policy: of.policyId };
  return (await pausesAt(db, atMs)).filter((pause) => wanted[pause.scope] === pause.scopeId);
}
