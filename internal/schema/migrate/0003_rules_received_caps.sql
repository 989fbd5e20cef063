-- +goose Up
-- Rules: every version of a project's file, with who changed what.
CREATE TABLE IF NOT EXISTS rules_file (
  project INT UNSIGNED NOT NULL, version INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL,
  note VARCHAR(300) NOT NULL, content MEDIUMTEXT NOT NULL,
  PRIMARY KEY (project, version)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Rules that were switched off because they cost too much; the next version of
-- the file switches them on again.
CREATE TABLE IF NOT EXISTS rule_off (
  project INT UNSIGNED NOT NULL, version INT UNSIGNED NOT NULL, section VARCHAR(20) NOT NULL, rule VARCHAR(250) NOT NULL, at BIGINT NOT NULL, why VARCHAR(500) NOT NULL,
  PRIMARY KEY (project, version, section, rule)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE project ADD COLUMN IF NOT EXISTS rules_version INT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS allowance_minute INT UNSIGNED NULL, ADD COLUMN IF NOT EXISTS allowance_day INT UNSIGNED NULL;

-- What came in and what became of it, by hour of receipt, cause and rule.
CREATE TABLE IF NOT EXISTS received (
  project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, rule VARCHAR(250) NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, hour, cause, rule), KEY by_hour (hour)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What earlier versions counted; a run that was cut off begins again here.
CREATE TABLE IF NOT EXISTS event_drop (project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, events BIGINT UNSIGNED NOT NULL, PRIMARY KEY (project, hour, cause)) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS client_drop (project INT UNSIGNED NOT NULL, hour INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, events BIGINT UNSIGNED NOT NULL, PRIMARY KEY (project, hour, cause)) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT INTO received (project, hour, cause, rule, events) SELECT project, hour, cause, '', events FROM event_drop ON DUPLICATE KEY UPDATE events=VALUES(events);
INSERT INTO received (project, hour, cause, rule, events) SELECT project, hour, 'lost_by_client', cause, events FROM client_drop ON DUPLICATE KEY UPDATE events=VALUES(events);
DROP TABLE IF EXISTS event_drop;
DROP TABLE IF EXISTS client_drop;
-- The newest few of what was not filed, for each cause and rule.
CREATE TABLE IF NOT EXISTS received_example (
  project INT UNSIGNED NOT NULL, cause VARCHAR(40) NOT NULL, rule VARCHAR(250) NOT NULL, slot TINYINT UNSIGNED NOT NULL, at BIGINT NOT NULL, words VARCHAR(500) NOT NULL,
  PRIMARY KEY (project, cause, rule, slot), KEY by_age (at)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- How many events a project has taken in the minute or day that began then.
CREATE TABLE IF NOT EXISTS allowance (
  project INT UNSIGNED NOT NULL, span VARCHAR(6) NOT NULL, start BIGINT NOT NULL, used BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, span)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How many new things reports have made in the hour or day that began then.
CREATE TABLE IF NOT EXISTS cap (
  project INT UNSIGNED NOT NULL, what VARCHAR(20) NOT NULL, start BIGINT NOT NULL, used INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, what)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How many keys of the application's own were made of one computed fingerprint.
CREATE TABLE IF NOT EXISTS extended (
  project INT UNSIGNED NOT NULL, base BINARY(16) NOT NULL, made INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, base)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;

-- Keys: good until a time, for rotation; whether service.name may name the
-- project; when last used.
ALTER TABLE ingest_key ADD COLUMN IF NOT EXISTS until BIGINT NULL, ADD COLUMN IF NOT EXISTS routes TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS last_used BIGINT NULL;
