package program

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"

	"github.com/shopspring/decimal"
)

// office has a title that is counted by user, with three seats of which two are held, one of them by a leaver.
func office(t *testing.T) (*Program, int64) {
	t.Helper()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,list_price,currency,default_metric",
		"Brack,Notes,95,EUR,named_user",
		"Brack,Sheet,40,EUR,named_user",
	)
	take(
		t,
		prog,
		formats.Users,
		"user_id,name,org_unit,status",
		"u3,Oddny,A,left",
		"u4,Perlo,A,active",
		"u5,Runvar,C,active",
	)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency,contract,order",
		"N-1,Brack,Notes,named_user,3,subscription,2025-10-01,2026-09-30,60,EUR,K-1,PO-1",
	)
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from", "N-1,u1,2025-10-01", "N-1,u3,2025-10-01")
	return prog, mustProduct(t, prog, "Notes")
}

func seatsHeld(t *testing.T, prog *Program) map[string]string {
	t.Helper()
	page, err := listed(prog, prog.Entitlements.Seats, sqlite.ListQuery{Limit: 100})
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for _, s := range page.Rows {
		if s.State == "held" || s.State == "of a leaver" {
			out[s.User] = s.State
		}
	}
	return out
}

// Seats are given while there are any, not to leavers and not twice; what a leaver hands back goes to the first who
// waits.
func TestSeatsFromHandToHand(t *testing.T) {
	ctx := context.Background()
	prog, notes := office(t)
	for user, want := range map[string]string{"u1": "holds a seat", "u3": "has left", "nobody": "no user"} {
		if _, err := prog.Entitlements.Assign(ctx, entitlements.SeatDraft{Product: notes, User: user},
			"test"); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("a seat for %s: %v, want %q", user, err, want)
		}
	}
	if line, err := prog.Entitlements.Assign(ctx, entitlements.SeatDraft{Product: notes, User: "u2"},
		"test"); err != nil ||
		line != "N-1" {
		t.Fatal(line, err)
	}
	if _, err := prog.Entitlements.Assign(ctx, entitlements.SeatDraft{Product: notes, User: "u4"},
		"test"); err != entitlements.ErrNoSeat {
		t.Errorf("a fourth seat of three: %v", err)
	}
	for _, user := range []string{"u5", "u4"} {
		if err := prog.Entitlements.Wait(ctx, notes, user, "", "test"); err != nil {
			t.Fatal(err)
		}
	}
	if err := prog.Entitlements.Wait(ctx, notes, "u5", "", "test"); err == nil {
		t.Error("somebody waits twice")
	}
	h, err := prog.Entitlements.Held(ctx, "u3")
	if err != nil || len(h.Seats) != 1 || h.Status != "left" || !strings.Contains(h.Words(), "Seats: 1") {
		t.Fatalf("%+v, %v", h, err)
	}
	back, err := prog.Entitlements.HandBack(ctx, []int64{h.Seats[0].ID}, true, "test")
	if err != nil || back.Seats != 1 || len(back.Given) != 1 || back.Given[0].User != "u5" {
		t.Fatalf("%+v, %v", back, err)
	}
	if got := seatsHeld(t, prog); len(got) != 3 || got["u5"] != "held" || got["u3"] != "" {
		t.Errorf("%v", got)
	}
	if w, err := prog.Entitlements.Waiting(ctx, notes); err != nil || len(w) != 1 || w[0].User != "u4" {
		t.Errorf("%+v, %v", w, err)
	}
	if err := prog.Entitlements.MailHeld(ctx, "u1", "nowhere", "test"); err == nil {
		t.Error("mail to no address")
	}
	if err := prog.Entitlements.MailHeld(ctx, "u1", "desk@halvorsund.example", "test"); err != nil {
		t.Fatal(err)
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		mail, err := outbox.MailList().Page(tx, sqlite.ListQuery{Limit: 10})
		if err != nil || len(mail.Rows) != 1 || mail.Rows[0].Address != "desk@halvorsund.example" ||
			!strings.Contains(mail.Rows[0].Body, "Brack Notes") {
			t.Errorf("%+v, %v", mail.Rows, err)
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	page, err := listed(prog, prog.Entitlements.Seats, sqlite.ListQuery{Filters: map[string]string{"user": "u1"}})
	if err != nil {
		t.Fatal(err)
	}
	if err := prog.Entitlements.MoveSeat(ctx, page.Rows[0].ID, "u4", "test"); err != nil {
		t.Fatal(err)
	}
	if got := seatsHeld(t, prog); len(got) != 3 || got["u4"] != "held" || got["u1"] != "" {
		t.Errorf("after the move: %v", got)
	}
	if f := figure(t, prog, "Notes"); f.Needed != 3 || f.Owned != 3 || f.Short != 0 {
		t.Errorf("%+v", f)
	}
}

// Somebody new gets what is free at once, and what is not is said; looking first changes nothing.
func TestStarterSet(t *testing.T) {
	ctx := context.Background()
	prog, notes := office(t)
	sheet := mustProduct(t, prog, "Sheet")
	if _, err := prog.Entitlements.PutStarterSet(ctx, entitlementsdb.StarterSet{Name: " ", Products: []int64{notes}},
		"test"); err == nil {
		t.Error("a set without a name")
	}
	id, err := prog.Entitlements.PutStarterSet(
		ctx,
		entitlementsdb.StarterSet{Name: "office", Products: []int64{notes, sheet}},
		"test",
	)
	if err != nil {
		t.Fatal(err)
	}
	for _, dry := range []bool{true, false} {
		got, err := prog.Entitlements.Start(ctx, id, "u4", true, dry, "test")
		if err != nil || len(got.Given) != 1 || len(got.Missing) != 1 || got.Missing[0].Product != "Sheet" ||
			!got.Missing[0].Waits {
			t.Fatalf("dry %v: %+v, %v", dry, got, err)
		}
		if held := seatsHeld(t, prog)["u4"] != ""; held == dry {
			t.Errorf("dry %v: held %v", dry, held)
		}
	}
	if w, err := prog.Entitlements.Waiting(ctx, sheet); err != nil || len(w) != 1 {
		t.Errorf("%+v, %v", w, err)
	}
}

// What of a line cannot be right is said while it is typed.
func TestLinesAreCheckedWhileTyped(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,base",
		"B-1,Ostwick,Skerrymap,device,4,perpetual,",
		"U-1,Ostwick,Skerrymap,device,3,upgrade,B-1",
	)
	line := func(more ...string) map[string]string {
		v := map[string]string{
			"entitlement_id": "X-1",
			"publisher":      "Ostwick",
			"product":        "Skerrymap",
			"metric":         "device",
			"quantity":       "2",
			"kind":           "perpetual",
		}
		for i := 0; i+1 < len(more); i += 2 {
			v[more[i]] = more[i+1]
		}
		return v
	}
	for _, c := range []struct {
		values  map[string]string
		old     string
		field   string
		text    string
		serious bool
	}{
		{line(), "", "", "", false},
		{map[string]string{"product": "Skerrymap"}, "", "", "", false},
		{line("entitlement_id", "N-1"), "", "entitlement_id", "there is an entitlement N-1 already", true},
		{line("product", "Skerrymapp"), "", "product", "the catalogue has no product", true},
		{line("quantity", "-2"), "", "quantity", "must be 0 or more", true},
		{line("quantity", "9999999999999"), "", "quantity", "cannot be meant", true},
		{line("quantity", "two"), "", "quantity", "not a whole number", true},
		{line("start", "2026-01-01", "end", "2025-01-01"), "", "end", "before it starts", true},
		{line("start", "31.12.2025"), "", "start", "not a date", true},
		{line("end", "2126-01-01"), "", "end", "is the year right", false},
		{line("kind", "upgrade"), "", "base", "counts for nothing", false},
		{line("kind", "upgrade", "base", "Q-9"), "", "base", "there is no entitlement Q-9", true},
		{line("kind", "upgrade", "base", "N-1"), "", "base", "is of Notes", true},
		{line("kind", "upgrade", "base", "B-1"), "", "quantity", "B-1 has 1 rights left to upgrade: 1 of these",
			false},
		{line("entitlement_id", "B-1", "kind", "upgrade", "base", "U-1"), "B-1", "base", "rest on itself", true},
		{line("entitlement_id", "N-1", "publisher", "Brack", "product", "Notes", "metric", "named_user", "quantity",
			"1"), "N-1", "quantity", "2 seats of it are assigned", true},
		{line("order", "PO-1"), "", "order", "N-1 has this order number too", false},
		{line("unit_price", "10", "currency", "SEK"), "", "currency", "no rate is known for SEK", false},
		{line("scope_unit", "Nowhere"), "", "scope_unit", "no device is in the unit", false},
		{line("min_per_server", "16"), "", "min_per_processor", "core alone", false},
		{line("rights", "flying"), "", "rights", "is none of", true},
	} {
		checks, err := prog.Entitlements.CheckLine(ctx, c.values, c.old)
		if err != nil {
			t.Fatal(err)
		}
		if c.text == "" {
			if len(checks) > 0 {
				t.Errorf("%v: %+v", c.values, checks)
			}
			continue
		}
		found := false
		for _, got := range checks {
			found = found || got.Field == c.field && strings.Contains(got.Text, c.text) && got.Serious == c.serious
		}
		if !found {
			t.Errorf("%v: %+v, want %s: %q", c.values, checks, c.field, c.text)
		}
	}
}

