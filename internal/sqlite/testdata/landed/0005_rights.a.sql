-- +goose Up

-- The order in which the metrics of a product cover, joined by |; empty is the usual one.
ALTER TABLE product ADD COLUMN metric_order TEXT NOT NULL DEFAULT '';
-- The host that lists stated for a virtual machine, from a time on; empty is none.
CREATE TABLE on_host (device_id INTEGER NOT NULL, since INTEGER NOT NULL, host TEXT NOT NULL, PRIMARY KEY (device_id, since)) WITHOUT ROWID;
INSERT INTO on_host(device_id, since, host) SELECT id, listed_at, host_id FROM device WHERE host_id <> '';

-- Licence servers' pools and what they reported.
CREATE TABLE pool (id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, product_id INTEGER NOT NULL REFERENCES product(id), server TEXT NOT NULL, quantity INTEGER NOT NULL, expires INTEGER NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL);
CREATE TABLE pool_event (
  pool_id INTEGER NOT NULL REFERENCES pool(id), at INTEGER NOT NULL, session TEXT NOT NULL, event TEXT NOT NULL, person_code TEXT NOT NULL, device_code TEXT NOT NULL, licences INTEGER NOT NULL,
  PRIMARY KEY (pool_id, at, session, event)
) WITHOUT ROWID;

-- Contracts, by the number that their lines name; what proves a right; keys, sealed; notes on a line; what was changed of it.
ALTER TABLE entitlement ADD COLUMN withdrawn_at INTEGER NOT NULL DEFAULT 0;
CREATE INDEX entitlement_contract ON entitlement(contract) WHERE contract <> '';
CREATE TABLE contract (
  id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, publisher TEXT NOT NULL, name TEXT NOT NULL, start INTEGER NOT NULL, end INTEGER NOT NULL, notice_days INTEGER NOT NULL, renews INTEGER NOT NULL, owner TEXT NOT NULL, note TEXT NOT NULL,
  author TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE TABLE proof (
  id INTEGER PRIMARY KEY, entitlement_id INTEGER NOT NULL, contract TEXT NOT NULL, name TEXT NOT NULL, size INTEGER NOT NULL, sha256 TEXT NOT NULL, content BLOB NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL,
  dropped_at INTEGER NOT NULL DEFAULT 0, dropped_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX proof_entitlement ON proof(entitlement_id);
CREATE TABLE licence_key (
  id INTEGER PRIMARY KEY, entitlement_id INTEGER NOT NULL, sealed BLOB NOT NULL, hint TEXT NOT NULL, note TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, dropped_at INTEGER NOT NULL DEFAULT 0, dropped_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX licence_key_entitlement ON licence_key(entitlement_id);
ALTER TABLE remark ADD COLUMN entitlement_id INTEGER NOT NULL DEFAULT 0;
CREATE TABLE entitlement_change (
  id INTEGER PRIMARY KEY, entitlement_id INTEGER NOT NULL, field TEXT NOT NULL, was TEXT NOT NULL, is_now TEXT NOT NULL, at INTEGER NOT NULL, author TEXT NOT NULL
);
CREATE INDEX entitlement_change_line ON entitlement_change(entitlement_id, id);

-- Who waits for a seat, and what somebody new gets.
CREATE TABLE seat_wait (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL REFERENCES product(id), person_id INTEGER NOT NULL REFERENCES person(id), since INTEGER NOT NULL, note TEXT NOT NULL, author TEXT NOT NULL,
  ended_at INTEGER NOT NULL DEFAULT 0, ended_how TEXT NOT NULL DEFAULT '', ended_by TEXT NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX seat_wait_once ON seat_wait(product_id, person_id) WHERE ended_at = 0;
CREATE INDEX assignment_person ON assignment(person_id);
CREATE TABLE starter_set (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, note TEXT NOT NULL, products TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL);

-- Measures that are tried together, requests to buy that came of them, and positions as they were handed to somebody.
CREATE TABLE basket (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL, note TEXT NOT NULL, measures TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, changed_at INTEGER NOT NULL, version INTEGER NOT NULL, done_at INTEGER NOT NULL DEFAULT 0,
  done_by TEXT NOT NULL DEFAULT '', dropped_at INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE purchase_request (
  id INTEGER PRIMARY KEY, basket_id INTEGER NOT NULL, product_id INTEGER NOT NULL, what TEXT NOT NULL, quantity INTEGER NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL,
  ended_at INTEGER NOT NULL DEFAULT 0, ended_how TEXT NOT NULL DEFAULT ''
);
CREATE TABLE statement (
  id INTEGER PRIMARY KEY, at INTEGER NOT NULL, author TEXT NOT NULL, handed_to TEXT NOT NULL, note TEXT NOT NULL, as_of INTEGER NOT NULL, positions INTEGER NOT NULL, content BLOB NOT NULL, sha256 TEXT NOT NULL
);

CREATE INDEX use_session_name ON use_session(name_id, started_at);

-- Derived.
CREATE TABLE dirty_product (product_id INTEGER PRIMARY KEY, change INTEGER NOT NULL);
DROP TABLE position;
CREATE TABLE position (
  product_id INTEGER NOT NULL, metric TEXT NOT NULL, counted INTEGER NOT NULL, owned INTEGER NOT NULL, needed INTEGER NOT NULL, covered INTEGER NOT NULL, short INTEGER NOT NULL, surplus INTEGER NOT NULL, free INTEGER NOT NULL,
  low INTEGER NOT NULL, high INTEGER NOT NULL, exposure REAL NOT NULL, exposure_text TEXT NOT NULL, spare_value REAL NOT NULL, spare_text TEXT NOT NULL, currency TEXT NOT NULL, as_of INTEGER NOT NULL, gaps TEXT NOT NULL,
  proven INTEGER NOT NULL, outside INTEGER NOT NULL, pack INTEGER NOT NULL, PRIMARY KEY (product_id, metric)
) WITHOUT ROWID;
DROP INDEX install_record;
CREATE INDEX install_record ON install(record_id, device_id, until);
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
