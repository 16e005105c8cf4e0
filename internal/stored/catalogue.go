package stored

import (
	"database/sql"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"strings"
)

// ProductKeys maps publisher and product, both cleaned and joined by |, to product numbers.
func ProductKeys(tx *sqlite.Tx) (map[string]int64, error) {
	return tx.Numbers("SELECT publisher_key || '|' || name_key, id FROM product")
}

// ProductKey is the key that a product is known by.
func ProductKey(publisher, name string) string {
	return recognise.CleanPublisher(publisher) + "|" + recognise.Clean(name)
}

// Products reads the whole catalogue.
func Products(tx *sqlite.Tx) ([]recognise.Product, error) {
	products, err := sqlite.Select[recognise.Product](tx, `SELECT id, publisher, name FROM product ORDER
		BY id`,
	)
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i := range products {
		at[products[i].ID] = i
	}
	titles, err := sqlite.Query(tx, func(r *sql.Rows, t *recognise.Title) error {
		var price sql.NullString
		var aliases string
		if err := r.Scan(&t.ID, &t.Product, &t.Edition, &t.EditionRank, &t.Version, &t.Category, &t.Model, &price,
			&t.Currency, &t.DefaultMetric, &t.Suite, &t.Released, &t.GeneralEnd, &t.ExtendedEnd, &t.EndOfLife,
			&aliases); err != nil {
			return err
		}
		t.ListPrice = sqlite.ReadMoney(price)
		if aliases != "" {
			t.Aliases = strings.Split(aliases, "|")
		}
		return nil
	}, `SELECT id, product_id, edition, edition_rank, version, category, licence_model, list_price, currency,
		default_metric, suite, released, general_end, extended_end, end_of_life, aliases FROM title ORDER BY id`)
	for _, t := range titles {
		p := &products[at[t.Product]]
		p.Titles = append(p.Titles, t)
	}
	return products, err
}

// Rates reads all rates, by currency and day.
func Rates(tx *sqlite.Tx) ([]formats.Rate, error) {
	return sqlite.Select[formats.Rate](tx, `SELECT currency, on_day AS "on", per_eur FROM
		rate ORDER BY currency, on_day`,
	)
}

// MetricOrders reads the order in which the metrics of a product cover, of the products that have one of their own.
func MetricOrders(tx *sqlite.Tx) (map[int64][]entitle.Metric, error) {
	type row struct {
		product int64
		order   string
	}
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, v *row) error { return r.Scan(&v.product, &v.order) },
		"SELECT id, metric_order FROM product WHERE metric_order <> ''",
	)
	out := map[int64][]entitle.Metric{}
	for _, r := range list {
		for _, m := range strings.Split(r.order, "|") {
			out[r.product] = append(out[r.product], entitle.Metric(m))
		}
	}
	return out, err
}

func TitleOf(p *recognise.Product, edition, version string) *recognise.Title {
	for i := range p.Titles {
		if t := &p.Titles[i]; t.Edition == edition && t.Version == version {
			return t
		}
	}
	return nil
}
