-- +goose Up
-- The tally of how installs are used says, too, how many of them rest on evidence that is stale or on none, so that no
-- list of use has to be counted.
INSERT INTO tally SELECT 'use ' || f.age || ': ' || i.class, count(*) FROM device_fact f
  JOIN idle_fact i ON i.device_id = f.device_id WHERE f.age IN ('stale', 'never') GROUP BY 1;

-- +goose StatementBegin
CREATE TRIGGER tally_aged_use_came AFTER INSERT ON idle_fact BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || f.age || ': ' || NEW.class, 1 FROM device_fact f
    WHERE f.device_id = NEW.device_id AND f.age IN ('stale', 'never') ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_aged_use_moved AFTER UPDATE OF class ON idle_fact WHEN OLD.class <> NEW.class BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || f.age || ': ' || OLD.class, -1 FROM device_fact f
    WHERE f.device_id = OLD.device_id AND f.age IN ('stale', 'never') ON CONFLICT DO UPDATE SET n = n - 1;
  INSERT INTO tally(what, n) SELECT 'use ' || f.age || ': ' || NEW.class, 1 FROM device_fact f
    WHERE f.device_id = NEW.device_id AND f.age IN ('stale', 'never') ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_aged_use_gone AFTER DELETE ON idle_fact BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || f.age || ': ' || OLD.class, -1 FROM device_fact f
    WHERE f.device_id = OLD.device_id AND f.age IN ('stale', 'never') ON CONFLICT DO UPDATE SET n = n - 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_age_came AFTER INSERT ON device_fact WHEN NEW.age IN ('stale', 'never') BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || NEW.age || ': ' || class, count(*) FROM idle_fact
    WHERE device_id = NEW.device_id GROUP BY class ON CONFLICT DO UPDATE SET n = n + excluded.n;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_age_moved AFTER UPDATE OF age ON device_fact WHEN OLD.age <> NEW.age BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || OLD.age || ': ' || class, -count(*) FROM idle_fact
    WHERE device_id = OLD.device_id AND OLD.age IN ('stale', 'never') GROUP BY class
    ON CONFLICT DO UPDATE SET n = n + excluded.n;
  INSERT INTO tally(what, n) SELECT 'use ' || NEW.age || ': ' || class, count(*) FROM idle_fact
    WHERE device_id = NEW.device_id AND NEW.age IN ('stale', 'never') GROUP BY class
    ON CONFLICT DO UPDATE SET n = n + excluded.n;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_age_gone AFTER DELETE ON device_fact WHEN OLD.age IN ('stale', 'never') BEGIN
  INSERT INTO tally(what, n) SELECT 'use ' || OLD.age || ': ' || class, -count(*) FROM idle_fact
    WHERE device_id = OLD.device_id GROUP BY class ON CONFLICT DO UPDATE SET n = n + excluded.n;
END;
-- +goose StatementEnd