// A line is changed with what it was kept; another one's change is not overwritten; a transaction cannot leave fewer
// rights than seats.
func TestALineIsChanged(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t)
	l, err := prog.Entitlements.Line(ctx, "N-1")
	if err != nil || l.Held != 2 || l.Effective != 3 || len(l.Days) != 2 || l.Days[1].From != "2026-10-01" {
		t.Fatalf("%+v, %v", l, err)
	}
	values := l.Values
	values["quantity"], values["rights"] = "5", "older_versions"
	if err := prog.Entitlements.EditLine(ctx, entitlements.LineEdit{Values: values, Revision: 7},
		"me"); !errors.Is(err, sqlite.ErrChangedMeanwhile) {
		t.Errorf("an old version is changed: %v", err)
	}
	if err := prog.Entitlements.EditLine(ctx, entitlements.LineEdit{Values: values, Revision: l.Revision},
		"me"); err != nil {
		t.Fatal(err)
	}
	if l, err = prog.Entitlements.Line(ctx, "N-1"); err != nil || l.Effective != 5 || len(l.Changes) != 2 ||
		l.Changes[0].Author != "me" {
		t.Errorf("%+v, %v", l, err)
	}
	trade := func(kind, quantity string) error {
		d := entitlements.TransactionDraft{Line: "N-1", Type: kind, On: "2026-01-01", Quantity: quantity}
		if kind == "buy" {
			d.On = "2025-10-01"
		}
		effect, err := prog.Entitlements.TryTrade(ctx, d)
		if err != nil {
			return err
		}
		d.Confirmed = effect.Asks
		_, err = prog.Entitlements.Trade(ctx, d, "me")
		return err
	}
	if err := trade("retire", "6"); err == nil || !strings.Contains(err.Error(), "5 of N-1 are there") {
		t.Errorf("a line gives away what is not in it: %v", err)
	}
	if err := trade("buy", "4"); err != nil { // in the place of its own purchase
		t.Fatal(err)
	}
	if err := trade("retire", "3"); err == nil || !strings.Contains(err.Error(), "2 seats of N-1 are assigned") {
		t.Errorf("fewer rights than seats: %v", err)
	}
	if err := trade("retire", "2"); err != nil {
		t.Error(err)
	}
	if err := prog.Entitlements.WithdrawLine(ctx, "N-1", seenAt(t, prog, edits.Thing{Kind: edits.Line, Key: "N-1"}),
		"twice", "me"); err == nil {
		t.Error("a line with seats is withdrawn")
	}
	if err := prog.Entitlements.NoteLine(ctx, "N-1", "agreed by phone", "me"); err != nil {
		t.Error(err)
	}
	if err := prog.Entitlements.AddProof(ctx, "N-1", "invoice.pdf", strings.NewReader("paid"), "me"); err != nil {
		t.Fatal(err)
	}
	if l, err = prog.Entitlements.Line(ctx, "N-1"); err != nil || len(l.Notes) != 1 || len(l.Proofs) != 1 ||
		l.Effective != 2 {
		t.Fatalf("%+v, %v", l, err)
	}
	if p, content, err := prog.Entitlements.Proof(ctx, l.Proofs[0].ID); err != nil || string(content) != "paid" ||
		p.Name != "invoice.pdf" {
		t.Errorf("%+v %q %v", p, content, err)
	}
}

