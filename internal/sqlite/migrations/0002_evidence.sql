-- +goose Up

-- A source's list is made of parts; root is the row of the whole list, whose part is empty. A scan row of the root covers every part.
CREATE TABLE source_parts (id INTEGER PRIMARY KEY, name TEXT NOT NULL, part TEXT NOT NULL DEFAULT '', root INTEGER NOT NULL, UNIQUE (name, part));
INSERT INTO source_parts(id, name, part, root) SELECT id, name, '', id FROM source;
DROP TABLE source;
ALTER TABLE source_parts RENAME TO source;
CREATE INDEX source_root ON source(root);
CREATE INDEX record_name ON record(name, version);
CREATE INDEX device_name ON device(name COLLATE NOCASE);

-- What a directory or devices.csv states of a device; the columns beside it hold what is true by the newest evidence.
ALTER TABLE device ADD COLUMN stated TEXT NOT NULL DEFAULT '';
ALTER TABLE device ADD COLUMN listed_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device ADD COLUMN hosting TEXT NOT NULL DEFAULT 'own site';
UPDATE device SET stated = json_object('name', name, 'kind', kind, 'os_name', os_name, 'os_version', os_version, 'ip_address', ip_address, 'processors', CASE WHEN processors = 0 THEN '' ELSE CAST(processors AS TEXT) END,
  'cores', CASE WHEN cores = 0 THEN '' ELSE CAST(cores AS TEXT) END, 'virtual_cores', CASE WHEN virtual_cores = 0 THEN '' ELSE CAST(virtual_cores AS TEXT) END, 'portable', portable, 'primary_user', primary_user),
  listed_at = coalesce((SELECT max(at) FROM import WHERE kind = 'devices'), 0), hosting = coalesce(CASE WHEN json_valid(custom) THEN json_extract(custom, '$.hosting') END, 'own site');

-- Hardware facts and files as scans reported them, each from one scan until another. fact_scan has the times of the scans that spoke of them; source_id is a part that begins with #.
CREATE TABLE fact_set (id INTEGER PRIMARY KEY, content TEXT NOT NULL UNIQUE);
CREATE TABLE fact_scan (device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (device_id, source_id, at)) WITHOUT ROWID;
CREATE TABLE hardware (device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, fact_id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER, PRIMARY KEY (device_id, source_id, fact_id, since)) WITHOUT ROWID;
CREATE TABLE file (id INTEGER PRIMARY KEY, name TEXT NOT NULL, size INTEGER NOT NULL, version TEXT NOT NULL, UNIQUE (name, size, version));
CREATE INDEX file_by_name ON file(name COLLATE NOCASE);
CREATE INDEX record_by_file ON record(file_name COLLATE NOCASE) WHERE file_name <> '';
CREATE TABLE device_file (
  device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, file_id INTEGER NOT NULL, place_id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER,
  PRIMARY KEY (device_id, source_id, file_id, place_id, since)
) WITHOUT ROWID;
CREATE INDEX device_file_file ON device_file(file_id, device_id);
CREATE TABLE logon (device_id INTEGER NOT NULL, person_code TEXT NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (device_id, person_code, at)) WITHOUT ROWID;
CREATE TABLE missing_part (device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, part TEXT NOT NULL, reason TEXT NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (device_id, source_id, part)) WITHOUT ROWID;
CREATE TABLE person_move (
  id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES person(id), on_day INTEGER NOT NULL, what TEXT NOT NULL, from_value TEXT NOT NULL, to_value TEXT NOT NULL,
  UNIQUE (person_id, on_day, what, from_value, to_value)
);

-- Who may send scans, and what came.
CREATE TABLE token (
  id INTEGER PRIMARY KEY, source TEXT NOT NULL, hint TEXT NOT NULL, hash BLOB NOT NULL UNIQUE, finds_by TEXT NOT NULL, created_at INTEGER NOT NULL, author TEXT NOT NULL,
  last_used INTEGER NOT NULL DEFAULT 0, last_from TEXT NOT NULL DEFAULT '', revoked_at INTEGER NOT NULL DEFAULT 0, revoked_by TEXT NOT NULL DEFAULT ''
);
CREATE TABLE delivery (
  id INTEGER PRIMARY KEY, token_id INTEGER NOT NULL REFERENCES token(id), received_at INTEGER NOT NULL, device_id INTEGER NOT NULL, scan_at INTEGER NOT NULL, bytes INTEGER NOT NULL, outcome TEXT NOT NULL, detail TEXT NOT NULL
);
CREATE INDEX delivery_device ON delivery(device_id, id);
CREATE TABLE column_mapping (kind TEXT NOT NULL, header_key TEXT NOT NULL, mapping TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (kind, header_key));

