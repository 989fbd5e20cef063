-- +goose Up
-- Which grouping version a project's issues are known under, and how far a
-- newer one was adopted: the last variant that was fingerprinted anew.
ALTER TABLE project ADD COLUMN IF NOT EXISTS grouping_version SMALLINT UNSIGNED NOT NULL DEFAULT 1, ADD COLUMN IF NOT EXISTS grouping_adopted INT UNSIGNED NOT NULL DEFAULT 0;
-- How many callers a function has that was blamed.
ALTER TABLE variant ADD KEY IF NOT EXISTS by_fingerprint (project, grouping_version, fingerprint);