// A licence key cannot be read out of the data, only with the file beside it; who looked is kept.
func TestKeysAreSealed(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t)
	const key = "ABCD-1234-SECRET-9876"
	if err := prog.Keys.AddKey(ctx, "N-1", key, "site", "runner"); err != nil {
		t.Fatal(err)
	}
	l, err := prog.Entitlements.Line(ctx, "N-1")
	if err != nil || len(l.Keys) != 1 || strings.Contains(fmt.Sprintf("%+v", l.Keys), "SECRET") ||
		l.Keys[0].Hint != "…T9876" {
		t.Fatalf("%+v, %v", l.Keys, err)
	}
	copied := t.TempDir() + "/copy.db"
	if err := prog.DB.Backup(ctx, copied); err != nil {
		t.Fatal(err)
	}
	if data, err := os.ReadFile(copied); err != nil || bytes.Contains(data, []byte("SECRET")) {
		t.Error("the key stands in the data", err)
	}
	if info, err := os.Stat(string(prog.Secret)); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info, err)
	}
	if got, err := prog.Keys.ShowKey(ctx, l.Keys[0].ID, "runner"); err != nil || got != key {
		t.Errorf("%q, %v", got, err)
	}
	if err := os.Remove(string(prog.Secret)); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Keys.ShowKey(ctx, l.Keys[0].ID, "runner"); err == nil ||
		!strings.Contains(err.Error(), "put it back") {
		t.Errorf("without its file: %v", err)
	}
}

