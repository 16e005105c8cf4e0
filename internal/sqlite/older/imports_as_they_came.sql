ALTER TABLE import ADD COLUMN header TEXT NOT NULL DEFAULT '[]';
-- Lines of devices, users, titles, entitlements and the like as they came, each time they said something new.
CREATE TABLE reported (import_id INTEGER NOT NULL REFERENCES import(id), line INTEGER NOT NULL, content TEXT NOT NULL, PRIMARY KEY (import_id, line)) WITHOUT ROWID;
