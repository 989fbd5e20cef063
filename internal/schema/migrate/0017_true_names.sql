-- +goose Up
-- Functions have other names from this version on: those that their sources
-- give them. Symbols are prepared anew, and every project adopts the grouping
-- version that goes with it, so that what comes finds the issues there are.
UPDATE symbol_unit SET state='waiting' WHERE state='ready';
UPDATE project SET grouping_wanted=4 WHERE grouping_version<4;
