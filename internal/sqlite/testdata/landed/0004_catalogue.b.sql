-- +goose Up

-- What the last file said of a title, as JSON; NULL is what stands here. A value that differs from it was changed here.
ALTER TABLE title ADD COLUMN base TEXT;
ALTER TABLE title ADD COLUMN changed_at INTEGER NOT NULL DEFAULT 0;
CREATE INDEX title_product ON title(product_id);
CREATE TABLE publisher (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL, name_key TEXT NOT NULL UNIQUE, aliases TEXT NOT NULL DEFAULT '', successor TEXT NOT NULL DEFAULT '', base TEXT, changed_at INTEGER NOT NULL DEFAULT 0
);
INSERT INTO publisher(name, name_key) SELECT min(publisher), publisher_key FROM product GROUP BY publisher_key;
-- Each value of the catalogue that changed: by whom, and because of which file where it was one.
CREATE TABLE catalogue_change (
  id INTEGER PRIMARY KEY, publisher_id INTEGER NOT NULL, product_id INTEGER NOT NULL, title_id INTEGER NOT NULL, field TEXT NOT NULL, was TEXT NOT NULL, is_now TEXT NOT NULL, at INTEGER NOT NULL, author TEXT NOT NULL, file TEXT NOT NULL
);
CREATE INDEX catalogue_change_product ON catalogue_change(product_id, id);
CREATE INDEX catalogue_change_publisher ON catalogue_change(publisher_id, id);
-- A newer catalogue whose differences are being looked through.
CREATE TABLE offer (id INTEGER PRIMARY KEY, file TEXT NOT NULL, at INTEGER NOT NULL, author TEXT NOT NULL, closed_at INTEGER NOT NULL DEFAULT 0, closed_by TEXT NOT NULL DEFAULT '', bad TEXT NOT NULL);
CREATE TABLE offer_entry (
  offer_id INTEGER NOT NULL REFERENCES offer(id), place INTEGER NOT NULL, publisher TEXT NOT NULL, product TEXT NOT NULL, edition TEXT NOT NULL, version TEXT NOT NULL, says TEXT NOT NULL, PRIMARY KEY (offer_id, place)
) WITHOUT ROWID;
-- What people add to a product, or to one install of it (a product on a device).
CREATE TABLE tag (product_id INTEGER NOT NULL REFERENCES product(id), tag TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (product_id, tag)) WITHOUT ROWID;
CREATE TABLE watch (product_id INTEGER PRIMARY KEY REFERENCES product(id), author TEXT NOT NULL, at INTEGER NOT NULL);
CREATE TABLE remark (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, device_id INTEGER NOT NULL DEFAULT 0, text TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, dropped_at INTEGER NOT NULL DEFAULT 0, dropped_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX remark_product ON remark(product_id, device_id);
CREATE INDEX remark_device ON remark(device_id);
-- What is planned about a release whose support ends.
CREATE TABLE release_plan (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, edition TEXT NOT NULL, version TEXT NOT NULL, what TEXT NOT NULL, to_product INTEGER NOT NULL, to_version TEXT NOT NULL, due INTEGER NOT NULL, owner TEXT NOT NULL, note TEXT NOT NULL,
  devices_then INTEGER NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT '', ended_why TEXT NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX release_plan_holds ON release_plan(product_id, edition, version) WHERE ended_at = 0;
-- What the last recognitions of everything changed.
CREATE TABLE recognition_run (
  id INTEGER PRIMARY KEY, at INTEGER NOT NULL, records INTEGER NOT NULL, found INTEGER NOT NULL, moved INTEGER NOT NULL, lost INTEGER NOT NULL, installs INTEGER NOT NULL, took_ms INTEGER NOT NULL, detail TEXT NOT NULL
);

-- Derived: what was found of each version of a product.
CREATE TABLE version_fact (
  product_id INTEGER NOT NULL, edition TEXT NOT NULL, version TEXT NOT NULL, title_id INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, PRIMARY KEY (product_id, edition, version)
) WITHOUT ROWID;
-- Of each title: the last days of its general and of all support, and the devices that have it, had it a year ago, and run it as their operating system.
CREATE TABLE release_fact (
  title_id INTEGER PRIMARY KEY, general_until INTEGER NOT NULL, end_on INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, year_before INTEGER NOT NULL, systems INTEGER NOT NULL
);
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
