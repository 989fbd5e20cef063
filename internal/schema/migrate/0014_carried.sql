-- +goose Up
-- Who has an issue stands in the list, too: who carries what is read from one index.
ALTER TABLE issue_list ADD COLUMN IF NOT EXISTS owner INT UNSIGNED NULL;
UPDATE issue_list l JOIN issue i ON i.id=l.issue SET l.owner=i.owner WHERE i.owner IS NOT NULL;
-- The round is read from the index calls alone.
ALTER TABLE issue_list ADD KEY IF NOT EXISTS carried (owner, project, state, impact, first_seen), DROP KEY IF EXISTS calls, ADD KEY calls (project, calling, impact, issue, calls_at);
-- What was passed goes with a deleted issue.
ALTER TABLE round_passed ADD KEY IF NOT EXISTS of_issue (issue);
