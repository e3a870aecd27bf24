import type { Migration } from '@/store/migrate';

/** What lies at a place is asked for at each reconciliation, among millions of points that are gone. */
export const pointsByPlace: Migration = {
  name: '0010-points-by-place',
  statements: ['ALTER TABLE points ADD KEY points_place (place_kind, place_id, gone_ms)'],
};
