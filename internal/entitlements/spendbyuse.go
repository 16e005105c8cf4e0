package entitlements

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// Spending is what was spent, and on whom.
type Spending struct{ *Service }

// yearOfLine is what a line cost in a year, in the currency of the house and cents.
type yearOfLine struct {
	year   int
	line   int // of the lines that were read
	amount decimal.Decimal
}

// Unconverted is a payment whose currency had no rate on its day: it is in no sum.
type Unconverted struct {
	Line      string
	Product   string
	ProductID int64
	On        string
	Amount    string
	Currency  string
}

// spent is what lines cost, year by year, in the currency of the house at the rate of the day of each payment, and
// what is in no sum.
func (svc *Spending) spent(
	tx *sqlite.Tx,
) (all []stored.Entitlement, out []yearOfLine, without []Unconverted,
	err error) {
	without = []Unconverted{}
	if all, err = entitlementsdb.AllEntitlements(tx); err != nil {
		return nil, nil, nil, err
	}
	rates, err := snapshot.LoadRates(tx)
	if err != nil {
		return nil, nil, nil, err
	}
	today := svc.Snapshots.Today()
	for i := range all {
		l := &all[i]
		sums := map[int]decimal.Decimal{}
		for _, p := range l.Payments() {
			amount := p.Price.Mul(decimal.NewFromInt(p.Quantity))
			if !p.On.Known() || p.On > today || amount.IsZero() {
				continue
			}
			currency := cmp.Or(p.Currency, l.Currency)
			own, err := rates.InHouse(amount, currency, p.On)
			if err != nil {
				without = append(without, Unconverted{l.Code, l.Entitlement.Product, l.Line.Product, p.On.String(),
					amount.String(), currency})
				continue
			}
			sums[p.On.Year()] = sums[p.On.Year()].Add(own)
		}
		for _, year := range slices.Sorted(maps.Keys(sums)) {
			out = append(out, yearOfLine{year, i, sums[year].Round(2)})
		}
	}
	return all, out, without, nil
}

// Whose a part of what was spent is.
const (
	UsedPart  = "used"         // a unit's, by what it uses of the line today
	SparePart = "spare"        // nobody's: rights that nobody uses; the unit is the line's scope
	PastPart  = "not in force" // the line gives no right today; the unit is the line's scope
)

// UseSpend is the part of what was spent in a year that falls to a unit.
type UseSpend struct {
	Year      int
	Unit      string // empty is that no unit is known, or everyone's
	Part      string // used, spare, not in force
	Publisher string // of one product alone, where one unit is asked for
	ProductID int64
	Product   string
	Amount    string // in the currency of the house
}

// SpendByUse is what was spent, by who uses it. It adds up to what Spend says, to the cent. Without are payments whose
// currency had no rate on their day.
type SpendByUse struct {
	Rows    []UseSpend
	Without []Unconverted
}

// UseAsked is what of spend by use is asked for: of all units, or of one with all below it, then by product; spread
// shares what nobody uses among who uses the line.
type UseAsked struct {
	Unit      string
	ByProduct bool
	Spread    bool
	Product   int64 // 0 is all
}

// ByUse splits what lines cost among the units by what each uses of them today; what nobody uses stands apart, or is
// shared among who uses the rest. Parts are whole cents that add up (money.Split). A line that gives no right today
// stays with the unit that it was bought for.
func (svc *Spending) ByUse(ctx context.Context, asked UseAsked) (SpendByUse, error) {
	out := SpendByUse{Rows: []UseSpend{}}
	type key struct {
		year, part int
		unit       string
		product    int64
	}
	parts := []string{UsedPart, SparePart, PastPart}
	sums := map[key]decimal.Decimal{}
	names := map[int64]*stored.Entitlement{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		all, spent, without, err := svc.spent(tx)
		if err != nil {
			return err
		}
		uses, err := snapshot.UsesOfLines(tx)
		if err != nil {
			return err
		}
		gives := rightsToday(all, svc.Snapshots)
		out.Without = without
		for _, s := range spent {
			l := &all[s.line]
			if asked.Product != 0 && l.Line.Product != asked.Product {
				continue
			}
			names[l.Line.Product] = l
			add := func(part int, unit string, amount decimal.Decimal) {
				if asked.Unit != "" && !entitle.InUnit(unit, asked.Unit) {
					return
				}
				k := key{s.year, part, unit, 0}
				if asked.ByProduct {
					k.product = l.Line.Product
				}
				sums[k] = sums[k].Add(amount)
			}
			units := slices.Sorted(maps.Keys(uses[l.Code]))
			weights := make([]int64, len(units), len(units)+1)
			spare := gives[l.Code] * position.Millionths
			for i, unit := range units {
				weights[i] = uses[l.Code][unit]
				spare -= weights[i]
			}
			if !asked.Spread || len(units) == 0 {
				weights = append(weights, max(0, spare))
			}
			amounts := money.Split(s.amount, 2, weights)
			if len(amounts) == 0 {
				add(2, l.ScopeUnit, s.amount)
			}
			for i, amount := range amounts {
				if i < len(units) {
					add(0, units[i], amount)
				} else {
					add(1, l.ScopeUnit, amount)
				}
			}
		}
		return nil
	})
	for k, amount := range sums {
		if amount.IsZero() {
			continue
		}
		r := UseSpend{
			Year:      k.year,
			Unit:      k.unit,
			Part:      parts[k.part],
			ProductID: k.product,
			Amount:    amount.String(),
		}
		if l := names[k.product]; l != nil {
			r.Publisher, r.Product = l.Publisher, l.Entitlement.Product
		}
		out.Rows = append(out.Rows, r)
	}
	slices.SortFunc(out.Rows, func(x, y UseSpend) int {
		return cmp.Or(
			cmp.Compare(y.Year, x.Year),
			cmp.Compare(slices.Index(parts, x.Part), slices.Index(parts, y.Part)),
			cmp.Compare(x.Unit, y.Unit),
			cmp.Compare(x.Publisher, y.Publisher),
			cmp.Compare(x.Product, y.Product),
			cmp.Compare(x.ProductID, y.ProductID),
		)
	})
	return out, err
}

// rightsToday is how many rights each line gives today, by its code.
func rightsToday(all []stored.Entitlement, of *snapshot.Loader) map[string]int64 {
	byProduct := map[int64][]entitle.Line{}
	for i := range all {
		byProduct[all[i].Line.Product] = append(byProduct[all[i].Line.Product], all[i].Line)
	}
	out := map[string]int64{}
	for _, lines := range byProduct {
		for code, effect := range entitle.Effective(lines, of.Today()) {
			out[code] = effect.Quantity
		}
	}
	return out
}
