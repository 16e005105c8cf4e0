package titlesdb

import (
	"time"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// addPublisher makes sure that a publisher that has products is listed.
func addPublisher(tx *sqlite.Tx, name string) error {
	_, err := tx.Exec(
		"INSERT INTO publisher(name, name_key) VALUES (?, ?) ON CONFLICT DO NOTHING",
		name,
		recognise.CleanPublisher(name),
	)
	return err
}

// PutPublisher writes a publisher as it is known now, and keeps which values changed. before is nil for a new one.
func PutPublisher(tx *sqlite.Tx, before, now *catalogue.Known, by By) (int64, error) {
	base, err := snapshot.WriteBase(now)
	if err != nil {
		return 0, err
	}
	id := now.ID
	aliases, successor := now.Says[catalogue.Aliases], now.Says[catalogue.Successor]
	if id == 0 {
		res, err := tx.Exec(
			"INSERT INTO publisher(name, name_key, aliases, successor, base, changed_at) VALUES (?, ?, ?, ?, ?, ?)",
			now.Publisher,
			recognise.CleanPublisher(now.Publisher),
			aliases,
			successor,
			base,
			by.At,
		)
		if err != nil {
			return 0, err
		}
		if id, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else if _, err := tx.Exec("UPDATE publisher SET aliases = ?, successor = ?, base = ?, changed_at = ? WHERE id "+
		"= ?", aliases, successor, base, by.At, id); err != nil {
		return 0, err
	}
	if before != nil {
		if err := edits.Touch(tx, edits.Of(edits.Publisher, id), by.Author, time.Unix(by.At, 0),
			PublisherFieldsOf(before),
			PublisherFieldsOf(now)); err != nil {
			return 0, err
		}
	}
	return id, keepChanges(tx, CatalogueChange{Publisher: id}, before, now, by)
}

// PublisherFields are the fields of a publisher as people change them.
type PublisherFields struct {
	Aliases   []string
	Successor string
}

// PublisherFieldsOf are the fields of a publisher as it is known.
func PublisherFieldsOf(k *catalogue.Known) PublisherFields {
	return PublisherFields{sqlite.SplitList(k.Says[catalogue.Aliases]), k.Says[catalogue.Successor]}
}

// PublisherRow is a publisher with what the catalogue and the evidence have of it.
type PublisherRow struct {
	ID        int64  `column:"id"`
	Publisher string `column:"publisher"`
	Aliases   string `column:"aliases"`
	Successor string `column:"successor"`
	Products  int64  `column:"products"`
	Installs  int64  `column:"installs"`
	Counted   int64  `column:"counted"`
	Rights    int64  `column:"rights"`
	Revision  int64  `column:"revision"`
}

// PublisherList is the list of publishers.
func PublisherList() *sqlite.List[PublisherRow] {
	facts := func(col string) string {
		return "coalesce((SELECT sum(f." + col +
			") FROM product p JOIN product_fact f ON f.product_id = p.id WHERE p.publisher_key = b.name_key), 0)"
	}
	l := &sqlite.List[PublisherRow]{
		From: "publisher b",
		Key:  "b.id",
		Sort: "publisher",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "b.id"),
			sqlite.Searched("publisher", "b.name"),
			sqlite.Searched("aliases", "b.aliases"),
			sqlite.Searched("successor", "b.successor"),
			sqlite.Plain("products", "(SELECT count(*) FROM product p WHERE p.publisher_key = b.name_key)"),
			sqlite.Plain("installs", facts("installs")),
			sqlite.Plain("counted", facts("counted")),
			sqlite.Plain(
				"rights",
				"(SELECT count(*) FROM entitlement e JOIN product p ON p.id = e.product_id WHERE p.publisher_key = "+
					"b.name_key AND e.withdrawn_at = 0)"),
			sqlite.Beside(
				"revision",
				"coalesce((SELECT max(e.revision) FROM edit e WHERE e.kind = '"+edits.Publisher+
					"' AND e.thing = CAST(b.id AS TEXT)), 0)"),
		},
	}
	return l
}
