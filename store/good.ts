/**
 * When a point may be relied on: complete at its place, not gone, and not known bad. One that read back wrong is bad from
 * `bad_ms` until it was repaired; these fragments of SQL say so in one place. `p` is the alias of points, `:at` an instant.
 */

import type { ExposurePoint } from '@/core/point/exposure';
import type { EpochMs } from '@/core/units';

/** Bad at no moment from now on; for rows of points without alias. */
export const GOOD_NOW = '(bad_ms IS NULL OR repaired_ms IS NOT NULL)';

/** Usable at `:at`, as it was known then. */
export const USABLE_AT = `p.taken_ms <= :at AND p.usable_ms <= :at AND (p.gone_ms IS NULL OR p.gone_ms > :at)
  AND (p.bad_ms IS NULL OR p.bad_ms > :at OR p.repaired_ms <= :at)`;

/** Instant from which a point that is good now counts. */
export const GOOD_FROM = 'GREATEST(p.usable_ms, COALESCE(p.repaired_ms, 0))';

/** The stretches in which a point counted, as it was known then; thinning is left out: for the past a thinned point counts. */
export function usableSpans(point: {
  readonly taken_ms: EpochMs;
  readonly usable_ms: EpochMs;
  readonly bad_ms: EpochMs | null;
  readonly repaired_ms: EpochMs | null;
}): ExposurePoint[] {
  const first = { takenAtMs: point.taken_ms, usableFromMs: point.usable_ms, goneAtMs: point.bad_ms };
  if (point.repaired_ms === null) return [first];
  return [first, { takenAtMs: point.taken_ms, usableFromMs: point.repaired_ms, goneAtMs: null }];
}