// What ends is judged by the position without it, and goes into a calendar whose lines keep to RFC 5545.
func TestWhatEnds(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,end,unit_price,currency",
		"N-2,Brack,Notes,named_user,7,subscription,2026-08-01,50,EUR",
	)
	if err := prog.Entitlements.PutContract(ctx,
		entitlementsdb.Contract{Code: "K-1",
			Name: "Office, with a name; long enough that its line in a calendar has to be folded once or twice",
			End:  civil.MustParse("2026-09-30"), NoticeDays: 60}, "test"); err != nil {
		t.Fatal(err)
	}
	list, err := prog.Entitlements.Renewals(ctx, 0, 365)
	if err != nil || len(list) != 3 {
		t.Fatalf("%+v, %v", list, err)
	}
	if r := list[0]; r.Line != "N-2" || r.ShortMore != 0 || r.Advice != "let go" || r.Keep != "350" {
		t.Errorf("%+v", r)
	}
	if r := list[2]; r.Line != "N-1" && list[1].Line != "N-1" {
		t.Errorf("%+v", list)
	}
	for _, r := range list[1:] {
		if r.Notice != "2026-08-01" {
			t.Errorf("notice of %+v", r)
		}
	}
	var b bytes.Buffer
	if err := prog.Entitlements.WriteCalendar(ctx, &b, 365); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	if !strings.HasPrefix(text, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n") ||
		!strings.HasSuffix(text, "END:VCALENDAR\r\n") ||
		strings.Count(text, "BEGIN:VEVENT") != 5 ||
		!strings.Contains(text, "DTSTART;VALUE=DATE:20260801") {
		t.Error(text)
	}
	for _, l := range strings.Split(text, "\r\n") {
		if len(l) > 75 || strings.Contains(l, "\n") {
			t.Errorf("a line of %d octets: %q", len(l), l)
		}
	}
	if !strings.Contains(strings.ReplaceAll(text, "\r\n ", ""), `Office\, with a name\; long`) {
		t.Error("commas and semicolons are not escaped")
	}
}

