-- +goose Up

-- The operating system of a device stands among its installs, is recognised and counted like them. The devices that
-- were known before are gone through once, at the next start.
CREATE TABLE system_due (device_id INTEGER PRIMARY KEY);
INSERT INTO system_due SELECT id FROM device WHERE os_name <> '';
ALTER TABLE release_fact DROP COLUMN systems;

-- A place is another one where the right of what is installed comes with it.
CREATE TABLE place_new (
  id INTEGER PRIMARY KEY, path TEXT NOT NULL, custom TEXT NOT NULL, included INTEGER NOT NULL DEFAULT 0,
  UNIQUE (path, custom, included)
);
INSERT INTO place_new(id, path, custom) SELECT id, path, custom FROM place;
DROP TABLE place;
ALTER TABLE place_new RENAME TO place;
CREATE INDEX place_included ON place(id) WHERE included;
