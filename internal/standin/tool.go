package standin

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/program"
	"ensomet/internal/worklist"
)

// held is an order that the deployment tool has taken and not finished.
type held struct {
	worklist.Order
	Due time.Time `json:"due"`
}

// Take takes an order. One whose number it knows is not taken twice.
func (o *Outside) Take(_ context.Context, order worklist.Order) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	if slices.Contains(o.state.Known, order.ID) {
		return nil
	}
	o.state.Known = append(o.state.Known, order.ID)
	due := o.state.Now
	switch luck(10, "delay", order.Device, order.Product) {
	case 0:
		due = due.AddDate(0, 0, 1)
	case 1:
		due = due.AddDate(0, 0, 3)
	}
	o.state.Orders = append(o.state.Orders, held{order, due})
	return o.save()
}

// outcome is what the tool will make of an order, which depends on the device and the product alone.
func outcome(order worklist.Order) string {
	switch luck(24, "wrench", order.Device, order.Product) {
	case 0, 1:
		return "fails"
	case 2:
		return "says nothing"
	case 3, 4:
		return "answers twice"
	}
	return "done"
}

// work lets the deployment tool do what is due on devices that can be reached, and say what became of it. It returns
// the scans that the changed devices report then.
func (o *Outside) work(
	ctx context.Context,
	prog *program.Program,
	g *gateway,
	fleet []machine,
	now time.Time,
) (int, error) {
	at := map[string]machine{}
	for _, m := range fleet {
		at[m.code] = m
	}
	o.mu.Lock()
	var due, later []held
	for _, h := range o.state.Orders {
		m, known := at[h.Device]
		if !h.Due.After(now) && known && InPort(m.unit, now) {
			due = append(due, h)
		} else {
			later = append(later, h)
		}
	}
	o.state.Orders = later
	tool := gateway{g.client, o.state.ToolToken}
	err := o.save()
	o.mu.Unlock()
	if err != nil {
		return 0, err
	}
	removed, added := map[string][]string{}, map[string][]formats.ScanInstall{}
	var order []string
	for _, h := range due {
		what := outcome(h.Order)
		say := worklist.Outcome{Order: h.ID, Done: what != "fails"}
		switch what {
		case "fails":
			say.Reason = []string{"the program was open", "the disk is full",
				"the device is locked"}[luck(3, "reason", h.Device)]
		case "says nothing":
			continue
		}
		if say.Done {
			if removed[h.Device] == nil && added[h.Device] == nil {
				order = append(order, h.Device)
			}
			if h.What == "install" {
				added[h.Device] = append(
					added[h.Device],
					formats.ScanInstall{Name: h.Product, Version: "1.0", InstallDate: now.Format(time.DateOnly)},
				)
			} else {
				removed[h.Device] = append(removed[h.Device], h.Names...)
			}
		}
		times := 1
		if what == "answers twice" {
			times = 2
		}
		for range times {
			body, err := json.Marshal(say)
			if err != nil {
				return 0, err
			}
			var out struct{}
			// an order that nobody there knows any more is no fault of the tool
			if err := tool.post(ctx, "/api/deployment/outcome", body, false, &out); err != nil &&
				!strings.Contains(err.Error(), "status 404") {
				return 0, err
			}
		}
	}
	done := 0
	for _, device := range order {
		s, err := look(ctx, prog, at[device], now.Add(-time.Hour/2), removed[device])
		if err != nil {
			return done, err
		}
		s.Installs = append(s.Installs, added[device]...)
		if _, err := g.send(ctx, s); err != nil {
			return done, err
		}
		done++
	}
	return done, nil
}
