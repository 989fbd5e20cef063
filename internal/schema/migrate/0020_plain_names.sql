-- +goose Up
-- Tables and columns under plain names. A column can still be read under the name
-- it had, so that a process of the version before goes on showing what it showed
-- until it is replaced. It takes events in, too, and leaves the processing to this
-- version: it finds no table of processes any more. The next version drops the
-- names of before, and renames the index calls.
RENAME TABLE IF EXISTS set_aside TO failed_event, filer TO processor, fold TO archived;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='issue_list' AND column_name='needs_decision_at') THEN
    ALTER TABLE issue_list RENAME COLUMN calls_at TO needs_decision_at, RENAME COLUMN calling TO needs_decision, RENAME COLUMN basis TO scoring_version, RENAME COLUMN words TO search_text, RENAME COLUMN surge_words TO surge_text;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS calls_at BIGINT AS (needs_decision_at) VIRTUAL, ADD COLUMN IF NOT EXISTS calling TINYINT AS (needs_decision) VIRTUAL, ADD COLUMN IF NOT EXISTS basis INT UNSIGNED AS (scoring_version) VIRTUAL, ADD COLUMN IF NOT EXISTS words TEXT AS (search_text) VIRTUAL, ADD COLUMN IF NOT EXISTS surge_words VARCHAR(200) AS (surge_text) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='history' AND column_name='text') THEN
    ALTER TABLE history RENAME COLUMN words TO text, RENAME COLUMN standing_before TO status_before;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE history ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL, ADD COLUMN IF NOT EXISTS standing_before TEXT AS (status_before) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='notice' AND column_name='text') THEN
    ALTER TABLE notice RENAME COLUMN words TO text;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE notice ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='received_example' AND column_name='text') THEN
    ALTER TABLE received_example RENAME COLUMN words TO text;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE received_example ADD COLUMN IF NOT EXISTS words VARCHAR(500) AS (text) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='app_session' AND column_name='updated') THEN
    ALTER TABLE app_session RENAME COLUMN heard TO updated, RENAME COLUMN told TO reported;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE app_session ADD COLUMN IF NOT EXISTS heard BIGINT AS (updated) VIRTUAL, ADD COLUMN IF NOT EXISTS told TINYINT UNSIGNED AS (reported) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='feedback' AND column_name='written') THEN
    ALTER TABLE feedback RENAME COLUMN said TO written;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE feedback ADD COLUMN IF NOT EXISTS said BIGINT AS (written) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='scoring' AND column_name='version') THEN
    ALTER TABLE scoring RENAME COLUMN generation TO version;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE scoring ADD COLUMN IF NOT EXISTS generation INT UNSIGNED AS (version) VIRTUAL;
-- +goose StatementBegin
BEGIN NOT ATOMIC
  IF NOT EXISTS (SELECT 1 FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name='regroup_part' AND column_name='fingerprint') THEN
    ALTER TABLE regroup_part RENAME COLUMN print TO fingerprint, RENAME COLUMN plain TO plain_fingerprint;
  END IF;
END
-- +goose StatementEnd
ALTER TABLE regroup_part ADD COLUMN IF NOT EXISTS print BINARY(16) AS (fingerprint) VIRTUAL, ADD COLUMN IF NOT EXISTS plain BINARY(16) AS (plain_fingerprint) VIRTUAL;
