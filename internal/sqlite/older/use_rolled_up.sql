-- What days of use were rolled up by: the product that a name meant (-1 is not yet), and the zone of a device.
ALTER TABLE use_name ADD COLUMN product_id INTEGER NOT NULL DEFAULT -1;
CREATE TABLE use_zone (device_id INTEGER PRIMARY KEY, zone TEXT NOT NULL);
DROP TABLE use_due;
-- Devices whose runs are to be rolled up, from the earliest start of one that came; not before a time, where what came lies in the future.
CREATE TABLE use_due (device_id INTEGER PRIMARY KEY, since INTEGER NOT NULL, after INTEGER NOT NULL DEFAULT 0);
INSERT INTO use_due(device_id, since) SELECT device_id, min(started_at) FROM use_session GROUP BY device_id;
