-- +goose Up
-- Whether sessions that were cut off count as crashed in the shares of a project.
ALTER TABLE project ADD COLUMN IF NOT EXISTS cut_off_crashes TINYINT NOT NULL DEFAULT 0;
-- Sessions of the window of impact: what issues are held against where no active user is known.
ALTER TABLE scoring ADD COLUMN IF NOT EXISTS sessions BIGINT NOT NULL DEFAULT 0;