-- Groups.
CREATE TABLE device_group (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, note TEXT NOT NULL, condition TEXT NOT NULL, by_hand INTEGER NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL);
CREATE TABLE group_pick (group_id INTEGER NOT NULL REFERENCES device_group(id) ON DELETE CASCADE, device_id INTEGER NOT NULL, inside INTEGER NOT NULL, PRIMARY KEY (group_id, device_id)) WITHOUT ROWID;

-- Scans that are asked for.
CREATE TABLE schedule (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, basis TEXT NOT NULL, calendar TEXT NOT NULL, age_days INTEGER NOT NULL, group_name TEXT NOT NULL, quiet TEXT NOT NULL, considered_at INTEGER NOT NULL,
  author TEXT NOT NULL, at INTEGER NOT NULL, paused INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE scan_order (
  id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL, schedule_id INTEGER NOT NULL, why TEXT NOT NULL, state TEXT NOT NULL, tries INTEGER NOT NULL, asked_at INTEGER NOT NULL, not_before INTEGER NOT NULL,
  taken_at INTEGER NOT NULL, ended_at INTEGER NOT NULL, reason TEXT NOT NULL, detail TEXT NOT NULL, author TEXT NOT NULL
);
CREATE INDEX scan_order_state ON scan_order(state, not_before);
CREATE INDEX scan_order_device ON scan_order(device_id, state);

-- Changes between scans: rules that quieten or send them by mail, and the mail.
CREATE TABLE change_rule (
  id INTEGER PRIMARY KEY, what TEXT NOT NULL, kinds TEXT NOT NULL, name_like TEXT NOT NULL, publisher_like TEXT NOT NULL, group_name TEXT NOT NULL, address TEXT NOT NULL,
  author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE change_mailed (
  rule_id INTEGER NOT NULL REFERENCES change_rule(id), device_id INTEGER NOT NULL, at INTEGER NOT NULL, kind TEXT NOT NULL, key TEXT NOT NULL, from_value TEXT NOT NULL, to_value TEXT NOT NULL,
  PRIMARY KEY (rule_id, device_id, at, kind, key, from_value, to_value)
) WITHOUT ROWID;
CREATE TABLE mail (id INTEGER PRIMARY KEY, address TEXT NOT NULL, subject TEXT NOT NULL, body TEXT NOT NULL, queued_at INTEGER NOT NULL, sent_at INTEGER NOT NULL DEFAULT 0, tries INTEGER NOT NULL DEFAULT 0, error TEXT NOT NULL DEFAULT '');

-- Derived.
CREATE TABLE dirty_device (device_id INTEGER PRIMARY KEY, change INTEGER NOT NULL);
INSERT INTO dirty_device(device_id, change) SELECT id, 0 FROM device;
CREATE TABLE change_log (
  id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, at INTEGER NOT NULL, kind TEXT NOT NULL, key TEXT NOT NULL, record_id INTEGER NOT NULL, from_value TEXT NOT NULL, to_value TEXT NOT NULL, quiet INTEGER NOT NULL
);
CREATE INDEX change_log_device ON change_log(device_id, at);
CREATE INDEX change_log_at ON change_log(quiet, at);
CREATE TABLE group_member (group_id INTEGER NOT NULL, device_id INTEGER NOT NULL, PRIMARY KEY (group_id, device_id)) WITHOUT ROWID;
DROP TABLE device_fact;
CREATE TABLE device_fact (
  device_id INTEGER PRIMARY KEY, last_seen INTEGER NOT NULL, age TEXT NOT NULL, hardware_seen INTEGER NOT NULL, hardware_age TEXT NOT NULL, use_seen INTEGER NOT NULL, use_age TEXT NOT NULL, directory_seen INTEGER NOT NULL,
  directory_age TEXT NOT NULL, installs INTEGER NOT NULL, unrecognised INTEGER NOT NULL, counted INTEGER NOT NULL, cases INTEGER NOT NULL, namesakes INTEGER NOT NULL, disagreements INTEGER NOT NULL
);
DROP TABLE name_fact;
CREATE TABLE name_fact (
  key TEXT PRIMARY KEY, publisher TEXT NOT NULL, name TEXT NOT NULL, versions INTEGER NOT NULL, records INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, state TEXT NOT NULL
);
CREATE INDEX name_fact_state ON name_fact(state, installs DESC);
DROP TABLE product_fact;
CREATE TABLE product_fact (
  product_id INTEGER PRIMARY KEY, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, counted INTEGER NOT NULL, folded INTEGER NOT NULL, versions INTEGER NOT NULL
);
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
