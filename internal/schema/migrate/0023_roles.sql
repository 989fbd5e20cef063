-- +goose Up
-- What people and teams are in projects: 1 viewer, 2 member, 3 maintainer. Project 0
-- stands for all projects, those to come too.
CREATE TABLE IF NOT EXISTS project_role (
  person INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, role TINYINT UNSIGNED NOT NULL, changed BIGINT NOT NULL,
  PRIMARY KEY (person, project), KEY of_project (project, person, role)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Until now everybody saw all projects: nobody is locked out. Admins are operators.
INSERT IGNORE INTO project_role (person, project, role, changed)
  SELECT id, 0, IF(admin=1, 3, 2), CAST(UNIX_TIMESTAMP()*1000000 AS SIGNED) FROM person WHERE team=0 AND left_at IS NULL;
-- roles_changed: sessions that are older get a new secret. merged_into: one person
-- who was here twice.
ALTER TABLE person ADD COLUMN IF NOT EXISTS roles_changed BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS merged_into INT UNSIGNED NULL;
-- A session's secret is replaced; the one before is good for a moment more, for
-- requests that are on their way.
ALTER TABLE web_session ADD COLUMN IF NOT EXISTS id INT UNSIGNED NOT NULL AUTO_INCREMENT UNIQUE,
  ADD COLUMN IF NOT EXISTS address VARCHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS agent VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS used BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS rotated BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS old_hash BINARY(32) NULL,
  ADD COLUMN IF NOT EXISTS old_until BIGINT NOT NULL DEFAULT 0,
  ADD KEY IF NOT EXISTS of_person (person), ADD KEY IF NOT EXISTS old (old_hash);
UPDATE web_session SET used=CAST(UNIX_TIMESTAMP()*1000000 AS SIGNED) WHERE used=0;
-- before_roles: it keeps what it could before there were roles.
ALTER TABLE token ADD COLUMN IF NOT EXISTS kind VARCHAR(10) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS maker VARCHAR(150) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS last_address VARCHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS before_roles TINYINT NOT NULL DEFAULT 1,
  ADD COLUMN IF NOT EXISTS old_hash BINARY(32) NULL,
  ADD COLUMN IF NOT EXISTS old_until BIGINT NOT NULL DEFAULT 0,
  ADD KEY IF NOT EXISTS old (old_hash), ADD KEY IF NOT EXISTS of_person (person);
UPDATE token SET kind=IF(scope='admin', 'service', scope) WHERE kind='';
-- The projects that a token is good for; none: all.
CREATE TABLE IF NOT EXISTS token_project (
  token INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL,
  PRIMARY KEY (token, project)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT IGNORE INTO token_project (token, project) SELECT id, project FROM token WHERE project IS NOT NULL;
