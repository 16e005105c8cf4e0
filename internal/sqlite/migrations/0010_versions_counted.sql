-- +goose Up

-- Whether several versions of a product on one device need one right (once, or empty) or one each.
ALTER TABLE entitlement ADD COLUMN versions_counted TEXT NOT NULL DEFAULT '';

-- +goose Down
