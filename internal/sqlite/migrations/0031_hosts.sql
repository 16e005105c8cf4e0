-- +goose Up
-- In which groups a device is.
CREATE INDEX group_member_by_device ON group_member(device_id, group_id);

-- What runs or ran on a device that comes or goes is counted anew: where that was is known from then on, or no more.
DROP TRIGGER touched_device_came;
DROP TRIGGER touched_device_went;
-- +goose StatementBegin
CREATE TRIGGER touched_device_came AFTER INSERT ON device BEGIN
  INSERT INTO touched_device(device_id) VALUES (NEW.id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_device(device_id) SELECT id FROM device WHERE host_id <> '' AND host_id = NEW.code
    UNION SELECT device_id FROM device_was WHERE host_id <> '' AND host_id = NEW.code
    ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_person(key) SELECT NEW.primary_user WHERE NEW.primary_user <> '' ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER touched_device_went AFTER DELETE ON device BEGIN
  INSERT INTO touched_device(device_id) VALUES (OLD.id) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_device(device_id) SELECT id FROM device WHERE host_id <> '' AND host_id = OLD.code
    UNION SELECT device_id FROM device_was WHERE host_id <> '' AND host_id = OLD.code
    ON CONFLICT DO UPDATE SET counted = 0 WHERE counted;
  INSERT INTO touched_person(key) SELECT OLD.primary_user WHERE OLD.primary_user <> '' ON CONFLICT DO NOTHING;
END;
-- +goose StatementEnd
