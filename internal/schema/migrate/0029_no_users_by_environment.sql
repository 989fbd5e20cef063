-- +goose Up
-- Users by environment were written with every event and read by nothing.
DROP TABLE IF EXISTS issue_user_env;
