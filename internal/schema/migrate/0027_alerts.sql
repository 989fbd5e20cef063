-- +goose Up
-- How often an alert fired for an issue: the episode of its deliveries.
ALTER TABLE issue ADD COLUMN IF NOT EXISTS episode INT UNSIGNED NOT NULL DEFAULT 0;
-- What happened that alert rules may ask for. The row is written in the transaction that caused it.
-- rules: those whose condition holds, by name; NULL: they are asked when it is planned.
CREATE TABLE IF NOT EXISTS alert_occurrence (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, what VARCHAR(20) NOT NULL, episode INT UNSIGNED NOT NULL, position BIGINT UNSIGNED NOT NULL,
  at BIGINT NOT NULL, due BIGINT NOT NULL, event BINARY(16) NULL, variant INT UNSIGNED NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor_id INT UNSIGNED NOT NULL, actor VARCHAR(100) NOT NULL,
  words VARCHAR(500) NOT NULL, scope VARCHAR(250) NOT NULL, rules TEXT NULL, planned BIGINT NULL, outcome MEDIUMTEXT NULL,
  KEY waiting (planned, due), KEY of_issue (issue, id), KEY of_project (project, planned, id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Alert rules as they count: a rule that asks for something else is another one.
CREATE TABLE IF NOT EXISTS alert_rule (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, name VARCHAR(60) NOT NULL, digest BINARY(8) NOT NULL, since BIGINT NOT NULL,
  UNIQUE (project, name, digest)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Events that a rule counts, by slots of ten minutes since 1970, and whom they hit: kind 1 is a user, 2 a session.
CREATE TABLE IF NOT EXISTS alert_slot (
  rule INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, slot INT UNSIGNED NOT NULL, events BIGINT NOT NULL,
  PRIMARY KEY (rule, issue, slot), KEY old (slot)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS alert_hit (
  rule INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, kind TINYINT UNSIGNED NOT NULL, who BIGINT NOT NULL, slot INT UNSIGNED NOT NULL,
  PRIMARY KEY (rule, issue, kind, who, slot), KEY old (slot), KEY of_user (kind, who)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- When a rule fired for an issue last, by what the issue became.
CREATE TABLE IF NOT EXISTS alert_fired (
  project INT UNSIGNED NOT NULL, rule VARCHAR(60) NOT NULL, issue INT UNSIGNED NOT NULL, what VARCHAR(20) NOT NULL, at BIGINT NOT NULL,
  PRIMARY KEY (project, rule, issue, what)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS alert_pause (
  project INT UNSIGNED NOT NULL, rule VARCHAR(60) NOT NULL, until BIGINT NOT NULL, at BIGINT NOT NULL, actor VARCHAR(100) NOT NULL,
  PRIMARY KEY (project, rule)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What time causes, once for each window: the newest release is worse, traces cannot be read.
CREATE TABLE IF NOT EXISTS alert_window (
  project INT UNSIGNED NOT NULL, what VARCHAR(20) NOT NULL, scope VARCHAR(250) NOT NULL, at BIGINT NOT NULL,
  PRIMARY KEY (project, what, scope)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Where messages go. projects: a JSON list of names; NULL: all.
CREATE TABLE IF NOT EXISTS destination (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL, kind VARCHAR(10) NOT NULL, url VARCHAR(2000) NOT NULL, secret VARCHAR(200) NOT NULL, settings TEXT NOT NULL, projects TEXT NULL, allow_inside VARCHAR(200) NOT NULL,
  created BIGINT NOT NULL, maker INT UNSIGNED NOT NULL, maker_name VARCHAR(100) NOT NULL,
  failing_since BIGINT NULL, failed_tries INT UNSIGNED NOT NULL DEFAULT 0, paused BIGINT NULL, probe BIGINT NULL, removed BIGINT NULL,
  live TINYINT AS (IF(removed IS NULL, 1, NULL)) STORED, UNIQUE one_name (name, live)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- One message to one destination, and of mail to one person. n is the order of a list, not that of sending.
CREATE TABLE IF NOT EXISTS delivery (
  id BINARY(16) NOT NULL PRIMARY KEY, n BIGINT UNSIGNED NOT NULL AUTO_INCREMENT UNIQUE,
  project INT UNSIGNED NOT NULL, position BIGINT UNSIGNED NOT NULL, occurrence BIGINT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, destination INT UNSIGNED NOT NULL, person INT UNSIGNED NOT NULL,
  what VARCHAR(90) NOT NULL, episode INT UNSIGNED NOT NULL, rule VARCHAR(60) NOT NULL, type VARCHAR(60) NOT NULL, subject VARCHAR(300) NOT NULL,
  message MEDIUMTEXT NOT NULL, body MEDIUMBLOB NULL,
  state VARCHAR(10) NOT NULL, created BIGINT NOT NULL, due BIGINT NOT NULL, expires BIGINT NOT NULL, attempts INT UNSIGNED NOT NULL DEFAULT 0, sent BIGINT NULL,
  UNIQUE once (destination, person, issue, what, episode), KEY waiting (state, destination, due), KEY of_issue (issue, n), KEY lately (destination, rule, created), KEY old (created)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS delivery_attempt (
  delivery BINARY(16) NOT NULL, attempt INT UNSIGNED NOT NULL, at BIGINT NOT NULL, took INT UNSIGNED NOT NULL, status INT NOT NULL, answer VARCHAR(500) NOT NULL, error VARCHAR(500) NOT NULL,
  PRIMARY KEY (delivery, attempt)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What an Alertmanager was told that fires: it is told again each minute, until the issue is fixed or dismissed.
CREATE TABLE IF NOT EXISTS pager_alert (
  destination INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, rule VARCHAR(60) NOT NULL, alert TEXT NOT NULL, since BIGINT NOT NULL, refreshed BIGINT NOT NULL,
  PRIMARY KEY (destination, issue, rule), KEY stale (refreshed)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- How people want to hear of what: mail, digest or console.
CREATE TABLE IF NOT EXISTS person_choice (
  person INT UNSIGNED NOT NULL, kind VARCHAR(20) NOT NULL, choice VARCHAR(10) NOT NULL,
  PRIMARY KEY (person, kind)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE person ADD COLUMN IF NOT EXISTS zone VARCHAR(64) NOT NULL DEFAULT '';
-- What links in mails are signed with.
CREATE TABLE IF NOT EXISTS service_secret (
  name VARCHAR(30) NOT NULL PRIMARY KEY, secret VARBINARY(64) NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
