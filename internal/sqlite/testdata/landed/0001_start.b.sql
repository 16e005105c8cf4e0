-- +goose Up

-- Evidence: what sources reported, as they reported it. Days are counted from 0001-01-01 = 1, 0 is unknown; times are
-- seconds since 1970.
CREATE TABLE import (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, file TEXT NOT NULL, header TEXT NOT NULL DEFAULT '[]', at INTEGER NOT NULL, author TEXT NOT NULL,
  lines INTEGER NOT NULL, added INTEGER NOT NULL, changed INTEGER NOT NULL, gone INTEGER NOT NULL, set_aside INTEGER NOT NULL
);
-- Lines of devices, users, titles, entitlements and the like as they came, each time they said something new.
CREATE TABLE reported (import_id INTEGER NOT NULL REFERENCES import(id), line INTEGER NOT NULL, content TEXT NOT NULL, PRIMARY KEY (import_id, line)) WITHOUT ROWID;
CREATE TABLE set_aside (
  id INTEGER PRIMARY KEY, import_id INTEGER NOT NULL REFERENCES import(id), kind TEXT NOT NULL, file TEXT NOT NULL, line INTEGER NOT NULL,
  header TEXT NOT NULL, content TEXT NOT NULL, reason TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'waiting',
  as_of INTEGER NOT NULL, changed_at INTEGER NOT NULL, author TEXT NOT NULL DEFAULT '',
  UNIQUE (kind, content)
);
CREATE INDEX set_aside_state ON set_aside(state, id);

