-- +goose Up
-- The names of attributes: ids below 1000 are columns with a meaning of their own.
CREATE TABLE IF NOT EXISTS attribute (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, name VARCHAR(255) NOT NULL, first_seen BIGINT NOT NULL,
  last_day SMALLINT UNSIGNED NOT NULL DEFAULT 0, dropped TINYINT NOT NULL DEFAULT 0,
  UNIQUE (project, hash)
) AUTO_INCREMENT=1000 DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The search index: the columns of events, a row for each batch and day of retention, merged in the background.
CREATE TABLE IF NOT EXISTS segment (
  project INT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, first_position BIGINT UNSIGNED NOT NULL, last_position BIGINT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL, tier TINYINT UNSIGNED NOT NULL, events INT UNSIGNED NOT NULL, min_time BIGINT NOT NULL, max_time BIGINT NOT NULL,
  damaged TINYINT NOT NULL DEFAULT 0, body MEDIUMBLOB NULL,
  PRIMARY KEY (project, keep_day, first_position), KEY by_tier (tier, project, keep_day, first_position)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin
  PARTITION BY RANGE (keep_day) (PARTITION pmax VALUES LESS THAN MAXVALUE);
CREATE TABLE IF NOT EXISTS segment_column (
  project INT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, first_position BIGINT UNSIGNED NOT NULL, attribute INT UNSIGNED NOT NULL,
  head MEDIUMBLOB NOT NULL, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (project, keep_day, first_position, attribute)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin
  PARTITION BY RANGE (keep_day) (PARTITION pmax VALUES LESS THAN MAXVALUE);
-- What became of single events since: the next merge puts it into their segment.
CREATE TABLE IF NOT EXISTS segment_change (
  project INT UNSIGNED NOT NULL, position BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  gone TINYINT NOT NULL DEFAULT 0, blank TINYINT NOT NULL DEFAULT 0, variant INT UNSIGNED NULL, user_number INT UNSIGNED NULL, cells MEDIUMBLOB NULL,
  revision INT UNSIGNED NOT NULL DEFAULT 1,
  PRIMARY KEY (project, keep_day, position)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Positions whose events are not in the index: those before it, those that an older program wrote, and those of a
-- segment that was damaged. Day 0 stands for all days.
CREATE TABLE IF NOT EXISTS index_gap (
  project INT UNSIGNED NOT NULL, first_position BIGINT UNSIGNED NOT NULL, last_position BIGINT UNSIGNED NOT NULL, until_time BIGINT NOT NULL,
  keep_day SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  PRIMARY KEY (project, first_position, keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE project_counter ADD COLUMN IF NOT EXISTS indexed BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS users INT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS memberships BIGINT UNSIGNED NOT NULL DEFAULT 0;
INSERT IGNORE INTO index_gap (project, first_position, last_position, until_time)
  SELECT project, 1, filing, CAST(UNIX_TIMESTAMP()*1000000 AS SIGNED) FROM project_counter WHERE filing>0;
UPDATE project_counter SET indexed=filing;
-- Numbers of users, and the other identities that their events carry, as hashes.
CREATE TABLE IF NOT EXISTS user_number (
  project INT UNSIGNED NOT NULL, user BIGINT NOT NULL, number INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, user), UNIQUE (project, number)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS user_identity (
  project INT UNSIGNED NOT NULL, identity BIGINT NOT NULL, user BIGINT NOT NULL,
  PRIMARY KEY (project, identity, user), KEY of_user (project, user)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What the traces of a variant say.
CREATE TABLE IF NOT EXISTS variant_fact (
  variant INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL, type VARCHAR(300) NOT NULL, message VARCHAR(1000) NOT NULL,
  file VARCHAR(500) NOT NULL, function VARCHAR(300) NOT NULL, headline VARCHAR(300) NOT NULL, place VARCHAR(500) NOT NULL,
  KEY of_project (project, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE variant ADD COLUMN IF NOT EXISTS facts TINYINT NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS factless (facts, project, id);
-- The words that an issue is found by.
CREATE TABLE IF NOT EXISTS issue_word (
  project INT UNSIGNED NOT NULL, word VARCHAR(40) NOT NULL, issue INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, word, issue), KEY of_issue (issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS worded TINYINT NOT NULL DEFAULT 0, ADD KEY IF NOT EXISTS wordless (worded, project, issue),
  ADD KEY IF NOT EXISTS by_first_release (first_release, issue);
ALTER TABLE issue_release ADD KEY IF NOT EXISTS by_release (app_release, variant);
ALTER TABLE issue_env ADD KEY IF NOT EXISTS by_environment (environment, variant);
-- Whether the country of client addresses is noted.
ALTER TABLE project ADD COLUMN IF NOT EXISTS locate_users TINYINT NOT NULL DEFAULT 0;
CREATE TABLE IF NOT EXISTS saved_search (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, name VARCHAR(100) NOT NULL, search VARCHAR(8000) NOT NULL, person INT UNSIGNED NOT NULL DEFAULT 0,
  maker VARCHAR(150) NOT NULL, shared TINYINT NOT NULL DEFAULT 0, preferred TINYINT NOT NULL DEFAULT 0, changed BIGINT NOT NULL,
  UNIQUE (project, person, shared, name)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
