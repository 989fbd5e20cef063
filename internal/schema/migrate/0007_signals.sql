-- +goose Up
-- Reports of exceptions that were filed lately, to tell when another one is of
-- the same occurrence: kept ten minutes. hash is of trace and message.
CREATE TABLE IF NOT EXISTS occurrence (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  project INT UNSIGNED NOT NULL, hash BINARY(16) NOT NULL, filing BIGINT UNSIGNED NOT NULL, keep_day SMALLINT UNSIGNED NOT NULL,
  span BIGINT UNSIGNED NOT NULL, parent BIGINT UNSIGNED NOT NULL, stack BIGINT UNSIGNED NOT NULL, log TINYINT NOT NULL,
  thrown BIGINT NOT NULL, filed BIGINT NOT NULL,
  KEY (project, hash), KEY (filed)
) DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_nopad_bin;
-- From which severity on log records without an exception become events; '' is
-- none.
ALTER TABLE project ADD COLUMN IF NOT EXISTS log_messages VARCHAR(8) NOT NULL DEFAULT '';
-- All events of a trace, across projects.
ALTER TABLE event ADD KEY IF NOT EXISTS of_trace (trace);
