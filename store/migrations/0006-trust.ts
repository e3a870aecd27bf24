import type { Migration } from '@/store/migrate';

/**
 * Copies of copies, points that turn out bad, what places hold besides, and who may not run.
 *
 * - `bad_ms`: a point read back wrong, or was missing; `repaired_ms`: good again since then.
 * - `lost_ms` of a workload: when its newest point was found bad, so that a miss is not opened before anybody knew.
 * - `turns` is one row that every claim changes: whoever claims at the same moment waits for it, or, between nodes of a
 *   cluster, fails its certification and begins again. Limits of movers and places hold whatever engines there are.
 */
export const trust: Migration = {
  name: '0006-trust',
  statements: [
    `ALTER TABLE runs MODIFY kind ENUM('snapshot','backup','replica','copy') NOT NULL`,
    `ALTER TABLE points MODIFY kind ENUM('snapshot','backup','replica','copy') NOT NULL,
       ADD COLUMN bad_ms BIGINT NULL, ADD COLUMN bad_cause ENUM('rotten','missing') NULL, ADD COLUMN repaired_ms BIGINT NULL,
       ADD KEY points_read_back (gone_ms, verified_ms), ADD KEY points_bad (bad_ms), ADD KEY points_copy (copy_key),
       ADD CHECK (bad_ms IS NULL OR bad_cause IS NOT NULL), ADD CHECK (repaired_ms IS NULL OR repaired_ms >= bad_ms)`,
    'ALTER TABLE workloads ADD COLUMN lost_ms BIGINT NULL',
    `ALTER TABLE conditions ADD COLUMN is_open TINYINT AS (IF(to_ms IS NULL, 1, NULL)) STORED,
       ADD UNIQUE KEY conditions_once (subject, state, is_open)`,
    `CREATE TABLE findings (
      id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, kind ENUM('unknown','missing','snapshot') NOT NULL,
      place_kind ENUM('datastore','repository') NULL, place_id INT UNSIGNED NULL, copy_key VARCHAR(64) NOT NULL,
      workload_id INT UNSIGNED NULL, point_id BIGINT UNSIGNED NULL, taken_ms BIGINT NULL, detail VARCHAR(300) NOT NULL,
      from_ms BIGINT NOT NULL, to_ms BIGINT NULL, is_open TINYINT AS (IF(to_ms IS NULL, 1, NULL)) STORED,
      UNIQUE KEY findings_open (kind, place_kind, place_id, copy_key, is_open), KEY findings_span (from_ms, to_ms))`,
    `CREATE TABLE reconciliations (
      place_kind ENUM('datastore','repository') NOT NULL, place_id INT UNSIGNED NOT NULL, at_ms BIGINT NOT NULL,
      copies INT UNSIGNED NOT NULL, failure VARCHAR(300) NULL, PRIMARY KEY (place_kind, place_id))`,
    `CREATE TABLE pauses (
      id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, scope ENUM('policy','site','workload') NOT NULL, scope_id INT UNSIGNED NOT NULL,
      from_ms BIGINT NOT NULL, to_ms BIGINT NOT NULL, reason VARCHAR(200) NOT NULL, created_by INT UNSIGNED NULL,
      KEY pauses_span (to_ms, from_ms), CHECK (to_ms >= from_ms))`,
    'CREATE TABLE turns (id TINYINT PRIMARY KEY CHECK (id = 1), number BIGINT UNSIGNED NOT NULL)',
    'INSERT INTO turns VALUES (1, 0)',
    'ALTER TABLE datastores ADD COLUMN slots INT NOT NULL DEFAULT 12 CHECK (slots > 0)',
    'ALTER TABLE clusters ADD COLUMN slots INT NOT NULL DEFAULT 24 CHECK (slots > 0)',
    'ALTER TABLE repositories ADD COLUMN slots INT NOT NULL DEFAULT 24 CHECK (slots > 0)',
    'ALTER TABLE runs ADD COLUMN waits_for VARCHAR(120) NULL',
    // Whoever writes: a point that is immutable does not leave before its date, and its date does not come nearer.
    `CREATE TRIGGER points_immutable BEFORE UPDATE ON points FOR EACH ROW
      IF OLD.immutable_until_ms IS NOT NULL AND OLD.gone_ms IS NULL AND (
           NEW.immutable_until_ms IS NULL OR NEW.immutable_until_ms < OLD.immutable_until_ms
           OR (OLD.marked_ms IS NULL AND NEW.marked_ms < OLD.immutable_until_ms)
           OR NEW.gone_ms < OLD.immutable_until_ms) THEN
        SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'This point is immutable until its date.';
      END IF`,
    `CREATE TRIGGER points_stay BEFORE DELETE ON points FOR EACH ROW
      IF OLD.immutable_until_ms IS NOT NULL AND OLD.gone_ms IS NULL THEN
        SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'This point is immutable until its date.';
      END IF`,
  ],
};