// What was spent is summed at the rate of its day; an amount without a rate is counted, not guessed.
func TestSpend(t *testing.T) {
	ctx := context.Background()
	prog, _ := office(t)
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2025-01-01,10", "NOK,2026-01-01,20")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,unit_price,currency",
		"A,Ostwick,Skerrymap,device,2,2025-03-01,100,NOK",
		"B,Ostwick,Skerrymap,device,2,2026-03-01,100,NOK",
		"C,Ostwick,Skerrymap,device,2,2026-03-01,100,SEK",
		"D,Ostwick,Suite,device,9,2025-03-01,1,EUR",
	)
	take(
		t,
		prog,
		formats.Transactions,
		"entitlement_id,type,on,quantity,price,currency",
		"D,buy,2025-03-01,9,10,EUR",
		"D,renew,2026-03-01,9,3,EUR",
		"D,retire,2026-04-01,2,99,EUR",
	)
	s, err := prog.Spending.Spend(ctx, entitlements.OwnBy{})
	if err != nil || len(s.Without) != 1 || s.Without[0].Line != "C" || s.Without[0].Currency != "SEK" {
		t.Fatalf("%+v, %v", s, err)
	}
	got := map[string]string{}
	for _, r := range s.Rows {
		got[fmt.Sprint(r.Year, " ", r.Product)] = r.Amount
	}
	for what, want := range map[string]string{"2025 Skerrymap": "20", "2026 Skerrymap": "10", "2025 Suite": "90",
		"2026 Suite": "27", "2025 Notes": "180"} {
		if got[what] != want {
			t.Errorf("%s: %s, want %s", what, got[what], want)
		}
	}
}

// A statement never changes, is compared with later knowledge, and says when it was touched.
func TestStatements(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6.1,,,2026-06-20T10:00:00Z")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E,Ostwick,Skerrymap,device,1")
	if _, err := prog.Position.MakeStatement(ctx, 0, position.StatementScope{}, " ", "", "me"); err == nil {
		t.Error("a statement to nobody")
	}
	id, err := prog.Position.MakeStatement(ctx, 0, position.StatementScope{}, "auditor", "yearly", "me")
	if err != nil {
		t.Fatal(err)
	}
	if v, err := prog.Position.Statement(ctx, id, false); err != nil || v.Differ != 0 ||
		v.Compared[0].Said.Needed != 1 {
		t.Fatalf("%+v, %v", v, err)
	}
	// A scan of that day comes late: what was said stays, and what is known now of that day differs.
	clock.now = clock.now.AddDate(0, 0, 3)
	take(t, prog, formats.Installs, installHeader, "D2,Ostwick,Skerrymap,6.1,,,2026-06-25T10:00:00Z")
	v, err := prog.Position.Statement(ctx, id, false)
	if err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	if v, err = prog.Position.Statement(ctx, id, false); err != nil || v.Differ != 1 ||
		v.Compared[0].Said.Needed != 1 ||
		v.Compared[0].Now.Needed != 2 ||
		v.Compared[0].Now.Short != 1 {
		t.Fatalf("%+v, %v", v, err)
	}
	if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
		_, err := tx.ExecContext(ctx, "UPDATE statement SET content = zeroblob(20)")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Position.Statement(ctx, id, false); err == nil ||
		!strings.Contains(err.Error(), "hash differs") {
		t.Errorf("a statement that was touched opens: %v", err)
	}
}

