-- +goose Up
-- The inbox is read by project, so that a long one does not stand in front of
-- the others.
ALTER TABLE inbox DROP PRIMARY KEY, ADD PRIMARY KEY (shard, project, id), ADD KEY IF NOT EXISTS waiting (project, received, events);
ALTER TABLE inbox DROP COLUMN IF EXISTS attempts;
-- What is being filed of a project now, written before the work begins: rows
-- that are found here again were in hand when a process ended. suspect is the
-- event that was then being filed alone, deaths how often that happened.
CREATE TABLE IF NOT EXISTS claim (
  project INT UNSIGNED NOT NULL PRIMARY KEY, deliveries MEDIUMBLOB NOT NULL, tries TINYINT UNSIGNED NOT NULL, suspect BINARY(16) NULL, deaths TINYINT UNSIGNED NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE set_aside ADD COLUMN IF NOT EXISTS event BINARY(16) NULL, ADD KEY IF NOT EXISTS by_age (received);
-- Processes that file; each takes its share of the shards. Times are the
-- database's own, so that clocks of machines need not agree.
CREATE TABLE IF NOT EXISTS filer (
  owner BINARY(16) NOT NULL PRIMARY KEY, until BIGINT NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Events that were acknowledged and not filed as new ones, by cause.
CREATE TABLE IF NOT EXISTS event_drop (
  project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, hour, cause)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Moves of variants between issues. following: derived rows are on their way.
CREATE TABLE IF NOT EXISTS move (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, kind VARCHAR(20) NOT NULL, at BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL,
  from_issue INT UNSIGNED NOT NULL, to_issue INT UNSIGNED NOT NULL, undoes BIGINT UNSIGNED NULL, undone_by BIGINT UNSIGNED NULL,
  before_from TEXT NULL, before_to TEXT NULL, list_from TEXT NULL, following TINYINT NOT NULL, step TINYINT UNSIGNED NOT NULL DEFAULT 0, step_at VARCHAR(60) NOT NULL DEFAULT '',
  KEY following (following, project, id), KEY (from_issue), KEY (to_issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS move_variant (
  move BIGINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (move, variant), KEY (variant, move)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS move_alias (
  move BIGINT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL,
  PRIMARY KEY (move, grouping_version, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE issue ADD KEY IF NOT EXISTS merged (merged_into);
ALTER TABLE history ADD COLUMN IF NOT EXISTS move BIGINT UNSIGNED NULL, ADD KEY IF NOT EXISTS by_move (move);
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS recounting TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS bodies BIGINT UNSIGNED NOT NULL DEFAULT 0;

-- Which bodies are kept. A variant's newest stands in a slot of its own.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS bodies BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE event DROP KEY IF EXISTS of_variant;
ALTER TABLE event ADD KEY IF NOT EXISTS by_variant (variant, has_body, filing);
UPDATE variant v LEFT JOIN (SELECT variant, COUNT(*) n FROM event WHERE has_body=1 GROUP BY variant) e ON e.variant=v.id SET v.bodies=COALESCE(e.n, 0);
UPDATE issue_list l LEFT JOIN (SELECT issue, SUM(bodies) n FROM variant GROUP BY issue) v ON v.issue=l.issue SET l.bodies=COALESCE(v.n, 0);
CREATE TABLE IF NOT EXISTS newest_body (
  variant INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  written BIGINT NOT NULL, dictionary INT UNSIGNED NULL, body MEDIUMBLOB NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS body_first (
  day SMALLINT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL,
  PRIMARY KEY (day, issue, app_release, environment)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Earlier bodies, without what names a user, that later ones are compressed with.
CREATE TABLE IF NOT EXISTS dictionary (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, week SMALLINT UNSIGNED NOT NULL, user BIGINT NULL, content MEDIUMBLOB NOT NULL,
  UNIQUE (issue, week), KEY (week), KEY (project, user)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Retention. dropped is what events of dropped partitions carried; fold says of
-- which variants a partition's events stand there already.
ALTER TABLE issue_hour ADD COLUMN IF NOT EXISTS dropped BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE issue_day ADD COLUMN IF NOT EXISTS dropped BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE issue_release ADD COLUMN IF NOT EXISTS dropped BIGINT UNSIGNED NOT NULL DEFAULT 0;
ALTER TABLE issue_env ADD COLUMN IF NOT EXISTS dropped BIGINT UNSIGNED NOT NULL DEFAULT 0;
CREATE TABLE IF NOT EXISTS fold (
  day SMALLINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (day, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Classes of retention a project had before: repeats are looked up under them
-- until the last day that events of them are kept.
CREATE TABLE IF NOT EXISTS project_class (
  project INT UNSIGNED NOT NULL, keep_days SMALLINT UNSIGNED NOT NULL, until_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, keep_days)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Users to be erased, and the number that stands in their place.
CREATE TABLE IF NOT EXISTS erasure (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, user BIGINT NULL, replacement BIGINT NOT NULL, requested BIGINT NOT NULL, actor VARCHAR(100) NOT NULL, done BIGINT NULL, events BIGINT UNSIGNED NOT NULL DEFAULT 0,
  KEY (done, project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE issue_user ADD KEY IF NOT EXISTS by_user (user, issue);
