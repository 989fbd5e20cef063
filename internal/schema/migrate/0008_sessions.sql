-- +goose Up
-- Runs of applications, as they told of them. id is a hash of the name they
-- gave; told and outcome are those of core/session.
CREATE TABLE IF NOT EXISTS app_session (
  project INT UNSIGNED NOT NULL, id BINARY(16) NOT NULL, name VARCHAR(200) NOT NULL,
  started BIGINT NOT NULL, duration BIGINT UNSIGNED NOT NULL, told TINYINT UNSIGNED NOT NULL, outcome TINYINT UNSIGNED NOT NULL, sequence INT UNSIGNED NOT NULL, heard BIGINT NOT NULL,
  user BIGINT NULL, user_sequence INT UNSIGNED NOT NULL, app_release INT UNSIGNED NULL, environment INT UNSIGNED NOT NULL, home_sequence INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, id), KEY by_start (project, started), KEY by_outcome (project, outcome, started), KEY of_user (project, user, started), KEY quiet (outcome, heard)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How many there were, by the day on which they began (UTC). Kept for ever.
CREATE TABLE IF NOT EXISTS session_day (
  project INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, outcome TINYINT UNSIGNED NOT NULL, sessions BIGINT NOT NULL,
  PRIMARY KEY (project, day, app_release, environment, outcome)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What people said. variant is that of the event it is about, once it is filed.
CREATE TABLE IF NOT EXISTS feedback (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, uuid BINARY(16) NOT NULL, event BINARY(16) NULL, variant INT UNSIGNED NULL, waiting TINYINT NOT NULL,
  said BIGINT NOT NULL, received BIGINT NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, user BIGINT NULL,
  app_release INT UNSIGNED NULL, environment INT UNSIGNED NOT NULL, text TEXT NOT NULL, cut TINYINT NOT NULL, name VARCHAR(200) NOT NULL, email VARCHAR(200) NOT NULL,
  UNIQUE (project, uuid), KEY of_event (project, event), KEY waits (project, waiting), KEY of_variant (variant, id), KEY newest (project, id), KEY of_user (project, user), KEY expires (keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- All events of a session.
ALTER TABLE event ADD KEY IF NOT EXISTS of_session (project, session);
