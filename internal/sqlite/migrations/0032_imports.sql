-- +goose Up
-- A file of software is taken in step by step: how far that got, and whether it goes on or was stopped.
ALTER TABLE import ADD COLUMN state TEXT NOT NULL DEFAULT 'done';
ALTER TABLE import ADD COLUMN devices INTEGER NOT NULL DEFAULT 0;
ALTER TABLE import ADD COLUMN devices_taken INTEGER NOT NULL DEFAULT 0;
CREATE INDEX import_open ON import(id) WHERE state <> 'done';
