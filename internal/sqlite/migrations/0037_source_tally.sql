-- +goose Up
-- The tally has of each source how many scans and devices came of it, and when the newest did: a page of sources counts
-- no scans. What several parts of a source say of a device at one time is one scan.
INSERT INTO tally(what, n)
  SELECT 'source scans: ' || name, count(*) FROM (SELECT DISTINCT s.name, c.device_id, c.at FROM scan c
    JOIN source s ON s.id = c.source_id) GROUP BY name
  UNION ALL SELECT 'source devices: ' || name, count(*) FROM (SELECT DISTINCT s.name, c.device_id FROM scan c
    JOIN source s ON s.id = c.source_id) GROUP BY name
  UNION ALL SELECT 'source heard: ' || s.name, max(c.at) FROM scan c JOIN source s ON s.id = c.source_id GROUP BY s.name;

-- What sources said of a device at one time, and what was cut of their lists.
CREATE INDEX scan_at ON scan(device_id, at);
CREATE INDEX install_cut ON install(source_id) WHERE cut <> 0;

-- +goose StatementBegin
CREATE TRIGGER tally_scan_came AFTER INSERT ON scan BEGIN
  INSERT INTO tally(what, n) SELECT 'source heard: ' || name, NEW.at FROM source WHERE id = NEW.source_id
    ON CONFLICT DO UPDATE SET n = max(n, excluded.n);
  INSERT INTO tally(what, n) SELECT 'source scans: ' || w.name, 1 FROM source w WHERE w.id = NEW.source_id
    AND NOT EXISTS (SELECT 1 FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = NEW.device_id
      AND c.at = NEW.at AND s.name = w.name AND s.id <> w.id) ON CONFLICT DO UPDATE SET n = n + 1;
  INSERT INTO tally(what, n) SELECT 'source devices: ' || w.name, 1 FROM source w WHERE w.id = NEW.source_id
    AND NOT EXISTS (SELECT 1 FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = NEW.device_id
      AND s.name = w.name AND (s.id <> w.id OR c.at <> NEW.at)) ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd

-- A scan goes only where the same has come to another device, or newer ones stay: the newest is not counted back.
-- +goose StatementBegin
CREATE TRIGGER tally_scan_gone AFTER DELETE ON scan BEGIN
  INSERT INTO tally(what, n) SELECT 'source scans: ' || w.name, -1 FROM source w WHERE w.id = OLD.source_id
    AND NOT EXISTS (SELECT 1 FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = OLD.device_id
      AND c.at = OLD.at AND s.name = w.name) ON CONFLICT DO UPDATE SET n = n - 1;
  INSERT INTO tally(what, n) SELECT 'source devices: ' || w.name, -1 FROM source w WHERE w.id = OLD.source_id
    AND NOT EXISTS (SELECT 1 FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = OLD.device_id
      AND s.name = w.name) ON CONFLICT DO UPDATE SET n = n - 1;
END;
-- +goose StatementEnd
