-- +goose Up

-- What the house says of a source: what it covers, how far it is trusted, and that it is retired. A source without a
-- line covers everything and is in use. Times are seconds since 1970.
CREATE TABLE source_life (
  name TEXT PRIMARY KEY,
  covers TEXT NOT NULL DEFAULT '', -- software, hardware, use, directory, network, separated by |; empty is everything
  trust INTEGER NOT NULL DEFAULT 0,
  silent_days INTEGER NOT NULL DEFAULT 0,
  retired_on INTEGER NOT NULL DEFAULT 0, -- a day; 0 is in use
  reason TEXT NOT NULL DEFAULT '',
  author TEXT NOT NULL DEFAULT '',
  at INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;

-- Why an install, a file or a key counts no more though its source's own last list has it; 0 where that list says when
-- it went.
ALTER TABLE install ADD COLUMN cut INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_file ADD COLUMN cut INTEGER NOT NULL DEFAULT 0;
ALTER TABLE install_key ADD COLUMN cut INTEGER NOT NULL DEFAULT 0;

-- Devices of which a list will end when time has passed, and when. Those of before are gone through once.
CREATE TABLE list_due (device_id INTEGER PRIMARY KEY, at INTEGER NOT NULL);
CREATE INDEX list_due_at ON list_due(at);
INSERT INTO list_due SELECT device_id, 0 FROM (SELECT DISTINCT c.device_id, s.root FROM scan c
  JOIN source s ON s.id = c.source_id) GROUP BY device_id HAVING count(*) > 1;
