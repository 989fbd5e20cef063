-- +goose Up
-- Tables and columns under plain names. A process of the version before finds no
-- table of processes any more, so it leaves the processing of events to this one;
-- it goes on taking events in.
RENAME TABLE IF EXISTS set_aside TO failed_event, filer TO processor, fold TO archived;
ALTER TABLE issue_list RENAME COLUMN IF EXISTS calls_at TO needs_decision_at, RENAME COLUMN IF EXISTS calling TO needs_decision, RENAME COLUMN IF EXISTS basis TO scoring_version, RENAME COLUMN IF EXISTS words TO search_text, RENAME COLUMN IF EXISTS surge_words TO surge_text;
ALTER TABLE history RENAME COLUMN IF EXISTS words TO text, RENAME COLUMN IF EXISTS standing_before TO status_before;
ALTER TABLE notice RENAME COLUMN IF EXISTS words TO text;
ALTER TABLE received_example RENAME COLUMN IF EXISTS words TO text;
ALTER TABLE app_session RENAME COLUMN IF EXISTS heard TO updated, RENAME COLUMN IF EXISTS told TO reported;
ALTER TABLE feedback RENAME COLUMN IF EXISTS said TO written;
ALTER TABLE scoring RENAME COLUMN IF EXISTS generation TO version;
ALTER TABLE regroup_part RENAME COLUMN IF EXISTS print TO fingerprint, RENAME COLUMN IF EXISTS plain TO plain_fingerprint;
