-- +goose Up
-- Sessions that an application counts by the minute, a row a message: how many
-- ended how, and how long they took (milliseconds). id is a hash of the name
-- that the message gives; with its sequence it counts once.
CREATE TABLE IF NOT EXISTS session_minute (
  project INT UNSIGNED NOT NULL, id BINARY(16) NOT NULL, sequence INT UNSIGNED NOT NULL, minute BIGINT NOT NULL,
  app_release INT UNSIGNED NULL, environment INT UNSIGNED NOT NULL,
  clean INT UNSIGNED NOT NULL, faulty INT UNSIGNED NOT NULL, crashed INT UNSIGNED NOT NULL, p50 INT UNSIGNED NOT NULL, p95 INT UNSIGNED NOT NULL,
  PRIMARY KEY (project, id, sequence), KEY by_minute (project, minute)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
