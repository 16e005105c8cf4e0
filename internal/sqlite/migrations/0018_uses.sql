-- +goose Up

-- How much of each line the units of the house use, in millionths of a right: worked out with the position.
ALTER TABLE position ADD COLUMN uses TEXT NOT NULL DEFAULT '{}';
INSERT INTO setting(key, value) VALUES ('changes', '1') ON CONFLICT(key) DO UPDATE SET value = CAST(value AS INTEGER) + 1;

-- +goose Down
