-- +goose Up
-- In what an issue is fixed, what wakes a parked one, whether bodies are kept;
-- an issue that was deleted keeps its number.
ALTER TABLE issue ADD COLUMN IF NOT EXISTS fix_kind VARCHAR(8) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS fix_after VARCHAR(255) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS fix_commit VARCHAR(64) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS fix_at BIGINT NULL, ADD COLUMN IF NOT EXISTS fix_by VARCHAR(100) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS parked TEXT NULL, ADD COLUMN IF NOT EXISTS count_only TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS deleted BIGINT NULL, ADD COLUMN IF NOT EXISTS deleted_by VARCHAR(100) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS emptied TINYINT NOT NULL DEFAULT 0,
  ADD KEY IF NOT EXISTS fixes (project, fix_kind, state, fixed_in), ADD KEY IF NOT EXISTS to_empty (emptied, deleted), ADD KEY IF NOT EXISTS held (state, fix_at), ADD KEY IF NOT EXISTS owned (owner, state);
UPDATE issue SET fix_kind='release', fix_at=(SELECT MAX(h.at) FROM history h WHERE h.issue=issue.id AND h.kind='fix'), fix_by=COALESCE((SELECT h.actor FROM history h WHERE h.issue=issue.id AND h.kind='fix' AND h.actor_kind='person' ORDER BY h.id DESC LIMIT 1), '') WHERE fixed_in<>'' AND fix_kind='';
-- What came since an issue was parked, as it was filed. hours: events by hour.
CREATE TABLE IF NOT EXISTS parked (
  issue INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL, until BIGINT NULL,
  events BIGINT UNSIGNED NOT NULL DEFAULT 0, users BIGINT UNSIGNED NOT NULL DEFAULT 0, hours TEXT NOT NULL DEFAULT '{}',
  KEY due (until)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Why somebody decided, what it is about beside its words, and with how many others.
ALTER TABLE history ADD COLUMN IF NOT EXISTS why VARCHAR(500) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS detail TEXT NULL, ADD COLUMN IF NOT EXISTS bulk INT UNSIGNED NULL, ADD KEY IF NOT EXISTS of_bulk (bulk, issue);
CREATE TABLE IF NOT EXISTS bulk (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL, verb VARCHAR(12) NOT NULL, issues INT UNSIGNED NOT NULL, undone BIGINT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- What people should hear of.
CREATE TABLE IF NOT EXISTS notice (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  person INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor VARCHAR(100) NOT NULL, kind VARCHAR(30) NOT NULL, words VARCHAR(500) NOT NULL, seen BIGINT NULL,
  KEY of_person (person, seen, id), KEY newest (person, id), KEY of_issue (issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The history of a project's code. A bundle stands in parts; what is on a disk
-- is made of them.
ALTER TABLE project ADD COLUMN IF NOT EXISTS repository VARCHAR(500) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS commit_link VARCHAR(500) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS source_paths TEXT NOT NULL DEFAULT '[]', ADD COLUMN IF NOT EXISTS commits_version INT UNSIGNED NOT NULL DEFAULT 0;
CREATE TABLE IF NOT EXISTS bundle (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, tip VARCHAR(64) NOT NULL, format VARCHAR(6) NOT NULL, bytes BIGINT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor VARCHAR(100) NOT NULL,
  UNIQUE (project, tip)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS bundle_part (
  bundle INT UNSIGNED NOT NULL, part INT UNSIGNED NOT NULL, body MEDIUMBLOB NOT NULL,
  PRIMARY KEY (bundle, part)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- parents: one behind the other, each as long as hash.
CREATE TABLE IF NOT EXISTS app_commit (
  project INT UNSIGNED NOT NULL, hash VARBINARY(32) NOT NULL, parents BLOB NOT NULL, author VARCHAR(100) NOT NULL, email VARCHAR(200) NOT NULL, authored BIGINT NOT NULL, committed BIGINT NOT NULL,
  subject VARCHAR(300) NOT NULL, patch VARBINARY(32) NOT NULL DEFAULT '', files INT UNSIGNED NOT NULL, added INT UNSIGNED NOT NULL, removed INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
