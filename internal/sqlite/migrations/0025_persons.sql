-- +goose Up

-- What a person is known by besides his user_id, and what a list says of the account.
ALTER TABLE person ADD COLUMN directory_id TEXT NOT NULL DEFAULT '';
ALTER TABLE person ADD COLUMN log_ons TEXT NOT NULL DEFAULT ''; -- separated by |
ALTER TABLE person ADD COLUMN manager TEXT NOT NULL DEFAULT ''; -- as the list names him
ALTER TABLE person ADD COLUMN cost_centre TEXT NOT NULL DEFAULT '';
ALTER TABLE person ADD COLUMN account TEXT NOT NULL DEFAULT ''; -- person, shared or service; empty is not said

-- What lists and evidence call people, each spelling for itself, with the one that it counts as.
CREATE TABLE person_record (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL UNIQUE, -- the user_id, or the name as evidence has it
  listed INTEGER NOT NULL DEFAULT 0, -- a list of users has it
  gone INTEGER NOT NULL DEFAULT 0, -- the list says that he left
  directory_id TEXT NOT NULL DEFAULT '',
  log_ons TEXT NOT NULL DEFAULT '',
  mail TEXT NOT NULL DEFAULT '',
  account TEXT NOT NULL DEFAULT '',
  marked TEXT NOT NULL DEFAULT '', -- by hand: person or nobody
  counts_as TEXT NOT NULL DEFAULT '', -- the key that stands for the person; empty before it was settled
  nobody INTEGER NOT NULL DEFAULT 0 -- nobody in particular is behind it: it makes no named user
);
CREATE INDEX person_record_counts ON person_record(counts_as);
CREATE INDEX person_record_other ON person_record(id) WHERE counts_as <> key OR nobody = 1;

-- The values by which records of one person are found, folded, each with a letter for its kind.
CREATE TABLE person_sign (
  value TEXT NOT NULL,
  record_id INTEGER NOT NULL REFERENCES person_record(id) ON DELETE CASCADE,
  PRIMARY KEY (value, record_id)
) WITHOUT ROWID;
CREATE INDEX person_sign_record ON person_sign(record_id);

-- What people decided of two records: that they are one person, or that they are not.
CREATE TABLE person_decision (
  id INTEGER PRIMARY KEY,
  a INTEGER NOT NULL REFERENCES person_record(id),
  b INTEGER NOT NULL REFERENCES person_record(id),
  together INTEGER NOT NULL,
  reason TEXT NOT NULL,
  author TEXT NOT NULL,
  at INTEGER NOT NULL, -- seconds since 1970
  act INTEGER NOT NULL, -- decisions of one act are taken back together
  ended_at INTEGER NOT NULL DEFAULT 0,
  ended_by TEXT NOT NULL DEFAULT ''
);
CREATE INDEX person_decision_a ON person_decision(a) WHERE ended_at = 0;
CREATE INDEX person_decision_b ON person_decision(b) WHERE ended_at = 0;
CREATE INDEX person_decision_act ON person_decision(act);

-- Records that may be one person: proposed to people.
CREATE TABLE person_pair (
  a INTEGER NOT NULL REFERENCES person_record(id) ON DELETE CASCADE,
  b INTEGER NOT NULL REFERENCES person_record(id) ON DELETE CASCADE,
  waits INTEGER NOT NULL,
  signs TEXT NOT NULL,
  PRIMARY KEY (a, b)
) WITHOUT ROWID;
CREATE INDEX person_pair_b ON person_pair(b);

-- Names that came and are not settled yet. Whatever writes them, they are noted here.
CREATE TABLE person_heard (key TEXT PRIMARY KEY) WITHOUT ROWID;
CREATE INDEX logon_by_person ON logon(person_code, device_id);

-- +goose StatementBegin
CREATE TRIGGER person_heard_listed AFTER INSERT ON person BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.code);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_changed AFTER UPDATE OF email, status, directory_id, log_ons, account ON person BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.code);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_logon AFTER INSERT ON logon
  WHEN NEW.person_code <> '' AND NOT EXISTS (SELECT 1 FROM person_record WHERE key = NEW.person_code) BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.person_code);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_use AFTER INSERT ON use_session
  WHEN NEW.person_code <> '' AND NOT EXISTS (SELECT 1 FROM person_record WHERE key = NEW.person_code) BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.person_code);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_pool AFTER INSERT ON pool_event
  WHEN NEW.person_code <> '' AND NOT EXISTS (SELECT 1 FROM person_record WHERE key = NEW.person_code) BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.person_code);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_device AFTER INSERT ON device
  WHEN NEW.primary_user <> '' AND NOT EXISTS (SELECT 1 FROM person_record WHERE key = NEW.primary_user) BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.primary_user);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER person_heard_main_user AFTER UPDATE OF primary_user ON device
  WHEN NEW.primary_user <> '' AND NOT EXISTS (SELECT 1 FROM person_record WHERE key = NEW.primary_user) BEGIN
  INSERT OR IGNORE INTO person_heard(key) VALUES (NEW.primary_user);
END;
-- +goose StatementEnd

-- Those of before are settled once, in the background.
INSERT OR IGNORE INTO person_heard SELECT code FROM person;
INSERT OR IGNORE INTO person_heard SELECT DISTINCT primary_user FROM device WHERE primary_user <> '';
INSERT OR IGNORE INTO person_heard SELECT DISTINCT person_code FROM logon WHERE person_code <> '';
INSERT OR IGNORE INTO person_heard SELECT DISTINCT person_code FROM use_session WHERE person_code <> '';
INSERT OR IGNORE INTO person_heard SELECT DISTINCT person_code FROM pool_event WHERE person_code <> '';

-- People as the list of them shows them, made anew with the figures: one line for each person, whatever he is called.
CREATE TABLE person_fact (
  key TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  mail TEXT NOT NULL,
  unit TEXT NOT NULL,
  site TEXT NOT NULL,
  cost_centre TEXT NOT NULL,
  state TEXT NOT NULL, -- active, left, unlisted or nobody
  also TEXT NOT NULL, -- the other names, separated by |
  names INTEGER NOT NULL,
  devices INTEGER NOT NULL, -- of which he is the main user
  seats INTEGER NOT NULL, -- that he holds
  uses INTEGER NOT NULL -- products that he used in the window
) WITHOUT ROWID;
CREATE INDEX person_fact_by_name ON person_fact(name, key);
CREATE INDEX person_fact_by_mail ON person_fact(mail, key);
CREATE INDEX person_fact_by_unit ON person_fact(unit, key);
CREATE INDEX person_fact_by_site ON person_fact(site, key);
CREATE INDEX person_fact_by_cost_centre ON person_fact(cost_centre, key);
CREATE INDEX person_fact_by_state ON person_fact(state, key);
CREATE INDEX person_fact_by_also ON person_fact(also, key);
CREATE INDEX person_fact_by_names ON person_fact(names, key);
CREATE INDEX person_fact_by_devices ON person_fact(devices, key);
CREATE INDEX person_fact_by_seats ON person_fact(seats, key);
CREATE INDEX person_fact_by_uses ON person_fact(uses, key);
