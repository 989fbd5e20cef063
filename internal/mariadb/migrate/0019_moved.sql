-- +goose Up
-- Symbols say of functions whether they fail on behalf of their callers: they
-- are prepared anew.
UPDATE symbol_unit SET state='waiting' WHERE state='ready';
-- New issues that may be known ones, whose function moved to another file.
CREATE TABLE IF NOT EXISTS moved_check (
  issue INT UNSIGNED NOT NULL PRIMARY KEY, project INT UNSIGNED NOT NULL,
  KEY by_project (project, issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- The function that called the one that failed, by its name.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS caller BINARY(16) NULL;
ALTER TABLE move ADD KEY IF NOT EXISTS by_kind (project, kind, at);
ALTER TABLE issue_list ADD KEY IF NOT EXISTS by_function (project, origin_function(100));
