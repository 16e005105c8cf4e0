package position

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Units returns the units of one group of a product's position, or of all groups where key is empty, up to limit (0
// is all).
func (svc *Service) Units(
	ctx context.Context,
	product int64,
	key string,
	asOf, known civil.Day,
	limit int,
) ([]UnitView, error) {
	out := []UnitView{}
	err := svc.ofProduct(ctx, product, asOf, known, func(_ *sqlite.Tx, e *snapshot.Snapshot,
		f *snapshot.ProductFacts, positions []position.Position) error {
		out = unitViews(e, f, positions, key, limit)
		return nil
	})
	return out, err
}

func unitViews(
	e *snapshot.Snapshot,
	f *snapshot.ProductFacts,
	positions []position.Position,
	key string,
	limit int,
) []UnitView {
	out := []UnitView{}
	holding := map[int64]int{}
	for i, h := range f.Holdings {
		holding[h.Device] = i
	}
	for i := range positions {
		p := &positions[i]
		for j := range p.Units {
			u := &p.Units[j]
			k, line, reason := group(p, u)
			if key != "" && k != key {
				continue
			}
			v := UnitView{
				Unit:    u.Place.Unit,
				Count:   u.Part,
				Whole:   u.Count,
				Free:    u.Free,
				Line:    line,
				Reason:  reason,
				Why:     u.Why,
				Fresh:   u.Fresh,
				Needs:   needsWords(u),
				Records: []int64{},
				Calc:    []demand.CalcStep{},
				Guests:  []GuestView{},
			}
			if d, ok := e.DeviceAt[u.With]; ok {
				v.With = e.Devices[d].Code
			}
			if u.Cores != nil {
				v.Calc = u.Cores.Lines()
				for _, g := range u.Cores.Guests {
					if d, ok := e.DeviceAt[g.Device]; ok {
						v.Guests = append(v.Guests, GuestView{e.Devices[d].Code, e.Devices[d].Name, g.Cores})
					}
				}
			}
			if u.Session != nil {
				v.From, v.To = u.Session.From, u.Session.To
			}
			if d, ok := e.DeviceAt[u.Device]; ok {
				v.Device, v.DeviceName, v.LastSeen = e.Devices[d].Code, e.Devices[d].Name, e.Devices[d].LastScan
			}
			if x := e.PersonByID(u.User); x != nil {
				v.User, v.UserName = x.Code, x.Name
			}
			if h, ok := holding[u.Device]; ok {
				v.Records = f.Units[h].Records
			} else if u.Cores != nil { // a host is asked for because of its guests
				for _, h := range u.Holdings {
					if h, ok := holding[f.Holdings[h].Device]; ok && len(v.Records) < 3 {
						v.Records = append(v.Records, f.Units[h].Records...)
					}
				}
			}
			out = append(out, v)
			if limit > 0 && len(out) == limit {
				return out
			}
		}
	}
	return out
}

// calcWords writes a calculation in one line.
func calcWords(lines []demand.CalcStep) string {
	var out []string
	for _, l := range lines {
		out = append(out, l.What+" = "+l.Result)
	}
	return strings.Join(out, "; ")
}

func needsWords(u *position.UnitResult) string { return setWords(u.Set) }

func setWords(s *demand.Set) string {
	var out []string
	for _, n := range s.Needs {
		if s := strings.TrimSpace(n.Edition + " " + n.Version); s != "" {
			out = append(out, s)
		}
	}
	return strings.Join(out, ", ")
}

// FindProducts returns the products whose name, or publisher and name, is exactly text after cleaning; it serves the
// command line.
func (svc *Service) FindProducts(ctx context.Context, text string) ([]int64, error) {
	var out []int64
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		keys, err := stored.ProductKeys(tx)
		if err != nil {
			return err
		}
		suffix := stored.ProductKey("", text)
		for key, id := range keys {
			if strings.HasSuffix(key, suffix) ||
				strings.ReplaceAll(key, "|", " ") == strings.TrimPrefix(suffix, "|") {
				out = append(out, id)
			}
		}
		slices.Sort(out)
		return nil
	})
	return out, err
}

// ExplainColumns are the columns of an explanation, a line for each unit of demand.
var ExplainColumns = strings.Fields(
	"publisher product metric device_id user_id org_unit needs licences covered_by reason counted_because " +
		"calculation fresh last_seen",
)

// Explain writes a line for each unit of demand of a product: what covers it, or the nearest reason why nothing does.
func (svc *Service) Explain(ctx context.Context, product int64, asOf civil.Day, write func([]string) error) error {
	return svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, f, positions, err := svc.productSnapshot(tx, product, svc.Snapshots.DayOr(asOf), svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		for i := range positions {
			for _, u := range unitViews(e, f, positions[i:i+1], "", 0) {
				fresh := "false"
				if u.Fresh {
					fresh = "true"
				}
				if err := write([]string{f.Product.Publisher, f.Product.Name, string(positions[i].Metric), u.Device,
					u.User, u.Unit, u.Needs, strconv.FormatInt(u.Count, 10), u.Line, u.Reason, u.Why,
					calcWords(u.Calc), fresh, stored.Day(u.LastSeen)}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
