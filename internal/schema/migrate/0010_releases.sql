-- +goose Up
-- By what a project orders its releases: '' by version where that is possible,
-- versions, announcement.
ALTER TABLE project ADD COLUMN IF NOT EXISTS release_order VARCHAR(15) NOT NULL DEFAULT '';
-- What builds say of releases. first_seen is when one was announced or first
-- seen in an event, whichever was earlier.
ALTER TABLE app_release ADD COLUMN IF NOT EXISTS announced BIGINT NULL, ADD COLUMN IF NOT EXISTS announced_by VARCHAR(100) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS commit_hash VARCHAR(64) NOT NULL DEFAULT '';
CREATE TABLE IF NOT EXISTS deploy (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, app_release INT UNSIGNED NOT NULL, environment INT UNSIGNED NOT NULL, at BIGINT NOT NULL, marked BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL,
  UNIQUE (project, app_release, environment, at), KEY of_release (app_release, at)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What was seen in a release, what is new in it, what came back in it.
ALTER TABLE issue_release ADD KEY IF NOT EXISTS of_release (app_release, issue, events, first_seen);
ALTER TABLE issue_list ADD KEY IF NOT EXISTS new_in (first_release, issue);
ALTER TABLE history ADD COLUMN IF NOT EXISTS app_release INT UNSIGNED NULL, ADD KEY IF NOT EXISTS in_release (app_release, kind);
ALTER TABLE issue ADD KEY IF NOT EXISTS fixed (project, fixed_in);
