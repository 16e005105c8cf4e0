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

// CatalogueChanges reads the newest changes of a product, or of a publisher.
func (tx *Tx) CatalogueChanges(publisher, product int64, most int) ([]CatalogueChange, error) {
	return query(tx, func(r *sql.Rows, v *CatalogueChange) error {
		return r.Scan(&v.ID, &v.Publisher, &v.Product, &v.Title, &v.Name, &v.Field, &v.Was, &v.Now, &v.At, &v.Author, &v.File)
	}, `SELECT c.id, c.publisher_id, c.product_id, c.title_id, trim(coalesce(t.edition, '') || ' ' || coalesce(t.version, '')), c.field, c.was, c.is_now, c.at, c.author, c.file
		FROM catalogue_change c LEFT JOIN title t ON t.id = c.title_id WHERE c.publisher_id = ? AND c.product_id = ? ORDER BY c.id DESC LIMIT ?`, publisher, product, most)
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

// addPublisher makes sure that a publisher that has products is listed.
func (tx *Tx) addPublisher(name string) error {
	_, err := tx.exec("INSERT INTO publisher(name, name_key) VALUES (?, ?) ON CONFLICT DO NOTHING", name, recognise.CleanPublisher(name))
	return err
}

// KnownPublishers reads the publishers in the order of their numbers.
func (tx *Tx) KnownPublishers() ([]*catalogue.Known, error) {
	return query(tx, func(r *sql.Rows, v **catalogue.Known) error {
		p, k := formats.Publisher{}, &catalogue.Known{}
		var aliases string
		var base sql.NullString
		if err := r.Scan(&k.ID, &p.Name, &aliases, &p.Successor, &base); err != nil {
			return err
		}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		e := p.Entry()
		k.Key, k.Says = e.Key, e.Says
		*v = k
		return readBase(base, k)
	}, "SELECT id, name, aliases, successor, base FROM publisher ORDER BY id")
}

// PutPublisher writes a publisher as it is known now, and keeps which values changed. before is nil for a new one.
func (tx *Tx) PutPublisher(before, now *catalogue.Known, by By) (int64, error) {
	base, err := writeBase(now)
	if err != nil {
		return 0, err
	}
	id := now.ID
	aliases, successor := now.Says[catalogue.Aliases], now.Says[catalogue.Successor]
	if id == 0 {
		res, err := tx.exec("INSERT INTO publisher(name, name_key, aliases, successor, base, changed_at) VALUES (?, ?, ?, ?, ?, ?)", now.Publisher, recognise.CleanPublisher(now.Publisher), aliases, successor, base, by.At)
		if err != nil {
			return 0, err
		}
		if id, err = res.LastInsertId(); err != nil {
			return 0, err
		}
	} else if _, err := tx.exec("UPDATE publisher SET aliases = ?, successor = ?, base = ?, changed_at = ? WHERE id = ?", aliases, successor, base, by.At, id); err != nil {
		return 0, err
	}
	return id, tx.keepChanges(CatalogueChange{Publisher: id}, before, now, by)
}

// Houses reads the publishers that have other names, or that one took over from another.
func (tx *Tx) Houses() ([]recognise.Publisher, error) {
	all, err := tx.KnownPublishers()
	if err != nil {
		return nil, err
	}
	numbers, heirs := map[string]int64{}, map[int64]bool{}
	for _, k := range all {
		numbers[recognise.CleanPublisher(k.Publisher)] = k.ID
	}
	for _, k := range all {
		if s := k.Says[catalogue.Successor]; s != "" {
			heirs[numbers[recognise.CleanPublisher(s)]] = true
		}
	}
	var out []recognise.Publisher
	for _, k := range all {
		aliases, successor := k.Says[catalogue.Aliases], k.Says[catalogue.Successor]
		if aliases == "" && successor == "" && !heirs[k.ID] {
			continue
		}
		p := recognise.Publisher{ID: k.ID, Name: k.Publisher}
		if aliases != "" {
			p.Aliases = strings.Split(aliases, "|")
		}
		if successor != "" {
			p.Successor = numbers[recognise.CleanPublisher(successor)]
		}
		out = append(out, p)
	}
	return out, nil
}

// PublisherRow is a publisher with what the catalogue and the evidence have of it.
type PublisherRow struct {
	ID        int64  `json:"id"`
	Publisher string `json:"publisher"`
	Aliases   string `json:"aliases"`
	Successor string `json:"successor"`
	Products  int64  `json:"products"`
	Installs  int64  `json:"installs"`
	Counted   int64  `json:"counted"`
	Rights    int64  `json:"rights"`
}

// PublisherPage reads a page of publishers.
func (tx *Tx) PublisherPage(q ListQuery) (Page[PublisherRow], error) {
	facts := func(col string) string {
		return "coalesce((SELECT sum(f." + col + ") FROM product p JOIN product_fact f ON f.product_id = p.id WHERE p.publisher_key = b.name_key), 0)"
	}
	l := list[PublisherRow]{from: "publisher b", key: "b.id", sort: "publisher", columns: []column[PublisherRow]{
		{"id", "b.id", func(r *PublisherRow) any { return &r.ID }, false}, {"publisher", "b.name", func(r *PublisherRow) any { return &r.Publisher }, true}, {"aliases", "b.aliases", func(r *PublisherRow) any { return &r.Aliases }, true},
		{"successor", "b.successor", func(r *PublisherRow) any { return &r.Successor }, true}, {"products", "(SELECT count(*) FROM product p WHERE p.publisher_key = b.name_key)", func(r *PublisherRow) any { return &r.Products }, false},
		{"installs", facts("installs"), func(r *PublisherRow) any { return &r.Installs }, false}, {"counted", facts("counted"), func(r *PublisherRow) any { return &r.Counted }, false},
		{"rights", "(SELECT count(*) FROM entitlement e JOIN product p ON p.id = e.product_id WHERE p.publisher_key = b.name_key)", func(r *PublisherRow) any { return &r.Rights }, false},
	}}
	return l.page(tx, q)
}

// Offer is a newer catalogue whose differences are being looked through.
type Offer struct {
	ID       int64  `json:"id"`
	File     string `json:"file"`
	At       int64  `json:"at"`
	Author   string `json:"author"`
	Entries  int64  `json:"entries"`
	ClosedAt int64  `json:"closedAt"`
	ClosedBy string `json:"closedBy"`
	Bad      string `json:"bad" doc:"the lines that could not be read, one a line"`
}

// AddOffer keeps a newer catalogue.
func (tx *Tx) AddOffer(o Offer, entries []formats.Entry) (int64, error) {
	res, err := tx.exec("INSERT INTO offer(file, at, author, bad) VALUES (?, ?, ?, ?)", o.File, o.At, o.Author, o.Bad)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	b, err := tx.bulk(7, "INSERT INTO offer_entry(offer_id, place, publisher, product, edition, version, says)", "")
	if err != nil {
		return 0, err
	}
	for i, e := range entries {
		says, err := json.Marshal(e.Says)
		if err != nil {
			return 0, err
		}
		if err := b.Add(id, i, e.Publisher, e.Product, e.Edition, e.Version, string(says)); err != nil {
			return 0, err
		}
	}
	return id, b.Flush()
}

// Offers reads the newest offers.
func (tx *Tx) Offers(most int) ([]Offer, error) {
	return query(tx, func(r *sql.Rows, o *Offer) error {
		return r.Scan(&o.ID, &o.File, &o.At, &o.Author, &o.Entries, &o.ClosedAt, &o.ClosedBy, &o.Bad)
	}, "SELECT o.id, o.file, o.at, o.author, (SELECT count(*) FROM offer_entry e WHERE e.offer_id = o.id), o.closed_at, o.closed_by, o.bad FROM offer o ORDER BY o.id DESC LIMIT ?", most)
}

// OfferEntries reads what an offer says, in the order of its file.
func (tx *Tx) OfferEntries(offer int64) ([]formats.Entry, error) {
	return query(tx, func(r *sql.Rows, e *formats.Entry) error {
		var says string
		if err := r.Scan(&e.Publisher, &e.Product, &e.Edition, &e.Version, &says); err != nil {
			return err
		}
		return json.Unmarshal([]byte(says), &e.Says)
	}, "SELECT publisher, product, edition, version, says FROM offer_entry WHERE offer_id = ? ORDER BY place", offer)
}

// CloseOffer puts an offer away. What it said is no longer kept then.
func (tx *Tx) CloseOffer(id, at int64, by string) error {
	res, err := tx.exec("UPDATE offer SET closed_at = ?, closed_by = ? WHERE id = ? AND closed_at = 0", at, by, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	_, err = tx.exec("DELETE FROM offer_entry WHERE offer_id = ?", id)
	return err
}

// Remark is what somebody noted about a product, or about its install on a device.
type Remark struct {
	ID         int64  `json:"id"`
	Product    int64  `json:"product"`
	Device     int64  `json:"device" doc:"0 is the title itself"`
	DeviceCode string `json:"deviceCode"`
	DeviceName string `json:"deviceName"`
	Name       string `json:"name" doc:"of the product"`
	Text       string `json:"text"`
	Author     string `json:"author"`
	At         int64  `json:"at"`
}

// Remarks reads the remarks about a product and its installs, or about the installs of a device; the other is 0.
func (tx *Tx) Remarks(product, device int64) ([]Remark, error) {
	return query(tx, func(r *sql.Rows, v *Remark) error {
		return r.Scan(&v.ID, &v.Product, &v.Device, &v.DeviceCode, &v.DeviceName, &v.Name, &v.Text, &v.Author, &v.At)
	}, `SELECT m.id, m.product_id, m.device_id, coalesce(d.code, ''), coalesce(d.name, ''), p.name, m.text, m.author, m.at FROM remark m JOIN product p ON p.id = m.product_id LEFT JOIN device d ON d.id = m.device_id
		WHERE m.dropped_at = 0 AND (?1 = 0 OR m.product_id = ?1) AND (?2 = 0 OR m.device_id = ?2) ORDER BY m.id`, product, device)
}

// AddRemark writes a remark.
func (tx *Tx) AddRemark(m Remark) (int64, error) {
	res, err := tx.exec("INSERT INTO remark(product_id, device_id, text, author, at) VALUES (?, ?, ?, ?, ?)", m.Product, m.Device, m.Text, m.Author, m.At)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// DropRemark takes a remark away; it stays in the file.
func (tx *Tx) DropRemark(id, at int64, by string) error {
	res, err := tx.exec("UPDATE remark SET dropped_at = ?, dropped_by = ? WHERE id = ? AND dropped_at = 0", at, by, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// SetTags makes the tags of a product be these.
func (tx *Tx) SetTags(product int64, tags []string, author string, at int64) error {
	list, err := json.Marshal(tags)
	if err != nil {
		return err
	}
	if _, err := tx.exec("DELETE FROM tag WHERE product_id = ? AND tag NOT IN (SELECT value FROM json_each(?))", product, string(list)); err != nil {
		return err
	}
	for _, t := range tags {
		if _, err := tx.exec("INSERT INTO tag(product_id, tag, author, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", product, t, author, at); err != nil {
			return err
		}
	}
	return nil
}

// Tags lists all tags in use with the number of their products.
func (tx *Tx) Tags() (map[string]int64, error) {
	return tx.numbers("SELECT tag, count(*) FROM tag GROUP BY tag")
}

// Watch puts a product on the watch list, or takes it off.
func (tx *Tx) Watch(product int64, on bool, author string, at int64) error {
	text, args := "DELETE FROM watch WHERE product_id = ?", []any{product}
	if on {
		text, args = "INSERT INTO watch(product_id, author, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", append(args, author, at)
	}
	_, err := tx.exec(text, args...)
	return err
}

// RecognitionRun says what a recognition of everything anew changed.
type RecognitionRun struct {
	ID       int64          `json:"id"`
	At       int64          `json:"at"`
	Records  int64          `json:"records" doc:"distinct records that were looked at"`
	Found    int64          `json:"found" doc:"of them newly recognised"`
	Moved    int64          `json:"moved" doc:"of them recognised as something else than before"`
	Lost     int64          `json:"lost" doc:"of them no longer recognised"`
	Installs int64          `json:"installs" doc:"of all these"`
	TookMS   int64          `json:"tookMs"`
	Detail   []RecordsMoved `json:"detail"`
}

// RecordsMoved are records that were one product and are another; 0 is none.
type RecordsMoved struct {
	From     int64  `json:"from"`
	To       int64  `json:"to"`
	FromName string `json:"fromName"`
	ToName   string `json:"toName"`
	Records  int64  `json:"records"`
	Installs int64  `json:"installs"`
}

// AddRecognitionRun keeps what a recognition of everything changed.
func (tx *Tx) AddRecognitionRun(r RecognitionRun) error {
	detail, err := json.Marshal(r.Detail)
	if err != nil {
		return err
	}
	_, err = tx.exec("INSERT INTO recognition_run(at, records, found, moved, lost, installs, took_ms, detail) VALUES (?, ?, ?, ?, ?, ?, ?, ?)", r.At, r.Records, r.Found, r.Moved, r.Lost, r.Installs, r.TookMS, string(detail))
	return err
}

// RecognitionRuns reads the newest runs.
func (tx *Tx) RecognitionRuns(most int) ([]RecognitionRun, error) {
	return query(tx, func(r *sql.Rows, v *RecognitionRun) error {
		var detail string
		if err := r.Scan(&v.ID, &v.At, &v.Records, &v.Found, &v.Moved, &v.Lost, &v.Installs, &v.TookMS, &detail); err != nil {
			return err
		}
		return json.Unmarshal([]byte(detail), &v.Detail)
	}, "SELECT id, at, records, found, moved, lost, installs, took_ms, detail FROM recognition_run ORDER BY id DESC LIMIT ?", most)
}

func notFound(err error) error {
	if err == sql.ErrNoRows {
		return ErrNotFound
	}
	return fmt.Errorf("could not be read: %w", err)
}
