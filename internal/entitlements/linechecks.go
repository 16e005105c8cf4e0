package entitlements

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// LineCheck is something about a line that cannot be right, or that is worth a second look.
type LineCheck struct {
	Field   string
	Text    string
	Serious bool // the line cannot be kept like this
}

// CheckLine says what of a line, as typed so far, cannot be right. old is the line that is being changed, or empty.
// Fields that are still empty are left alone.
func (svc *Service) CheckLine(ctx context.Context, values map[string]string, old string) ([]LineCheck, error) {
	out := []LineCheck{}
	say := func(field string, serious bool, format string, args ...any) {
		out = append(out, LineCheck{field, fmt.Sprintf(format, args...), serious})
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		typed := map[string]string{}
		for _, c := range formats.Entitlements.Columns {
			typed[c] = strings.TrimSpace(values[c])
		}
		e, err := parseLine(typed)
		if err != nil {
			var bad *formats.LineError
			if !errors.As(err, &bad) {
				return err
			}
			if !strings.HasSuffix(bad.Reason, " is empty") {
				field, _, _ := strings.Cut(bad.Reason, " ")
				if field == "it" { // it ends before it starts
					field = "end"
				}
				say(strings.TrimSuffix(field, ":"), true, "%s", bad.Reason)
			}
		}
		all, err := entitlementsdb.AllEntitlements(tx)
		if err != nil {
			return err
		}
		byCode := map[string]*snapshot.StoredEntitlement{}
		for i := range all {
			byCode[all[i].Code] = &all[i]
		}
		if known := byCode[e.Code]; known != nil && e.Code != old {
			say("entitlement_id", true, "there is an entitlement %s already, for %s", e.Code,
				known.Entitlement.Product)
		}
		products, err := snapshot.ProductKeysByAnyName(tx)
		if err != nil {
			return err
		}
		product := int64(0)
		if typed["product"] != "" {
			var reason string
			if product, reason = snapshot.FindProduct(products, typed["publisher"], typed["product"]); reason != "" {
				say("product", true, "%s", strings.TrimSuffix(reason, "; the line is tried again when titles come in"))
			}
		}
		if e.Kind == entitle.Upgrade {
			svc.checkBase(&e, old, product, byCode, say)
		} else if e.Base != "" {
			say("base", false, "only an upgrade has a base; it will be kept and mean nothing")
		}
		if known := byCode[old]; old != "" && known != nil {
			held, err := snapshot.Assignments(tx, svc.Snapshots.Today())
			if err != nil {
				return err
			}
			n := int64(0)
			for _, s := range held {
				if s.Line == known.ID {
					n++
				}
			}
			if q := e.Quantity * max(1, e.PackSize); typed["quantity"] != "" && q < n && len(known.Transactions) == 0 {
				say("quantity", true, "%d seats of it are assigned: hand some back before it goes down to %d", n, q)
			}
		}
		for i := range all {
			if o := &all[i]; e.Order != "" && o.Order == e.Order && o.Code != old && o.Code != e.Code {
				say(
					"order",
					false,
					"%s has this order number too, for %d of %s: is it the same purchase?",
					o.Code,
					o.Quantity,
					o.Entitlement.Product,
				)
				break
			}
		}
		for field, d := range map[string]civil.Day{"start": e.Start, "end": e.End, "maintenance_end": e.MaintenanceEnd,
			"purchased": e.Purchased} {
			if d.Known() && (d < svc.Snapshots.Today()-far*366 || d > svc.Snapshots.Today()+far*366) {
				say(field, false, "%s lies more than %d years away: is the year right?", d, far)
			}
		}
		if e.MaintenanceEnd.Known() && e.Start.Known() && e.MaintenanceEnd < e.Start {
			say("maintenance_end", false, "maintenance ends before the line starts: it gives no release")
		}
		if (e.Kind == entitle.Subscription || e.Kind == entitle.Trial) && !e.End.Known() && typed["kind"] != "" &&
			typed["quantity"] != "" {
			say("end", false, "a %s without an end never runs out here", e.Kind)
		}
		if e.Metric != "" && e.Metric != entitle.Core && (e.MinPerProcessor > 0 || e.MinPerServer > 0) {
			say("min_per_processor", false, "least cores count for the metric core alone")
		}
		if e.Metric != "" && e.Metric != entitle.Core && e.Metric != entitle.Processor && e.Capacity == "sub" {
			say("capacity", false, "sub-capacity counts for processors and cores alone")
		}
		if e.UnitPrice.Valid && e.Currency != money.Base {
			rates, err := snapshot.LoadRates(tx)
			if err != nil {
				return err
			}
			if _, err := rates.Convert(decimal.NewFromInt(1), e.Currency, money.Base,
				svc.Snapshots.Today()); err != nil {
				say(
					"currency",
					false,
					"no rate is known for %s: its amounts stay out of sums until rates.csv has one",
					e.Currency,
				)
			}
		}
		if e.ScopeUnit != "" {
			groups, err := snapshot.AutomaticGroups(tx)
			if err != nil {
				return err
			}
			if c, ok := groups[e.ScopeUnit]; !ok || c.Field != "unit" {
				say("scope_unit", false, "no device is in the unit %q: nothing would be covered", e.ScopeUnit)
			}
		}
		return nil
	})
	return out, err
}

// checkBase says what is wrong with the base of an upgrade.
func (svc *Service) checkBase(
	e *formats.Entitlement,
	old string,
	product int64,
	byCode map[string]*snapshot.StoredEntitlement,
	say func(field string, serious bool, format string, args ...any),
) {
	if e.Base == "" {
		say("base", false, "an upgrade counts for nothing without the entitlement that it upgrades")
		return
	}
	base := byCode[e.Base]
	if base == nil {
		say("base", true, "there is no entitlement %s to upgrade", e.Base)
		return
	}
	if product != 0 && base.Line.Product != product {
		say("base", true, "%s is of %s, not of this product", e.Base, base.Entitlement.Product)
	}
	for at, n := base, 0; at != nil && at.Kind == entitle.Upgrade && n < 100; at, n = byCode[at.Base], n+1 {
		if at.Code == e.Code || at.Base == e.Code || old != "" && at.Base == old {
			say("base", true, "%s upgrades this line in turn: an upgrade cannot rest on itself", at.Code)
			return
		}
	}
	var family []entitle.Line
	for _, s := range byCode {
		if s.Line.Product == base.Line.Product && s.Code != old {
			family = append(family, s.Line)
		}
	}
	if free := entitle.Effective(family, svc.Snapshots.Today())[e.Base].Quantity; e.Quantity > free {
		say(
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
	var buf bytes.Buffer
	w, err := formats.NewWriter(&buf, "csv", formats.Entitlements.Columns)
	if err != nil {
		return formats.Entitlement{}, err
	}
	row := make([]string, len(formats.Entitlements.Columns))
	for i, c := range formats.Entitlements.Columns {
		row[i] = values[c]
	}
	if err := errors.Join(w.Write(row), w.Close()); err != nil {
		return formats.Entitlement{}, err
	}
	r, err := formats.NewReader(&buf, formats.Entitlements)
	if err != nil {
		return formats.Entitlement{}, err
	}
	next, err := r.Next()
	if err != nil {
		return formats.Entitlement{}, err
	}
	return formats.ParseEntitlement(next)
}
