-- +goose Up
-- The grouping version that a project is to adopt; 0: it stays at its own.
ALTER TABLE project ADD COLUMN IF NOT EXISTS grouping_wanted SMALLINT UNSIGNED NOT NULL DEFAULT 0;
-- The same fingerprint in other projects.
ALTER TABLE alias ADD KEY IF NOT EXISTS by_hash (hash, grouping_version);
-- Stored events grouped anew, by a version of the rules file and a grouping
-- version. state is reading, moving, done, undoing, undone or stopped. pass
-- tells the readings apart: an undo reads what came in between.
CREATE TABLE IF NOT EXISTS regroup (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL, state VARCHAR(10) NOT NULL,
  rules_version INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, before_rules INT UNSIGNED NOT NULL, before_grouping SMALLINT UNSIGNED NOT NULL,
  pass TINYINT UNSIGNED NOT NULL DEFAULT 0, at_variant INT UNSIGNED NOT NULL DEFAULT 0, last_variant INT UNSIGNED NOT NULL DEFAULT 0, filing BIGINT UNSIGNED NOT NULL DEFAULT 0,
  variants INT UNSIGNED NOT NULL DEFAULT 0, bodies BIGINT UNSIGNED NOT NULL DEFAULT 0, events BIGINT UNSIGNED NOT NULL DEFAULT 0, stays BIGINT UNSIGNED NOT NULL DEFAULT 0, made INT UNSIGNED NOT NULL DEFAULT 0, emptied INT UNSIGNED NOT NULL DEFAULT 0,
  ended BIGINT NULL, undone_by VARCHAR(100) NOT NULL DEFAULT '', why VARCHAR(500) NOT NULL DEFAULT '',
  KEY (project, id), KEY working (state, project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What of a variant the new way tells apart: print and hash as they are then.
-- whole: all that is kept of the variant is of this part. target is the issue
-- it goes to, once that is decided; fresh numbers one that is not made yet. plain is the print without
-- looking through a function with many callers.
CREATE TABLE IF NOT EXISTS regroup_part (
  regroup INT UNSIGNED NOT NULL, pass TINYINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, print BINARY(16) NOT NULL,
  rule VARCHAR(60) NOT NULL, whole TINYINT NOT NULL, bodies INT UNSIGNED NOT NULL, looked TINYINT NOT NULL, provisional TINYINT NOT NULL, plain BINARY(16) NULL, parts TEXT NOT NULL, shown TEXT NOT NULL, target INT UNSIGNED NOT NULL DEFAULT 0, fresh INT UNSIGNED NOT NULL DEFAULT 0, done TINYINT NOT NULL DEFAULT 0,
  PRIMARY KEY (regroup, pass, variant, hash), KEY work (regroup, pass, done, whole, variant), KEY fresh (regroup, pass, fresh)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Events of a variant that go with a part of it.
CREATE TABLE IF NOT EXISTS regroup_event (
  regroup INT UNSIGNED NOT NULL, pass TINYINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (regroup, pass, variant, hash, filing)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Bodies that are kept for good and go with a part.
CREATE TABLE IF NOT EXISTS regroup_exemplar (
  regroup INT UNSIGNED NOT NULL, pass TINYINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, form BINARY(16) NOT NULL,
  PRIMARY KEY (regroup, pass, variant, hash, form)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Issues that it made or emptied; the latter lead to another one and stand here as the list showed them.
CREATE TABLE IF NOT EXISTS regroup_issue (
  regroup INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, made TINYINT NOT NULL, list_row TEXT NULL,
  PRIMARY KEY (regroup, issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What variants and fingerprints were before, for the undo.
CREATE TABLE IF NOT EXISTS regroup_variant (
  regroup INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, fingerprint BINARY(16) NOT NULL,
  base BINARY(16) NULL, base_fingerprint BINARY(16) NULL, looked TINYINT NOT NULL, rules_version INT UNSIGNED NOT NULL, parts TEXT NOT NULL,
  PRIMARY KEY (regroup, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS regroup_alias (
  regroup INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, issue INT UNSIGNED NULL,
  PRIMARY KEY (regroup, grouping_version, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE move ADD COLUMN IF NOT EXISTS regroup INT UNSIGNED NULL, ADD KEY IF NOT EXISTS of_regroup (regroup, id);
-- What of a variant is compared with others (core/likeness): up to three
-- different traces. sketched 0: it is to be made.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS sketched TINYINT NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS to_sketch (sketched, project, id);
CREATE TABLE IF NOT EXISTS sketch (
  variant INT UNSIGNED NOT NULL, n TINYINT UNSIGNED NOT NULL, body TEXT NOT NULL, attributes TEXT NOT NULL,
  PRIMARY KEY (variant, n)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Variants by what they have, to find alike ones; how many have it says how
-- much that tells.
CREATE TABLE IF NOT EXISTS sketch_feature (
  project INT UNSIGNED NOT NULL, feature BIGINT NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, feature, variant), KEY of_variant (variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS sketch_count (
  project INT UNSIGNED NOT NULL, feature BIGINT NOT NULL, variants INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, feature)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How variable a project's grouping was, by day: issues that were seen, the
-- causes that they looked like, issues that looked like several.
CREATE TABLE IF NOT EXISTS grouping_day (
  project INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, issues INT UNSIGNED NOT NULL, causes INT UNSIGNED NOT NULL, mixed INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What one user ran into, and when.
ALTER TABLE event ADD KEY IF NOT EXISTS of_user (project, user, thrown);
