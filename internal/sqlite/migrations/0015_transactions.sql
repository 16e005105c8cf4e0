-- +goose Up
-- What is booked on a line has an author, a time and an end, can be taken back, and may be there twice where somebody
-- said so.
CREATE TABLE txn_new (
  id INTEGER PRIMARY KEY,
  entitlement_id INTEGER NOT NULL REFERENCES entitlement(id),
  type TEXT NOT NULL,
  on_day INTEGER NOT NULL,
  quantity INTEGER NOT NULL, -- below 0: a counter-entry
  price TEXT,
  currency TEXT NOT NULL,
  order_no TEXT NOT NULL,
  note TEXT NOT NULL,
  end_day INTEGER NOT NULL DEFAULT 0, -- of a renewal: the last day of the new term
  request TEXT NOT NULL DEFAULT '', -- the purchase case that it fulfils
  nth INTEGER NOT NULL DEFAULT 1, -- 2 for the second of two that are the same otherwise
  counters INTEGER, -- the transaction that this counter-entry undoes
  author TEXT NOT NULL DEFAULT '',
  at INTEGER NOT NULL DEFAULT 0, -- 0: before this was kept
  gone_at INTEGER, -- taken back
  gone_by TEXT NOT NULL DEFAULT '',
  gone_why TEXT NOT NULL DEFAULT ''
);
INSERT INTO txn_new(id, entitlement_id, type, on_day, quantity, price, currency, order_no, note)
  SELECT id, entitlement_id, type, on_day, quantity, price, currency, order_no, note FROM txn;
DROP TABLE txn;
ALTER TABLE txn_new RENAME TO txn;
CREATE UNIQUE INDEX txn_once ON txn(entitlement_id, type, on_day, quantity, end_day, order_no, note, nth);

-- The last day of a line's term, with its renewals; 0 is without an end.
ALTER TABLE entitlement ADD COLUMN last_day INTEGER NOT NULL DEFAULT 0;
UPDATE entitlement SET last_day = end;
CREATE INDEX entitlement_last_day ON entitlement(last_day);

-- The products that a statement speaks of, as a list of JSON; empty is all that there were.
ALTER TABLE statement ADD COLUMN products TEXT NOT NULL DEFAULT '';
