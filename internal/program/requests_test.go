package program

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
)

func caseList(*sqlite.ListQuery) (*sqlite.List[lists.CaseRow], error) {
	return worklist.CaseList(), nil
}

// buyer is a house that is short of two Skerrymap at 100 EUR, and what becomes of a purchase there.
type buyer struct {
	t     *testing.T
	prog  *Program
	id    int64 // the product
	clock *movable
}

func newBuyer(t *testing.T) *buyer {
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z", "D3,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,unit_price,currency",
		"E,Ostwick,Skerrymap,device,1,2026-01-01,80,EUR",
	)
	b := &buyer{t, prog, mustProduct(t, prog, "Skerrymap"), clock}
	b.refresh()
	return b
}

// refresh renews the figures, and a minute passes.
func (b *buyer) refresh() {
	b.t.Helper()
	defer func() { b.clock.now = b.clock.now.Add(time.Minute) }()
	if err := b.prog.Pipeline.Refresh(context.Background()); err != nil {
		b.t.Fatal(err)
	}
}

// of is the only case of a kind.
func (b *buyer) of(kind casework.Kind) worklist.CaseView {
	b.t.Helper()
	page, err := listed(b.prog, caseList, sqlite.ListQuery{Filters: map[string]string{"kind": string(kind)}})
	if err != nil || len(page.Rows) != 1 {
		b.t.Fatalf("%s: %+v, %v", kind, page.Rows, err)
	}
	c, err := b.prog.Worklist.Case(context.Background(), page.Rows[0].ID)
	if err != nil {
		b.t.Fatal(err)
	}
	return c
}

func (b *buyer) ask(measures ...snapshot.Measure) {
	b.t.Helper()
	for i := range measures {
		measures[i].Product = b.id
	}
	if _, err := b.prog.Requests.Ask(context.Background(), worklist.Wanted{Measures: measures, Note: "for the survey"},
		"anna"); err != nil {
		b.t.Fatal(err)
	}
}

func (b *buyer) act(id int64, who string, a worklist.CaseAction) string {
	a.IDs = []int64{id}
	if _, err := b.prog.Worklist.CaseAct(context.Background(), a, who); err != nil {
		return err.Error()
	}
	return ""
}

func (b *buyer) is(kind casework.Kind, state casework.State, can string) worklist.CaseView {
	b.t.Helper()
	c := b.of(kind)
	if casework.State(c.State) != state || strings.Join(c.Can, " ") != can {
		b.t.Errorf("the %s is %s and can %q, not %s, %q", kind, c.State, c.Can, state, can)
	}
	return c
}

