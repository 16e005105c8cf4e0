-- +goose Up
-- An account has a number of its own that no later one gets; a browser that is signed in is known by the hash of its
-- token and holds that number alone. Browsers that were signed in before sign in once more.
CREATE TABLE account_new (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  name TEXT NOT NULL UNIQUE,
  role TEXT NOT NULL,
  hash TEXT NOT NULL,
  created_at INTEGER NOT NULL
);
INSERT INTO account_new(name, role, hash, created_at) SELECT name, role, hash, created_at FROM account ORDER BY name;
DROP TABLE account;
ALTER TABLE account_new RENAME TO account;
DROP TABLE web_session;
CREATE TABLE web_session (
  token TEXT PRIMARY KEY,
  account_id INTEGER NOT NULL REFERENCES account(id) ON DELETE CASCADE,
  data BLOB NOT NULL,
  seen INTEGER NOT NULL,
  expiry INTEGER NOT NULL
);
CREATE INDEX web_session_by_account ON web_session(account_id);
CREATE INDEX web_session_by_expiry ON web_session(expiry);
-- Letters name the address that the house has set when they leave, not the one that somebody asked by.
ALTER TABLE question DROP COLUMN base;
-- Files of the first versions have these still; nothing uses them.
DROP INDEX IF EXISTS last_use_record;
DROP INDEX IF EXISTS catalogue_change_publisher;
