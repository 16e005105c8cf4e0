package program

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/position"
)

func booking(t *testing.T, prog *Program, d entitlements.TransactionDraft) error {
	t.Helper()
	_, err := prog.Entitlements.Trade(context.Background(), d, "me")
	return err
}

func says(t *testing.T, err error, text string) {
	t.Helper()
	if err == nil || !strings.Contains(err.Error(), text) {
		t.Errorf("%v, want %q", err, text)
	}
}

// A true-up of 4 on 20 leaves 24, says so before, asks before it counts a second time, and is taken back; once a
// statement rests on it a counter-entry undoes it.
func TestATrueUpAndBack(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Titles, "publisher,product,list_price,currency", "Brack,Notes,95,EUR")
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,unit_price,currency",
		"T-1,Brack,Notes,device,20,2026-01-10,60,EUR")
	line := func() entitlements.LineDetail {
		t.Helper()
		l, err := prog.Entitlements.Line(ctx, "T-1")
		if err != nil {
			t.Fatal(err)
		}
		return l
	}
	d := entitlements.TransactionDraft{Line: "T-1", Type: "true_up", On: "2026-03-01", Quantity: "4", Price: "55",
		Currency: "EUR", Note: "after the count"}
	effect, err := prog.Entitlements.TryTrade(ctx, d)
	if err != nil || len(effect.Asks) != 0 || effect.Before != 20 || effect.After != 24 || effect.TodayAfter != 24 ||
		effect.Cost != "220" ||
		len(effect.Moves) != 1 ||
		effect.Moves[0].After-effect.Moves[0].Before != 4 {
		t.Fatalf("%+v, %v", effect, err)
	}
	if l := line(); l.Effective != 20 || len(l.Transactions) != 0 {
		t.Fatalf("trying booked it: %+v", l)
	}
	if err := booking(t, prog, d); err != nil {
		t.Fatal(err)
	}
	if l := line(); l.Effective != 24 || !l.OwnPurchase || l.Transactions[0].Author != "me" ||
		l.Transactions[0].At == 0 || l.Transactions[0].Note != "after the count" {
		t.Fatalf("%+v", l)
	}
	// the same once more
	says(t, booking(t, prog, d), "Is this a second one?")
	effect, err = prog.Entitlements.TryTrade(ctx, d)
	if err != nil || len(effect.Asks) != 1 {
		t.Fatalf("%+v, %v", effect, err)
	}
	d.Confirmed = effect.Asks
	if err := booking(t, prog, d); err != nil {
		t.Fatal(err)
	}
	l := line()
	if l.Effective != 28 {
		t.Fatalf("a second one that was confirmed: %d", l.Effective)
	}
	// out and in again: both of them
	var file strings.Builder
	write := func(row []string) error { file.WriteString(strings.Join(row, ",") + "\n"); return nil }
	if err := prog.Reports.Export(ctx, "transactions", 0, write, write); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(file.String(), ",2\n") {
		t.Errorf("the second of two alike has no number in the file: %s", file.String())
	}
	res := take(t, prog, formats.Transactions, strings.TrimSpace(file.String()))
	if len(res.Aside) > 0 || res.Added+res.Changed > 0 || line().Effective != 28 {
		t.Errorf("its own file changed something: %+v", res)
	}
	// back
	second := l.Transactions[1].ID
	if effect, err = prog.Entitlements.TryUndo(ctx, second); err != nil || effect.How != "take back" ||
		effect.Before != 28 || effect.After != 24 || effect.Cost != "-220" {
		t.Fatalf("%+v, %v", effect, err)
	}
	says(t, prog.Entitlements.UndoTransaction(ctx, second, "take back", " ", "you"), "say why")
	if err := prog.Entitlements.UndoTransaction(ctx, second, "take back", "typed twice", "you"); err != nil {
		t.Fatal(err)
	}
	says(t, prog.Entitlements.UndoTransaction(ctx, second, "take back", "typed twice", "you"),
		"you took it back already")
	if l = line(); l.Effective != 24 || l.Transactions[1].GoneBy != "you" ||
		l.Transactions[1].GoneWhy != "typed twice" {
		t.Fatalf("%+v", l)
	}
	// a file that still has it does not bring it back
	if res = take(t, prog, formats.Transactions, strings.TrimSpace(file.String())); len(res.Aside) != 1 ||
		!strings.Contains(res.Aside[0].Reason, "you took it back on") || line().Effective != 24 {
		t.Errorf("%+v", res)
	}
	// a statement rests on the first one
	all := position.StatementScope{}
	if _, err := prog.Position.MakeStatement(ctx, 0, all, "Skrubbholt Revision", "", "me"); err != nil {
		t.Fatal(err)
	}
	first := l.Transactions[0].ID
	says(t, prog.Entitlements.UndoTransaction(ctx, first, "take back", "wrong line", "you"), "book a counter-entry")
	if effect, err = prog.Entitlements.TryUndo(ctx, first); err != nil || effect.How != "counter-entry" ||
		!strings.Contains(effect.Because, "handed to Skrubbholt Revision") || effect.After != 20 {
		t.Fatalf("%+v, %v", effect, err)
	}
	if err := prog.Entitlements.UndoTransaction(ctx, first, "counter-entry", "wrong line", "you"); err != nil {
		t.Fatal(err)
	}
	says(t, prog.Entitlements.UndoTransaction(ctx, first, "counter-entry", "again", "you"), "undoes it already")
	l = line()
	if l.Effective != 20 || len(l.Transactions) != 3 || !l.Transactions[0].Countered {
		t.Fatalf("%+v", l)
	}
	spent, err := prog.Spending.Spend(ctx, entitlements.OwnBy{})
	if err != nil || len(spent.Rows) != 1 || spent.Rows[0].Amount != "1200" {
		t.Errorf("%+v, %v", spent, err)
	}
}

