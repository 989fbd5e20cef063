-- +goose Up
-- A project's day partition holds events at these positions only: pages read the partitions
-- that they need, the newest first.
CREATE TABLE IF NOT EXISTS event_span (
  project INT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  first_position BIGINT UNSIGNED NOT NULL, last_position BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (project, keep_day)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
INSERT INTO event_span SELECT project, keep_day, MIN(filing), MAX(filing) FROM event GROUP BY project, keep_day
  ON DUPLICATE KEY UPDATE first_position=VALUES(first_position), last_position=VALUES(last_position);
