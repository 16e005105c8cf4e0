package snapshot

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
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

// StoredEntitlement is an entitlement with what storage adds.
type StoredEntitlement struct {
	formats.Entitlement
	ID        int64
	ChangedAt int64
	Author    string
}

// LineField is a column of the table of entitlements: where its value is read into, and what is written.
type LineField struct {
	Column string
	Into   any
	Value  func() any
	Later  bool // it came after files of an earlier version were taken in, which do not say it
}

// LineFields are the columns that hold what entitlements.csv says of a line. A column stands here and nowhere else.
func LineFields(e *formats.Entitlement) []LineField {
	return []LineField{
		plainField("code", &e.Code),
		plainField("edition", &e.Edition),
		plainField("version", &e.Version),
		plainField("metric", &e.Metric),
		plainField("quantity", &e.Quantity),
		plainField("kind", &e.Kind),
		plainField("start", &e.Start),
		plainField("end", &e.End),
		plainField("maintenance_end", &e.MaintenanceEnd),
		{Column: "unit_price", Into: &e.UnitPrice, Value: func() any { return sqlite.Money(e.UnitPrice) }},
		plainField("currency", &e.Currency),
		plainField("purchased", &e.Purchased),
		plainField("order_no", &e.Order),
		plainField("contract", &e.Contract),
		plainField("scope_unit", &e.ScopeUnit),
		plainField("scope_country", &e.ScopeCountry),
		{Column: "rights", Into: rightsInto{&e.Rights}, Value: func() any { return joinRights(e.Rights) }},
		plainField("min_per_processor", &e.MinPerProcessor),
		plainField("min_per_server", &e.MinPerServer),
		plainField("pack_size", &e.PackSize),
		plainField("capacity", &e.Capacity),
		plainField("base", &e.Base),
		later(plainField("versions_counted", &e.VersionsCounted)),
		{Column: "custom", Into: customInto{&e.Custom}, Value: func() any { return sqlite.Custom(e.Custom) }},
	}
}

func plainField[T any](column string, v *T) LineField {
	return LineField{Column: column, Into: v, Value: func() any { return *v }}
}

func later(f LineField) LineField {
	f.Later = true
	return f
}

// rightsInto reads rights that are kept between bars.
type rightsInto struct{ to *[]entitle.Right }

// Scan reads what the database holds.
func (r rightsInto) Scan(v any) error {
	for _, s := range strings.Split(fmt.Sprint(v), "|") {
		if s != "" {
			*r.to = append(*r.to, entitle.Right(s))
		}
	}
	return nil
}

func joinRights(list []entitle.Right) string {
	var out []string
	for _, r := range list {
		out = append(out, string(r))
	}
	return strings.Join(out, "|")
}

// customInto reads columns of somebody's own.
type customInto struct{ to *map[string]string }

// Scan reads what the database holds.
func (c customInto) Scan(v any) error {
	text := fmt.Sprint(v)
	if text == "" {
		return nil
	}
	return json.Unmarshal([]byte(text), c.to)
}

// EntitlementsOf reads the entitlements of some products; nil is all.
func EntitlementsOf(tx *sqlite.Tx, products []int64) ([]StoredEntitlement, error) {
	of, ofTxn, args := "", "", []any{}
	if products != nil {
		text, err := json.Marshal(products)
		if err != nil {
			return nil, err
		}
		of, args = " AND e.product_id IN (SELECT value FROM json_each(?))", append(args, string(text))
		ofTxn = " AND entitlement_id IN (SELECT id FROM entitlement WHERE product_id IN (SELECT value FROM " +
			"json_each(?)))"
	}
	list, err := readLines(tx, of, args...)
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i := range list {
		at[list[i].ID] = i
	}
	txns, err := transactionRows(tx, ofTxn, args...)
	for _, t := range txns {
		if i, ok := at[t.line]; ok {
			list[i].Transactions = append(list[i].Transactions, t.Transaction)
		}
	}
	return list, err
}

type transactionRow struct {
	line int64
	entitle.Transaction
}

// transactionRows reads transactions that were not taken back, by their days.
func transactionRows(tx *sqlite.Tx, where string, args ...any) ([]transactionRow, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *transactionRow) error {
		var price sql.NullString
		err := r.Scan(&v.ID, &v.line, &v.Type, &v.On, &v.Quantity, &v.End, &price, &v.Currency, &v.Order, &v.Note,
			&v.Request, &v.Nth)
		v.Price = sqlite.ReadMoney(price)
		return err
	}, "SELECT id, entitlement_id, type, on_day, quantity, end_day, price, currency, order_no, note, request, nth "+
		"FROM txn WHERE gone_at IS NULL"+where+" ORDER BY on_day, id", args...)
}

// EntitlementByCode reads one line, without its transactions.
func EntitlementByCode(tx *sqlite.Tx, code string) ([]StoredEntitlement, error) {
	return readLines(tx, " AND e.code = ?", code)
}

// BareLines reads every line, without transactions.
func BareLines(tx *sqlite.Tx) ([]StoredEntitlement, error) { return readLines(tx, "") }

func readLines(tx *sqlite.Tx, where string, args ...any) ([]StoredEntitlement, error) {
	columns := []string{"e.id", "e.product_id", "p.publisher", "p.name", "e.changed_at", "e.author"}
	for _, f := range LineFields(&formats.Entitlement{}) {
		columns = append(columns, "e."+f.Column)
	}
	return sqlite.Query(tx, func(r *sql.Rows, e *StoredEntitlement) error {
		into := []any{&e.ID, &e.Line.Product, &e.Publisher, &e.Entitlement.Product, &e.ChangedAt, &e.Author}
		for _, f := range LineFields(&e.Entitlement) {
			into = append(into, f.Into)
		}
		err := r.Scan(into...)
		e.Line.ID = e.ID
		return err
	}, "SELECT "+strings.Join(columns, ", ")+" FROM entitlement e JOIN product p ON p.id = e.product_id WHERE "+
		"e.withdrawn_at = 0"+where+" ORDER BY e.code", args...)
}

