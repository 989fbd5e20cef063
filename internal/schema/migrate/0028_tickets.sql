-- +goose Up
-- A ticket of a tracker, as it is known. ours is what its issues here say, theirs what the tracker says, agreed what both
-- were when they were equal last: each open or closed, or empty for a state that the description does not list.
-- turn: the episode of the messages that close and reopen it. dirty: ours changed, and no message was written of it yet.
-- refused: ours_at of the change that the tracker refused, which is not sent again.
CREATE TABLE IF NOT EXISTS ticket (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  destination INT UNSIGNED NOT NULL, ticket_key VARCHAR(200) NOT NULL, link VARCHAR(1000) NOT NULL, word VARCHAR(100) NOT NULL, revision VARCHAR(200) NOT NULL, fixed_in VARCHAR(250) NOT NULL,
  ours VARCHAR(6) NOT NULL, theirs VARCHAR(6) NOT NULL, agreed VARCHAR(6) NOT NULL, ours_at BIGINT NOT NULL, theirs_at BIGINT NOT NULL, agreed_at BIGINT NOT NULL,
  turn INT UNSIGNED NOT NULL DEFAULT 0, dirty TINYINT NOT NULL DEFAULT 0, refused BIGINT NOT NULL DEFAULT 0, gone TINYINT NOT NULL DEFAULT 0, trouble VARCHAR(500) NOT NULL DEFAULT '',
  read_at BIGINT NOT NULL, read_due BIGINT NOT NULL,
  UNIQUE one_key (destination, ticket_key), KEY due (gone, read_due), KEY unsaid (dirty)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Which tickets stand for which issues.
CREATE TABLE IF NOT EXISTS ticket_issue (
  ticket INT UNSIGNED NOT NULL, issue INT UNSIGNED NOT NULL, project INT UNSIGNED NOT NULL, at BIGINT NOT NULL, actor VARCHAR(100) NOT NULL,
  PRIMARY KEY (ticket, issue), KEY of_issue (issue), KEY of_project (project, issue)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Comments of a ticket that are here already.
CREATE TABLE IF NOT EXISTS ticket_comment (
  ticket INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL,
  PRIMARY KEY (ticket, hash)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- Webhooks of trackers that were taken: a repeat is refused.
CREATE TABLE IF NOT EXISTS ticket_hook (
  destination INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, at BIGINT NOT NULL,
  PRIMARY KEY (destination, hash), KEY old (at)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
