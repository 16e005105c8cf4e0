-- +goose Up
-- How many devices, installs, installs by how they are used, and cases by their state there are: every page says so, and
-- none counts them.
CREATE TABLE tally (what TEXT PRIMARY KEY, n INTEGER NOT NULL) WITHOUT ROWID;
INSERT INTO tally SELECT 'devices', count(*) FROM device;
INSERT INTO tally SELECT 'installs', coalesce(sum(installs), 0) FROM device_fact;
INSERT INTO tally SELECT 'unrecognised', coalesce(sum(unrecognised), 0) FROM device_fact;
INSERT INTO tally SELECT 'use: ' || class, count(*) FROM idle_fact GROUP BY class;
INSERT INTO tally SELECT 'case: ' || state, count(*) FROM worklist_case GROUP BY state;
INSERT INTO tally SELECT 'came back: ' || state, count(*) FROM worklist_case WHERE came_back > 0 GROUP BY state;

-- +goose StatementBegin
CREATE TRIGGER tally_device_came AFTER INSERT ON device BEGIN
  UPDATE tally SET n = n + 1 WHERE what = 'devices';
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_device_gone AFTER DELETE ON device BEGIN
  UPDATE tally SET n = n - 1 WHERE what = 'devices';
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_installs_came AFTER INSERT ON device_fact BEGIN
  UPDATE tally SET n = n + NEW.installs WHERE what = 'installs';
  UPDATE tally SET n = n + NEW.unrecognised WHERE what = 'unrecognised' AND NEW.unrecognised <> 0;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_installs_moved AFTER UPDATE OF installs, unrecognised ON device_fact
WHEN OLD.installs <> NEW.installs OR OLD.unrecognised <> NEW.unrecognised BEGIN
  UPDATE tally SET n = n + NEW.installs - OLD.installs WHERE what = 'installs';
  UPDATE tally SET n = n + NEW.unrecognised - OLD.unrecognised WHERE what = 'unrecognised';
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_installs_gone AFTER DELETE ON device_fact BEGIN
  UPDATE tally SET n = n - OLD.installs WHERE what = 'installs';
  UPDATE tally SET n = n - OLD.unrecognised WHERE what = 'unrecognised' AND OLD.unrecognised <> 0;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_use_came AFTER INSERT ON idle_fact BEGIN
  INSERT INTO tally(what, n) VALUES ('use: ' || NEW.class, 1) ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_use_moved AFTER UPDATE OF class ON idle_fact WHEN OLD.class <> NEW.class BEGIN
  UPDATE tally SET n = n - 1 WHERE what = 'use: ' || OLD.class;
  INSERT INTO tally(what, n) VALUES ('use: ' || NEW.class, 1) ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_use_gone AFTER DELETE ON idle_fact BEGIN
  UPDATE tally SET n = n - 1 WHERE what = 'use: ' || OLD.class;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_case_came AFTER INSERT ON worklist_case BEGIN
  INSERT INTO tally(what, n) SELECT 'case: ' || NEW.state, 1 WHERE true ON CONFLICT DO UPDATE SET n = n + 1;
  INSERT INTO tally(what, n) SELECT 'came back: ' || NEW.state, 1 WHERE NEW.came_back > 0 ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_case_moved AFTER UPDATE OF state, came_back ON worklist_case BEGIN
  UPDATE tally SET n = n - 1 WHERE what = 'case: ' || OLD.state;
  UPDATE tally SET n = n - 1 WHERE what = 'came back: ' || OLD.state AND OLD.came_back > 0;
  INSERT INTO tally(what, n) SELECT 'case: ' || NEW.state, 1 WHERE true ON CONFLICT DO UPDATE SET n = n + 1;
  INSERT INTO tally(what, n) SELECT 'came back: ' || NEW.state, 1 WHERE NEW.came_back > 0 ON CONFLICT DO UPDATE SET n = n + 1;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER tally_case_gone AFTER DELETE ON worklist_case BEGIN
  UPDATE tally SET n = n - 1 WHERE what = 'case: ' || OLD.state;
  UPDATE tally SET n = n - 1 WHERE what = 'came back: ' || OLD.state AND OLD.came_back > 0;
END;
-- +goose StatementEnd
