import type { Migration } from '@/store/migrate';

/**
 * Design notes.
 * - Instants are BIGINT UTC milliseconds (`_ms`): the unit of core/, independent of any session time zone.
 * - What is true for a while carries its span, so "as of" is a WHERE clause.
 * - Leases are in real time of the database server, never in the (possibly simulated) time of the fleet.
 * - Invariants are keys and CHECKs here; code only explains their violation.
 * - One run for one occurrence: runs_occurrence. One point for one run: points_run.
 */
export const foundation: Migration = {
  name: '0001-foundation',
  statements: [
    `CREATE TABLE clock (
      id TINYINT PRIMARY KEY CHECK (id = 1),
      base_ms BIGINT NOT NULL, real_base_ms BIGINT NOT NULL,
      rate DOUBLE NOT NULL CHECK (rate >= 0),
      jump_to_ms BIGINT NULL, seen_ms BIGINT NOT NULL)`,
    `CREATE TABLE users (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
      name VARCHAR(64) NOT NULL UNIQUE, full_name VARCHAR(120) NOT NULL,
      role ENUM('viewer','operator','administrator') NOT NULL,
      password_hash VARCHAR(255) NOT NULL, theme ENUM('light','dark') NOT NULL DEFAULT 'light')`,
    `CREATE TABLE sessions (
      token_hash CHAR(64) PRIMARY KEY, user_id INT UNSIGNED NOT NULL, csrf_token CHAR(43) NOT NULL,
      created_real_ms BIGINT NOT NULL, expires_real_ms BIGINT NOT NULL, revoked_real_ms BIGINT NULL,
      FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE)`,
    `CREATE TABLE rate_limits (\`key\` VARCHAR(255) PRIMARY KEY, points INT NOT NULL DEFAULT 0, expire BIGINT UNSIGNED NULL)`,
    `CREATE TABLE audit_entries (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, at_ms BIGINT NOT NULL, user_id INT UNSIGNED NULL,
      action VARCHAR(64) NOT NULL, subject VARCHAR(120) NOT NULL, detail JSON NOT NULL, KEY audit_at (at_ms))`,
    `CREATE TABLE tiers (
      id TINYINT UNSIGNED PRIMARY KEY, rpo_ms BIGINT NOT NULL CHECK (rpo_ms > 0),
      rpo_site_lost_ms BIGINT NOT NULL, rto_ms BIGINT NOT NULL, drill_interval_ms BIGINT NOT NULL,
      copies TINYINT UNSIGNED NOT NULL, keep_ms BIGINT NOT NULL)`,
    `CREATE TABLE sites (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, code CHAR(3) NOT NULL UNIQUE, name VARCHAR(64) NOT NULL,
      kind VARCHAR(40) NOT NULL, zone VARCHAR(64) NOT NULL, map_x SMALLINT NOT NULL, map_y SMALLINT NOT NULL)`,
    `CREATE TABLE links (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(80) NOT NULL,
      site_a INT UNSIGNED NOT NULL REFERENCES sites(id), site_b INT UNSIGNED NOT NULL REFERENCES sites(id),
      rate_bps BIGINT NOT NULL, rtt_ms DOUBLE NOT NULL, loss DOUBLE NOT NULL, UNIQUE KEY links_ends (site_a, site_b))`,
    `CREATE TABLE clusters (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, site_id INT UNSIGNED NOT NULL REFERENCES sites(id),
      name VARCHAR(64) NOT NULL, cores INT NOT NULL, memory_bytes BIGINT NOT NULL)`,
    `CREATE TABLE datastores (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, site_id INT UNSIGNED NOT NULL REFERENCES sites(id),
      name VARCHAR(64) NOT NULL, capacity_bytes BIGINT NOT NULL)`,
    `CREATE TABLE networks (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, site_id INT UNSIGNED NOT NULL REFERENCES sites(id),
      name VARCHAR(64) NOT NULL, subnet VARCHAR(43) NOT NULL, is_test BOOLEAN NOT NULL)`,
    `CREATE TABLE movers (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, site_id INT UNSIGNED NOT NULL REFERENCES sites(id),
      name VARCHAR(64) NOT NULL, slots INT NOT NULL CHECK (slots > 0), rate_bps BIGINT NOT NULL)`,
    `CREATE TABLE repositories (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, site_id INT UNSIGNED NOT NULL REFERENCES sites(id),
      name VARCHAR(64) NOT NULL, capacity_bytes BIGINT NOT NULL, used_bytes BIGINT NOT NULL DEFAULT 0,
      immutable_ms BIGINT NOT NULL DEFAULT 0)`,
    `CREATE TABLE applications (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(80) NOT NULL UNIQUE,
      tier_id TINYINT UNSIGNED NOT NULL REFERENCES tiers(id))`,
    `CREATE TABLE workloads (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(64) NOT NULL UNIQUE,
      application_id INT UNSIGNED NOT NULL, site_id INT UNSIGNED NOT NULL,
      cluster_id INT UNSIGNED NOT NULL, datastore_id INT UNSIGNED NOT NULL, network_id INT UNSIGNED NOT NULL,
      address VARCHAR(43) NOT NULL, cores INT NOT NULL, memory_bytes BIGINT NOT NULL, role VARCHAR(32) NOT NULL,
      labels JSON NOT NULL, guest_agent BOOLEAN NOT NULL,
      newest_taken_ms BIGINT NULL, newest_point_id BIGINT UNSIGNED NULL, newest_off_site_taken_ms BIGINT NULL,
      last_passed_drill_ms BIGINT NULL,
      KEY workloads_application (application_id), KEY workloads_site (site_id), KEY workloads_newest (newest_taken_ms),
      FOREIGN KEY (application_id) REFERENCES applications(id), FOREIGN KEY (site_id) REFERENCES sites(id))`,
    `CREATE TABLE disks (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workload_id INT UNSIGNED NOT NULL, number TINYINT UNSIGNED NOT NULL,
      role ENUM('system','data','config','scratch') NOT NULL, size_bytes BIGINT NOT NULL,
      UNIQUE KEY disks_number (workload_id, number),
      FOREIGN KEY (workload_id) REFERENCES workloads(id) ON DELETE CASCADE)`,
    `CREATE TABLE policies (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(80) NOT NULL UNIQUE, note VARCHAR(255) NOT NULL,
      revision INT UNSIGNED NOT NULL)`,
    `CREATE TABLE policy_revisions (
      policy_id INT UNSIGNED NOT NULL, revision INT UNSIGNED NOT NULL, lanes JSON NOT NULL, rule JSON NOT NULL,
      created_at_ms BIGINT NOT NULL, created_by INT UNSIGNED NULL, PRIMARY KEY (policy_id, revision),
      FOREIGN KEY (policy_id) REFERENCES policies(id) ON DELETE CASCADE)`,
    `CREATE TABLE enrolments (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workload_id INT UNSIGNED NOT NULL, policy_id INT UNSIGNED NOT NULL,
      revision INT UNSIGNED NOT NULL, reason JSON NOT NULL, since_ms BIGINT NOT NULL,
      UNIQUE KEY enrolments_workload (workload_id),
      FOREIGN KEY (workload_id) REFERENCES workloads(id) ON DELETE CASCADE,
      FOREIGN KEY (policy_id, revision) REFERENCES policy_revisions(policy_id, revision))`,
    `CREATE TABLE schedules (
      enrolment_id INT UNSIGNED NOT NULL, lane_key VARCHAR(24) NOT NULL, workload_id INT UNSIGNED NOT NULL,
      due_ms BIGINT NULL, typical_ms BIGINT NOT NULL DEFAULT 60000,
      failing_since_ms BIGINT NULL, failures INT NOT NULL DEFAULT 0,
      cause_code VARCHAR(40) NULL, cause_subject VARCHAR(80) NULL,
      PRIMARY KEY (enrolment_id, lane_key), KEY schedules_due (due_ms), KEY schedules_workload (workload_id),
      KEY schedules_failing (failing_since_ms),
      FOREIGN KEY (enrolment_id) REFERENCES enrolments(id) ON DELETE CASCADE)`,
    `CREATE TABLE runs (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, enrolment_id INT UNSIGNED NOT NULL,
      workload_id INT UNSIGNED NOT NULL, policy_id INT UNSIGNED NOT NULL, revision INT UNSIGNED NOT NULL,
      lane_key VARCHAR(24) NOT NULL, kind ENUM('snapshot','backup','replica') NOT NULL,
      occurrence_ms BIGINT NOT NULL, started_by ENUM('cadence','person','retry') NOT NULL,
      state ENUM('waiting','running','succeeded','failed','cancelled','missed') NOT NULL,
      step VARCHAR(24) NULL, steps JSON NULL, attempt SMALLINT UNSIGNED NOT NULL DEFAULT 0,
      owner CHAR(36) NULL, lease_real_ms BIGINT NULL, cancel_requested BOOLEAN NOT NULL DEFAULT FALSE,
      not_before_ms BIGINT NOT NULL, started_ms BIGINT NULL, ended_ms BIGINT NULL, taken_ms BIGINT NULL,
      inspected_bytes BIGINT NULL, total_bytes BIGINT NULL, sent_bytes BIGINT NULL, stored_bytes BIGINT NULL,
      rate_bps BIGINT NULL,
      cause_code VARCHAR(40) NULL, cause_subject VARCHAR(80) NULL, detail VARCHAR(500) NULL, remedy VARCHAR(500) NULL,
      UNIQUE KEY runs_occurrence (enrolment_id, lane_key, occurrence_ms),
      KEY runs_state (state, not_before_ms), KEY runs_workload (workload_id, occurrence_ms), KEY runs_ended (ended_ms),
      KEY runs_failed (state, ended_ms),
      CHECK (state <> 'running' OR owner IS NOT NULL),
      CHECK (state NOT IN ('succeeded','failed','cancelled') OR ended_ms IS NOT NULL),
      CHECK (state <> 'failed' OR (cause_code IS NOT NULL AND remedy IS NOT NULL)))`,
    `CREATE TABLE points (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, run_id BIGINT UNSIGNED NOT NULL,
      workload_id INT UNSIGNED NOT NULL, lane_key VARCHAR(24) NOT NULL,
      kind ENUM('snapshot','backup','replica') NOT NULL,
      place_kind ENUM('datastore','repository') NOT NULL, place_id INT UNSIGNED NOT NULL, site_id INT UNSIGNED NOT NULL,
      consistency ENUM('crash','application') NOT NULL,
      taken_ms BIGINT NOT NULL, usable_ms BIGINT NOT NULL, marked_ms BIGINT NULL, gone_ms BIGINT NULL,
      held_at_ms BIGINT NULL, held_by INT UNSIGNED NULL, held_reason VARCHAR(200) NULL, immutable_until_ms BIGINT NULL,
      digest CHAR(64) NOT NULL, disks JSON NOT NULL, stored_bytes BIGINT NOT NULL, copy_key VARCHAR(64) NOT NULL,
      verified_ms BIGINT NULL,
      UNIQUE KEY points_run (run_id),
      KEY points_workload (workload_id, taken_ms), KEY points_live (gone_ms, workload_id, lane_key), KEY points_marked (marked_ms, gone_ms),
      CHECK (usable_ms >= taken_ms), CHECK (gone_ms IS NULL OR gone_ms >= taken_ms),
      FOREIGN KEY (run_id) REFERENCES runs(id))`,
    `CREATE TABLE misses (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, workload_id INT UNSIGNED NOT NULL, from_ms BIGINT NOT NULL,
      to_ms BIGINT NULL, is_open TINYINT AS (IF(to_ms IS NULL, 1, NULL)) STORED,
      UNIQUE KEY misses_open (workload_id, is_open), KEY misses_span (from_ms, to_ms), CHECK (to_ms IS NULL OR to_ms >= from_ms))`,
    `CREATE TABLE conditions (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, subject VARCHAR(80) NOT NULL, state VARCHAR(40) NOT NULL,
      factor DOUBLE NULL, from_ms BIGINT NOT NULL, to_ms BIGINT NULL, KEY conditions_span (from_ms, to_ms), KEY conditions_open (subject, to_ms))`,
    `CREATE TABLE runbooks (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(80) NOT NULL UNIQUE, application_id INT UNSIGNED NOT NULL,
      source_site_id INT UNSIGNED NOT NULL, target_site_id INT UNSIGNED NOT NULL, plan JSON NOT NULL,
      FOREIGN KEY (application_id) REFERENCES applications(id))`,
    `CREATE TABLE drills (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, runbook_id INT UNSIGNED NOT NULL,
      state ENUM('waiting','running','cleaning','passed','failed','cancelled') NOT NULL,
      point_in_time_ms BIGINT NULL, started_by INT UNSIGNED NULL, created_ms BIGINT NOT NULL,
      started_ms BIGINT NULL, ended_ms BIGINT NULL, cancel_requested BOOLEAN NOT NULL DEFAULT FALSE,
      owner CHAR(36) NULL, lease_real_ms BIGINT NULL, progress JSON NULL, record JSON NULL,
      KEY drills_state (state), FOREIGN KEY (runbook_id) REFERENCES runbooks(id))`,
    `CREATE TABLE drill_lines (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, drill_id INT UNSIGNED NOT NULL, at_ms BIGINT NOT NULL,
      text VARCHAR(300) NOT NULL, KEY drill_lines_drill (drill_id), FOREIGN KEY (drill_id) REFERENCES drills(id) ON DELETE CASCADE)`,
    `CREATE TABLE engines (
      id CHAR(36) PRIMARY KEY, pid INT NOT NULL, started_real_ms BIGINT NOT NULL, beat_real_ms BIGINT NOT NULL)`,
  ],
};
