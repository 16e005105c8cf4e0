-- +goose Up
-- How many of the counted installs of each device the same sources report, none where they are only concluded, by the
-- class of their use: splits of use read no install. Names stand in their order, with char(31) between them.
CREATE TABLE sourced_use (
  device_id INTEGER NOT NULL,
  sources TEXT NOT NULL,
  class TEXT NOT NULL,
  installs INTEGER NOT NULL,
  PRIMARY KEY (device_id, sources, class)
) WITHOUT ROWID;
INSERT INTO sourced_use
  SELECT f.device_id, coalesce(r.sources, ''), f.class, count(*) FROM idle_fact f
    LEFT JOIN (SELECT device_id, product_id, group_concat(name, char(31) ORDER BY name) AS sources
      FROM (SELECT DISTINCT i.device_id, k.product_id, s.name FROM install i JOIN recognition k ON k.record_id = i.record_id
        JOIN source s ON s.id = i.source_id WHERE i.until IS NULL AND k.product_id <> 0) GROUP BY 1, 2) r
    ON r.device_id = f.device_id AND r.product_id = f.product_id GROUP BY 1, 2, 3;