CREATE TABLE device (
  id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, name TEXT NOT NULL, kind TEXT NOT NULL, environment TEXT NOT NULL, org_unit TEXT NOT NULL, site TEXT NOT NULL,
  country TEXT NOT NULL, ip_address TEXT NOT NULL, directory_path TEXT NOT NULL, primary_user TEXT NOT NULL, os_name TEXT NOT NULL, os_version TEXT NOT NULL,
  processors INTEGER NOT NULL, cores INTEGER NOT NULL, virtual_cores INTEGER NOT NULL, core_factor TEXT NOT NULL, host_id TEXT NOT NULL, cluster TEXT NOT NULL,
  pinned TEXT NOT NULL, portable TEXT NOT NULL, status TEXT NOT NULL, last_scan INTEGER NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL
);
CREATE TABLE person (
  id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, name TEXT NOT NULL, email TEXT NOT NULL, org_unit TEXT NOT NULL, site TEXT NOT NULL,
  status TEXT NOT NULL, left_on INTEGER NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL
);
CREATE TABLE source (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
CREATE TABLE place (id INTEGER PRIMARY KEY, path TEXT NOT NULL, custom TEXT NOT NULL, UNIQUE (path, custom));
CREATE TABLE record (
  id INTEGER PRIMARY KEY, publisher TEXT NOT NULL, name TEXT NOT NULL, version TEXT NOT NULL, edition TEXT NOT NULL, architecture TEXT NOT NULL, language TEXT NOT NULL,
  file_name TEXT NOT NULL, tag_id TEXT NOT NULL, purl TEXT NOT NULL, cpe TEXT NOT NULL
);
CREATE TABLE scan (device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, at INTEGER NOT NULL, PRIMARY KEY (device_id, source_id, at)) WITHOUT ROWID;
CREATE TABLE install (
  device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, record_id INTEGER NOT NULL, place_id INTEGER NOT NULL, since INTEGER NOT NULL,
  until INTEGER, install_date INTEGER NOT NULL,
  PRIMARY KEY (device_id, source_id, record_id, place_id, since)
) WITHOUT ROWID;
CREATE INDEX install_record ON install(record_id, device_id);
CREATE TABLE last_use (device_id INTEGER NOT NULL, record_id INTEGER NOT NULL, used_on INTEGER NOT NULL, seen_on INTEGER NOT NULL, PRIMARY KEY (device_id, record_id, used_on)) WITHOUT ROWID;
CREATE INDEX last_use_record ON last_use(record_id);
CREATE TABLE use_name (id INTEGER PRIMARY KEY, file_name TEXT NOT NULL, product TEXT NOT NULL, UNIQUE (file_name, product));
CREATE TABLE use_session (
  device_id INTEGER NOT NULL, name_id INTEGER NOT NULL, person_code TEXT NOT NULL, started_at INTEGER NOT NULL, ended_at INTEGER NOT NULL, active INTEGER NOT NULL,
  PRIMARY KEY (device_id, name_id, person_code, started_at)
) WITHOUT ROWID;

-- The catalogue.
CREATE TABLE product (id INTEGER PRIMARY KEY, publisher TEXT NOT NULL, name TEXT NOT NULL, publisher_key TEXT NOT NULL, name_key TEXT NOT NULL, UNIQUE (publisher_key, name_key));
CREATE TABLE title (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL REFERENCES product(id), edition TEXT NOT NULL, edition_rank INTEGER NOT NULL, version TEXT NOT NULL, category TEXT NOT NULL,
  licence_model TEXT NOT NULL, list_price TEXT, currency TEXT NOT NULL, default_metric TEXT NOT NULL, suite TEXT NOT NULL, released INTEGER NOT NULL, general_end INTEGER NOT NULL,
  extended_end INTEGER NOT NULL, end_of_life INTEGER NOT NULL, aliases TEXT NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL, UNIQUE (product_id, edition, version)
);
CREATE TABLE rate (currency TEXT NOT NULL, on_day INTEGER NOT NULL, per_eur TEXT NOT NULL, PRIMARY KEY (currency, on_day)) WITHOUT ROWID;

-- Rights.
CREATE TABLE entitlement (
  id INTEGER PRIMARY KEY, code TEXT NOT NULL UNIQUE, product_id INTEGER NOT NULL REFERENCES product(id), edition TEXT NOT NULL, version TEXT NOT NULL, metric TEXT NOT NULL, quantity INTEGER NOT NULL,
  kind TEXT NOT NULL, start INTEGER NOT NULL, end INTEGER NOT NULL, maintenance_end INTEGER NOT NULL, unit_price TEXT, currency TEXT NOT NULL, purchased INTEGER NOT NULL,
  order_no TEXT NOT NULL, contract TEXT NOT NULL, scope_unit TEXT NOT NULL, scope_country TEXT NOT NULL, rights TEXT NOT NULL, min_per_processor INTEGER NOT NULL, min_per_server INTEGER NOT NULL,
  pack_size INTEGER NOT NULL, capacity TEXT NOT NULL, base TEXT NOT NULL, custom TEXT NOT NULL, hash BLOB NOT NULL, changed_at INTEGER NOT NULL, author TEXT NOT NULL
);
CREATE INDEX entitlement_product ON entitlement(product_id);
CREATE TABLE txn (
  id INTEGER PRIMARY KEY, entitlement_id INTEGER NOT NULL REFERENCES entitlement(id), type TEXT NOT NULL, on_day INTEGER NOT NULL, quantity INTEGER NOT NULL, price TEXT, currency TEXT NOT NULL,
  order_no TEXT NOT NULL, note TEXT NOT NULL, UNIQUE (entitlement_id, type, on_day, quantity, order_no, note)
);
CREATE TABLE assignment (
  id INTEGER PRIMARY KEY, entitlement_id INTEGER NOT NULL REFERENCES entitlement(id), person_id INTEGER, device_id INTEGER, from_day INTEGER NOT NULL, until_day INTEGER NOT NULL
);
CREATE UNIQUE INDEX assignment_once ON assignment(entitlement_id, coalesce(person_id, 0), coalesce(device_id, 0), from_day);

-- People's decisions.
CREATE TABLE decision (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL, product_id INTEGER NOT NULL, edition TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, note TEXT NOT NULL,
  withdrawn_at INTEGER, withdrawn_by TEXT NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX decision_holds ON decision(key) WHERE withdrawn_at IS NULL;
CREATE TABLE policy (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, publisher TEXT NOT NULL, category TEXT NOT NULL, group_name TEXT NOT NULL, condition TEXT NOT NULL, stance TEXT NOT NULL,
  reason TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER, ended_by TEXT NOT NULL DEFAULT ''
);
CREATE TABLE worklist_case (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, device_id INTEGER NOT NULL, product_id INTEGER NOT NULL, state TEXT NOT NULL, opened_at INTEGER NOT NULL, changed_at INTEGER NOT NULL,
  sent_at INTEGER NOT NULL DEFAULT 0, worth TEXT NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, money_on INTEGER NOT NULL, proof TEXT NOT NULL, came_back INTEGER NOT NULL DEFAULT 0,
  keep_until INTEGER NOT NULL DEFAULT 0, UNIQUE (kind, device_id, product_id)
);
CREATE INDEX case_state ON worklist_case(state, id);
CREATE TABLE case_step (
  id INTEGER PRIMARY KEY, case_id INTEGER NOT NULL REFERENCES worklist_case(id), at INTEGER NOT NULL, who TEXT NOT NULL, from_state TEXT NOT NULL, to_state TEXT NOT NULL, note TEXT NOT NULL
);
CREATE INDEX case_step_case ON case_step(case_id, id);

-- People and settings.
CREATE TABLE account (name TEXT PRIMARY KEY, role TEXT NOT NULL, hash TEXT NOT NULL, created_at INTEGER NOT NULL);
CREATE TABLE web_session (token TEXT PRIMARY KEY, data BLOB NOT NULL, expiry INTEGER NOT NULL);
CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE audit (id INTEGER PRIMARY KEY, at INTEGER NOT NULL, who TEXT NOT NULL, what TEXT NOT NULL, object TEXT NOT NULL, detail TEXT NOT NULL);

-- Derived: everything below can be computed again from what stands above.
CREATE TABLE recognition (
  record_id INTEGER PRIMARY KEY, key TEXT NOT NULL, product_id INTEGER NOT NULL, title_id INTEGER NOT NULL, line_id INTEGER NOT NULL, edition TEXT NOT NULL, edition_rank INTEGER NOT NULL,
  title_version TEXT NOT NULL, version TEXT NOT NULL, step TEXT NOT NULL, why_not TEXT NOT NULL, whole INTEGER NOT NULL, not_software INTEGER NOT NULL
);
CREATE INDEX recognition_product ON recognition(product_id);
CREATE INDEX recognition_key ON recognition(key);
CREATE TABLE device_fact (
  device_id INTEGER PRIMARY KEY, last_seen INTEGER NOT NULL, age TEXT NOT NULL, installs INTEGER NOT NULL, unrecognised INTEGER NOT NULL, counted INTEGER NOT NULL, cases INTEGER NOT NULL
);
CREATE TABLE name_fact (
  key TEXT PRIMARY KEY, publisher TEXT NOT NULL, name TEXT NOT NULL, versions INTEGER NOT NULL, records INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, state TEXT NOT NULL
);
CREATE INDEX name_fact_state ON name_fact(state, installs DESC);
CREATE TABLE product_fact (product_id INTEGER PRIMARY KEY, installs INTEGER NOT NULL, devices INTEGER NOT NULL, counted INTEGER NOT NULL, folded INTEGER NOT NULL, versions INTEGER NOT NULL);
CREATE TABLE position (
  product_id INTEGER NOT NULL, metric TEXT NOT NULL, counted INTEGER NOT NULL, owned INTEGER NOT NULL, needed INTEGER NOT NULL, covered INTEGER NOT NULL, short INTEGER NOT NULL, surplus INTEGER NOT NULL,
  low INTEGER NOT NULL, high INTEGER NOT NULL, exposure REAL NOT NULL, exposure_text TEXT NOT NULL, spare_value REAL NOT NULL, spare_text TEXT NOT NULL, currency TEXT NOT NULL, as_of INTEGER NOT NULL, gaps TEXT NOT NULL,
  PRIMARY KEY (product_id, metric)
) WITHOUT ROWID;
CREATE TABLE way (product_id INTEGER NOT NULL, metric TEXT NOT NULL, class TEXT NOT NULL, line TEXT NOT NULL, amount INTEGER NOT NULL, PRIMARY KEY (product_id, metric, class, line)) WITHOUT ROWID;
CREATE TABLE idle_fact (
  device_id INTEGER NOT NULL, product_id INTEGER NOT NULL, person_code TEXT NOT NULL, class TEXT NOT NULL, used INTEGER NOT NULL, measured INTEGER NOT NULL, last_use INTEGER NOT NULL, PRIMARY KEY (device_id, product_id)
) WITHOUT ROWID;

-- +goose Down
