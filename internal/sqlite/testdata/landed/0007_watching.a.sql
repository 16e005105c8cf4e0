-- +goose Up

-- Who is told by mail of what is to be looked at in a pool (0 is every pool), and what he was told last.
CREATE TABLE pool_watch (
  id INTEGER PRIMARY KEY, pool_id INTEGER NOT NULL, address TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
CREATE TABLE pool_told (watch_id INTEGER NOT NULL REFERENCES pool_watch(id), pool_id INTEGER NOT NULL, alert TEXT NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (watch_id, pool_id, alert)) WITHOUT ROWID;

-- +goose Down
DROP TABLE pool_told;
DROP TABLE pool_watch;
