-- +goose Up
-- What people write about an issue, and who wants to hear of it.
CREATE TABLE IF NOT EXISTS comment (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, at BIGINT NOT NULL, edited BIGINT NULL, actor_kind VARCHAR(8) NOT NULL, actor VARCHAR(100) NOT NULL, text TEXT NOT NULL,
  KEY of_issue (issue, id)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
CREATE TABLE IF NOT EXISTS watcher (
  issue INT UNSIGNED NOT NULL, person INT UNSIGNED NOT NULL,
  PRIMARY KEY (issue, person)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
