import type { Migration } from '@/store/migrate';

/** What each repository used, hour by hour: the past of its space, and the ground of its forecast. */
export const spaceSamples: Migration = {
  name: '0003-space-samples',
  statements: [
    `CREATE TABLE space_samples (
      repository_id INT UNSIGNED NOT NULL, at_ms BIGINT NOT NULL, used_bytes BIGINT NOT NULL CHECK (used_bytes >= 0),
      PRIMARY KEY (repository_id, at_ms), FOREIGN KEY (repository_id) REFERENCES repositories(id) ON DELETE CASCADE)`,
  ],
};
