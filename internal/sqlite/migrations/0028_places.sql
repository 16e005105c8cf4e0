-- +goose Up

-- Folders and addresses that are looked at on a schedule. Times are seconds since 1970.
CREATE TABLE watched_place (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  place TEXT NOT NULL, -- a folder below one that the program was started with, or an https address
  pattern TEXT NOT NULL DEFAULT '', -- of the names of files in a folder, with * and ?
  kind TEXT NOT NULL DEFAULT '', -- what tables there are; empty goes by the files' names
  calendar TEXT NOT NULL, -- when it is looked at, in the house's time
  paused INTEGER NOT NULL DEFAULT 0,
  author TEXT NOT NULL,
  at INTEGER NOT NULL,
  tried_at INTEGER NOT NULL DEFAULT 0,
  came_at INTEGER NOT NULL DEFAULT 0, -- when something new was there last
  state TEXT NOT NULL DEFAULT '', -- came, nothing or failed
  says TEXT NOT NULL DEFAULT '',
  tag TEXT NOT NULL DEFAULT '' -- by which an address tells whether its file is another
);

-- What was there, each content once.
CREATE TABLE watched_file (
  id INTEGER PRIMARY KEY,
  place_id INTEGER NOT NULL REFERENCES watched_place(id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  size INTEGER NOT NULL,
  modified_at INTEGER NOT NULL,
  hash TEXT NOT NULL, -- SHA-256 of the content
  taken_at INTEGER NOT NULL,
  refused INTEGER NOT NULL,
  aside INTEGER NOT NULL DEFAULT 0, -- lines that wait for somebody
  says TEXT NOT NULL,
  UNIQUE (place_id, hash)
);
