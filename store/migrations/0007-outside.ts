import type { Migration } from '@/store/migrate';

/** What speaks with the outside: tokens of the API, keys that make a request count once, notices and where they go. */
export const outside: Migration = {
  name: '0007-outside',
  statements: [
    `CREATE TABLE api_tokens (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name VARCHAR(64) NOT NULL, token_hash CHAR(64) NOT NULL UNIQUE,
      user_id INT UNSIGNED NOT NULL, scope ENUM('read','operate','administer') NOT NULL,
      created_real_ms BIGINT NOT NULL, expires_real_ms BIGINT NOT NULL, revoked_real_ms BIGINT NULL, used_real_ms BIGINT NULL,
      FOREIGN KEY (user_id) REFERENCES users(id) ON DELETE CASCADE)`,
    `CREATE TABLE idempotency_keys (
      token_id INT UNSIGNED NOT NULL, idem_key VARCHAR(64) NOT NULL, request_hash CHAR(64) NOT NULL, body JSON NOT NULL,
      created_real_ms BIGINT NOT NULL, PRIMARY KEY (token_id, idem_key), KEY idempotency_age (created_real_ms),
      FOREIGN KEY (token_id) REFERENCES api_tokens(id) ON DELETE CASCADE)`,
    `ALTER TABLE audit_entries ADD COLUMN token_id INT UNSIGNED NULL, ADD KEY audit_action (action, at_ms), ADD KEY audit_user (user_id, at_ms)`,
    `CREATE TABLE notice_routes (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, kind ENUM('mail','webhook') NOT NULL, target VARCHAR(300) NOT NULL,
      level ENUM('over','closing','all') NOT NULL DEFAULT 'over', secret VARBINARY(200) NULL,
      quiet_from_min SMALLINT NULL, quiet_to_min SMALLINT NULL, escalate_after_ms BIGINT NULL,
      created_ms BIGINT NOT NULL, removed_ms BIGINT NULL)`,
    `CREATE TABLE causes (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, cause_key VARCHAR(160) NOT NULL, title VARCHAR(200) NOT NULL,
      state ENUM('over','closing','inside') NOT NULL, workloads INT UNSIGNED NOT NULL, effect VARCHAR(500) NOT NULL,
      from_ms BIGINT NOT NULL, to_ms BIGINT NULL, taken_by INT UNSIGNED NULL, taken_ms BIGINT NULL,
      is_open TINYINT AS (IF(to_ms IS NULL, 1, NULL)) STORED, UNIQUE KEY causes_open (cause_key, is_open), KEY causes_span (from_ms, to_ms))`,
    `CREATE TABLE notices (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, route_id INT UNSIGNED NOT NULL, cause_id BIGINT UNSIGNED NULL,
      reason ENUM('began','worse','ended','escalated','trial') NOT NULL, event_id CHAR(36) NOT NULL, created_ms BIGINT NOT NULL,
      not_before_ms BIGINT NOT NULL, attempts SMALLINT UNSIGNED NOT NULL DEFAULT 0, sent_ms BIGINT NULL, given_up_ms BIGINT NULL,
      failure VARCHAR(300) NULL, UNIQUE KEY notices_once (route_id, cause_id, reason), KEY notices_open (sent_ms, given_up_ms, not_before_ms),
      FOREIGN KEY (route_id) REFERENCES notice_routes(id), FOREIGN KEY (cause_id) REFERENCES causes(id))`,
  ],
};
