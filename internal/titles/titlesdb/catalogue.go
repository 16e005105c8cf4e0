// Package titlesdb has the tables of the catalogue, recognitions, decisions, rules, plans and releases.
package titlesdb

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// KnownTitle is a title of the catalogue with what the last file said of it.
type KnownTitle struct {
	catalogue.Known
	Product   int64
	ChangedAt int64
}

// KnownTitles reads the titles of a product, or all of them where product is 0, in the order of their numbers.
func KnownTitles(tx *sqlite.Tx, product int64) ([]*KnownTitle, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v **KnownTitle) error {
		var t formats.Title
		var price, base sql.NullString
		var aliases, fields string
		k := &KnownTitle{}
		if err := r.Scan(&k.ID, &k.Product, &t.Publisher, &t.Product, &t.Edition, &t.EditionRank, &t.Version,
			&t.Category, &t.Model, &price, &t.Currency, &t.DefaultMetric, &t.Suite, &t.Released, &t.GeneralEnd,
			&t.ExtendedEnd,
			&t.EndOfLife, &aliases, &fields, &base, &k.ChangedAt); err != nil {
			return err
		}
		t.ListPrice = sqlite.ReadMoney(price)
		if aliases != "" {
			t.Aliases = strings.Split(aliases, "|")
		}
		if fields != "" {
			if err := json.Unmarshal([]byte(fields), &t.Custom); err != nil {
				return err
			}
		}
		e := t.Entry()
		k.Key, k.Says = e.Key, e.Says
		*v = k
		return snapshot.ReadBase(base, &k.Known)
	}, `SELECT t.id, t.product_id, p.publisher, p.name, t.edition, t.edition_rank, t.version, t.category,
		t.licence_model, t.list_price, t.currency, t.default_metric, t.suite, t.released, t.general_end,
		t.extended_end,
		t.end_of_life, t.aliases, t.custom, t.base, t.changed_at FROM title t JOIN product p ON p.id = t.product_id
		WHERE ?1 = 0 OR t.product_id = ?1 ORDER BY t.id`, product)
}

// By says who changes the catalogue, when (in seconds since 1970), and out of which file, if any.
type By struct {
	Author, File string
	At           int64
}

