-- +goose Up

-- What rows were. A mark is set before the first writing of each day, and for each statement; past keeps, of each row
-- that changed since a mark and before the next, what it was at the mark: NULL where it was not there. So every table
-- that figures rest on can be read as it was at any mark. Triggers write it; they are made when the file is opened, since
-- they follow the columns of their tables. blank says which tables held nothing at a mark: what comes into them until
-- the next one need not be noted row by row.
CREATE TABLE mark (
  id INTEGER PRIMARY KEY,
  day INTEGER NOT NULL, -- 0 where it was set for something else than a new day
  at INTEGER NOT NULL
);
CREATE TABLE blank (
  mark INTEGER NOT NULL,
  tbl INTEGER NOT NULL,
  PRIMARY KEY (mark, tbl)
) WITHOUT ROWID;
CREATE TABLE past (
  tbl INTEGER NOT NULL,
  mark INTEGER NOT NULL,
  key TEXT NOT NULL,
  image TEXT,
  PRIMARY KEY (tbl, mark, key)
) WITHOUT ROWID;
ALTER TABLE statement ADD COLUMN mark INTEGER NOT NULL DEFAULT 0; -- 0: made before marks were set

-- +goose Down
