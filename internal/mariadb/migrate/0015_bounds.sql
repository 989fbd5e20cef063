-- +goose Up
-- Events that others stand for have an allowance of their own.
ALTER TABLE allowance MODIFY span VARCHAR(16) NOT NULL;
