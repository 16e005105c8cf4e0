-- +goose Up

-- What somebody says of a device by hand, from a day on. Of each field one word holds: the one from the latest day that
-- has come.
CREATE TABLE device_word (
  device_id INTEGER NOT NULL,
  field TEXT NOT NULL,
  from_day INTEGER NOT NULL,
  value TEXT NOT NULL,
  reason TEXT NOT NULL,
  author TEXT NOT NULL,
  at INTEGER NOT NULL, -- seconds since 1970
  holds INTEGER NOT NULL DEFAULT 0,
  PRIMARY KEY (device_id, field, from_day)
) WITHOUT ROWID;
CREATE INDEX device_word_waits ON device_word(from_day) WHERE holds = 0;

-- The fields of the house's own that devices have are listed by it.
CREATE INDEX device_by_custom ON device(custom) WHERE custom <> '';
