-- +goose Up
-- By what a project's issues are scored. generation grows whenever that
-- changes: issues scored by an older one are scored anew.
CREATE TABLE IF NOT EXISTS scoring (
  project INT UNSIGNED NOT NULL PRIMARY KEY, generation INT UNSIGNED NOT NULL DEFAULT 0, weights TEXT NOT NULL DEFAULT '{}', surge TEXT NOT NULL DEFAULT '{}',
  active BIGINT UNSIGNED NOT NULL DEFAULT 0, counted BIGINT NOT NULL DEFAULT 0, newest INT UNSIGNED NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT IGNORE INTO scoring (project) SELECT id FROM project;
-- Who used the application, with an event or a session, and when last.
CREATE TABLE IF NOT EXISTS active_user (
  project INT UNSIGNED NOT NULL, user BIGINT NOT NULL, last_day SMALLINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, user), KEY by_day (project, last_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT INTO active_user (project, user, last_day) SELECT * FROM (SELECT project, user, MAX(thrown DIV 86400000000) d FROM event WHERE user IS NOT NULL GROUP BY project, user) x ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, d);
INSERT INTO active_user (project, user, last_day) SELECT * FROM (SELECT project, user, MAX(started DIV 86400000000) d FROM app_session WHERE user IS NOT NULL GROUP BY project, user) x ON DUPLICATE KEY UPDATE last_day=GREATEST(last_day, d);
-- How often issues occurred in the last hours, in slots of ten minutes.
CREATE TABLE IF NOT EXISTS issue_pulse (
  issue INT UNSIGNED NOT NULL, slot INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, events BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, slot), KEY by_slot (project, slot, issue, events)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- basis: the generation an issue was scored by; stale_at: when time alone changes
-- the score; calls_at: when something last asked for a decision, 0 once there was
-- one; grown_to: the power of ten that its users reached.
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS basis INT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS stale_at BIGINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS surge_since BIGINT NULL, ADD COLUMN IF NOT EXISTS surge_words VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS grown_to BIGINT UNSIGNED NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS calls_at BIGINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS calling TINYINT AS (calls_at>0) PERSISTENT;
UPDATE issue_list l JOIN issue i ON i.id=l.issue SET l.calls_at=i.created WHERE l.state IN ('new','regressed');
UPDATE issue_list SET grown_to=POW(10, FLOOR(LOG10(users))) WHERE users>=10;
ALTER TABLE issue_list DROP KEY IF EXISTS sweep, ADD KEY IF NOT EXISTS stale (project, stale_at), ADD KEY IF NOT EXISTS scored (project, basis), ADD KEY IF NOT EXISTS calls (project, calling, impact, issue), ADD KEY IF NOT EXISTS surging (project, surge_since);
-- What a person calls the severity of an issue; '' is what the events say.
ALTER TABLE issue ADD COLUMN IF NOT EXISTS severity VARCHAR(8) NOT NULL DEFAULT '';
-- Rounds of triage, and what somebody has passed in them: as of when.
CREATE TABLE IF NOT EXISTS triage_round (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  person INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, begun BIGINT NOT NULL, ended BIGINT NULL,
  KEY of_person (person, project, id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS round_passed (
  person INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, at BIGINT NOT NULL,
  PRIMARY KEY (person, issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
ALTER TABLE history ADD KEY IF NOT EXISTS of_actor (actor, at);
ALTER TABLE notice ADD KEY IF NOT EXISTS in_project (person, project, at);
-- Teams stand among the people: they have issues, and nobody signs in as one.
-- left_at: since when somebody does not work here any more.
ALTER TABLE person MODIFY email VARCHAR(200) NULL, ADD COLUMN IF NOT EXISTS team TINYINT NOT NULL DEFAULT 0, ADD COLUMN IF NOT EXISTS left_at BIGINT NULL;
CREATE TABLE IF NOT EXISTS team_member (
  team INT UNSIGNED NOT NULL, person INT UNSIGNED NOT NULL,
  PRIMARY KEY (team, person), KEY of_person (person)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The first filing number of each slot, so that what came lately is found at once.
CREATE TABLE IF NOT EXISTS pulse_mark (
  project INT UNSIGNED NOT NULL, slot INT UNSIGNED NOT NULL, filing BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, slot)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
