package entitlements

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

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
	// the same amounts in the currency of the house at the rate of today; empty where there is no rate
	KeepHouse     string
	KeepUsedHouse string
	LetGoHouse    string
	// of maintenance: how many run releases that came out under it, which these are, and which are known to come after
	Rests    int64
	Releases []string
	Coming   []string
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
		rates, err := snapshot.LoadRates(tx)
		if err != nil {
			return err
		}
		var products []int64
		for i := range all {
			if l := &all[i]; within(l.LastDay()) || within(l.MaintainedUntil()) {
				products = append(products, l.Line.Product)
			}
		}
		if products = stored.Distinct(products); len(products) > 0 {
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
			if sum, n := recurring(all, c.Code, rates, svc.Snapshots.Today()); n > 0 {
				r.Keep, r.Currency = sum.Round(2).String(), rates.House()
			}
			out = append(out, r)
		}
		for i := range out {
			out[i].inHouse(rates, svc.Snapshots.Today())
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

// recurring sums what keeping the lines of a contract costs each time that they are renewed, in the currency of the
// house, and counts the lines that are in it. What was bought for ever is not, nor what nobody knows the price or the
// rate of.
func recurring(all []stored.Entitlement, contract string, rates money.Rates, today civil.Day) (
	sum decimal.Decimal, lines int) {
	for k := range all {
		l := &all[k]
		if l.Contract != contract || !l.InTerm(today) {
			continue
		}
		amount, currency, known := l.Recurs(today)
		if c, err := rates.InHouse(amount, currency, today); known && err == nil {
			sum, lines = sum.Add(c), lines+1
		}
	}
	return sum, lines
}

// inHouse says the amounts in the currency of the house too.
func (r *Renewal) inHouse(rates money.Rates, today civil.Day) {
	for from, to := range map[*string]*string{&r.Keep: &r.KeepHouse, &r.KeepUsed: &r.KeepUsedHouse} {
		*to = inHouse(rates, *from, r.Currency, today)
	}
	if r.Releases == nil {
		r.Releases = []string{}
	}
	if r.Coming == nil {
		r.Coming = []string{}
	}
}

func inHouse(rates money.Rates, amount, currency string, on civil.Day) string {
	d, err := decimal.NewFromString(amount)
	if err != nil {
		return ""
	}
	c, err := rates.InHouse(d, currency, on)
	if err != nil {
		return ""
	}
	return c.Round(2).String()
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
		if last := l.LastDay(); l.Kind == entitle.Maintenance && within(last) {
			out = append(out, maintenance(e, f, l, r, last, now))
		} else if within(last) {
			one := r
			one.What, one.On = "right", last.String()
			without, err := position.Apply(in, position.Measure{Kind: position.Lapse, Line: l.Code}, 0)
			if err == nil {
				ps := position.Compute(without)
				one.ShortMore = snapshot.SumShort(ps) - snapshot.SumShort(now)
				one.LetGo = decimal.New(exposure(ps)-exposure(now), -4).String()
				one.LetGoHouse = inHouse(e.Rates, one.LetGo, f.Currency, e.AsOf)
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
		if last := l.MaintainedUntil(); within(last) && l.Kind != entitle.Maintenance {
			out = append(out, maintenance(e, f, l, r, last, now))
		}
	}
	return out
}

// maintenance judges the end of maintenance, a line of its own or the term of a right: what renewing it costs, who runs
// releases that came out under it, and which are known to come that nobody would have a right to. What came out under
// it stays covered.
func maintenance(e *snapshot.Snapshot, f *snapshot.ProductFacts, l *entitle.Line, r Renewal, last civil.Day,
	now []position.Position) Renewal {
	r.What, r.On = "maintenance", last.String()
	if amount, currency, known := l.Recurs(e.AsOf); known {
		r.Keep, r.Currency = amount.Round(2).String(), currency
	}
	if l.Kind == entitle.Maintenance {
		r.Quantity = l.Booked(e.AsOf)
	}
	for i := range now {
		for k := range now[i].Units {
			u := &now[i].Units[k]
			if u.Line < 0 || u.Reason != entitle.NewerVersion ||
				l.Kind != entitle.Maintenance && now[i].Lines[u.Line].Line.Code != l.Code {
				continue
			}
			r.Rests += u.Part
			for _, n := range u.Set.Needs {
				if n.Version != "" && !slices.Contains(r.Releases, n.Version) {
					r.Releases = append(r.Releases, n.Version)
				}
			}
		}
	}
	slices.Sort(r.Releases)
	for i := range f.Product.Titles {
		if t := &f.Product.Titles[i]; t.Released > last {
			r.Coming = append(r.Coming, strings.TrimSpace(t.Edition+" "+t.Version)+" on "+t.Released.String())
		}
	}
	if r.Advice = "let go"; r.Rests > 0 || len(r.Coming) > 0 {
		r.Advice = "keep"
	}
	return r
}
