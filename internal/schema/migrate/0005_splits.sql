-- +goose Up
-- Parts of issues that people took out. Under each fingerprint that a split is
-- for, events that have the difference are filed under a fingerprint of its own.
-- looking: kept bodies are being looked through, up to a filing number; looked
-- is how many events were, stays how many have no body and so stay.
CREATE TABLE IF NOT EXISTS split (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, move BIGINT UNSIGNED NOT NULL, kind VARCHAR(10) NOT NULL, name VARCHAR(200) NOT NULL, value VARCHAR(1000) NOT NULL,
  active TINYINT NOT NULL, looking TINYINT NOT NULL, filing BIGINT UNSIGNED NOT NULL, at_variant INT UNSIGNED NOT NULL DEFAULT 0, at_filing BIGINT UNSIGNED NOT NULL DEFAULT 0,
  looked BIGINT UNSIGNED NOT NULL DEFAULT 0, stays BIGINT UNSIGNED NOT NULL DEFAULT 0,
  UNIQUE (move), KEY (project, active), KEY (looking, project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS split_alias (
  split INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL,
  PRIMARY KEY (split, grouping_version, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Events of a variant that were found to have a split's difference.
CREATE TABLE IF NOT EXISTS split_event (
  split INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (split, variant, filing)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Of a variant that a split made: hash and fingerprint as computed, without it.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS base BINARY(16) NULL, ADD COLUMN IF NOT EXISTS base_fingerprint BINARY(16) NULL;
ALTER TABLE split_alias ADD KEY IF NOT EXISTS by_hash (hash);
ALTER TABLE move_alias ADD KEY IF NOT EXISTS by_hash (hash);
-- Fingerprints whose function fails on behalf of its callers, and variants that
-- were filed under who called it: a newer grouping version keeps to both.
ALTER TABLE alias ADD COLUMN IF NOT EXISTS looked TINYINT NOT NULL DEFAULT 0;
ALTER TABLE variant ADD COLUMN IF NOT EXISTS looked TINYINT NOT NULL DEFAULT 0;
