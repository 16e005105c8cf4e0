-- +goose Up

-- Decisions keep the record that they were taken on, wait for a second person where that is asked for, and belong to a batch that can be undone.
ALTER TABLE decision ADD COLUMN record_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE decision ADD COLUMN state TEXT NOT NULL DEFAULT 'holds'; -- holds, waiting, refused
ALTER TABLE decision ADD COLUMN batch INTEGER NOT NULL DEFAULT 0;
ALTER TABLE decision ADD COLUMN ended_batch INTEGER NOT NULL DEFAULT 0; -- the batch that took its place
ALTER TABLE decision ADD COLUMN signed_by TEXT NOT NULL DEFAULT '';
ALTER TABLE decision ADD COLUMN signed_at INTEGER NOT NULL DEFAULT 0;
UPDATE decision SET record_id = coalesce((SELECT min(n.record_id) FROM recognition n WHERE n.key = decision.key), 0);
DROP INDEX decision_holds;
CREATE UNIQUE INDEX decision_holds ON decision(key) WHERE withdrawn_at IS NULL AND state = 'holds';
CREATE UNIQUE INDEX decision_waits ON decision(key) WHERE withdrawn_at IS NULL AND state = 'waiting';
CREATE INDEX decision_batch ON decision(batch);
CREATE TABLE batch (id INTEGER PRIMARY KEY, at INTEGER NOT NULL, author TEXT NOT NULL, what TEXT NOT NULL, undone_at INTEGER NOT NULL DEFAULT 0, undone_by TEXT NOT NULL DEFAULT '');
CREATE TABLE name_later (key TEXT PRIMARY KEY, record_id INTEGER NOT NULL, until_day INTEGER NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, batch INTEGER NOT NULL);

-- Rules, in their order.
CREATE TABLE name_rule (
  id INTEGER PRIMARY KEY, place INTEGER NOT NULL, name TEXT NOT NULL, outcome TEXT NOT NULL, records TEXT NOT NULL, devices TEXT NOT NULL, product_id INTEGER NOT NULL, edition TEXT NOT NULL, reason TEXT NOT NULL,
  from_day INTEGER NOT NULL, until_day INTEGER NOT NULL, is_on INTEGER NOT NULL, state TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, signed_by TEXT NOT NULL DEFAULT '', signed_at INTEGER NOT NULL DEFAULT 0,
  ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
-- A product on a device that does not count, by hand.
CREATE TABLE left_out (
  id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL, product_id INTEGER NOT NULL, reason TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, state TEXT NOT NULL, batch INTEGER NOT NULL,
  signed_by TEXT NOT NULL DEFAULT '', signed_at INTEGER NOT NULL DEFAULT 0, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX left_out_holds ON left_out(device_id, product_id) WHERE ended_at = 0;

CREATE TABLE suite (id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL REFERENCES product(id), edition TEXT NOT NULL, version TEXT NOT NULL, need INTEGER NOT NULL, parts TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL);

-- Derived.
ALTER TABLE recognition ADD COLUMN rule_id INTEGER NOT NULL DEFAULT 0;
CREATE TABLE proposal (key TEXT PRIMARY KEY, record_id INTEGER NOT NULL, product_id INTEGER NOT NULL, edition TEXT NOT NULL, score REAL NOT NULL, gather TEXT NOT NULL, made_for TEXT NOT NULL);
CREATE TABLE queue_day (day INTEGER PRIMARY KEY, names INTEGER NOT NULL, installs INTEGER NOT NULL, all_installs INTEGER NOT NULL);
DROP TABLE name_fact;
CREATE TABLE name_fact (
  key TEXT PRIMARY KEY, publisher TEXT NOT NULL, name TEXT NOT NULL, versions INTEGER NOT NULL, records INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, state TEXT NOT NULL,
  gather TEXT NOT NULL, likely TEXT NOT NULL, score REAL NOT NULL, money REAL NOT NULL, findings INTEGER NOT NULL
);
CREATE INDEX name_fact_state ON name_fact(state, installs DESC);
CREATE INDEX name_fact_gather ON name_fact(gather);
DROP TABLE product_fact;
CREATE TABLE product_fact (
  product_id INTEGER PRIMARY KEY, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, counted INTEGER NOT NULL, folded INTEGER NOT NULL, left_out INTEGER NOT NULL, versions INTEGER NOT NULL
);
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;
INSERT INTO setting(key, value) VALUES ('catalogue_changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
