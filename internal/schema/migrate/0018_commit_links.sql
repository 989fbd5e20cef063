-- +goose Up
-- What a commit's message says of others, in git's own words: which it takes
-- back and which it makes again, as JSON; '' for nothing. links_read says that
-- the messages of all commits a project has were read for that.
ALTER TABLE app_commit ADD COLUMN IF NOT EXISTS links VARCHAR(2400) NOT NULL DEFAULT '';
ALTER TABLE project ADD COLUMN IF NOT EXISTS links_read TINYINT NOT NULL DEFAULT 0;
