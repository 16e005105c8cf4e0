-- +goose Up

-- What was known of a machine's hardware up to a time, where later evidence says something else.
ALTER TABLE device_was ADD COLUMN core_factor TEXT NOT NULL DEFAULT '';
ALTER TABLE device_was ADD COLUMN processors INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN cores INTEGER NOT NULL DEFAULT 0;
ALTER TABLE device_was ADD COLUMN virtual_cores INTEGER NOT NULL DEFAULT 0;
CREATE INDEX hardware_until ON hardware(until, device_id) WHERE until IS NOT NULL;

-- +goose Down
