-- +goose Up

-- What leaves the house is claimed by one, tried, and settled. due_at is when it is tried next, claimed_until until when
-- whoever tries it has it for himself (by the machine's clock), given_up_at when nobody tries it any more.
ALTER TABLE mail ADD COLUMN due_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE mail ADD COLUMN claimed_until INTEGER NOT NULL DEFAULT 0;
ALTER TABLE mail ADD COLUMN given_up_at INTEGER NOT NULL DEFAULT 0;
UPDATE mail SET due_at = after;
UPDATE mail SET given_up_at = max(queued_at, 1) WHERE sent_at = 0 AND tries >= 10;
DROP INDEX mail_waits;
CREATE INDEX mail_due ON mail(due_at, id) WHERE sent_at = 0 AND given_up_at = 0;
ALTER TABLE deployment ADD COLUMN due_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE deployment ADD COLUMN claimed_until INTEGER NOT NULL DEFAULT 0;
UPDATE deployment SET due_at = after;
CREATE INDEX deployment_wave ON deployment(wave_id, state);
