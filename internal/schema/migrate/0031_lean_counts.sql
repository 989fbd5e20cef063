-- +goose Up
-- What is counted with every batch stands in no index: an index on a count is written again each time.
CREATE TABLE IF NOT EXISTS release_total (
  app_release INT UNSIGNED NOT NULL PRIMARY KEY, events BIGINT UNSIGNED NOT NULL, first_seen BIGINT NOT NULL, changes BIGINT UNSIGNED NOT NULL
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT INTO release_total SELECT app_release, SUM(events), MIN(first_seen), 1 FROM issue_release GROUP BY app_release
  ON DUPLICATE KEY UPDATE events=VALUES(events), first_seen=VALUES(first_seen);
ALTER TABLE issue_release ADD KEY IF NOT EXISTS in_release (app_release, issue), DROP KEY IF EXISTS of_release, DROP KEY IF EXISTS by_release;
ALTER TABLE issue_list DROP KEY IF EXISTS new_in;
ALTER TABLE issue_pulse ADD KEY IF NOT EXISTS of_issue (issue, slot), DROP PRIMARY KEY, ADD PRIMARY KEY (project, slot, issue), DROP KEY IF EXISTS by_slot;
