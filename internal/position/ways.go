package position

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/entitle"
	"ensomet/internal/snapshot"
)

// WayOut is one way out of a shortfall, worked out as a measure on its own.
type WayOut struct {
	What     string // take back, remove, transfer, renew maintenance, widen, buy
	Words    string
	Covers   int64  // by how much the shortfall shrinks
	Left     int64  // what stays short
	Cost     string // 0 where it costs nothing, empty where nobody knows
	Currency string
	Saves    string
	Time     string
	Error    string             // why it cannot be
	Measures []snapshot.Measure // to be tried together with others
	Cases    []int64            // cases that do it
}

// WaysOut lists the ways out of a product's shortfall, each by itself, with what it covers, costs, and how long it
// takes. The one that covers most for least comes first where the reader sorts so; here they stand in the order of
// what they cost the house in effort: take back, remove, transfer, renew, widen, buy. removals are what cases of the
// worklist would remove anyway.
func (svc *Service) WaysOut(ctx context.Context, product int64, removals []casework.Removal) ([]WayOut, error) {
	out := []WayOut{}
	p, err := svc.ProductPosition(ctx, product, 0)
	if err != nil {
		return out, err
	}
	short := int64(0)
	for _, m := range p.Metrics {
		short += m.Short
	}
	if short == 0 {
		return out, nil
	}
	out = waysByCases(product, removals)
	parts, err := svc.Parts(ctx, product, "unit", 0)
	if err != nil {
		return out, err
	}
	transfers := wayByTransfer(product, parts)
	out = append(out, transfers...)
	for i := range p.Metrics {
		out = append(out, svc.waysByLines(product, &p.Metrics[i], len(transfers) == 0)...)
	}
	for i := range out {
		if err := svc.tryWay(ctx, &out[i], short); err != nil {
			return out, err
		}
	}
	return out, nil
}

// wayByTransfer is the way of transferring what is spare in other parts of the house, where anything is.
func wayByTransfer(product int64, parts []PartsOfMetric) []WayOut {
	var moves []snapshot.Measure
	for _, m := range parts {
		for _, t := range m.Transfers {
			moves = append(moves, snapshot.Measure{
				Kind:     "move",
				Product:  product,
				Line:     t.Line,
				Quantity: t.Quantity,
				Unit:     t.Unit,
				Country:  t.Country,
			})
		}
	}
	if len(moves) == 0 {
		return nil
	}
	return []WayOut{{
		What:     "transfer",
		Words:    fmt.Sprintf("Transfer rights that are spare elsewhere: %d transfers", len(moves)),
		Time:     "at once, once the contract allows it",
		Measures: moves,
	}}
}

// waysByLines are the ways that the lines of a metric open: renewing maintenance, agreeing on a wider scope where that
// is asked for, and buying.
func (svc *Service) waysByLines(product int64, m *MetricPosition, widen bool) (out []WayOut) {
	var again, wider []snapshot.Measure
	for _, l := range m.Lines {
		for _, g := range m.Groups {
			if g.Line != "" || l.Effective == 0 {
				continue
			}
			switch g.Reason {
			case entitle.VersionTooNew.String():
				until := (svc.Snapshots.Today() + 365).String()
				again = append(again,
					snapshot.Measure{Kind: "maintenance", Product: product, Line: l.Code, Until: until})
			case entitle.OutOfScope.String():
				if n := min(l.Spare, m.Short); widen && n != 0 {
					wider = append(wider,
						snapshot.Measure{Kind: "move", Product: product, Line: l.Code, Quantity: n})
				}
			}
		}
	}
	const slow = "as long as the publisher takes"
	if len(again) > 0 {
		words := "Renew maintenance, so that newer versions are covered: " + linesOf(again)
		out = append(out, WayOut{What: "renew maintenance", Words: words, Time: slow, Measures: again})
	}
	if len(wider) > 0 {
		words := "Agree on a wider scope for what is spare: " + linesOf(wider)
		out = append(out, WayOut{What: "widen", Words: words, Time: slow, Measures: wider})
	}
	if m.Short > 0 && m.Counted { // for any version and unit, at list price
		n := max(1, m.Buy)
		out = append(out, WayOut{
			What:     "buy",
			Words:    fmt.Sprintf("Buy %d by %s", n, strings.ReplaceAll(m.Metric, "_", " ")),
			Time:     "as long as buying takes",
			Measures: []snapshot.Measure{{Kind: "buy", Product: product, Quantity: n, Metric: m.Metric}},
		})
	}
	return out
}

// tryWay works out what a way covers of a shortfall, what it costs and what it saves.
func (svc *Service) tryWay(ctx context.Context, w *WayOut, short int64) error {
	if w.Cases == nil {
		w.Cases = []int64{}
	}
	t, err := svc.TryScenario(ctx, w.Measures)
	if err != nil {
		return err
	}
	after := int64(0)
	for _, x := range t.Positions {
		after += x.After.Short
	}
	w.Left, w.Covers = after, short-after
	for _, m := range t.Measures {
		if m.Error != "" && w.Error == "" {
			w.Error = m.Error
		}
		if m.Currency != "" {
			w.Currency = m.Currency
		}
	}
	w.Cost, w.Saves = t.Cost, t.Saves
	if w.Currency != "" {
		w.Currency = "EUR"
	}
	if t.Without > 0 || t.Cost == "0" && (w.What == "renew maintenance" || w.What == "widen") {
		w.Cost = "" // no price is on record
	}
	return nil
}

func linesOf(ms []snapshot.Measure) string {
	var codes []string
	for _, m := range ms {
		codes = append(codes, m.Line)
	}
	return strings.Join(codes, ", ")
}

// waysByCases are the ways that cases of the worklist open: idle licences to take back, and what must go anyway.
func waysByCases(product int64, removals []casework.Removal) []WayOut {
	out := []WayOut{}
	add := func(kinds []casework.Kind, what, words string) {
		w := WayOut{What: what, Time: "days: until the next scan shows it"}
		remove := snapshot.Measure{Kind: "remove", Product: product}
		for _, r := range removals {
			if slices.Contains(kinds, r.Kind) {
				remove.Devices = append(remove.Devices, r.Device)
				w.Cases = append(w.Cases, r.Case)
			}
		}
		if len(w.Cases) > 0 {
			w.Words, w.Measures = fmt.Sprintf(words, len(w.Cases)), []snapshot.Measure{remove}
			out = append(out, w)
		}
	}
	add([]casework.Kind{casework.IdleLicence}, "take back", "Take back the %d that nobody uses")
	add(
		[]casework.Kind{casework.RestrictedTitle, casework.EndOfLife, casework.Planned},
		"remove",
		"Remove the %d that are to go anyway",
	)
	return out
}
