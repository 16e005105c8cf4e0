package entitlements

import (
	"cmp"
	"context"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Renewal is something that ends: a right, its maintenance, or a contract.
type Renewal struct {
	On        string // the last day
	Notice    string // the last day to give notice, empty where none is needed
	What      string // right, maintenance, contract
	Kind      string // of the right
	Line      string
	Contract  string
	Renews    bool // the contract goes on by itself
	ProductID int64
	Publisher string
	Product   string
	Unit      string
	Quantity  int64
	Used      int64  // rights of it that cover something
	Keep      string // what keeping it costs, at its own price
	KeepUsed  string // what keeping just what is used costs
	LetGo     string // by how much the exposure grows when it ends
	ShortMore int64  // by how much the shortfall grows when it ends
	Currency  string
	DaysLeft  int
	Advice    string // keep, keep what is used, let go,
}

// Renewals lists what ends from a day on within so many days, by date, each with what it costs to let go or to keep.
// A right is judged by the position without it.
func (svc *Service) Renewals(ctx context.Context, from civil.Day, days int) ([]Renewal, error) {
	out := []Renewal{}
	if days < 1 || days > 3700 {
		return nil, refuse.New("look ahead between a day and ten years")
	}
	from = svc.Snapshots.DayOr(from)
	to := from + civil.Day(days)
	within := func(d civil.Day) bool { return d.Known() && d >= from && d <= to }
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		all, err := entitlementsdb.AllEntitlements(tx)
		if err != nil {
			return err
		}
		contracts, err := entitlementsdb.Contracts(tx)
		if err != nil {
			return err
		}
		byCode := map[string]*entitlementsdb.Contract{}
		for i := range contracts {
			byCode[contracts[i].Code] = &contracts[i]
		}
		var products []int64
		for i := range all {
			if l := &all[i]; within(l.LastDay()) || within(l.MaintainedUntil()) {
				products = append(products, l.Line.Product)
			}
		}
		if products = snapshot.Distinct(products); len(products) > 0 {
			e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), products)
			if err != nil {
				return err
			}
			for _, id := range products {
				if err := ctx.Err(); err != nil {
					return err
				}
				out = append(out, renewals(e, e.Products[id], byCode, within)...)
			}
		}
		for i := range contracts {
			c := &contracts[i]
			if !within(c.End) && !(c.NoticeDays > 0 && within(c.End-civil.Day(c.NoticeDays))) {
				continue
			}
			r := Renewal{
				On:        c.End.String(),
				What:      "contract",
				Contract:  c.Code,
				Renews:    c.Renews,
				Publisher: c.Publisher,
				Product:   c.Name,
				Notice:    noticeDay(c),
			}
			sum, currency := decimal.Zero, ""
			mixed := false
			for k := range all {
				if l := &all[k]; l.Contract == c.Code {
					r.Quantity += l.Booked(svc.Snapshots.Today())
					if l.UnitPrice.Valid {
						mixed = mixed || currency != "" && currency != l.Currency
						currency = l.Currency
						sum = sum.Add(l.UnitPrice.Decimal.Mul(decimal.NewFromInt(l.Booked(svc.Snapshots.Today()))))
					}
				}
			}
			if currency != "" && !mixed {
				r.Keep, r.Currency = sum.String(), currency
			}
			out = append(out, r)
		}
		return nil
	})
	for i := range out {
		if d, err := civil.Parse(out[i].On); err == nil {
			out[i].DaysLeft = int(d - svc.Snapshots.Today())
		}
	}
	slices.SortStableFunc(out, func(x, y Renewal) int {
		return cmp.Or(cmp.Compare(x.On, y.On), cmp.Compare(x.Product, y.Product), cmp.Compare(x.Line, y.Line))
	})
	return out, err
}

func noticeDay(c *entitlementsdb.Contract) string {
	if c == nil || c.NoticeDays == 0 || !c.End.Known() {
		return ""
	}
	return (c.End - civil.Day(c.NoticeDays)).String()
}

// renewals judges what ends of one product.
func renewals(
	e *snapshot.Snapshot,
	f *snapshot.ProductFacts,
	contracts map[string]*entitlementsdb.Contract,
	within func(civil.Day) bool,
) []Renewal {
	var out []Renewal
	in := e.Input(f, nil)
	now := position.Compute(in)
	used := map[string]int64{}
	effective := map[string]int64{}
	for i := range now {
		for _, l := range now[i].Lines {
			used[l.Line.Code], effective[l.Line.Code] = l.Used, l.Effect.Quantity
		}
	}
	exposure := func(ps []position.Position) (n int64) {
		for i := range ps {
			n += ps[i].Exposure
		}
		return n
	}
	for i := range f.Lines {
		l := &f.Lines[i]
		r := Renewal{
			Kind:      string(l.Kind),
			Line:      l.Code,
			Contract:  l.Contract,
			ProductID: f.Id,
			Publisher: f.Product.Publisher,
			Product:   f.Product.Name,
			Unit:      l.ScopeUnit,
			Quantity:  effective[l.Code],
			Used:      used[l.Code],
			Currency:  l.Currency,
		}
		if c := contracts[l.Contract]; c != nil {
			r.Renews = c.Renews
			if last := l.LastDay(); c.NoticeDays > 0 && last.Known() {
				r.Notice = (last - civil.Day(c.NoticeDays)).String()
			}
		}
		pack := decimal.NewFromInt(max(1, l.PackSize))
		if last := l.LastDay(); within(last) {
			one := r
			one.What, one.On = "right", last.String()
			without, err := position.Apply(in, position.Measure{Kind: position.Lapse, Line: l.Code}, 0)
			if err == nil {
				ps := position.Compute(without)
				one.ShortMore = snapshot.SumShort(ps) - snapshot.SumShort(now)
				one.LetGo = decimal.New(exposure(ps)-exposure(now), -4).String()
			}
			if l.UnitPrice.Valid {
				one.Keep = l.UnitPrice.Decimal.Mul(decimal.NewFromInt(effective[l.Code])).Div(pack).Round(2).String()
				one.KeepUsed = l.UnitPrice.Decimal.Mul(decimal.NewFromInt(used[l.Code])).Div(pack).Round(2).String()
			}
			switch {
			case effective[l.Code] == 0:
			case one.ShortMore == 0:
				one.Advice = "let go"
			case used[l.Code] < effective[l.Code]:
				one.Advice = "keep what is used"
			default:
				one.Advice = "keep"
			}
			out = append(out, one)
		}
		if last := l.MaintainedUntil(); within(last) {
			one := r
			one.What, one.On = "maintenance", last.String()
			out = append(out, one)
		}
	}
	return out
}
