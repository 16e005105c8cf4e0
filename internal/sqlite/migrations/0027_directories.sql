-- +goose Up

-- Directories that are read over LDAP. Times are seconds since 1970.
CREATE TABLE directory (
  id INTEGER PRIMARY KEY,
  name TEXT NOT NULL UNIQUE,
  address TEXT NOT NULL,
  start_tls INTEGER NOT NULL,
  ca TEXT NOT NULL DEFAULT '',
  user TEXT NOT NULL DEFAULT '',
  password BLOB, -- sealed with the secret beside the data file; NULL for none
  base TEXT NOT NULL,
  filter TEXT NOT NULL DEFAULT '',
  attributes TEXT NOT NULL DEFAULT '{}', -- of theirs, each with what it is read as
  calendar TEXT NOT NULL, -- when it is read, in the house's time
  paused INTEGER NOT NULL DEFAULT 0,
  author TEXT NOT NULL,
  at INTEGER NOT NULL,
  tried_at INTEGER NOT NULL DEFAULT 0,
  read_at INTEGER NOT NULL DEFAULT 0, -- the last time that it was read whole
  failed INTEGER NOT NULL DEFAULT 0, -- the last try did
  says TEXT NOT NULL DEFAULT ''
);

-- The people that a directory has, by their user_ids, and since when it has some no more.
CREATE TABLE directory_entry (
  directory_id INTEGER NOT NULL REFERENCES directory(id) ON DELETE CASCADE,
  key TEXT NOT NULL,
  seen_at INTEGER NOT NULL,
  gone_at INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (directory_id, key)
) WITHOUT ROWID;
