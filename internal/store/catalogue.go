package store

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// KnownTitle is a title of the catalogue with what the last file said of it.
type KnownTitle struct {
	catalogue.Known
	Product   int64
	ChangedAt int64
}

// KnownTitles reads the titles of a product, or all of them where product is 0, in the order of their numbers.
func (tx *Tx) KnownTitles(product int64) ([]*KnownTitle, error) {
	return query(tx, func(r *sql.Rows, v **KnownTitle) error {
		var t formats.Title
		var price, base sql.NullString
		var aliases, fields string
		k := &KnownTitle{}
		if err := r.Scan(&k.ID, &k.Product, &t.Publisher, &t.Product, &t.Edition, &t.EditionRank, &t.Version, &t.Category, &t.Model, &price, &t.Currency, &t.DefaultMetric, &t.Suite, &t.Released, &t.GeneralEnd, &t.ExtendedEnd,
			&t.EndOfLife, &aliases, &fields, &base, &k.ChangedAt); err != nil {
			return err
		}
		t.ListPrice = readMoney(price)
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
		return readBase(base, &k.Known)
	}, `SELECT t.id, t.product_id, p.publisher, p.name, t.edition, t.edition_rank, t.version, t.category, t.licence_model, t.list_price, t.currency, t.default_metric, t.suite, t.released, t.general_end, t.extended_end,
		t.end_of_life, t.aliases, t.custom, t.base, t.changed_at FROM title t JOIN product p ON p.id = t.product_id WHERE ?1 = 0 OR t.product_id = ?1 ORDER BY t.id`, product)
}

func readBase(base sql.NullString, k *catalogue.Known) error {
	if !base.Valid {
		return nil
	}
	return json.Unmarshal([]byte(base.String), &k.Base)
}

func writeBase(k *catalogue.Known) (any, error) {
	if k.Base == nil {
		return nil, nil
	}
	text, err := json.Marshal(k.Base)
	return string(text), err
}

// By says who changes the catalogue, when (in seconds since 1970), and out of which file, if any.
type By struct {
	Author, File string
	At           int64
}

