package standin

import (
	"context"
	"fmt"

	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/program"
)

// booked adds a line to transactions.csv, by the names of its columns.
func (w *world) booked(values map[string]string) {
	row := make([]string, len(formats.Transactions.Columns))
	for i, column := range formats.Transactions.Columns {
		row[i] = values[column]
	}
	w.transactions = append(w.transactions, row)
}

func (w *rightsTeller) trueUpOnALine() {
	sheet := w.newProduct(product{publisher: tarn, name: "Dunlin Sheet", category: "office", price: "140"})
	w.on(sheet, "2.0", w.unitsOf["Shore/Administration"][131:153]...)
	line := w.buy(right{p: sheet, quantity: 20, start: "2025-03-03"})
	w.booked(map[string]string{"entitlement_id": line, "type": "true_up", "on": "2026-02-02", "quantity": "4",
		"price": "132", "currency": "EUR", "order": "PO-52107", "note": "after the winter count"})
	w.hide(
		"a true-up of four on a line of twenty adds to it",
		sheet,
		"device",
		map[string]int64{"owned": 24, "needed": 22, "short": 0, "surplus": 2},
	)
}

func (w *rightsTeller) renewedInTime() {
	post := w.newProduct(product{publisher: vest, name: "Whimbrel Post", category: "office", price: "60"})
	w.on(post, "7.3", w.unitsOf["Shore/Administration"][153:163]...)
	line := w.buy(right{p: post, kind: "subscription", quantity: 10, start: "2025-04-01", end: "2026-03-31",
		price: "41"})
	w.booked(map[string]string{"entitlement_id": line, "type": "renew", "on": "2026-03-10", "quantity": "10",
		"end": "2027-03-31", "price": "43", "currency": "EUR", "order": "PO-52230"})
	w.hide(
		"a subscription whose own end has passed, renewed in time",
		post,
		"device",
		map[string]int64{"owned": 10, "needed": 10, "short": 0},
	)
}

// gridName is the product whose true-up was booked twice.
const gridName = "Sandwort Grid"

func (w *rightsTeller) bookedTwice() {
	grid := w.newProduct(product{publisher: pelmar, name: gridName, category: "drawing", price: "310"})
	w.on(grid, "1.4", w.unitsOf["Shore/Administration"][163:180]...)
	line := w.buy(right{p: grid, quantity: 12, start: "2025-05-05"})
	for _, nth := range []string{"", "2"} {
		w.booked(map[string]string{"entitlement_id": line, "type": "true_up", "on": "2026-04-20", "quantity": "3",
			"price": "298", "currency": "EUR", "order": "PO-52288", "nth": nth})
	}
	w.hide(
		"a true-up that was booked twice, told in a statement, and undone by a counter-entry",
		grid,
		"device",
		map[string]int64{"owned": 15, "needed": 17, "short": 2},
	)
}

// undoBookedTwice undoes the second of the two true-ups, which a statement rests on by then.
func undoBookedTwice(ctx context.Context, prog *program.Program, product int64) error {
	p, err := prog.Position.ProductPosition(ctx, product, 0, 0)
	if err != nil || len(p.Metrics) == 0 || len(p.Metrics[0].Lines) != 1 {
		return fmt.Errorf("%s has not one line: %w", gridName, err)
	}
	line, err := prog.Entitlements.Line(ctx, p.Metrics[0].Lines[0].Code)
	if err != nil {
		return err
	}
	for _, t := range line.Transactions {
		if t.Type == "true_up" && t.ID == line.Transactions[len(line.Transactions)-1].ID {
			return prog.Entitlements.UndoTransaction(ctx, t.ID, entitlements.ByCounterEntry,
				"PO-52288 was booked twice: one invoice, one delivery", "Worker")
		}
	}
	return fmt.Errorf("%s has no true-up", gridName)
}

// expressBesideTheProfessional is a free edition that the catalogue does not know, under the name and with the file of
// the product that costs money.
func (w *rightsTeller) expressBesideTheProfessional() {
	ledger := w.newProduct(product{publisher: vest, name: "Sandpiper Folio", category: "office", price: "420",
		editions: []string{"Professional"}})
	charting := w.unitsOf["Shore/Charting"]
	for i, d := range charting[307:322] {
		edition := "Professional"
		if i >= 9 {
			edition = "Express"
		}
		w.put(d, ledger, edition, "2.1")
	}
	w.buy(right{p: ledger, edition: "Professional", quantity: 9})
	w.hide(
		"an express edition that nobody knows is no demand for the professional one",
		ledger,
		"device",
		map[string]int64{"owned": 9, "needed": 9, "short": 0},
	)
}
