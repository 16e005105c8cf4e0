-- +goose Up
-- Changes that were asked for under a key: who asks once more under the same key, since no answer came, has it done once.
-- The key is a hash of the account, what is asked, and the key that came with it; it is kept for a day.
CREATE TABLE request (key TEXT PRIMARY KEY, at INTEGER NOT NULL) WITHOUT ROWID;
CREATE INDEX request_by_age ON request(at);
