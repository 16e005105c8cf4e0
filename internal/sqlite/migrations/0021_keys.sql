-- +goose Up

-- Licence keys that scans found: of each only a hash under the secret of the data file, and its last signs.
CREATE TABLE found_key (id INTEGER PRIMARY KEY, hash TEXT NOT NULL UNIQUE, hint TEXT NOT NULL);
-- On which device with which install a key is, as scans of a part of a source's list said.
CREATE TABLE install_key (
  device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, record_id INTEGER NOT NULL, key_id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER,
  PRIMARY KEY (device_id, source_id, record_id, key_id, since)
) WITHOUT ROWID;
CREATE INDEX install_key_key ON install_key(key_id, device_id) WHERE until IS NULL;

-- By which a key that was bought is known among those that were found; empty where it was not worked out yet.
ALTER TABLE licence_key ADD COLUMN hash TEXT NOT NULL DEFAULT '';
CREATE INDEX licence_key_hash ON licence_key(hash) WHERE dropped_at = 0;

-- How each key stands: derived, as everything that can be computed again.
CREATE TABLE key_fact (
  id INTEGER PRIMARY KEY, hint TEXT NOT NULL, state TEXT NOT NULL, product_id INTEGER NOT NULL, devices INTEGER NOT NULL, together INTEGER NOT NULL, bought INTEGER NOT NULL,
  lines TEXT NOT NULL, since INTEGER NOT NULL, found_id INTEGER NOT NULL
);
CREATE INDEX key_fact_by_state ON key_fact(state);
CREATE INDEX key_fact_by_rank ON key_fact((CASE state WHEN 'over' THEN 0 WHEN 'unbought' THEN 1 WHEN 'in use' THEN 2 ELSE 3 END));
CREATE INDEX key_fact_by_product ON key_fact(product_id);
CREATE INDEX key_fact_by_devices ON key_fact(devices);
CREATE INDEX key_fact_by_together ON key_fact(together);
CREATE INDEX key_fact_by_bought ON key_fact(bought);
CREATE INDEX key_fact_by_hint ON key_fact(hint);
CREATE INDEX key_fact_by_since ON key_fact(since);
CREATE INDEX key_fact_by_found ON key_fact(found_id);

-- +goose Down
