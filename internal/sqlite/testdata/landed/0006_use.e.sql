-- +goose Up

-- What was known of a machine's hardware up to a time, where later evidence says something else.
ALTER TABLE device_was ADD COLUMN core_factor TEXT NOT NULL DEFAULT '';
ALTER TABLE device_was ADD COLUMN processors INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN cores INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN virtual_cores INTEGER NOT NULL DEFAULT 0;
CREATE INDEX hardware_until ON hardware(until, device_id) WHERE until IS NOT NULL;

-- Use. What operating systems reported of processes is kept for a short while, the runs that it makes for longer, and days of use longest. A run whose end nobody saw is cut (1), one that may go on is open (2);
-- made is 1 where events made it.
CREATE TABLE process_event (
  device_id INTEGER NOT NULL, at INTEGER NOT NULL, kind INTEGER NOT NULL, pid INTEGER NOT NULL, name_id INTEGER NOT NULL, person_code TEXT NOT NULL, started INTEGER NOT NULL, active INTEGER NOT NULL,
  PRIMARY KEY (device_id, at, kind, pid, name_id)
) WITHOUT ROWID;
ALTER TABLE use_session ADD COLUMN cut INTEGER NOT NULL DEFAULT 0;
ALTER TABLE use_session ADD COLUMN made INTEGER NOT NULL DEFAULT 0;
CREATE TABLE use_day (
  name_id INTEGER NOT NULL, device_id INTEGER NOT NULL, day INTEGER NOT NULL, person_code TEXT NOT NULL, run INTEGER NOT NULL, active INTEGER NOT NULL, sessions INTEGER NOT NULL, cut INTEGER NOT NULL,
  PRIMARY KEY (name_id, device_id, day, person_code)
) WITHOUT ROWID;
CREATE TABLE use_seen (device_id INTEGER NOT NULL, day INTEGER NOT NULL, PRIMARY KEY (device_id, day)) WITHOUT ROWID;
-- How much of what events spoke of was not seen whole, by device.
CREATE TABLE use_lost (device_id INTEGER PRIMARY KEY, starts INTEGER NOT NULL, strays INTEGER NOT NULL, cut INTEGER NOT NULL, future INTEGER NOT NULL);
-- Which titles are metered on which devices; none is all on all.
CREATE TABLE metering (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, publisher TEXT NOT NULL, category TEXT NOT NULL, group_name TEXT NOT NULL, condition TEXT NOT NULL, stance TEXT NOT NULL, from_day INTEGER NOT NULL, note TEXT NOT NULL,
  author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
-- Devices whose runs are to be rolled up into days.
CREATE TABLE use_due (device_id INTEGER PRIMARY KEY, since INTEGER NOT NULL);
INSERT INTO use_due SELECT device_id, min(started_at) FROM use_session GROUP BY device_id;

-- Pools: seconds of work of a return (-1 where the server does not say), sums by days, and what was decided about a size.
ALTER TABLE pool ADD COLUMN zone TEXT NOT NULL DEFAULT '';
ALTER TABLE pool_event ADD COLUMN active INTEGER NOT NULL DEFAULT -1;
CREATE TABLE pool_day (
  pool_id INTEGER NOT NULL, day INTEGER NOT NULL, peak INTEGER NOT NULL, peak_at INTEGER NOT NULL, seconds INTEGER NOT NULL, checkouts INTEGER NOT NULL, denials INTEGER NOT NULL, users INTEGER NOT NULL,
  PRIMARY KEY (pool_id, day)
) WITHOUT ROWID;
CREATE TABLE pool_size (
  id INTEGER PRIMARY KEY, pool_id INTEGER NOT NULL REFERENCES pool(id), was INTEGER NOT NULL, size INTEGER NOT NULL, reason TEXT NOT NULL, basis TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE TABLE pool_was (pool_id INTEGER NOT NULL, until INTEGER NOT NULL, quantity INTEGER NOT NULL, PRIMARY KEY (pool_id, until)) WITHOUT ROWID;
CREATE TABLE pool_complaint (
  id INTEGER PRIMARY KEY, pool_id INTEGER NOT NULL REFERENCES pool(id), person_code TEXT NOT NULL, text TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_how TEXT NOT NULL DEFAULT ''
);

-- Stances at certain hours; an exception has an owner and a last day.
ALTER TABLE policy ADD COLUMN days INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN from_minute INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN to_minute INTEGER NOT NULL DEFAULT 0;
ALTER TABLE policy ADD COLUMN owner TEXT NOT NULL DEFAULT '';
ALTER TABLE policy ADD COLUMN until_day INTEGER NOT NULL DEFAULT 0;

-- A case is about a product on a device, a seat that a person holds, a pool, or a product as a whole; what it is not about is 0.
CREATE TABLE worklist_case_new (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, device_id INTEGER NOT NULL, product_id INTEGER NOT NULL, person_id INTEGER NOT NULL DEFAULT 0, pool_id INTEGER NOT NULL DEFAULT 0, state TEXT NOT NULL,
  opened_at INTEGER NOT NULL, changed_at INTEGER NOT NULL, sent_at INTEGER NOT NULL DEFAULT 0, worth TEXT NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, money_on INTEGER NOT NULL, proof TEXT NOT NULL,
  came_back INTEGER NOT NULL DEFAULT 0, keep_until INTEGER NOT NULL DEFAULT 0, owner TEXT NOT NULL DEFAULT '', agreed_by TEXT NOT NULL DEFAULT '', answer TEXT NOT NULL DEFAULT '', answer_by INTEGER NOT NULL DEFAULT 0,
  quantity INTEGER NOT NULL DEFAULT 1, UNIQUE (kind, device_id, product_id, person_id, pool_id)
);
INSERT INTO worklist_case_new(id, kind, device_id, product_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until)
  SELECT id, kind, device_id, product_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until FROM worklist_case;
CREATE TABLE case_step_new (
  id INTEGER PRIMARY KEY, case_id INTEGER NOT NULL REFERENCES worklist_case_new(id), at INTEGER NOT NULL, who TEXT NOT NULL, from_state TEXT NOT NULL, to_state TEXT NOT NULL, note TEXT NOT NULL, act TEXT NOT NULL DEFAULT '', undone INTEGER NOT NULL DEFAULT 0
);
INSERT INTO case_step_new(id, case_id, at, who, from_state, to_state, note) SELECT id, case_id, at, who, from_state, to_state, note FROM case_step;
DROP TABLE case_step;
DROP TABLE worklist_case;
ALTER TABLE worklist_case_new RENAME TO worklist_case;
ALTER TABLE case_step_new RENAME TO case_step;
CREATE INDEX case_state ON worklist_case(state, id);
CREATE INDEX case_product ON worklist_case(product_id);
CREATE INDEX case_device ON worklist_case(device_id);
CREATE INDEX case_step_case ON case_step(case_id, id);

-- A question to a user about cases, answered by a page that only who has the mail can open: its key is kept as a hash. The mail may be called back until it has left.
CREATE TABLE question (
  id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL, address TEXT NOT NULL, hash BLOB UNIQUE, base TEXT NOT NULL, asked_at INTEGER NOT NULL, asked_by TEXT NOT NULL, answer_by INTEGER NOT NULL,
  reminders INTEGER NOT NULL DEFAULT 0, ended_at INTEGER NOT NULL DEFAULT 0
);
CREATE TABLE question_case (question_id INTEGER NOT NULL REFERENCES question(id), case_id INTEGER NOT NULL, answer TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '', answered_at INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (question_id, case_id)) WITHOUT ROWID;
CREATE INDEX question_case_case ON question_case(case_id);
ALTER TABLE mail ADD COLUMN after INTEGER NOT NULL DEFAULT 0;
ALTER TABLE mail ADD COLUMN question_id INTEGER NOT NULL DEFAULT 0;
CREATE INDEX mail_question ON mail(question_id) WHERE question_id <> 0;
CREATE INDEX mail_waits ON mail(id) WHERE sent_at = 0;

-- Orders to the deployment tool. One leaves once; the tool knows it by its number, so that a repeated one does nothing. A wave lets them leave a few at a time.
CREATE TABLE wave (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL, per_day INTEGER NOT NULL, max_fails INTEGER NOT NULL, state TEXT NOT NULL, why TEXT NOT NULL DEFAULT '', author TEXT NOT NULL, at INTEGER NOT NULL
);
CREATE TABLE deployment (
  id INTEGER PRIMARY KEY, case_id INTEGER NOT NULL, wave_id INTEGER NOT NULL REFERENCES wave(id), state TEXT NOT NULL, after INTEGER NOT NULL, sent_at INTEGER NOT NULL DEFAULT 0, tries INTEGER NOT NULL DEFAULT 0, answered_at INTEGER NOT NULL DEFAULT 0,
  reason TEXT NOT NULL DEFAULT ''
);
CREATE INDEX deployment_case ON deployment(case_id, id);
CREATE INDEX deployment_state ON deployment(state, id);

-- Savings that evidence has shown. One that came back is booked out by a second line.
CREATE TABLE saving (
  id INTEGER PRIMARY KEY, case_id INTEGER NOT NULL, product_id INTEGER NOT NULL, at INTEGER NOT NULL, worth TEXT NOT NULL, amount TEXT NOT NULL, currency TEXT NOT NULL, money_on INTEGER NOT NULL, scan_at INTEGER NOT NULL, note TEXT NOT NULL
);
CREATE INDEX saving_case ON saving(case_id);
-- When to propose a licence for reclaim; the most specific goes first. share is what a pool may have out at its peak to be left alone.
CREATE TABLE reclaim_rule (
  id INTEGER PRIMARY KEY, product_id INTEGER NOT NULL, publisher TEXT NOT NULL, category TEXT NOT NULL, group_name TEXT NOT NULL, condition TEXT NOT NULL, stance TEXT NOT NULL, window_days INTEGER NOT NULL, grace_days INTEGER NOT NULL,
  least_share REAL NOT NULL, pool_share REAL NOT NULL, note TEXT NOT NULL, author TEXT NOT NULL, at INTEGER NOT NULL, ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);

-- +goose Down