// What a scenario says is what happens once it is done: for removals after a scan, for bought rights once they are
// booked. Trying changes nothing.
func TestScenarios(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
	)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,unit_price,currency",
		"E,Ostwick,Skerrymap,device,1,80,EUR",
	)
	if f := figure(t, prog, "Skerrymap"); f.Short != 2 {
		t.Fatalf("%+v", f)
	}
	id := mustProduct(t, prog, "Skerrymap")
	measures := []snapshot.Measure{{Kind: "remove", Product: id, Devices: []string{"D3"}},
		{Kind: "buy", Product: id, Line: "E", Quantity: 1}, {Kind: "lapse", Product: id, Line: "nothing"}}
	got, err := prog.Position.TryScenario(ctx, measures)
	if err != nil || len(got.Positions) != 1 || got.Positions[0].Before.Short != 2 ||
		got.Positions[0].After.Short != 0 ||
		got.ExposureBefore != "200" ||
		got.ExposureAfter != "0" ||
		got.Cost != "80" {
		t.Fatalf("%+v, %v", got, err)
	}
	if got.Measures[0].Short != -1 || got.Measures[2].Error == "" {
		t.Errorf("%+v", got.Measures)
	}
	if f := figure(t, prog, "Skerrymap"); f.Short != 2 {
		t.Errorf("trying changed something: %+v", f)
	}
	b, err := prog.Worklist.SaveScenario(ctx, worklist.Scenario{Name: "way out", Measures: measures[:2]}, "me")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Worklist.SaveScenario(ctx, worklist.Scenario{ID: b.ID, Revision: b.Revision + 1, Name: "late"},
		"you"); !errors.Is(
		err,
		sqlite.ErrChangedMeanwhile,
	) {
		t.Errorf("%v", err)
	}
	done, err := prog.Worklist.DoScenario(ctx, b.ID, b.Revision, "me")
	if err != nil || done.Cases != 1 || done.Requests != 1 {
		t.Fatalf("%+v, %v", done, err)
	}
	if _, err := prog.Worklist.DoScenario(ctx, b.ID, b.Revision, "me"); err == nil {
		t.Error("a scenario is done twice")
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	state := func() string {
		var out string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.CaseList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"kind": "planned"}})
			if err == nil && len(page.Rows) == 1 {
				out = page.Rows[0].State
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	if got := state(); got != "agreed" {
		t.Errorf("the case is %q", got)
	}
	clock.now = clock.now.AddDate(0, 0, 1)
	take(t, prog, formats.Installs, installHeader, "D3,x,Other,1,,,2026-07-01T06:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Short != 1 {
		t.Errorf("%+v", f)
	}
	if got := state(); got != "gone" {
		t.Errorf("later evidence has it gone, and the case is %q", got)
	}
	bought, err := listed(prog, caseList, sqlite.ListQuery{Filters: map[string]string{"kind": "purchase"}})
	if err != nil || len(bought.Rows) != 1 || bought.Rows[0].Amount != "80" || bought.Rows[0].State != "open" {
		t.Fatalf("%+v, %v", bought, err)
	}
}

