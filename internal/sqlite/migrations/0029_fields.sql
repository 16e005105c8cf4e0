-- +goose Up
-- What runs on a host, and what ran there, is found by it.
CREATE INDEX device_by_host ON device(host_id) WHERE host_id <> '';
CREATE INDEX device_was_by_host ON device_was(host_id) WHERE host_id <> '';
