-- +goose Up
-- What figures count of each device, as they counted it last: a change of a device moves sums by what differs.
CREATE TABLE counted (
  device_id INTEGER PRIMARY KEY,
  named TEXT NOT NULL, -- its name in small letters
  kind TEXT NOT NULL, -- of what is in service; empty for the others
  age TEXT NOT NULL, -- of its evidence of software
  turns_at INTEGER NOT NULL, -- when some evidence of it will be of another age, in seconds since 1970; 0 is never
  cluster TEXT NOT NULL,
  main_user TEXT NOT NULL, -- the name that stands for the person
  bears INTEGER NOT NULL, -- a sum of what the demand of what is on it rests on besides its installs
  hosting INTEGER NOT NULL, -- a sum of what the demand on other machines rests on of it
  before BLOB NOT NULL, -- the titles whose support ends that were on it a year ago
  installs BLOB NOT NULL -- what is on it and what became of each, by the numbers of counted_as
);
CREATE INDEX counted_by_name ON counted(named);
CREATE INDEX counted_by_turn ON counted(turns_at) WHERE turns_at <> 0;

-- What a record meant when it was counted.
CREATE TABLE counted_as (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL,
  product_id INTEGER NOT NULL,
  edition TEXT NOT NULL,
  version TEXT NOT NULL,
  title_id INTEGER NOT NULL,
  unknown INTEGER NOT NULL,
  UNIQUE (key, product_id, edition, version, title_id, unknown)
);

-- How many devices of each kind are in service, by the age of their evidence.
CREATE TABLE fleet (
  kind TEXT PRIMARY KEY,
  fresh INTEGER NOT NULL,
  stale INTEGER NOT NULL,
  never INTEGER NOT NULL
) WITHOUT ROWID;

-- Raw names of which more than the number of their installs has changed since their sums were made.
CREATE TABLE dirty_name (key TEXT PRIMARY KEY) WITHOUT ROWID;

-- What the devices that were seen lately need, by kind: the doubt in a position rests on it.
ALTER TABLE position ADD COLUMN doubt TEXT NOT NULL DEFAULT '{}';

-- Devices of which something changed since they were counted, and those that are counted and of which the cases are to
-- be looked at.
CREATE TABLE touched_device (device_id INTEGER PRIMARY KEY, counted INTEGER NOT NULL DEFAULT 0);

-- What is used, by what it is called, and the names of people, of which something changed since figures counted them.
-- A name that is new may make the use of its product measurable.
CREATE TABLE touched_use (name_id INTEGER PRIMARY KEY, is_new INTEGER NOT NULL DEFAULT 0);
CREATE TABLE touched_person (key TEXT PRIMARY KEY) WITHOUT ROWID;

-- +goose StatementBegin
CREATE TRIGGER touched_device_came AFTER INSERT ON device BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_person(key) SELECT NEW.primary_user WHERE NEW.primary_user <> '' ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_device_changed AFTER UPDATE ON device BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_person(key) SELECT value FROM json_each(json_array(OLD.primary_user, NEW.primary_user))
    WHERE OLD.primary_user <> NEW.primary_user AND value <> '' ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_device_went AFTER DELETE ON device BEGIN
  INSERT INTO touched_device(device_id) VALUES (OLD.id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_person(key) SELECT OLD.primary_user WHERE OLD.primary_user <> '' ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_left_out AFTER INSERT ON left_out BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_left_out_changed AFTER UPDATE ON left_out BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_name AFTER INSERT ON use_name BEGIN
  INSERT INTO touched_use(name_id, is_new) VALUES (NEW.id, 1) ON CONFLICT DO UPDATE SET is_new = 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_pool_came AFTER INSERT ON pool BEGIN
  INSERT INTO touched_device(device_id) SELECT device_id FROM idle_fact WHERE product_id = NEW.product_id
    ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_pool_changed AFTER UPDATE OF product_id ON pool BEGIN
  INSERT INTO touched_device(device_id) SELECT device_id FROM idle_fact WHERE product_id IN (OLD.product_id, NEW.product_id)
    ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_pool_went AFTER DELETE ON pool BEGIN
  INSERT INTO touched_device(device_id) SELECT device_id FROM idle_fact WHERE product_id = OLD.product_id
    ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_day_came AFTER INSERT ON use_day BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (NEW.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_day_changed AFTER UPDATE ON use_day BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (NEW.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_day_went AFTER DELETE ON use_day BEGIN
  INSERT INTO touched_device(device_id) VALUES (OLD.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (OLD.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_session_came AFTER INSERT ON use_session BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (NEW.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_session_changed AFTER UPDATE ON use_session BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (NEW.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_session_went AFTER DELETE ON use_session BEGIN
  INSERT INTO touched_device(device_id) VALUES (OLD.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_use(name_id) VALUES (OLD.name_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_seen_came AFTER INSERT ON use_seen BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_use_seen_went AFTER DELETE ON use_seen BEGIN
  INSERT INTO touched_device(device_id) VALUES (OLD.device_id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_seat_came AFTER INSERT ON assignment WHEN NEW.person_id IS NOT NULL BEGIN
  INSERT INTO touched_person(key) SELECT code FROM person WHERE id = NEW.person_id ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_seat_changed AFTER UPDATE ON assignment BEGIN
  INSERT INTO touched_person(key) SELECT code FROM person WHERE id IN (OLD.person_id, NEW.person_id) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_seat_went AFTER DELETE ON assignment WHEN OLD.person_id IS NOT NULL BEGIN
  INSERT INTO touched_person(key) SELECT code FROM person WHERE id = OLD.person_id ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_person_came AFTER INSERT ON person BEGIN
  INSERT INTO touched_person(key) VALUES (NEW.code) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_person_changed AFTER UPDATE ON person BEGIN
  INSERT INTO touched_person(key) VALUES (NEW.code) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_name_came AFTER INSERT ON person_record BEGIN
  INSERT INTO touched_person(key) VALUES (NEW.key) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_name_changed AFTER UPDATE OF counts_as, nobody ON person_record BEGIN
  INSERT INTO touched_person(key) VALUES (NEW.key) ON CONFLICT DO NOTHING;
  INSERT INTO touched_person(key) VALUES (OLD.counts_as) ON CONFLICT DO NOTHING;
  INSERT INTO touched_person(key) VALUES (NEW.counts_as) ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd

INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;