// PutTitle writes a title of a product as it is known now, and keeps which values changed. before is nil for a new one; it returns the title's number.
func (tx *Tx) PutTitle(product int64, before, now *catalogue.Known, by By) (int64, error) {
	t, err := formats.TitleOf(formats.Entry{Key: now.Key, Says: now.Says})
	if err != nil {
		return 0, err
	}
	base, err := writeBase(now)
	if err != nil {
		return 0, err
	}
	id := now.ID
	values := []any{product, t.Edition, t.EditionRank, t.Version, t.Category, string(t.Model), money(t.ListPrice), t.Currency, t.DefaultMetric, t.Suite, t.Released, t.GeneralEnd, t.ExtendedEnd, t.EndOfLife, strings.Join(t.Aliases, "|"), custom(t.Custom),
		[]byte{}, base, by.At}
	if id == 0 {
		res, err := tx.exec(`INSERT INTO title(product_id, edition, edition_rank, version, category, licence_model, list_price, currency, default_metric, suite, released, general_end, extended_end, end_of_life, aliases, custom, hash, base, changed_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, values...)
		if err != nil {
			return 0, err
		}
		if id, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else if _, err := tx.exec(`UPDATE title SET product_id = ?, edition = ?, edition_rank = ?, version = ?, category = ?, licence_model = ?, list_price = ?, currency = ?, default_metric = ?, suite = ?, released = ?, general_end = ?, extended_end = ?,
		end_of_life = ?, aliases = ?, custom = ?, hash = ?, base = ?, changed_at = ? WHERE id = ?`, append(values, id)...); err != nil {
		return 0, err
	}
	return id, tx.keepChanges(CatalogueChange{Product: product, Title: id}, before, now, by)
}

// keepChanges writes down which values differ from before.
func (tx *Tx) keepChanges(of CatalogueChange, before, now *catalogue.Known, by By) error {
	if before == nil {
		return tx.addChange(of, "", "", "added", by)
	}
	if before.Edition != now.Edition {
		if err := tx.addChange(of, "edition", before.Edition, now.Edition, by); err != nil {
			return err
		}
	}
	if before.Version != now.Version {
		if err := tx.addChange(of, "version", before.Version, now.Version, by); err != nil {
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
			if err := tx.addChange(of, field, was, is, by); err != nil {
				return err
			}
		}
	}
	return nil
}

// CatalogueChange is one value of the catalogue that changed. A title, product or publisher that came or went has no field.
type CatalogueChange struct {
	ID        int64  `json:"id"`
	Publisher int64  `json:"publisher"`
	Product   int64  `json:"product"`
	Title     int64  `json:"title"`
	Name      string `json:"name" doc:"of the title within its product"`
	Field     string `json:"field"`
	Was       string `json:"was"`
	Now       string `json:"now"`
	At        int64  `json:"at"`
	Author    string `json:"author"`
	File      string `json:"file"`
}

func (tx *Tx) addChange(of CatalogueChange, field, was, now string, by By) error {
	_, err := tx.exec("INSERT INTO catalogue_change(publisher_id, product_id, title_id, field, was, is_now, at, author, file) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)", of.Publisher, of.Product, of.Title, field, was, now, by.At, by.Author, by.File)
	return err
}

// CatalogueChanges reads the newest changes of a product.
func (tx *Tx) CatalogueChanges(product int64, most int) ([]CatalogueChange, error) {
	return query(tx, func(r *sql.Rows, v *CatalogueChange) error {
		return r.Scan(&v.ID, &v.Publisher, &v.Product, &v.Title, &v.Name, &v.Field, &v.Was, &v.Now, &v.At, &v.Author, &v.File)
	}, `SELECT c.id, c.publisher_id, c.product_id, c.title_id, trim(coalesce(t.edition, '') || ' ' || coalesce(t.version, '')), c.field, c.was, c.is_now, c.at, c.author, c.file
		FROM catalogue_change c LEFT JOIN title t ON t.id = c.title_id WHERE c.product_id = ? ORDER BY c.id DESC LIMIT ?`, product, most)
}

// ProductsChangedSince lists the products of which a title changed after a change, and the number of the newest change.
func (tx *Tx) ProductsChangedSince(change int64) (products []int64, newest int64, err error) {
	if products, err = query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT DISTINCT product_id FROM catalogue_change WHERE id > ? AND product_id <> 0", change); err != nil {
		return nil, 0, err
	}
	err = tx.QueryRowContext(tx.ctx, "SELECT coalesce(max(id), 0) FROM catalogue_change").Scan(&newest)
	return products, newest, err
}

// DropTitle takes a title out of the catalogue.
func (tx *Tx) DropTitle(product int64, k *catalogue.Known, by By) error {
	if _, err := tx.exec("DELETE FROM title WHERE id = ?", k.ID); err != nil {
		return err
	}
	return tx.addChange(CatalogueChange{Product: product}, "", strings.TrimSpace(k.Edition+" "+k.Version), "taken out", by)
}

// RenameProduct gives a product another publisher or name.
func (tx *Tx) RenameProduct(id int64, publisher, name string, by By) error {
	var wasPublisher, was string
	if err := tx.QueryRowContext(tx.ctx, "SELECT publisher, name FROM product WHERE id = ?", id).Scan(&wasPublisher, &was); err != nil {
		return notFound(err)
	}
	if _, err := tx.exec("UPDATE product SET publisher = ?, name = ?, publisher_key = ?, name_key = ? WHERE id = ?", publisher, name, recognise.CleanPublisher(publisher), recognise.Clean(name), id); err != nil {
		return err
	}
	if err := tx.addPublisher(publisher); err != nil {
		return err
	}
	for _, c := range [][3]string{{"publisher", wasPublisher, publisher}, {"product", was, name}} {
		if c[1] != c[2] {
			if err := tx.addChange(CatalogueChange{Product: id}, c[0], c[1], c[2], by); err != nil {
				return err
			}
		}
	}
	return nil
}

func notFound(err error) error {
	if err == sql.ErrNoRows {
		return ErrNotFound
	}
	return fmt.Errorf("could not be read: %w", err)
}