// A purchase goes its whole way: wanted, approved by somebody else, ordered under a number, booked on the line. The
// case of the shortfall follows it; what is taken back is on its way again.
func TestPurchaseGoesItsWay(t *testing.T) {
	ctx := context.Background()
	b := newBuyer(t)
	b.ask(snapshot.Measure{Kind: "buy", Line: "E", Quantity: 2})
	c := b.is(casework.Purchase, casework.Open, "approve drop")
	if c.Amount != "160" || c.Quantity != 2 || !c.Request.Approval || c.Owner != "anna" {
		t.Errorf("%+v", c)
	}
	short := b.is(casework.Uncovered, casework.Agreed, "keep reopen")
	if len(short.Requests) != 1 || short.Requests[0].State != "wanted" || c.Request.Shortfall != short.ID {
		t.Errorf("the shortfall does not follow: %+v", short)
	}
	order := worklist.CaseAction{Act: casework.Order, Number: "PO-7", Until: "2026-07-20"}
	for _, bad := range []struct {
		who  string
		a    worklist.CaseAction
		says string
	}{
		{"anna", order, "approved by somebody else"},
		{"anna", worklist.CaseAction{Act: casework.Approve}, "somebody else approves"},
		{"anna", worklist.CaseAction{Act: casework.Drop}, "say why"},
		{"anna", worklist.CaseAction{Act: casework.Send}, "no deployment tool"},
		{"anna", worklist.CaseAction{Act: casework.Agree}, "wanted"},
	} {
		if got := b.act(c.ID, bad.who, bad.a); !strings.Contains(got, bad.says) {
			t.Errorf("%s by %s: %q, not %q", bad.a.Act, bad.who, got, bad.says)
		}
	}
	if got := b.act(c.ID, "boss", worklist.CaseAction{Act: casework.Approve}); got != "" {
		t.Fatal(got)
	}
	b.is(casework.Purchase, casework.Approved, "order drop reopen")
	if got := b.act(c.ID, "anna", worklist.CaseAction{Act: casework.Order, Number: " "}); !strings.Contains(
		got,
		"number",
	) {
		t.Errorf("ordered without a number: %q", got)
	}
	if got := b.act(c.ID, "anna", order); got != "" {
		t.Fatal(got)
	}
	b.refresh()
	c = b.is(casework.Purchase, casework.Sent, "drop")
	if c.Request.Order != "PO-7" || c.Request.Expected != "2026-07-20" || c.Request.Booked != 0 {
		t.Errorf("%+v", c.Request)
	}
	id, err := b.prog.Entitlements.Trade(
		ctx,
		entitlements.TransactionDraft{Line: "E", Type: "true_up", On: "2026-06-30",
			Quantity: "1", Request: fmt.Sprint(c.ID)},
		"anna",
	)
	if err != nil {
		t.Fatal(err)
	}
	if dirty, err := b.prog.Renewal.Dirty(ctx); err != nil || !dirty {
		t.Errorf("what is booked does not renew figures: %v", err)
	}
	b.refresh()
	if c = b.is(casework.Purchase, casework.Sent, "drop"); c.Request.Booked != 1 {
		t.Errorf("one of two is booked: %+v", c.Request)
	}
	if _, err := b.prog.Entitlements.Trade(ctx, entitlements.TransactionDraft{Line: "E", Type: "true_up",
		On: "2026-06-30", Quantity: "1", Order: "PO-7"}, "anna"); err != nil {
		t.Fatal(err)
	}
	b.refresh()
	c = b.is(casework.Purchase, casework.Gone, "")
	if c.Request.Booked != 2 || len(c.Request.By) != 2 || c.Steps[len(c.Steps)-1].Who != "evidence" {
		t.Errorf("%+v", c)
	}
	b.is(casework.Uncovered, casework.Gone, "")
	if err := b.prog.Entitlements.UndoTransaction(ctx, id, "take back", "the wrong line", "anna"); err != nil {
		t.Fatal(err)
	}
	if dirty, err := b.prog.Renewal.Dirty(ctx); err != nil || !dirty {
		t.Errorf("what is taken back does not renew figures: %v", err)
	}
	b.refresh()
	b.is(casework.Purchase, casework.Sent, "drop")
	b.is(casework.Uncovered, casework.Agreed, "keep reopen") // it is back, and on its way again
}

// Below the house's amount nobody has to approve; what nobody knows the cost of is always approved. What is dropped
// leaves the shortfall open, and both can be taken back.
func TestPurchaseApproval(t *testing.T) {
	ctx := context.Background()
	b := newBuyer(t)
	rules, err := b.prog.Worklist.CaseRules(ctx)
	if err != nil {
		t.Fatal(err)
	}
	rules.ApproveAbove = "a lot"
	if err := b.prog.Worklist.SetCaseRules(ctx, rules, "boss"); err == nil {
		t.Error("an amount that is none is taken")
	}
	rules.ApproveAbove = "160"
	if err := b.prog.Worklist.SetCaseRules(ctx, rules, "boss"); err != nil {
		t.Fatal(err)
	}
	b.ask(snapshot.Measure{Kind: "buy", Line: "E", Quantity: 2})
	c := b.is(casework.Purchase, casework.Open, "order drop")
	if got := b.act(c.ID, "anna", worklist.CaseAction{Act: casework.Drop, Note: "found some"}); got != "" {
		t.Fatal(got)
	}
	b.is(casework.Purchase, casework.Lapsed, "reopen")
	b.is(casework.Uncovered, casework.Open, "agree keep")
	b.refresh()
	b.is(casework.Purchase, casework.Lapsed, "reopen")
	if got := b.act(c.ID, "anna", worklist.CaseAction{Act: casework.Undo}); got != "" {
		t.Fatal(got)
	}
	b.is(casework.Purchase, casework.Open, "order drop")
	b.is(casework.Uncovered, casework.Agreed, "keep reopen")
	for _, above := range []string{"159.99", ""} {
		rules, _ = b.prog.Worklist.CaseRules(ctx)
		rules.ApproveAbove = above
		if err := b.prog.Worklist.SetCaseRules(ctx, rules, "boss"); err != nil {
			t.Fatal(err)
		}
		b.is(casework.Purchase, casework.Open, "approve drop")
	}
}

