-- +goose Up
-- Times are microseconds UTC, days are days since 1970-01-01. Text is compared byte for byte.

-- Who works here, with what rights.
CREATE TABLE IF NOT EXISTS person (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(100) NOT NULL, email VARCHAR(200) NOT NULL, admin TINYINT NOT NULL DEFAULT 0, created BIGINT NOT NULL,
  UNIQUE (name), UNIQUE (email)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS member (
  person INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, role VARCHAR(10) NOT NULL,
  PRIMARY KEY (person, project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS token (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hash BINARY(32) NOT NULL, label VARCHAR(100) NOT NULL, scope VARCHAR(10) NOT NULL,
  project INT UNSIGNED NULL, person INT UNSIGNED NULL, created BIGINT NOT NULL, expires BIGINT NULL, last_used BIGINT NULL,
  UNIQUE (hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS sign_in_link (
  hash BINARY(32) NOT NULL PRIMARY KEY, person INT UNSIGNED NOT NULL, created BIGINT NOT NULL, expires BIGINT NOT NULL, used BIGINT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS web_session (
  hash BINARY(32) NOT NULL PRIMARY KEY, person INT UNSIGNED NOT NULL, created BIGINT NOT NULL, expires BIGINT NOT NULL,
  KEY (expires)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- The applications that report.
CREATE TABLE IF NOT EXISTS project (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(64) NOT NULL, created BIGINT NOT NULL, keep_days SMALLINT UNSIGNED NOT NULL DEFAULT 30,
  user_secret BINARY(32) NOT NULL, origins TEXT NOT NULL DEFAULT '["*"]',
  UNIQUE (name)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Names a project had before; they redirect for ever.
CREATE TABLE IF NOT EXISTS project_former_name (
  name VARCHAR(64) NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The one hot row of a project; its lock makes filing one writer a project.
CREATE TABLE IF NOT EXISTS project_counter (
  project INT UNSIGNED NOT NULL PRIMARY KEY, last_issue INT UNSIGNED NOT NULL DEFAULT 0,
  filing BIGINT UNSIGNED NOT NULL DEFAULT 0, symbols_version BIGINT UNSIGNED NOT NULL DEFAULT 0, changed BIGINT UNSIGNED NOT NULL DEFAULT 0
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS ingest_key (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, value VARCHAR(64) NOT NULL, label VARCHAR(100) NOT NULL, created BIGINT NOT NULL, revoked BIGINT NULL,
  UNIQUE (value), KEY (project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Interned names.
CREATE TABLE IF NOT EXISTS app_release (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, name VARCHAR(255) NOT NULL, first_seen BIGINT NOT NULL,
  UNIQUE (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS environment (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, name VARCHAR(255) NOT NULL, first_seen BIGINT NOT NULL,
  UNIQUE (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS resource (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, name MEDIUMTEXT NOT NULL, first_seen BIGINT NOT NULL,
  UNIQUE (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- The way in.
CREATE TABLE IF NOT EXISTS inbox (
  shard TINYINT UNSIGNED NOT NULL, id BINARY(16) NOT NULL, project INT UNSIGNED NOT NULL, received BIGINT NOT NULL,
  events INT UNSIGNED NOT NULL, attempts TINYINT UNSIGNED NOT NULL DEFAULT 0, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (shard, id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS shard_lease (
  shard TINYINT UNSIGNED NOT NULL PRIMARY KEY, owner BINARY(16) NOT NULL, epoch BIGINT UNSIGNED NOT NULL, until BIGINT NOT NULL, beat BIGINT UNSIGNED NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS set_aside (
  id BINARY(16) NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL, received BIGINT NOT NULL, error TEXT NOT NULL, body MEDIUMBLOB NOT NULL,
  KEY (project, received)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS client_drop (
  project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, hour, cause)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Issues: what people decide stands apart from what is counted.
CREATE TABLE IF NOT EXISTS issue (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, number INT UNSIGNED NOT NULL, state VARCHAR(10) NOT NULL, owner INT UNSIGNED NULL,
  fixed_in VARCHAR(255) NOT NULL DEFAULT '', version INT UNSIGNED NOT NULL DEFAULT 1, merged_into INT UNSIGNED NULL, created BIGINT NOT NULL,
  UNIQUE (project, number)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_list (
  issue INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL, state VARCHAR(10) NOT NULL,
  headline VARCHAR(300) NOT NULL, place VARCHAR(500) NOT NULL, message VARCHAR(1000) NOT NULL, words TEXT NOT NULL,
  origin_function VARCHAR(300) NOT NULL, origin_file VARCHAR(500) NOT NULL, origin_line INT UNSIGNED NOT NULL, severity VARCHAR(8) NOT NULL,
  events BIGINT UNSIGNED NOT NULL, users INT UNSIGNED NOT NULL, window_day SMALLINT UNSIGNED NOT NULL,
  window_events BIGINT UNSIGNED NOT NULL, window_users INT UNSIGNED NOT NULL, unhandled TINYINT NOT NULL, impact SMALLINT UNSIGNED NOT NULL,
  first_seen BIGINT NOT NULL, last_seen BIGINT NOT NULL, first_release INT UNSIGNED NULL, last_release INT UNSIGNED NULL,
  first_filing BIGINT UNSIGNED NOT NULL, last_filing BIGINT UNSIGNED NOT NULL,
  KEY by_impact (project, state, impact, issue), KEY by_users (project, state, users, issue), KEY by_events (project, state, events, issue),
  KEY by_last (project, state, last_seen, issue), KEY by_first (project, state, first_seen, issue), KEY sweep (window_day, window_events)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS variant (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, issue INT UNSIGNED NOT NULL,
  fingerprint BINARY(16) NOT NULL, provisional TINYINT NOT NULL, app_release INT UNSIGNED NULL, rules_version INT UNSIGNED NOT NULL DEFAULT 0,
  events BIGINT UNSIGNED NOT NULL DEFAULT 0, dropped_events BIGINT UNSIGNED NOT NULL DEFAULT 0, exemplars TINYINT UNSIGNED NOT NULL DEFAULT 0,
  parts TEXT NOT NULL,
  UNIQUE (project, grouping_version, hash), KEY (issue), KEY provisional (project, provisional, app_release)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS alias (
  project INT UNSIGNED NOT NULL, grouping_version SMALLINT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, issue INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, grouping_version, hash), KEY (issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS exemplar (
  variant INT UNSIGNED NOT NULL, form BINARY(16) NOT NULL, event BINARY(16) NOT NULL, thrown BIGINT NOT NULL, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (variant, form)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS history (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  issue INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL,
  kind VARCHAR(30) NOT NULL, words VARCHAR(500) NOT NULL, standing_before TEXT NULL, undone TINYINT NOT NULL DEFAULT 0,
  KEY (issue, id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Events, partitioned by the day until which they are kept.
CREATE TABLE IF NOT EXISTS event (
  project INT UNSIGNED NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, store_day SMALLINT UNSIGNED NOT NULL,
  id BINARY(16) NOT NULL, thrown BIGINT NOT NULL, received BIGINT NOT NULL, variant INT UNSIGNED NOT NULL,
  app_release INT UNSIGNED NULL, environment INT UNSIGNED NOT NULL, user BIGINT NULL, resource INT UNSIGNED NULL,
  session BINARY(16) NULL, trace BINARY(16) NULL, handled TINYINT NULL, odd_time TINYINT NOT NULL, has_body TINYINT NOT NULL, stands_for INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, filing, keep_day), UNIQUE once (project, id, keep_day), KEY of_variant (variant, filing)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin
  PARTITION BY RANGE (keep_day) (PARTITION pmax VALUES LESS THAN MAXVALUE);
CREATE TABLE IF NOT EXISTS event_body (
  project INT UNSIGNED NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL, dictionary INT UNSIGNED NULL, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (project, filing, keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin
  PARTITION BY RANGE (keep_day) (PARTITION pmax VALUES LESS THAN MAXVALUE);
-- Recognises repeats of events whose own time could not be used.
CREATE TABLE IF NOT EXISTS odd_event (
  project INT UNSIGNED NOT NULL, id BINARY(16) NOT NULL, sent BIGINT NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, id, sent), KEY (keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Derived from events. The variant is part of each key: a union of users cannot be undone by subtraction.
CREATE TABLE IF NOT EXISTS issue_user (
  issue INT UNSIGNED NOT NULL, user BIGINT NOT NULL, variant INT UNSIGNED NOT NULL, last_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, user, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_user_day (
  issue INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, user BIGINT NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, day, user, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_user_env (
  issue INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, user BIGINT NOT NULL, variant INT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, environment, user, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_hour (
  issue INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, hour, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_day (
  issue INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, day, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What a list draws: sums over variants, users distinct in the day.
CREATE TABLE IF NOT EXISTS issue_trend (
  issue INT UNSIGNED NOT NULL, day SMALLINT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL, users INT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_release (
  issue INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL,
  first_seen BIGINT NOT NULL, last_seen BIGINT NOT NULL,
  PRIMARY KEY (issue, app_release, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS issue_env (
  issue INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, variant INT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL,
  first_seen BIGINT NOT NULL, last_seen BIGINT NOT NULL,
  PRIMARY KEY (issue, environment, variant)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- What makes traces readable.
CREATE TABLE IF NOT EXISTS symbol_content (
  project INT UNSIGNED NOT NULL, hash BINARY(32) NOT NULL, bytes INT UNSIGNED NOT NULL, body LONGBLOB NOT NULL, created BIGINT NOT NULL,
  PRIMARY KEY (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS symbol_file (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, address VARCHAR(1000) NOT NULL, address_hash BINARY(16) NOT NULL,
  bundle BINARY(32) NOT NULL, map BINARY(32) NOT NULL, debug_id BINARY(16) NULL, created BIGINT NOT NULL,
  UNIQUE (project, app_release, address_hash, bundle, map), KEY (project, debug_id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
