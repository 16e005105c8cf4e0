-- +goose Up
-- How many installs of each device which sources report: all sources together, and those that report them as software
-- and not as its system. Names stand in their order, with char(31) between them.
CREATE TABLE sourced (
  device_id INTEGER NOT NULL,
  sources TEXT NOT NULL,
  software TEXT NOT NULL,
  installs INTEGER NOT NULL,
  PRIMARY KEY (device_id, sources, software)
) WITHOUT ROWID;
