import type { Migration } from '@/store/migrate';

/**
 * Streams, workloads captured together, and links that may not use their whole rate at all hours.
 *
 * - `streams` is what a stream gives at present; `stream_stretches` what it gave over time: during a stretch its newest
 *   instant was `lag_ms` behind, or, while it stood still, `through_ms`.
 * - `group_key`: runs, and their points, that were captured at one instant.
 */
export const lanes: Migration = {
  name: '0008-lanes',
  statements: [
    `ALTER TABLE links ADD COLUMN throttles JSON NOT NULL DEFAULT '[]'`,
    `ALTER TABLE runs MODIFY kind ENUM('snapshot','backup','replica','copy','stream') NOT NULL, ADD COLUMN group_key VARCHAR(80) NULL,
       ADD KEY runs_group (group_key)`,
    `ALTER TABLE points MODIFY kind ENUM('snapshot','backup','replica','copy','stream') NOT NULL,
       ADD COLUMN group_key VARCHAR(80) NULL, ADD KEY points_group (group_key)`,
    'ALTER TABLE notice_routes ADD COLUMN gather_ms BIGINT NOT NULL DEFAULT 0 CHECK (gather_ms >= 0)',
    `CREATE TABLE streams (
      enrolment_id INT UNSIGNED NOT NULL, lane_key VARCHAR(24) NOT NULL, workload_id INT UNSIGNED NOT NULL,
      place_id INT UNSIGNED NOT NULL, site_id INT UNSIGNED NOT NULL, state ENUM('starting','flowing','behind','broken') NOT NULL DEFAULT 'starting',
      through_ms BIGINT NOT NULL, spans JSON NOT NULL DEFAULT '[]', behind_bytes BIGINT NOT NULL DEFAULT 0,
      rate_bps BIGINT NOT NULL DEFAULT 0, seen_ms BIGINT NOT NULL,
      PRIMARY KEY (enrolment_id, lane_key), KEY streams_workload (workload_id),
      FOREIGN KEY (enrolment_id) REFERENCES enrolments(id) ON DELETE CASCADE)`,
    `CREATE TABLE stream_stretches (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workload_id INT UNSIGNED NOT NULL, site_id INT UNSIGNED NOT NULL,
      from_ms BIGINT NOT NULL, to_ms BIGINT NULL, lag_ms BIGINT NULL, through_ms BIGINT NULL,
      is_open TINYINT AS (IF(to_ms IS NULL, 1, NULL)) STORED,
      UNIQUE KEY stretches_open (workload_id, site_id, is_open), KEY stretches_span (workload_id, from_ms, to_ms),
      CHECK ((lag_ms IS NULL) <> (through_ms IS NULL)), CHECK (to_ms IS NULL OR to_ms >= from_ms))`,
  ],
};
