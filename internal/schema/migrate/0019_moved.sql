-- +goose Up
-- New issues that may be known ones, whose function moved to another file.
CREATE TABLE IF NOT EXISTS moved_check (
  issue INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL,
  KEY by_project (project, issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Fingerprints that traces have in engines which leave frames out, by those of
-- whole traces; either says that two bugs could be meant.
CREATE TABLE IF NOT EXISTS seen_as (
  project INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL,
  fingerprint BINARY(16) NOT NULL, stays BINARY(16) NOT NULL, either TINYINT NOT NULL DEFAULT 0,
  PRIMARY KEY (project, grouping_version, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The function that called the one that failed, by its name; and what of the
-- fingerprint does not change when functions move.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS caller BINARY(16) NULL, ADD COLUMN IF NOT EXISTS stays BINARY(16) NULL, ADD KEY IF NOT EXISTS by_stays (project, stays);
ALTER TABLE move ADD KEY IF NOT EXISTS by_kind (project, kind, at);
ALTER TABLE issue_list ADD KEY IF NOT EXISTS by_function (project, origin_function(100));
