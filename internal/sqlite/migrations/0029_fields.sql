-- +goose Up
-- What runs on a host, and what ran there, is found by it.
CREATE INDEX device_by_host ON device(host_id) WHERE host_id <> '';
CREATE INDEX device_was_by_host ON device_was(host_id) WHERE host_id <> '';

-- What somebody says by hand of a field of the house's own of a person, a title, a line or a contract. It comes before
-- what files say.
CREATE TABLE own_value (
  kind TEXT NOT NULL, -- person, title, line or contract
  thing TEXT NOT NULL, -- what it is known by: user_id, number of the title, entitlement_id, number of the contract
  field TEXT NOT NULL,
  value TEXT NOT NULL, -- empty: it has none, whatever files say
  reason TEXT NOT NULL,
  author TEXT NOT NULL,
  at INTEGER NOT NULL, -- seconds since 1970
  PRIMARY KEY (kind, thing, field)
) WITHOUT ROWID;

-- Fields of the house's own of a contract, as a file says them.
ALTER TABLE contract ADD COLUMN custom TEXT NOT NULL DEFAULT '';

-- The memory of a device in MB, 0 where it is not known: the newest report, else what a list states.
ALTER TABLE device ADD COLUMN memory_mb INTEGER NOT NULL DEFAULT 0;
ALTER TABLE joined_device ADD COLUMN memory_mb INTEGER NOT NULL DEFAULT 0;
UPDATE device SET memory_mb = coalesce(
  (SELECT CAST(f.content ->> '$.memory_mb' AS INTEGER) FROM hardware h JOIN fact_set f ON f.id = h.fact_id
    WHERE h.device_id = device.id AND f.content ->> '$.memory_mb' <> '' ORDER BY h.since DESC LIMIT 1),
  CAST(CASE WHEN json_valid(stated) THEN stated ->> '$.memory_mb' END AS INTEGER), 0)
WHERE stated <> '' OR EXISTS (SELECT 1 FROM hardware h WHERE h.device_id = device.id);
CREATE INDEX device_by_memory ON device(memory_mb);
