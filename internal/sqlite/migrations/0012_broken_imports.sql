-- +goose Up
-- Imports that somebody watches while they run. One that is still here when a server starts was broken off when the
-- one before ended: nothing of it was stored, and whoever sent it is told.
CREATE TABLE import_begun (
  id INTEGER PRIMARY KEY,
  kind TEXT NOT NULL,
  file TEXT NOT NULL,
  author TEXT NOT NULL,
  began_at INTEGER NOT NULL,
  broken_at INTEGER NOT NULL DEFAULT 0
);