// Two days are compared by their causes, and machines that moved or left service are told from installs that went.
func TestStepsBetweenTwoDays(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = clock.now.AddDate(0, 0, -60) // 1 May
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-04-20T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-04-20T10:00:00Z",
	)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,end",
		"E,Ostwick,Skerrymap,device,5,2026-01-01,2026-06-01",
		"F,Ostwick,Skerrymap,device,1,2026-06-10,",
	)
	clock.now = clock.now.AddDate(0, 0, 60)
	take(t, prog, formats.Devices, "device_id,kind,primary_user,org_unit,status", "D1,client,u1,A,retired")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D2,Ostwick,Skerrymap,7.0,,,2026-06-20T10:00:00Z",
		"D3,Ostwick,Skerrymap,6.1,,,2026-06-20T10:00:00Z",
	)
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	id := mustProduct(t, prog, "Skerrymap")
	s, err := prog.Position.ProductSteps(ctx, id, civil.MustParse("2026-05-01"), 0, position.KnownNow)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string][3]int64{}
	for _, x := range s.Steps {
		got[x.Cause] = [3]int64{x.Change.Needed, x.Change.Owned, x.Change.Short}
	}
	for cause, want := range map[string][3]int64{"devices out of service": {-1, 0, 0},
		"devices came into service": {1, 0, 0}, "rights expired": {0, -5, 2}, "rights bought or begun": {0, 1, -1}} {
		if got[cause] != want {
			t.Errorf("%s: %v, want %v (all: %v)", cause, got[cause], want, got)
		}
	}
	all, err := prog.Position.AllSteps(ctx, civil.MustParse("2026-05-01"), 0, position.KnownNow)
	if err != nil || len(all.Positions) != 1 || all.ExposureBefore != "0" ||
		all.ExposureAfter != "100" {
		t.Errorf("%+v, %v", all, err)
	}
	sum := decimal.RequireFromString(all.ExposureBefore)
	for _, c := range all.Causes {
		sum = sum.Add(decimal.RequireFromString(c.Exposure))
	}
	if sum.String() != all.ExposureAfter {
		t.Errorf("the causes come to %v, not to %v", sum, all.ExposureAfter)
	}
	if _, err := prog.Position.ProductSteps(ctx, id, civil.MustParse("2026-06-30"),
		civil.MustParse("2026-06-30"), position.KnownNow); err == nil {
		t.Error("a day is compared with itself")
	}
}

// A line may say that several versions on one device count each. A file of before that does not say it changes nothing
// when it is taken in again, and neither does one that says what is so anyhow.
func TestVersionsMayCountEach(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	const columns = "entitlement_id,publisher,product,metric,quantity,kind,start"
	const line = "V-1,Ostwick,Skerrymap,installation,9,perpetual,2025-01-01"
	seen := "2026-06-29T10:00:00Z"
	take(t, prog, formats.Titles, "publisher,product,version,licence_model", "Ostwick,Skerrymap,5,commercial")
	take(t, prog, formats.Installs, installHeader,
		"D1,Ostwick,Skerrymap,5.2,,twice,"+seen, "D1,Ostwick,Skerrymap,6.1,,twice,"+seen)
	needed := func() int64 {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var n int64
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			return tx.QueryRowContext(ctx,
				"SELECT needed FROM position WHERE metric = 'installation' AND product_id = ?",
				mustProduct(t, prog, "Skerrymap")).Scan(&n)
		}); err != nil {
			t.Fatal(err)
		}
		return n
	}
	take(t, prog, formats.Entitlements, columns, line)
	before := needed()
	if res := take(t, prog, formats.Entitlements, columns, line); res.Same != 1 {
		t.Errorf("the same again: %+v", res)
	}
	if res := take(t, prog, formats.Entitlements, columns+",versions_counted", line+","); res.Same != 1 {
		t.Errorf("the same again, with a column more that says nothing: %+v", res)
	}
	if res := take(t, prog, formats.Entitlements, columns+",versions_counted", line+",each"); res.Changed != 1 {
		t.Errorf("each: %+v", res)
	}
	if after := needed(); after != before+1 {
		t.Errorf("a device with two versions: %d needed once, %d each", before, after)
	}
	l, err := prog.Entitlements.Line(ctx, "V-1")
	if err != nil || l.Values["versions_counted"] != "each" {
		t.Fatalf("%v, %v", l.Values, err)
	}
	l.Values["versions_counted"] = "all"
	if err := prog.Entitlements.EditLine(ctx, entitlements.LineEdit{Values: l.Values, Revision: l.Revision},
		"me"); err == nil {
		t.Error("versions count in a way that there is not")
	}
	l.Values["versions_counted"] = "once"
	if err := prog.Entitlements.EditLine(ctx, entitlements.LineEdit{Values: l.Values, Revision: l.Revision},
		"me"); err != nil {
		t.Fatal(err)
	}
	if after := needed(); after != before {
		t.Errorf("once again: %d needed, before %d", after, before)
	}
}
