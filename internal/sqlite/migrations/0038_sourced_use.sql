-- +goose Up
-- How many of the counted installs of each device the same sources report, none where they are only concluded, by the
-- class of their use: splits of use read a row of each device and no install. A list of [installs, class, sources];
-- names of sources stand in their order, with char(31) between them.
CREATE TABLE sourced_use (device_id INTEGER PRIMARY KEY, uses TEXT NOT NULL);
INSERT INTO sourced_use
  SELECT device_id, json_group_array(json_array(n, class, sources) ORDER BY class, sources) FROM (
    SELECT f.device_id, coalesce(r.sources, '') AS sources, f.class, count(*) AS n FROM idle_fact f
      LEFT JOIN (SELECT device_id, product_id, group_concat(name, char(31) ORDER BY name) AS sources
        FROM (SELECT DISTINCT i.device_id, k.product_id, s.name FROM install i
          JOIN recognition k ON k.record_id = i.record_id JOIN source s ON s.id = i.source_id
          WHERE i.until IS NULL AND k.product_id <> 0) GROUP BY 1, 2) r
      ON r.device_id = f.device_id AND r.product_id = f.product_id GROUP BY 1, 2, 3)
    GROUP BY 1;
