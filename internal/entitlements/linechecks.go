package entitlements

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// LineCheck is something about a line that cannot be right, or that is worth a second look.
type LineCheck struct {
	Field   string
	Text    string
	Serious bool // the line cannot be kept like this
}

// lineChecker looks at a line as typed so far. Fields that are still empty are left alone.
type lineChecker struct {
	tx     *sqlite.Tx
	today  civil.Day
	typed  map[string]string
	e      formats.Entitlement
	old    string // the line that is being changed, or empty
	all    []stored.Entitlement
	byCode map[string]*stored.Entitlement
	out    []LineCheck
}

// CheckLine says what of a line, as typed so far, cannot be right. old is the line that is being changed, or empty.
func (svc *Service) CheckLine(ctx context.Context, values map[string]string, old string) ([]LineCheck, error) {
	k := lineChecker{
		today:  svc.Snapshots.Today(),
		typed:  map[string]string{},
		old:    old,
		byCode: map[string]*stored.Entitlement{},
		out:    []LineCheck{},
	}
	for _, c := range formats.Entitlements.Columns {
		k.typed[c] = strings.TrimSpace(values[c])
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		k.tx = tx
		for _, check := range []func() error{k.form, k.code, k.product, k.seats, k.transactions, k.order, k.dates,
			k.terms,
			k.money, k.scope} {
			if err := check(); err != nil {
				return err
			}
		}
		return nil
	})
	return k.out, err
}

func (k *lineChecker) say(field string, serious bool, format string, args ...any) {
	k.out = append(k.out, LineCheck{field, fmt.Sprintf(format, args...), serious})
}

// form reads the line as a file's line would be read.
func (k *lineChecker) form() (err error) {
	k.e, err = parseLine(k.typed)
	if err == nil {
		return nil
	}
	var bad *formats.LineError
	if !errors.As(err, &bad) {
		return err
	}
	if !strings.HasSuffix(bad.Reason, " is empty") {
		field, _, _ := strings.Cut(bad.Reason, " ")
		if field == "it" { // it ends before it starts
			field = "end"
		}
		k.say(strings.TrimSuffix(field, ":"), true, "%s", bad.Reason)
	}
	return nil
}

// code looks for another line of the same number.
func (k *lineChecker) code() (err error) {
	if k.all, err = entitlementsdb.AllEntitlements(k.tx); err != nil {
		return err
	}
	for i := range k.all {
		k.byCode[k.all[i].Code] = &k.all[i]
	}
	if known := k.byCode[k.e.Code]; known != nil && k.e.Code != k.old {
		k.say("entitlement_id", true, "there is an entitlement %s already, for %s", k.e.Code,
			known.Entitlement.Product)
	}
	return nil
}

// product looks whether there is such a product, and what an upgrade upgrades.
func (k *lineChecker) product() error {
	products, err := snapshot.ProductKeysByAnyName(k.tx)
	if err != nil {
		return err
	}
	product := int64(0)
	if k.typed["product"] != "" {
		var reason string
		if product, reason = snapshot.FindProduct(products, k.typed["publisher"], k.typed["product"]); reason != "" {
			k.say("product", true, "%s", strings.TrimSuffix(reason, "; the line is tried again when titles come in"))
		}
	}
	if k.e.Kind == entitle.Upgrade {
		k.base(product)
	} else if k.e.Base != "" {
		k.say("base", false, "only an upgrade has a base; it will be kept and mean nothing")
	}
	return nil
}

// seats looks whether more are assigned than it would have.
func (k *lineChecker) seats() error {
	known := k.byCode[k.old]
	if k.old == "" || known == nil {
		return nil
	}
	held, err := stored.Assignments(k.tx, k.today)
	if err != nil {
		return err
	}
	n := int64(0)
	for _, s := range held {
		if s.Line == known.ID {
			n++
		}
	}
	is := known.Line
	is.Quantity, is.PackSize, is.Start, is.Purchased = k.e.Quantity, k.e.PackSize, k.e.Start, k.e.Purchased
	q := is.Booked(k.today) * max(1, is.PackSize)
	if k.typed["quantity"] != "" && q < n {
		k.say("quantity", true, "%d seats of it are assigned: hand some back before it goes down to %d", n, q)
	}
	return nil
}

// transactions looks whether what is booked on the line holds with what is typed of it.
func (k *lineChecker) transactions() error {
	known := k.byCode[k.old]
	if k.old == "" || known == nil || k.typed["quantity"] == "" {
		return nil
	}
	is := known.Line
	is.Quantity, is.Start, is.Purchased = k.e.Quantity, k.e.Start, k.e.Purchased
	if on, by := is.Overdrawn(); by > 0 {
		k.say("quantity", true, "with %d, more would have left the line on %s than was in it, by %d", is.Quantity, on,
			by)
	}
	first := is.BoughtOn()
	for i := range is.Transactions {
		t := &is.Transactions[i]
		if t.Type == "buy" && t.Quantity == is.Quantity && is.OwnPurchase() && t.On > first {
			k.say("quantity", false,
				"its own quantity, %d, counts as its first purchase, and %d are bought on %s besides: "+
					"where that is the same purchase, take it back", is.Quantity, t.Quantity, t.On)
			break
		}
	}
	return nil
}

