-- What lists stated of a device up to a time, where a later list states something else.
CREATE TABLE device_was (
  device_id INTEGER NOT NULL, until INTEGER NOT NULL, kind TEXT NOT NULL, environment TEXT NOT NULL, org_unit TEXT NOT NULL, site TEXT NOT NULL, country TEXT NOT NULL, primary_user TEXT NOT NULL, status TEXT NOT NULL,
  host_id TEXT NOT NULL, cluster TEXT NOT NULL, pinned TEXT NOT NULL, portable TEXT NOT NULL, PRIMARY KEY (device_id, until)
) WITHOUT ROWID;
INSERT INTO device_was(device_id, until, kind, environment, org_unit, site, country, primary_user, status, host_id,
    cluster, pinned, portable)
  SELECT d.id, n.since, d.kind, d.environment, d.org_unit, d.site, d.country, d.primary_user, d.status, o.host,
    d.cluster, d.pinned, d.portable
  FROM on_host o JOIN device d ON d.id = o.device_id
  JOIN on_host n ON n.device_id = o.device_id AND n.since = (
    SELECT min(x.since) FROM on_host x WHERE x.device_id = o.device_id AND x.since > o.since
  );
DROP TABLE on_host;
