-- +goose Up
-- Who did what: only added to. audit_head has the newest entry, which a writer locks,
-- and the entry before the oldest that is kept, where the chain of hashes begins.
CREATE TABLE IF NOT EXISTS audit (
  id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  at BIGINT NOT NULL,
  actor_kind VARCHAR(10) NOT NULL,
  actor BIGINT UNSIGNED NOT NULL,
  actor_name VARCHAR(150) NOT NULL,
  address VARCHAR(64) NOT NULL,
  action VARCHAR(60) NOT NULL,
  project VARCHAR(63) NOT NULL,
  target VARCHAR(250) NOT NULL,
  state_before MEDIUMTEXT NOT NULL,
  state_after MEDIUMTEXT NOT NULL,
  hash BINARY(32) NOT NULL,
  KEY at (at),
  KEY of_project (project, id),
  KEY of_actor (actor_kind, actor, id)
);
CREATE TABLE IF NOT EXISTS audit_head (
  one TINYINT UNSIGNED NOT NULL PRIMARY KEY,
  last BIGINT UNSIGNED NOT NULL,
  hash BINARY(32) NOT NULL,
  dropped BIGINT UNSIGNED NOT NULL,
  dropped_hash BINARY(32) NOT NULL
);
INSERT IGNORE INTO audit_head (one, last, hash, dropped, dropped_hash) VALUES (1, 0, REPEAT(CHAR(0), 32), 0, REPEAT(CHAR(0), 32));