// A renewal has the new end and keeps the line in force, on the page, in the position and in what ends.
func TestARenewalKeepsInForce(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t) // N-1: 3 of Notes until 2026-09-30
	d := entitlements.TransactionDraft{Line: "N-1", Type: "renew", On: "2026-09-01", Quantity: "3"}
	says(t, booking(t, prog, d), "say until when N-1 is renewed: it runs until 2026-09-30")
	d.End = "2026-09-30"
	says(t, booking(t, prog, d), "changes nothing")
	d.End = "2027-09-30"
	effect, err := prog.Entitlements.TryTrade(ctx, d)
	if err != nil || effect.EndsBefore != "2026-09-30" || effect.EndsAfter != "2027-09-30" ||
		effect.Cost != "180" ||
		len(effect.Asks) != 0 {
		t.Fatalf("%+v, %v", effect, err)
	}
	fewer := d
	fewer.Quantity = "2"
	says(t, booking(t, prog, fewer), "Retire what is not renewed")
	later := d
	later.On = "2026-11-01"
	says(t, booking(t, prog, later), "between the two it gives no right")
	ends := func() (out []string) {
		t.Helper()
		list, err := prog.Entitlements.Renewals(ctx, 0, 800)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range list {
			if r.Line == "N-1" {
				out = append(out, r.On)
			}
		}
		return out
	}
	if got := ends(); fmt.Sprint(got) != "[2026-09-30]" {
		t.Errorf("%v", got)
	}
	if err := booking(t, prog, d); err != nil {
		t.Fatal(err)
	}
	if got := ends(); fmt.Sprint(got) != "[2027-09-30]" {
		t.Errorf("%v", got)
	}
	l, err := prog.Entitlements.Line(ctx, "N-1")
	if err != nil || l.LastDay != "2027-09-30" || len(l.Days) != 2 || l.Days[1].From != "2027-10-01" {
		t.Errorf("%+v, %v", l, err)
	}
	// from a file as well; and what has no end is not renewed
	res := take(t, prog, formats.Transactions, "entitlement_id,type,on,quantity,end",
		"N-1,renew,2027-09-01,3,2028-09-30", "N-1,true_up,2027-09-01,3,2028-09-30",
		"N-1,renew,2027-09-01,3,2027-08-01")
	if res.Added != 1 || len(res.Aside) != 2 {
		t.Errorf("%+v", res)
	}
	if got := ends(); len(got) != 0 { // 2028-09-30 lies more than 800 days ahead
		t.Errorf("%v", got)
	}
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,purchased",
		"P-1,Brack,Notes,named_user,2,2026-01-10")
	says(
		t,
		booking(t, prog, entitlements.TransactionDraft{Line: "P-1", Type: "renew", On: "2026-02-01", Quantity: "2",
			End: "2027-02-01"}),
		"there is nothing to renew",
	)
}

// Nothing leaves a line that is not in it, typed or from a file; what left later is seen too.
func TestNothingLeavesThatIsNotThere(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Titles, "publisher,product,list_price,currency", "Brack,Notes,95,EUR")
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,pack_size,kind,base",
		"T-1,Brack,Notes,device,20,2026-01-10,,perpetual,", "T-2,Brack,Notes,device,5,2026-01-10,2,perpetual,",
		"T-3,Brack,Notes,device,8,2026-03-01,,upgrade,T-1")
	d := entitlements.TransactionDraft{Line: "T-1", Type: "retire", On: "2026-02-01", Quantity: "13"}
	says(t, booking(t, prog, d), "20 of T-1 are there on 2026-02-01, but only 12 can leave it")
	d.Quantity = "12"
	if err := booking(t, prog, d); err != nil {
		t.Fatal(err)
	}
	d.Type, d.Quantity = "transfer_out", "1"
	says(t, booking(t, prog, d), "only 0 can leave it")
	d = entitlements.TransactionDraft{Line: "T-2", Type: "retire", On: "2026-02-01", Quantity: "6"}
	says(t, booking(t, prog, d), "5 packs of T-2 are there on 2026-02-01: 6 cannot leave it")
	d.Quantity, d.On = "5", "2026-01-09"
	says(t, booking(t, prog, d), "0 packs of T-2 are there")
	d.Quantity, d.On = "0", "2026-02-01"
	says(t, booking(t, prog, d), "none changes nothing")
	d.Quantity = "-2"
	says(t, booking(t, prog, d), "below 0")
	res := take(
		t,
		prog,
		formats.Transactions,
		"entitlement_id,type,on,quantity",
		"T-2,retire,2026-02-01,6",
		"T-2,retire,2026-02-01,3",
		"T-2,retire,2026-02-01,3",
		"T-2,true_up,2026-02-01,-3",
	)
	if res.Added != 1 || len(res.Aside) != 3 || !strings.Contains(res.Aside[0].Reason, "5 of T-2 can leave it") ||
		!strings.Contains(res.Aside[1].Reason, "line 3 says the same") ||
		!strings.Contains(res.Aside[2].Reason, "than was in it") {
		t.Errorf("%+v", res)
	}
}