// A shortfall that is found after something was asked for knows of it.
func TestShortfallFoundLater(t *testing.T) {
	b := newBuyer(t)
	take(t, b.prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E2,Ostwick,Skerrymap,device,2")
	b.refresh()
	b.is(casework.Uncovered, casework.Gone, "")
	b.ask(snapshot.Measure{Kind: "buy", Line: "E", Quantity: 2})
	take(t, b.prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,end",
		"E2,Ostwick,Skerrymap,device,2,2026-06-01")
	b.refresh()
	short := b.is(casework.Uncovered, casework.Agreed, "keep reopen")
	if c := b.is(casework.Purchase, casework.Open, "approve drop"); c.Request.Shortfall != short.ID {
		t.Errorf("%+v", c.Request)
	}
}

// What is to be done elsewhere is a case too, and ends when it shows: a transfer when it is booked, a term of a line
// when the line has it, a machine when it is where it should be.
func TestElsewhereIsSeenToTheEnd(t *testing.T) {
	ctx := context.Background()
	for _, c := range []struct {
		m  snapshot.Measure
		do func(b *buyer, id int64)
	}{
		{snapshot.Measure{Kind: "right", Line: "E", Right: "second_device"}, func(b *buyer, _ int64) {
			take(b.t, b.prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,rights",
				"E,Ostwick,Skerrymap,device,1,second_device")
		}},
		{snapshot.Measure{Kind: "metric", Line: "E", Metric: "named_user", Quantity: 1}, func(b *buyer, _ int64) {
			take(b.t, b.prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
				"E,Ostwick,Skerrymap,named_user,1")
		}},
		{snapshot.Measure{Kind: "move", Line: "E", Unit: "A", Quantity: 1}, func(b *buyer, id int64) {
			if _, err := b.prog.Entitlements.Trade(ctx, entitlements.TransactionDraft{Line: "E", Type: "transfer_out",
				On: "2026-06-30", Quantity: "1", Request: fmt.Sprint(id)}, "anna"); err != nil {
				b.t.Fatal(err)
			}
		}},
		{snapshot.Measure{Kind: "version", Devices: []string{"D1", "D2"}, Version: "7"}, func(b *buyer, _ int64) {
			take(b.t, b.prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,7.2,,,2026-06-30T05:00:00Z",
				"D2,Ostwick,Skerrymap,7.0,,,2026-06-30T05:00:00Z")
		}},
	} {
		b := newBuyer(t)
		b.ask(c.m)
		b.refresh()
		one := b.is(casework.Elsewhere, casework.Open, "agree drop")
		if got := b.act(one.ID, "anna", worklist.CaseAction{Act: casework.Agree}); got != "" {
			t.Fatal(got)
		}
		b.refresh()
		b.is(casework.Elsewhere, casework.Agreed, "drop reopen")
		c.do(b, one.ID)
		b.refresh()
		b.is(casework.Elsewhere, casework.Gone, "")
	}
}

// The history of a case says who ended it: a stance or a rule that somebody changed, a line that somebody booked, or
// evidence.
func TestHistorySaysWhoEndedACase(t *testing.T) {
	ctx := context.Background()
	b := newBuyer(t)
	last := func(kind casework.Kind) worklist.StepView {
		t.Helper()
		page, err := listed(b.prog, caseList, sqlite.ListQuery{Filters: map[string]string{"kind": string(kind)}})
		if err != nil || len(page.Rows) == 0 {
			t.Fatal(page.Rows, err)
		}
		c, err := b.prog.Worklist.Case(ctx, page.Rows[0].ID)
		if err != nil {
			t.Fatal(err)
		}
		return c.Steps[len(c.Steps)-1]
	}
	stance := worklist.PolicyDraft{Product: b.id, Stance: "restricted", Reason: "old"}
	if err := b.prog.Worklist.SetPolicy(ctx, stance, "anna"); err != nil {
		t.Fatal(err)
	}
	b.refresh()
	if s := last(casework.RestrictedTitle); s.Who != "evidence" || s.To != "open" {
		t.Errorf("%+v", s)
	}
	list, err := b.prog.Worklist.Policies(ctx)
	if err != nil || len(list.Policies) != 1 {
		t.Fatal(list, err)
	}
	id := list.Policies[0].ID
	if err := b.prog.Worklist.EndPolicy(ctx, id, seen(t, b.prog, edits.Stance, id), "bo"); err != nil {
		t.Fatal(err)
	}
	b.refresh()
	if s := last(casework.RestrictedTitle); s.To != "lapsed" || s.Who != "bo" ||
		s.Note != "bo ended the stance that it is restricted on 2026-06-30." {
		t.Errorf("the stance was ended: %+v", s)
	}
	if _, err := b.prog.Entitlements.Trade(ctx, entitlements.TransactionDraft{Line: "E", Type: "true_up",
		On: "2026-06-30", Quantity: "2"}, "carl"); err != nil {
		t.Fatal(err)
	}
	b.refresh()
	if s := last(casework.Uncovered); s.To != "gone" || s.Who != "carl" ||
		!strings.Contains(s.Note, "true-up on E") {
		t.Errorf("it was bought: %+v", s)
	}
	take(t, b.prog, formats.Devices, "device_id,kind", "D4,client", "D5,client")
	take(t, b.prog, formats.Installs, installHeader, "D4,Ostwick,Skerrymap,6.1,,,2026-06-30T05:00:00Z",
		"D5,Ostwick,Skerrymap,6.1,,,2026-06-30T05:00:00Z")
	b.refresh()
	if _, err := b.prog.Entitlements.Trade(ctx, entitlements.TransactionDraft{Line: "E", Type: "true_up",
		On: "2026-06-30", Quantity: "1"}, "dora"); err != nil { // one of two: it does not end it
		t.Fatal(err)
	}
	b.refresh()
	take(t, b.prog, formats.Installs, installHeader, "D4,x,Other,1,,,2026-06-30T06:00:00Z")
	b.refresh()
	if s := last(casework.Uncovered); s.To != "gone" || s.Who != "evidence" {
		t.Errorf("it was removed: %+v", s)
	}
}

// Agreeing to take a leaver's seat back hands it back, and to whoever waits; that is not undone by a press.
func TestLeaversSeatGoesBack(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Users, "user_id,name,status,left_on", "u1,Dagne,left,2026-06-01", "u3,Sunniva,active,")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"N-1,Ostwick,Skerrymap,named_user,2")
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from", "N-1,u1,2026-01-01", "N-1,u2,2026-01-01")
	b := &buyer{t, prog, mustProduct(t, prog, "Skerrymap"), clock}
	if err := prog.Entitlements.Wait(ctx, b.id, "u3", "new here", "anna"); err != nil {
		t.Fatal(err)
	}
	b.refresh()
	c := b.is(casework.Leaver, casework.Open, "agree keep")
	if got := b.act(c.ID, "anna", worklist.CaseAction{Act: casework.Agree}); got != "" {
		t.Fatal(got)
	}
	seats, err := listed(
		prog,
		prog.Entitlements.Seats,
		sqlite.ListQuery{Filters: map[string]string{"state": "held"}},
	)
	if err != nil || len(seats.Rows) != 2 || seats.Rows[0].User+seats.Rows[1].User != "u2u3" {
		t.Errorf("%+v, %v", seats.Rows, err)
	}
	if got := b.act(c.ID, "anna", worklist.CaseAction{Act: casework.Undo}); !strings.Contains(
		got,
		"went back already",
	) {
		t.Errorf("undone: %q", got)
	}
	b.refresh()
	c = b.is(casework.Leaver, casework.Gone, "")
	if said := c.Steps[1].Note; !strings.Contains(said, "Seats that went back: 1. One went to Sunniva") {
		t.Errorf("%q", said)
	}
}
