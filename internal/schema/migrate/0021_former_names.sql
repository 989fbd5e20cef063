-- +goose Up
-- The names that columns had before can still be read, so that a process of the
-- version before goes on showing what it showed until it is replaced. The next
-- version drops them, and renames the index calls. This is a migration of its own:
-- with these columns there, the renaming could not run again.
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS calls_at BIGINT AS (needs_decision_at) VIRTUAL, ADD COLUMN IF NOT EXISTS calling TINYINT AS (needs_decision) VIRTUAL, ADD COLUMN IF NOT EXISTS basis INT UNSIGNED AS (scoring_version) VIRTUAL, ADD COLUMN IF NOT EXISTS words TEXT AS (search_text) VIRTUAL, ADD COLUMN IF NOT EXISTS surge_words VARCHAR(200) AS (surge_text) VIRTUAL;
ALTER TABLE history ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL, ADD COLUMN IF NOT EXISTS standing_before TEXT AS (status_before) VIRTUAL;
ALTER TABLE notice ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL;
ALTER TABLE received_example ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL;
ALTER TABLE app_session ADD COLUMN IF NOT EXISTS heard BIGINT AS (updated) VIRTUAL, ADD COLUMN IF NOT EXISTS told TINYINT UNSIGNED AS (reported) VIRTUAL;
ALTER TABLE feedback ADD COLUMN IF NOT EXISTS said BIGINT AS (written) VIRTUAL;
ALTER TABLE scoring ADD COLUMN IF NOT EXISTS generation INT UNSIGNED AS (version) VIRTUAL;
ALTER TABLE regroup_part ADD COLUMN IF NOT EXISTS print BINARY(16) AS (fingerprint) VIRTUAL, ADD COLUMN IF NOT EXISTS plain BINARY(16) AS (plain_fingerprint) VIRTUAL;