// TouchLine marks the product of an entitlement.
func TouchLine(tx *sqlite.Tx, line int64) error {
	var product int64
	if err := tx.QueryRowContext(tx.Ctx, "SELECT product_id FROM entitlement WHERE id = ?",
		line).Scan(&product); err != nil {
		return err
	}
	return renewal.Touch(tx, []int64{product})
}

// KeepLastDay keeps the last day of a line's term, which the list of lines filters by.
func KeepLastDay(tx *sqlite.Tx, line int64) error {
	list, err := readLines(tx, " AND e.id = ?", line)
	if err != nil || len(list) == 0 {
		return err
	}
	l := &list[0].Line
	if l.Transactions, err = transactionsOf(tx, " AND entitlement_id = ?", line); err != nil {
		return err
	}
	_, err = tx.Touched("UPDATE entitlement SET last_day = ?1 WHERE id = ?2 AND last_day <> ?1", l.LastDay(), line)
	return err
}

func transactionsOf(tx *sqlite.Tx, where string, args ...any) ([]entitle.Transaction, error) {
	rows, err := transactionRows(tx, where, args...)
	out := make([]entitle.Transaction, len(rows))
	for i := range rows {
		out[i] = rows[i].Transaction
	}
	return out, err
}

// Assigned is a seat that a user or a device holds.
type Assigned struct {
	Line, Person, Device int64
	From, Until          civil.Day
}

// Assignments reads the seats held on a day, all of them where day is unknown.
func Assignments(tx *sqlite.Tx, day civil.Day) ([]Assigned, error) {
	return AssignmentsOf(tx, nil, day)
}

// AssignmentsOf reads the seats of some products that are held on a day; nil is all products.
func AssignmentsOf(tx *sqlite.Tx, products []int64, day civil.Day) ([]Assigned, error) {
	of, args := "", []any{day}
	if products != nil {
		list, err := json.Marshal(products)
		if err != nil {
			return nil, err
		}
		of, args = " AND entitlement_id IN (SELECT id FROM entitlement WHERE product_id IN (SELECT value FROM "+
			"json_each(?2)))", append(args, string(list))
	}
	return sqlite.Select[Assigned](tx, `SELECT entitlement_id AS line,
		coalesce(person_id, 0) AS person, coalesce(device_id, 0) AS device, from_day AS "from", until_day AS
		until FROM assignment WHERE (?1 = 0 OR (from_day <= ?1
		AND (until_day = 0 OR until_day >= ?1)))`+of+` ORDER BY id`,
		args...)
}

// StoredPolicy is a policy with its author.
type StoredPolicy struct {
	policy.Policy
	PublisherName string
	Owner         string    // who answers for an exception
	Until         civil.Day // the last day on which it holds, 0 where it has no end
	Author        string
	At            int64
}

// Policies reads the policies in force.
func Policies(tx *sqlite.Tx) ([]StoredPolicy, error) {
	return sqlite.Query(tx, func(r *sql.Rows, p *StoredPolicy) error {
		var cond string
		if err := r.Scan(&p.ID, &p.Product, &p.PublisherName, &p.Category, &p.GroupName, &cond, &p.Stance,
			&p.Hours.Days, &p.Hours.From, &p.Hours.To, &p.Reason, &p.Owner, &p.Until, &p.Author, &p.At); err != nil {
			return err
		}
		p.Publisher = recognise.CleanPublisher(p.PublisherName)
		p.Exception = p.Until.Known()
		return json.Unmarshal([]byte(cond), &p.Group)
	}, "SELECT id, product_id, publisher, category, group_name, condition, stance, days, from_minute, to_minute, "+
		"reason, owner, until_day, author, at FROM policy WHERE ended_at IS NULL ORDER BY id")
}

// automaticGroups are the columns of devices whose values are groups. Where two have a name, the later one counts.
var automaticGroups = []struct{ field, column, op string }{{"site", "site", "is"}, {"kind", "kind", "is"},
	{"environment", "environment", "is"}, {"unit", "org_unit", "under"}}

// AutomaticGroups lists the groups that exist by themselves: units, with those above them, environments, kinds and
// sites. Each is a condition.
func AutomaticGroups(tx *sqlite.Tx) (map[string]condition.Condition, error) {
	out := map[string]condition.Condition{}
	for _, g := range automaticGroups {
		values, err := sqlite.Select[string](
			tx,
			"SELECT DISTINCT "+g.column+" FROM device WHERE "+g.column+" <> ''",
		)
		if err != nil {
			return nil, err
		}
		for _, v := range values {
			for v != "" {
				out[v] = condition.Condition{Field: g.field, Op: g.op, Value: v}
				cut := strings.LastIndexByte(v, '/')
				if g.field != "unit" || cut < 0 {
					break
				}
				v = v[:cut]
			}
		}
	}
	return out, nil
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

func LoadRates(tx *sqlite.Tx) (money.Rates, error) {
	rates, err := Rates(tx)
	if err != nil {
		return money.Rates{}, err
	}
	house, err := tx.Setting(HouseCurrency)
	var list []money.Rate
	for _, r := range rates {
		list = append(list, money.Rate(r))
	}
	return money.NewRates(list, house), err
}

// Effective is what the lines of a product come to on the day, by their codes; nothing where the product is not known.
func (e *Snapshot) Effective(product int64) map[string]entitle.Effect {
	if f := e.Products[product]; f != nil {
		return entitle.Effective(f.Lines, e.AsOf)
	}
	return nil
}
