-- +goose Up

-- What each source says of a machine under one identifier, with the signs that it gave. Times are seconds since 1970.
CREATE TABLE machine_record (
  id INTEGER PRIMARY KEY,
  source TEXT NOT NULL, -- empty for the house's own lists
  key TEXT NOT NULL, -- what the source calls the machine
  serial TEXT NOT NULL DEFAULT '',
  maker TEXT NOT NULL DEFAULT '',
  machine_id TEXT NOT NULL DEFAULT '',
  directory_id TEXT NOT NULL DEFAULT '',
  names TEXT NOT NULL DEFAULT '[]', -- as it was called, the newest first
  addresses TEXT NOT NULL DEFAULT '[]', -- of its network hardware
  ip TEXT NOT NULL DEFAULT '',
  listed INTEGER NOT NULL DEFAULT 0, -- a list of devices names it: the house's own, or a directory
  coded INTEGER NOT NULL DEFAULT 0, -- the key is the house's own device_id
  lets_name INTEGER NOT NULL DEFAULT 0, -- the house lets it join what it fits by name
  first_at INTEGER NOT NULL DEFAULT 0,
  last_at INTEGER NOT NULL DEFAULT 0,
  device_id INTEGER NOT NULL, -- that it counts for
  home_id INTEGER NOT NULL DEFAULT 0, -- the device that it is by itself, where it ever was one
  slot INTEGER NOT NULL DEFAULT 0 -- of the sources under which its evidence stands
);
CREATE INDEX machine_record_key ON machine_record(key COLLATE NOCASE);
CREATE INDEX machine_record_device ON machine_record(device_id);
CREATE INDEX machine_record_home ON machine_record(home_id) WHERE home_id <> 0;

-- The values by which records of one machine are found, folded, each with a letter for its kind.
CREATE TABLE machine_sign (
  value TEXT NOT NULL,
  record_id INTEGER NOT NULL REFERENCES machine_record(id) ON DELETE CASCADE,
  PRIMARY KEY (value, record_id)
) WITHOUT ROWID;
CREATE INDEX machine_sign_record ON machine_sign(record_id);

-- What people decided of two records: that they are one machine, or that they are not.
CREATE TABLE machine_decision (
  id INTEGER PRIMARY KEY,
  a INTEGER NOT NULL REFERENCES machine_record(id),
  b INTEGER NOT NULL REFERENCES machine_record(id),
  together INTEGER NOT NULL,
  reason TEXT NOT NULL,
  author TEXT NOT NULL,
  at INTEGER NOT NULL,
  act INTEGER NOT NULL, -- decisions of one act are taken back together
  ended_at INTEGER NOT NULL DEFAULT 0,
  ended_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX machine_decision_a ON machine_decision(a) WHERE ended_at = 0;
CREATE INDEX machine_decision_b ON machine_decision(b) WHERE ended_at = 0;

-- Devices that are counted as another one: what lists say of them, and their own number, under which they come back.
CREATE TABLE joined_device (
  id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, name TEXT NOT NULL, kind TEXT NOT NULL, environment TEXT NOT NULL,
  org_unit TEXT NOT NULL, site TEXT NOT NULL, country TEXT NOT NULL, ip_address TEXT NOT NULL,
  directory_path TEXT NOT NULL, primary_user TEXT NOT NULL, os_name TEXT NOT NULL, os_version TEXT NOT NULL,
  processors INTEGER NOT NULL, cores INTEGER NOT NULL, virtual_cores INTEGER NOT NULL, core_factor TEXT NOT NULL,
  host_id TEXT NOT NULL, cluster TEXT NOT NULL, pinned TEXT NOT NULL, portable TEXT NOT NULL, status TEXT NOT NULL,
  last_scan INTEGER NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL, stated TEXT NOT NULL DEFAULT '',
  listed_at INTEGER NOT NULL DEFAULT 0, hosting TEXT NOT NULL DEFAULT 'own site',
  into_id INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX joined_device_into ON joined_device(into_id);

-- What followed a device into the one that it is counted as, and goes back with it: by table and row.
CREATE TABLE followed (
  tbl TEXT NOT NULL,
  row INTEGER NOT NULL,
  home_id INTEGER NOT NULL,
  PRIMARY KEY (tbl, row)
) WITHOUT ROWID;
CREATE INDEX followed_home ON followed(home_id);

-- Devices that may be one: proposed to people.
CREATE TABLE machine_pair (
  a INTEGER NOT NULL REFERENCES machine_record(id) ON DELETE CASCADE,
  b INTEGER NOT NULL REFERENCES machine_record(id) ON DELETE CASCADE,
  waits INTEGER NOT NULL,
  signs TEXT NOT NULL,
  PRIMARY KEY (a, b)
) WITHOUT ROWID;
CREATE INDEX machine_pair_b ON machine_pair(b);

-- A source that names a machine twice has a list under each name.
CREATE TABLE source_new (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL, part TEXT NOT NULL DEFAULT '', root INTEGER NOT NULL,
  slot INTEGER NOT NULL DEFAULT 0, UNIQUE (name, part, slot)
);
INSERT INTO source_new(id, name, part, root) SELECT id, name, part, root FROM source;
DROP TABLE source;
ALTER TABLE source_new RENAME TO source;
CREATE INDEX source_root ON source(root);

-- Of which record use comes; 0 is the device's own.
ALTER TABLE logon ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE last_use ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE use_session ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE process_event ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE use_day ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE use_seen ADD COLUMN origin INTEGER NOT NULL DEFAULT 0;

-- Devices that were known before get their records once, in the background.
CREATE TABLE record_due (device_id INTEGER PRIMARY KEY);
INSERT INTO record_due SELECT id FROM device;
