import type { Migration } from '@/store/migrate';

/** Space of every place that holds copies, not of repositories alone: datastores fill up with snapshots and replicas. */
export const placeSpace: Migration = {
  name: '0009-place-space',
  statements: [
    `CREATE TABLE place_space (
      place_kind ENUM('datastore','repository') NOT NULL, place_id INT UNSIGNED NOT NULL, at_ms BIGINT NOT NULL,
      used_bytes BIGINT NOT NULL CHECK (used_bytes >= 0), PRIMARY KEY (place_kind, place_id, at_ms), KEY place_space_at (at_ms))`,
    `INSERT INTO place_space SELECT 'repository', repository_id, at_ms, used_bytes FROM space_samples`,
    'DROP TABLE space_samples',
  ],
};
