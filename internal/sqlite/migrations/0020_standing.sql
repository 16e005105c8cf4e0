-- +goose Up

-- What the newest finding of a case rests on: a stance, a rule of when to reclaim or a plan, by its number. The usual
-- rule of when to reclaim has the number 0.
ALTER TABLE worklist_case ADD COLUMN ground TEXT NOT NULL DEFAULT '';
ALTER TABLE worklist_case ADD COLUMN ground_id INTEGER NOT NULL DEFAULT 0;
CREATE INDEX case_ground ON worklist_case(ground, ground_id, state, opened_at);

-- What was decided beforehand about the cases of one ground: they are agreed and sent by themselves, within limits.
CREATE TABLE standing (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  ground TEXT NOT NULL, ground_id INTEGER NOT NULL,
  ground_revision INTEGER NOT NULL, -- of the ground as it was when somebody last looked at both
  group_name TEXT NOT NULL DEFAULT '', -- empty is every device
  per_day INTEGER NOT NULL, max_fails INTEGER NOT NULL, hold_minutes INTEGER NOT NULL,
  until_day INTEGER NOT NULL DEFAULT 0,
  note TEXT NOT NULL DEFAULT '',
  author TEXT NOT NULL, at INTEGER NOT NULL, -- who answers for it, and since when
  approved_by TEXT NOT NULL DEFAULT '', approved_at INTEGER NOT NULL DEFAULT 0,
  state TEXT NOT NULL, why TEXT NOT NULL DEFAULT '', state_at INTEGER NOT NULL,
  ended_at INTEGER NOT NULL DEFAULT 0, ended_by TEXT NOT NULL DEFAULT ''
);
-- The cases that were taken by one, each once for as long as it is open.
CREATE TABLE standing_case (
  case_id INTEGER NOT NULL, opened_at INTEGER NOT NULL, standing_id INTEGER NOT NULL REFERENCES standing(id),
  at INTEGER NOT NULL,
  PRIMARY KEY (case_id, opened_at)
) WITHOUT ROWID;
CREATE INDEX standing_case_at ON standing_case(standing_id, at);

-- Whose orders a wave has, 0 where somebody sent them; and since when its answers count for its pausing.
ALTER TABLE wave ADD COLUMN standing_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE wave ADD COLUMN counts_from INTEGER NOT NULL DEFAULT 0;
CREATE INDEX wave_standing ON wave(standing_id, id);
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