// PutTitle writes a title of a product as it is known now, and keeps which values changed. before is nil for a new
// one; it returns the title's number.
func PutTitle(tx *sqlite.Tx, product int64, before, now *catalogue.Known, by By) (int64, error) {
	t, err := formats.TitleOf(formats.Entry{Key: now.Key, Says: now.Says})
	if err != nil {
		return 0, err
	}
	base, err := snapshot.WriteBase(now)
	if err != nil {
		return 0, err
	}
	id := now.ID
	values := []any{
		product,
		t.Edition,
		t.EditionRank,
		t.Version,
		t.Category,
		string(t.Model),
		sqlite.Money(t.ListPrice),
		t.Currency,
		t.DefaultMetric,
		t.Suite,
		t.Released,
		t.GeneralEnd,
		t.ExtendedEnd,
		t.EndOfLife,
		strings.Join(t.Aliases, "|"),
		sqlite.Custom(t.Custom),
		[]byte{},
		base,
		by.At,
	}
	if id == 0 {
		res, err := tx.Exec(
			`INSERT INTO title(product_id, edition, edition_rank, version, category, licence_model, list_price,
				currency, default_metric, suite, released, general_end, extended_end, end_of_life, aliases, custom,
				hash, base, changed_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			values...)
		if err != nil {
			return 0, err
		}
		if id, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else if _, err := tx.Exec(`UPDATE title SET product_id = ?, edition = ?, edition_rank = ?, version = ?, category
		= ?, licence_model = ?, list_price = ?, currency = ?, default_metric = ?, suite = ?, released = ?, general_end
		= ?, extended_end = ?,
		end_of_life = ?, aliases = ?, custom = ?, hash = ?, base = ?, changed_at = ?
		WHERE id = ?`, append(values, id)...); err != nil {
		return 0, err
	}
	if before != nil {
		if err := edits.Touch(tx, edits.Of(edits.Title, id), by.Author, time.Unix(by.At, 0), TitleFields(before),
			TitleFields(now)); err != nil {
			return 0, err
		}
	}
	return id, keepChanges(tx, CatalogueChange{Product: product, Title: id}, before, now, by)
}

// TitleFields are the fields of a title as people change them, by the columns of titles.csv.
func TitleFields(k *catalogue.Known) map[string]string {
	out := map[string]string{"edition": k.Edition, "version": k.Version}
	for f, v := range k.Says {
		out[string(f)] = v
	}
	return out
}

// keepChanges writes down which values differ from before.
func keepChanges(tx *sqlite.Tx, of CatalogueChange, before, now *catalogue.Known, by By) error {
	if before == nil {
		return addChange(tx, of, "", "", "added", by)
	}
	if before.Edition != now.Edition {
		if err := addChange(tx, of, "edition", before.Edition, now.Edition, by); err != nil {
			return err
		}
	}
	if before.Version != now.Version {
		if err := addChange(tx, of, "version", before.Version, now.Version, by); err != nil {
			return err
		}
	}
	fields := maps.Clone(before.Says)
	if fields == nil {
		fields = catalogue.Says{}
	}
	maps.Copy(fields, now.Says)
	for _, field := range slices.Sorted(maps.Keys(fields)) {
		if was, is := before.Says[field], now.Says[field]; was != is {
			if err := addChange(tx, of, field, was, is, by); err != nil {
				return err
			}
		}
	}
	return nil
}

// CatalogueChange is one value of the catalogue that changed. A title, product or publisher that came or went has no
// field.
type CatalogueChange struct {
	ID        int64
	Publisher int64
	Product   int64
	Title     int64
	Name      string // of the title within its product
	Field     string
	Was       string
	Now       string
	At        int64
	Author    string
	File      string
}

func addChange(tx *sqlite.Tx, of CatalogueChange, field, was, now string, by By) error {
	_, err := tx.Exec(
		"INSERT INTO catalogue_change(publisher_id, product_id, title_id, field, was, is_now, at, author, file) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		of.Publisher,
		of.Product,
		of.Title,
		field,
		was,
		now,
		by.At,
		by.Author,
		by.File,
	)
	return err
}

// CatalogueChanges reads the newest changes of a product.
func CatalogueChanges(tx *sqlite.Tx, product int64, most int) ([]CatalogueChange, error) {
	return sqlite.Select[CatalogueChange](tx, `SELECT c.id, c.publisher_id AS publisher,
		c.product_id AS product, c.title_id AS title, trim(coalesce(t.edition, '') || ' ' ||
		coalesce(t.version, '')) AS name, c.field, c.was, c.is_now AS now, c.at, c.author, c.file FROM
		catalogue_change c LEFT JOIN title t ON t.id = c.title_id WHERE c.product_id = ? ORDER BY c.id DESC
		LIMIT ?`, product, most)
}

// ProductsChangedSince lists the products of which a title changed after a change, and the number of the newest change.
func ProductsChangedSince(tx *sqlite.Tx, change int64) (products []int64, newest int64, err error) {
	if products, err = sqlite.Select[int64](tx,
		"SELECT DISTINCT product_id FROM catalogue_change WHERE id > ? AND product_id <> 0", change); err != nil {
		return nil, 0, err
	}
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(id), 0) FROM catalogue_change").Scan(&newest)
	return products, newest, err
}

// DropTitle takes a title out of the catalogue.
func DropTitle(tx *sqlite.Tx, product int64, k *catalogue.Known, by By) error {
	if _, err := tx.Exec("DELETE FROM title WHERE id = ?", k.ID); err != nil {
		return err
	}
	if err := edits.Drop(tx, edits.Of(edits.Title, k.ID), by.Author, time.Unix(by.At, 0)); err != nil {
		return err
	}
	return addChange(
		tx,
		CatalogueChange{Product: product},
		"",
		strings.TrimSpace(k.Edition+" "+k.Version),
		"taken out",
		by,
	)
}

// RenameProduct gives a product another publisher or name.
func RenameProduct(tx *sqlite.Tx, id int64, publisher, name string, by By) error {
	var wasPublisher, was string
	if err := tx.QueryRowContext(tx.Ctx, "SELECT publisher, name FROM product WHERE id = ?", id).Scan(&wasPublisher,
		&was); err != nil {
		return notFound(err)
	}
	if _, err := tx.Exec("UPDATE product SET publisher = ?, name = ?, publisher_key = ?, name_key = ? WHERE id = ?",
		publisher, name, recognise.CleanPublisher(publisher), recognise.Clean(name), id); err != nil {
		return err
	}
	if err := addPublisher(tx, publisher); err != nil {
		return err
	}
	if err := edits.Touch(tx, edits.Of(edits.Product, id), by.Author, time.Unix(by.At, 0),
		ProductFields{wasPublisher, was}, ProductFields{publisher, name}); err != nil {
		return err
	}
	for _, c := range [][3]string{{"publisher", wasPublisher, publisher}, {"product", was, name}} {
		if c[1] != c[2] {
			if err := addChange(tx, CatalogueChange{Product: id}, c[0], c[1], c[2], by); err != nil {
				return err
			}
		}
	}
	return nil
}

// ProductFields are the fields of a product as people change them.
type ProductFields struct{ Publisher, Name string }

func notFound(err error) error {
	if err == sql.ErrNoRows {
		return sqlite.ErrNotFound
	}
	return fmt.Errorf("could not be read: %w", err)
}
