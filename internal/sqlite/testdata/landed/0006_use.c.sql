-- +goose Up

-- What was known of a machine's hardware up to a time, where later evidence says something else.
ALTER TABLE device_was ADD COLUMN core_factor TEXT NOT NULL DEFAULT '';
ALTER TABLE device_was ADD COLUMN processors INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN cores INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN virtual_cores INTEGER NOT NULL DEFAULT 0;
CREATE INDEX hardware_until ON hardware(until, device_id) WHERE until IS NOT NULL;

-- Use. What operating systems reported of processes is kept for a short while, the runs that it makes for longer, and days of use longest. A run whose end nobody saw is cut (1), one that may go on is open (2);
-- made is 1 where events made it.
CREATE TABLE process_event (
  device_id INTEGER NOT NULL, at INTEGER NOT NULL, kind INTEGER NOT NULL, pid INTEGER NOT NULL, name_id INTEGER NOT NULL, person_code TEXT NOT NULL, started INTEGER NOT NULL, active INTEGER NOT NULL,
  PRIMARY KEY (device_id, at, kind, pid, name_id)
) WITHOUT ROWID;
ALTER TABLE use_session ADD COLUMN cut INTEGER NOT NULL DEFAULT 0;
ALTER TABLE use_session ADD COLUMN made INTEGER NOT NULL DEFAULT 0;
CREATE TABLE use_day (
  name_id INTEGER NOT NULL, device_id INTEGER NOT NULL, day INTEGER NOT NULL, person_code TEXT NOT NULL, run INTEGER NOT NULL, active INTEGER NOT NULL, sessions INTEGER NOT NULL, cut INTEGER NOT NULL,
  PRIMARY KEY (name_id, device_id, day, person_code)
) WITHOUT ROWID;
CREATE TABLE use_seen (device_id INTEGER NOT NULL, day INTEGER NOT NULL, PRIMARY KEY (device_id, day)) WITHOUT ROWID;
-- How much of what events spoke of was not seen whole, by device.
CREATE TABLE use_lost (device_id INTEGER PRIMARY KEY, starts INTEGER NOT NULL, strays INTEGER NOT NULL, cut INTEGER NOT NULL, future INTEGER NOT NULL);
-- Which titles are metered on which devices; none is all on all.
CREATE TABLE metering (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, publisher TEXT NOT NULL, category TEXT NOT NULL, group_name TEXT NOT NULL, condition TEXT NOT NULL, stance TEXT NOT NULL, from_day INTEGER NOT NULL, note TEXT NOT NULL,
  author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
-- Devices whose runs are to be rolled up into days.
CREATE TABLE use_due (device_id INTEGER PRIMARY KEY);
INSERT INTO use_due SELECT DISTINCT device_id FROM use_session;

-- Pools: seconds of work of a return (-1 where the server does not say), sums by days, and what was decided about a size.
ALTER TABLE pool_event ADD COLUMN active INTEGER NOT NULL DEFAULT -1;
CREATE TABLE pool_day (
  pool_id INTEGER NOT NULL, day INTEGER NOT NULL, peak INTEGER NOT NULL, peak_at INTEGER NOT NULL, seconds INTEGER NOT NULL, checkouts INTEGER NOT NULL, denials INTEGER NOT NULL, users INTEGER NOT NULL,
  PRIMARY KEY (pool_id, day)
) WITHOUT ROWID;
CREATE TABLE pool_size (
  id INTEGER PRIMARY KEY, pool_id INTEGER NOT NULL REFERENCES pool(id), was INTEGER NOT NULL, size INTEGER NOT NULL, reason TEXT NOT NULL, basis TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE TABLE pool_was (pool_id INTEGER NOT NULL, until INTEGER NOT NULL, quantity INTEGER NOT NULL, PRIMARY KEY (pool_id, until)) WITHOUT ROWID;
CREATE TABLE pool_complaint (
  id INTEGER PRIMARY KEY, pool_id INTEGER NOT NULL REFERENCES pool(id), person_code TEXT NOT NULL, text TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_how TEXT NOT NULL DEFAULT ''
);

-- Stances at certain hours; an exception has an owner and a last day.
ALTER TABLE policy ADD COLUMN days INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN from_minute INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN to_minute INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN owner TEXT NOT NULL DEFAULT '';
ALTER TABLE policy ADD COLUMN until_day INTEGER NOT NULL DEFAULT 0;

-- +goose Down
