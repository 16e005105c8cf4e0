-- +goose Up
-- What people changed, each time, as it was then: so that two who change one thing at once notice, and whoever is
-- second sees what the first did. A thing that nobody changed since it was made has no row, and the revision 0.
CREATE TABLE edit (
  kind TEXT NOT NULL,
  thing TEXT NOT NULL,
  revision INTEGER NOT NULL,
  who TEXT NOT NULL,
  at INTEGER NOT NULL,
  fields TEXT NOT NULL,
  PRIMARY KEY (kind, thing, revision)
) WITHOUT ROWID;
