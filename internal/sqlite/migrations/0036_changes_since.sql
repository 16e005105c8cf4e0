-- +goose Up
-- From when on the changes between scans of a device are to be worked out anew, 0 for all of them.
ALTER TABLE dirty_device ADD COLUMN since INTEGER NOT NULL DEFAULT 0;

-- Changes that were not on record before, until rules for mail have looked at them.
CREATE TABLE change_news (change_id INTEGER PRIMARY KEY);
INSERT INTO change_news SELECT id FROM change_log
  WHERE EXISTS (SELECT 1 FROM change_rule WHERE what = 'mail' AND ended_at = 0);
