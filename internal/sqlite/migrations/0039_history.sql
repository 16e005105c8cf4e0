-- +goose Up
-- What was there once, by device: what is forgotten of it is found without looking at what is there still.
CREATE INDEX install_ended ON install(device_id, until) WHERE until IS NOT NULL;
