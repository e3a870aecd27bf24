import type { Migration } from '@/store/migrate';

/**
 * What lies at a place is asked for at each reconciliation, among millions of points that are gone. Exposure over a span,
 * and where a workload has points, are answered by the keys alone.
 */
export const pointKeys: Migration = {
  name: '0010-point-keys',
  statements: [
    `ALTER TABLE points ADD KEY points_place (place_kind, place_id, gone_ms),
       DROP KEY points_workload, ADD KEY points_workload (workload_id, taken_ms, usable_ms, gone_ms, bad_ms, repaired_ms),
       DROP KEY points_live, ADD KEY points_live (gone_ms, workload_id, lane_key, site_id, taken_ms, usable_ms, bad_ms, repaired_ms)`,
  ],
};
