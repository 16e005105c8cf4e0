-- Of each title: the last days of its general and of all support, and the devices that have it, had it a year ago, and run it as their operating system.
CREATE TABLE release_fact (
  title_id INTEGER PRIMARY KEY, general_until INTEGER NOT NULL, end_on INTEGER NOT NULL, installs INTEGER NOT NULL, devices INTEGER NOT NULL, stale INTEGER NOT NULL, year_before INTEGER NOT NULL, systems INTEGER NOT NULL
);
