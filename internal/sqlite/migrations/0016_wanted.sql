-- +goose Up
-- What was asked for: a purchase, or something that is to be done elsewhere. Each has a case of its own.
CREATE TABLE wanted (
  id INTEGER PRIMARY KEY,
  measure TEXT NOT NULL, -- what is to be done, as a measure of a scenario, in JSON
  what TEXT NOT NULL, -- in words
  author TEXT NOT NULL,
  at INTEGER NOT NULL,
  note TEXT NOT NULL DEFAULT '',
  scenario_id INTEGER NOT NULL DEFAULT 0, -- that it came out of
  shortfall INTEGER NOT NULL DEFAULT 0, -- the case of the shortfall that asked for it
  order_no TEXT NOT NULL DEFAULT '',
  expected INTEGER NOT NULL DEFAULT 0 -- the day on which what was ordered is expected
);
INSERT INTO wanted(id, measure, what, author, at, scenario_id)
  SELECT id, json_object('kind', 'buy', 'product', product_id, 'quantity', quantity), what, author, at, basket_id FROM purchase_request;

-- A case is about one thing more: what was asked for.
CREATE TABLE worklist_case_new (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, device_id INTEGER NOT NULL, product_id INTEGER NOT NULL, person_id INTEGER NOT NULL DEFAULT 0, pool_id INTEGER NOT NULL DEFAULT 0, wanted_id INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL, opened_at INTEGER NOT NULL, changed_at INTEGER NOT NULL, sent_at INTEGER NOT NULL DEFAULT 0, worth TEXT NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, money_on INTEGER NOT NULL, proof TEXT NOT NULL,
  came_back INTEGER NOT NULL DEFAULT 0, keep_until INTEGER NOT NULL DEFAULT 0, owner TEXT NOT NULL DEFAULT '', agreed_by TEXT NOT NULL DEFAULT '', answer TEXT NOT NULL DEFAULT '', answer_by INTEGER NOT NULL DEFAULT 0,
  quantity INTEGER NOT NULL DEFAULT 1, in_eur REAL NOT NULL DEFAULT 0, UNIQUE (kind, device_id, product_id, person_id, pool_id, wanted_id)
);
INSERT INTO worklist_case_new(id, kind, device_id, product_id, person_id, pool_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until, owner, agreed_by, answer, answer_by, quantity, in_eur)
  SELECT id, kind, device_id, product_id, person_id, pool_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until, owner, agreed_by, answer, answer_by, quantity, in_eur FROM worklist_case;
INSERT INTO worklist_case_new(kind, device_id, product_id, wanted_id, state, opened_at, changed_at, worth, amount, currency, money_on, proof, owner, quantity)
  SELECT 'purchase', 0, product_id, id, CASE WHEN ended_at = 0 THEN 'open' WHEN ended_how = 'bought' THEN 'gone' ELSE 'lapsed' END, at, max(at, ended_at), '', CASE WHEN currency = 'EUR' THEN amount ELSE '' END,
    'EUR', 0, json_array(author || ' asked for it: ' || what || ' (' || amount || ' ' || currency || ').'), author, max(1, quantity) FROM purchase_request ORDER BY id;
CREATE TABLE case_step_new (
  id INTEGER PRIMARY KEY, case_id INTEGER NOT NULL REFERENCES worklist_case_new(id), at INTEGER NOT NULL, who TEXT NOT NULL, from_state TEXT NOT NULL, to_state TEXT NOT NULL, note TEXT NOT NULL, act TEXT NOT NULL DEFAULT '', undone INTEGER NOT NULL DEFAULT 0
);
INSERT INTO case_step_new(id, case_id, at, who, from_state, to_state, note, act, undone) SELECT id, case_id, at, who, from_state, to_state, note, act, undone FROM case_step;
INSERT INTO case_step_new(case_id, at, who, from_state, to_state, note)
  SELECT c.id, c.opened_at, c.owner, '', 'open', r.what FROM worklist_case_new c JOIN wanted r ON r.id = c.wanted_id WHERE c.wanted_id <> 0 ORDER BY c.id;
INSERT INTO case_step_new(case_id, at, who, from_state, to_state, note)
  SELECT c.id, c.changed_at, c.owner, 'open', c.state, '' FROM worklist_case_new c WHERE c.wanted_id <> 0 AND c.state <> 'open' ORDER BY c.id;
DROP TABLE case_step;
DROP TABLE worklist_case;
ALTER TABLE worklist_case_new RENAME TO worklist_case;
ALTER TABLE case_step_new RENAME TO case_step;
DROP TABLE purchase_request;

CREATE INDEX case_state ON worklist_case(state, id);
CREATE INDEX case_product ON worklist_case(product_id);
CREATE INDEX case_device ON worklist_case(device_id);
CREATE INDEX case_wanted ON worklist_case(wanted_id) WHERE wanted_id <> 0;
CREATE INDEX case_step_case ON case_step(case_id, id);
CREATE INDEX worklist_case_by_end ON worklist_case(state IN ('gone', 'lapsed', 'kept'));
CREATE INDEX worklist_case_by_kind ON worklist_case(kind);
CREATE INDEX worklist_case_by_person_id ON worklist_case(person_id);
CREATE INDEX worklist_case_by_quantity ON worklist_case(quantity);
CREATE INDEX worklist_case_by_answer ON worklist_case(answer);
CREATE INDEX worklist_case_by_answer_by ON worklist_case(answer_by);
CREATE INDEX worklist_case_by_keep_until ON worklist_case(keep_until);
CREATE INDEX worklist_case_by_owner ON worklist_case(owner);
CREATE INDEX worklist_case_by_worth ON worklist_case(worth);
CREATE INDEX worklist_case_by_currency ON worklist_case(currency);
CREATE INDEX worklist_case_by_money_on ON worklist_case(money_on);
CREATE INDEX worklist_case_by_opened_at ON worklist_case(opened_at);
CREATE INDEX worklist_case_by_changed_at ON worklist_case(changed_at);
CREATE INDEX worklist_case_by_came_back ON worklist_case(came_back);
CREATE INDEX worklist_case_by_in_eur ON worklist_case(in_eur);
CREATE INDEX worklist_case_by_state ON worklist_case(state);
CREATE INDEX txn_request ON txn(request) WHERE request <> '';
CREATE INDEX txn_order ON txn(order_no) WHERE order_no <> '';
CREATE INDEX entitlement_order ON entitlement(order_no) WHERE order_no <> '';

-- Whom or what a statement speaks of, in words; empty is the whole house.
ALTER TABLE statement ADD COLUMN scope TEXT NOT NULL DEFAULT '';

-- +goose Down