// order looks for another line of the same order.
func (k *lineChecker) order() error {
	for i := range k.all {
		o := &k.all[i]
		if k.e.Order != "" && o.Order == k.e.Order && o.Code != k.old && o.Code != k.e.Code {
			k.say("order", false, "%s has this order number too, for %d of %s: is it the same purchase?", o.Code,
				o.Quantity, o.Entitlement.Product)
			break
		}
	}
	return nil
}

// dates looks for days that can hardly be meant.
func (k *lineChecker) dates() error {
	e := &k.e
	for field, d := range map[string]civil.Day{"start": e.Start, "end": e.End, "maintenance_end": e.MaintenanceEnd,
		"purchased": e.Purchased} {
		if d.Known() && (d < k.today-far*366 || d > k.today+far*366) {
			k.say(field, false, "%s lies more than %d years away: is the year right?", d, far)
		}
	}
	if e.MaintenanceEnd.Known() && e.Start.Known() && e.MaintenanceEnd < e.Start {
		k.say("maintenance_end", false, "maintenance ends before the line starts: it gives no release")
	}
	if (e.Kind == entitle.Subscription || e.Kind == entitle.Trial) && !e.End.Known() && k.typed["kind"] != "" &&
		k.typed["quantity"] != "" {
		k.say("end", false, "a %s without an end never runs out here", e.Kind)
	}
	return nil
}

// terms looks for terms that mean nothing for its metric.
func (k *lineChecker) terms() error {
	e := &k.e
	if e.Metric != "" && e.Metric != entitle.Core && (e.MinPerProcessor > 0 || e.MinPerServer > 0) {
		k.say("min_per_processor", false, "least cores count for the metric core alone")
	}
	if e.Metric != "" && e.Metric != entitle.Core && e.Metric != entitle.Processor && e.Capacity == "sub" {
		k.say("capacity", false, "sub-capacity counts for processors and cores alone")
	}
	return nil
}

// money looks whether its currency has a rate.
func (k *lineChecker) money() error {
	if !k.e.UnitPrice.Valid {
		return nil
	}
	rates, err := snapshot.LoadRates(k.tx)
	if err != nil {
		return err
	}
	if _, err := rates.InHouse(decimal.NewFromInt(1), k.e.Currency, k.today); err != nil {
		k.say("currency", false, "no rate is known for %s: its amounts stay out of sums until rates.csv has one",
			k.e.Currency)
	}
	return nil
}

// scope looks whether a device is where it is good.
func (k *lineChecker) scope() error {
	if k.e.ScopeUnit == "" {
		return nil
	}
	groups, err := snapshot.AutomaticGroups(k.tx)
	if err != nil {
		return err
	}
	if c, ok := groups[k.e.ScopeUnit]; !ok || c.Field != "unit" {
		k.say("scope_unit", false, "no device is in the unit %q: nothing would be covered", k.e.ScopeUnit)
	}
	return nil
}

// base says what is wrong with the base of an upgrade.
func (k *lineChecker) base(product int64) {
	e, old := &k.e, k.old
	if e.Base == "" {
		k.say("base", false, "an upgrade counts for nothing without the entitlement that it upgrades")
		return
	}
	base := k.byCode[e.Base]
	if base == nil {
		k.say("base", true, "there is no entitlement %s to upgrade", e.Base)
		return
	}
	if product != 0 && base.Line.Product != product {
		k.say("base", true, "%s is of %s, not of this product", e.Base, base.Entitlement.Product)
	}
	for at, n := base, 0; at != nil && at.Kind == entitle.Upgrade && n < 100; at, n = k.byCode[at.Base], n+1 {
		if at.Code == e.Code || at.Base == e.Code || old != "" && at.Base == old {
			k.say("base", true, "%s upgrades this line in turn: an upgrade cannot rest on itself", at.Code)
			return
		}
	}
	var family []entitle.Line
	for _, s := range k.byCode {
		if s.Line.Product == base.Line.Product && s.Code != old {
			family = append(family, s.Line)
		}
	}
	if free := entitle.Effective(family, k.today)[e.Base].Quantity; e.Quantity > free {
		k.say(
			"quantity",
			false,
			"%s has %d rights left to upgrade: %d of these will count for nothing",
			e.Base,
			free,
			e.Quantity-free,
		)
	}
}

// parseLine reads a line as a line of entitlements.csv.
func parseLine(values map[string]string) (formats.Entitlement, error) {
	return readTyped(formats.Entitlements, values, formats.ParseEntitlement)
}

// parseTyped reads what somebody typed as a line of a file. What cannot be read is refused with its reason.
func parseTyped[T any](kind *formats.Kind, values map[string]string, parse func(*formats.Row) (T, error)) (T, error) {
	v, err := readTyped(kind, values, parse)
	var bad *formats.LineError
	if errors.As(err, &bad) {
		err = refuse.New(bad.Reason)
	}
	return v, err
}

func readTyped[T any](
	kind *formats.Kind,
	values map[string]string,
	parse func(*formats.Row) (T, error),
) (v T, err error) {
	var buf bytes.Buffer
	w, err := formats.NewWriter(&buf, "csv", kind.Columns)
	if err != nil {
		return v, err
	}
	row := make([]string, len(kind.Columns))
	for i, c := range kind.Columns {
		row[i] = values[c]
	}
	if err := errors.Join(w.Write(row), w.Close()); err != nil {
		return v, err
	}
	r, err := formats.NewReader(&buf, kind)
	if err != nil {
		return v, err
	}
	next, err := r.Next()
	if err != nil {
		return v, err
	}
	return parse(next)
}
