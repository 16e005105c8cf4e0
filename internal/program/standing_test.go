package program

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// inState sums cases by their state.
func inState(t *testing.T, prog *Program) map[casework.State]int {
	t.Helper()
	out := map[casework.State]int{}
	for _, c := range casesOf(t, prog) {
		out[c.State]++
	}
	return out
}

func account(t *testing.T, prog *Program, name string, role access.Role) {
	t.Helper()
	if err := prog.People.SaveAccount(context.Background(), name, role, "a long enough pass phrase"); err != nil {
		t.Fatal(err)
	}
}

func decisions(t *testing.T, prog *Program) []worklist.StandingView {
	t.Helper()
	list, err := prog.Standing.Decisions(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return list.Decisions
}

func oneDecision(t *testing.T, prog *Program) worklist.StandingView {
	t.Helper()
	list := decisions(t, prog)
	if len(list) != 1 {
		t.Fatalf("%d standing decisions", len(list))
	}
	return list[0]
}

// groundOf is the ground whose words begin so.
func groundOf(t *testing.T, prog *Program, words string) worklist.GroundView {
	t.Helper()
	list, err := prog.Standing.Decisions(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	for _, g := range list.Grounds {
		if strings.HasPrefix(g.What, words) {
			return g
		}
	}
	t.Fatalf("no ground %q in %+v", words, list.Grounds)
	return worklist.GroundView{}
}

func decide(t *testing.T, prog *Program, who string, d worklist.StandingDraft) {
	t.Helper()
	if err := prog.Standing.SetStanding(context.Background(), d, who); err != nil {
		t.Fatal(err)
	}
}

func tell(t *testing.T, prog *Program, to, who string) {
	t.Helper()
	d := oneDecision(t, prog)
	if err := prog.Standing.SteerStanding(context.Background(), d.Says.ID, d.Says.Revision, to, who); err != nil {
		t.Fatalf("%s: %v", to, err)
	}
}

func sums(t *testing.T, prog *Program, when string, want map[casework.State]int) {
	t.Helper()
	got := inState(t, prog)
	for s, n := range want {
		if got[s] != n {
			t.Fatalf("%s: %v, want %v", when, got, want)
		}
	}
}

// A standing decision takes its day's number, holds it back for as long as it says, lets it leave, and takes the next
// on the next day. Each case says who answers for it.
func TestStandingDecision(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 8)
	account(t, prog, "Oddny", access.Editor)
	restricted := groundOf(t, prog, "restricted: ")
	draft := worklist.StandingDraft{
		Kind:        restricted.Kind,
		Ground:      restricted.Ground,
		PerDay:      3,
		MaxFails:    20,
		HoldMinutes: 120,
	}
	e, err := prog.Standing.PreviewStanding(ctx, draft, "Oddny")
	if err != nil || e.Ready != 8 || e.Today != 3 || e.Days != 3 || e.Outside != 0 || e.Waits != "" ||
		len(e.Samples) != 5 || e.Samples[0] != "Derby on dev-0" {
		t.Fatalf("%+v, %v", e, err)
	}
	decide(t, prog, "Oddny", draft)
	sums(t, prog, "at once", map[casework.State]int{casework.Waiting: 3, casework.Open: 5})
	pass(t, prog, clock, time.Minute)
	sums(t, prog, "first day", map[casework.State]int{casework.Waiting: 3, casework.Open: 5})
	pass(t, prog, clock, 118*time.Minute)
	if len(d.taken) != 0 {
		t.Fatalf("orders left before their time: %+v", d.taken)
	}
	pass(t, prog, clock, 2*time.Minute)
	sums(t, prog, "after its hold", map[casework.State]int{casework.Sent: 3, casework.Open: 5})
	pass(t, prog, clock, 5*time.Hour)
	sums(t, prog, "later that day", map[casework.State]int{casework.Sent: 3, casework.Open: 5})
	var steps []casework.Step
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		steps, err = worklistdb.Steps(tx, 1)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if s := steps[1]; s.Who != "Oddny" || s.Act != casework.Agree ||
		s.Note != "By standing decision 1 of Oddny on 2026-06-30 (restricted: Ostwick Derby on all devices)." {
		t.Errorf("the case says %+v", s)
	}
	pass(t, prog, clock, day24)
	pass(t, prog, clock, 3*time.Hour)
	sums(t, prog, "second day", map[casework.State]int{casework.Sent: 6, casework.Open: 2})
	v := oneDecision(t, prog)
	if !v.Running || v.Ready != 2 || v.Taken != 6 || v.Today != 3 || v.Out != 6 || v.Author != "Oddny" {
		t.Errorf("%+v", v)
	}
	// evidence ends the first cases; the ones that come back are taken once more, since they were opened anew
	for _, line := range []string{"D0,Ostwick,Other,1,,scan,2026-07-02T10:00:00Z",
		"D0,Ostwick,Derby,1,,scan,2026-07-03T10:00:00Z"} {
		take(t, prog, formats.Installs, installHeader, line)
		clock.now = clock.now.Add(day24)
		renew(t, prog)
	}
	pass(t, prog, clock, day24)
	if c := casesOf(t, prog)[0]; c.CameBack != 1 || c.State != casework.Waiting {
		t.Errorf("the first case came back: %+v", c)
	}
}

// What a standing decision has sent can be called back until it leaves; it stays called back, and the decision waits
// until somebody lets it go on.
func TestStandingDecisionCalledBack(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 8)
	account(t, prog, "Oddny", access.Editor)
	account(t, prog, "Perlo", access.Editor)
	decide(t, prog, "Oddny", worklist.StandingDraft{Kind: casework.OnStance, Ground: 1, PerDay: 3, MaxFails: 20,
		HoldMinutes: 120})
	pass(t, prog, clock, time.Minute)
	do(t, prog, "Perlo", worklist.CaseAction{IDs: []int64{1}, Act: casework.Undo}) // one alone
	sums(t, prog, "one called back", map[casework.State]int{casework.Waiting: 2, casework.Agreed: 1})
	waves, err := prog.Orders.Waves(ctx)
	if err != nil || len(waves) != 1 || waves[0].Standing != 1 {
		t.Fatalf("%+v, %v", waves, err)
	}
	if err := prog.Orders.SteerWave(ctx, waves[0].ID, "call off", "Perlo"); err != nil {
		t.Fatal(err)
	}
	sums(t, prog, "all called back", map[casework.State]int{casework.Agreed: 3, casework.Open: 5})
	v := oneDecision(t, prog)
	if v.Running || !strings.HasPrefix(v.Why, "Perlo called back its wave of 2026-06-30") {
		t.Errorf("%+v", v)
	}
	for range 3 {
		pass(t, prog, clock, day24)
	}
	sums(t, prog, "days later", map[casework.State]int{casework.Agreed: 3, casework.Open: 5})
	do(t, prog, "Perlo", worklist.CaseAction{IDs: []int64{1}, Act: casework.Reopen})
	tell(t, prog, "go on", "Perlo")
	pass(t, prog, clock, time.Minute)
	sums(t, prog, "going on", map[casework.State]int{casework.Agreed: 2, casework.Waiting: 3, casework.Open: 3})
	if c := casesOf(t, prog)[0]; c.State != casework.Open {
		t.Errorf("what was called back is sent again: %+v", c)
	}
	if v := oneDecision(t, prog); v.Author != "Perlo" {
		t.Errorf("who let it go on does not answer for it: %+v", v)
	}
	tell(t, prog, "end", "Perlo")
	sums(t, prog, "ended", map[casework.State]int{casework.Agreed: 5, casework.Waiting: 0})
	pass(t, prog, clock, day24)
	if len(d.taken) != 0 || len(decisions(t, prog)) != 0 {
		t.Errorf("%d orders left", len(d.taken))
	}
}

// A standing decision stops by itself where too much fails, where what it rests on changes or ends, where who answers
// for it is gone, and after its last day.
func TestStandingDecisionStops(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 30)
	account(t, prog, "Oddny", access.Editor)
	account(t, prog, "Perlo", access.Editor)
	stance := groundOf(t, prog, "restricted: ")
	decide(
		t,
		prog,
		"Oddny",
		worklist.StandingDraft{
			Kind:     stance.Kind,
			Ground:   stance.Ground,
			PerDay:   4,
			MaxFails: 20,
			Until:    "2026-08-01",
		},
	)
	stops := func(why string) {
		t.Helper()
		pass(t, prog, clock, day24)
		v := oneDecision(t, prog)
		if v.Running || !strings.Contains(v.Why, why) {
			t.Fatalf("running %v, %q; want %q", v.Running, v.Why, why)
		}
		before := inState(t, prog)
		pass(t, prog, clock, day24)
		if now := inState(t, prog); now[casework.Open] != before[casework.Open] ||
			now[casework.Waiting] != before[casework.Waiting] {
			t.Fatalf("it goes on all the same: %v, then %v", before, now)
		}
	}
	pass(t, prog, clock, time.Minute)
	pass(t, prog, clock, time.Hour)
	for _, o := range slices.Clone(d.taken[:3]) {
		if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: o.ID, Reason: "locked"}, "tool"); err != nil {
			t.Fatal(err)
		}
	}
	stops("3 of 3 answers were failures")
	tell(t, prog, "go on", "Oddny")
	pass(t, prog, clock, time.Minute)
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 8 || !oneDecision(t, prog).Running {
		t.Fatalf("%d orders have left after it was let go on: %+v", len(d.taken), oneDecision(t, prog))
	}

	setStance := func(reason string, end bool) {
		t.Helper()
		list, err := prog.Worklist.Policies(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range list.Policies {
			if p.ID != stance.Ground {
				continue
			}
			p.Says.Reason = reason
			if end {
				err = prog.Worklist.EndPolicy(ctx, p.ID, p.Says.Revision, "Perlo")
			} else {
				err = prog.Worklist.SetPolicy(ctx, p.Says, "Perlo")
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	setStance("not even at home", false)
	stops("was changed")
	tell(t, prog, "go on", "Oddny")
	if err := prog.People.RemoveAccount(ctx, "Oddny"); err != nil {
		t.Fatal(err)
	}
	stops("Oddny, who answers for it, has no account")
	tell(t, prog, "go on", "Perlo")
	pass(t, prog, clock, time.Minute)
	if !oneDecision(t, prog).Running {
		t.Fatalf("%+v", oneDecision(t, prog))
	}
	pass(t, prog, clock, time.Hour)
	for _, o := range slices.Clone(d.taken) { // what nobody answers for long sums as failed
		if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: o.ID, Done: true}, "tool"); err != nil {
			t.Fatal(err)
		}
	}
	clock.now = time.Date(2026, 8, 1, 12, 0, 0, 0, time.UTC)
	pass(t, prog, clock, 0)
	if !oneDecision(t, prog).Running {
		t.Fatalf("it stops before its last day is over: %+v", oneDecision(t, prog))
	}
	stops("Its last day was 2026-08-01")
	v := oneDecision(t, prog)
	v.Says.Until = ""
	decide(t, prog, "Perlo", v.Says)
	setStance("", true)
	stops("not in force any more")
}

// Where two persons are asked for, somebody else approves the decision, and each case says both.
func TestStandingDecisionOfTwo(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, _ := house(t, 4)
	account(t, prog, "Oddny", access.Editor)
	account(t, prog, "Perlo", access.Editor)
	rules, err := prog.Worklist.CaseRules(ctx)
	if err != nil {
		t.Fatal(err)
	}
	rules.TwoPersons = true
	if err := prog.Worklist.SetCaseRules(ctx, rules, "Runner"); err != nil {
		t.Fatal(err)
	}
	draft := worklist.StandingDraft{Kind: casework.OnStance, Ground: 1, PerDay: 2}
	decide(t, prog, "Oddny", draft)
	pass(t, prog, clock, day24)
	sums(t, prog, "unapproved", map[casework.State]int{casework.Open: 4})
	v := oneDecision(t, prog)
	if err := prog.Standing.SteerStanding(ctx, v.Says.ID, v.Says.Revision, "approve", "Oddny"); !refuse.Is(err) {
		t.Errorf("who set it approves it: %v", err)
	}
	tell(t, prog, "approve", "Perlo")
	pass(t, prog, clock, time.Minute)
	sums(t, prog, "approved", map[casework.State]int{casework.Waiting: 2, casework.Open: 2})
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		steps, err := worklistdb.Steps(tx, 1)
		if len(steps) < 3 || steps[1].Who != "Oddny" || steps[2].Who != "Perlo" || steps[2].Act != casework.Approve {
			t.Errorf("%+v", steps)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	tell(t, prog, "go on", "Perlo") // and is now who answers for it
	if v := oneDecision(t, prog); v.Running || v.Author != "Perlo" || v.ApprovedBy != "" {
		t.Errorf("one person alone lets it go on: %+v", v)
	}
	v = oneDecision(t, prog)
	v.Says.PerDay = 500
	decide(t, prog, "Oddny", v.Says)
	if v := oneDecision(t, prog); v.Running || v.ApprovedBy != "" {
		t.Errorf("what was approved before sums for what it is now: %+v", v)
	}
}

// A decision on a group takes the cases of its devices alone: of a group that people made, of a site, of a unit.
func TestStandingDecisionOnAGroup(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, _ := house(t, 6)
	account(t, prog, "Oddny", access.Editor)
	take(t, prog, formats.Devices, "device_id,name,kind,site,org_unit", "D1,dev-1,client,Inland,Works/Hall 1",
		"D2,dev-2,client,Inland,Works/Hall 10", "D3,dev-3,client,Quay,Works")
	renew(t, prog)
	for group, want := range map[string]int{"": 6, "Inland": 2, "Quay": 4, "Works": 3, "Works/Hall 1": 1, "client": 6} {
		e, err := prog.Standing.PreviewStanding(ctx, worklist.StandingDraft{Kind: casework.OnStance, Ground: 1,
			Group: group, PerDay: 1}, "Oddny")
		if err != nil || e.Ready != want || e.Outside != 6-want || e.Days != want {
			t.Errorf("%q: %+v, %v", group, e, err)
		}
	}
	decide(t, prog, "Oddny", worklist.StandingDraft{Kind: casework.OnStance, Ground: 1, Group: "Inland", PerDay: 9})
	if err := prog.Standing.SetStanding(ctx, worklist.StandingDraft{Kind: casework.OnStance, Ground: 1,
		Group: "Inland", PerDay: 2}, "Perlo"); !refuse.Is(err) {
		t.Errorf("a second one for the same: %v", err)
	}
	pass(t, prog, clock, time.Minute)
	for _, c := range casesOf(t, prog) {
		if want := c.Device == 2 || c.Device == 3; (c.State == casework.Waiting) != want {
			t.Errorf("device %d: %s", c.Device, c.State)
		}
	}
}

// What is to be moved is taken off once what it moves to is there.
func TestStandingDecisionOnAMove(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, _ := house(t, 3)
	account(t, prog, "Oddny", access.Editor)
	take(t, prog, formats.Titles, "publisher,product,version,category,licence_model",
		"Ostwick,Chart,1,tool,free", "Ostwick,Chart,2,tool,free")
	take(t, prog, formats.Installs, installHeader,
		"D0,Ostwick,Chart,1,,scan,2026-06-29T11:00:00Z", "D1,Ostwick,Chart,1,,scan,2026-06-29T11:00:00Z",
		"D1,Ostwick,Chart,2,,scan,2026-06-29T11:00:00Z")
	renew(t, prog)
	var product, title int64
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRowContext(ctx, `SELECT t.product_id, t.id FROM title t JOIN product p ON p.id = t.product_id
			WHERE p.name = 'Chart' AND t.version = '1'`).Scan(&product, &title)
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Catalogue.PutPlan(ctx, titles.PlanDraft{Title: title, What: "move", ToProduct: product,
		ToVersion: "2", Due: 20800, Owner: "Oddny"}, "Oddny"); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	decide(t, prog, "Oddny", worklist.StandingDraft{Kind: casework.OnPlan,
		Ground: groundOf(t, prog, "planned: move off Chart 1 to Chart 2").Ground,
		PerDay: 9})
	pass(t, prog, clock, time.Minute)
	for _, c := range casesOf(t, prog) {
		if c.Kind != casework.EndOfLife {
			continue
		}
		want := casework.Open
		if c.Device == 2 {
			want = casework.Waiting
		}
		if c.State != want {
			t.Errorf("device %d: %s, want %s", c.Device, c.State, want)
		}
	}
}

// Only what is in force and can be sent makes a standing decision, and it is changed by who saw it as it is.
func TestStandingDecisionRefused(t *testing.T) {
	ctx := context.Background()
	prog, _, _, _ := house(t, 1)
	account(t, prog, "Oddny", access.Editor)
	stance := groundOf(t, prog, "restricted: ")
	take(
		t,
		prog,
		formats.Policies,
		"category,stance,reason,days,from,to",
		"tool,restricted,not by night,mon-fri,22:00,06:00",
	)
	for what, d := range map[string]worklist.StandingDraft{
		"no ground":      {PerDay: 1},
		"unknown stance": {Kind: casework.OnStance, Ground: 99, PerDay: 1},
		"by the hour":    {Kind: casework.OnStance, Ground: stance.Ground + 1, PerDay: 1},
		"no number":      {Kind: stance.Kind, Ground: stance.Ground},
		"unknown group":  {Kind: stance.Kind, Ground: stance.Ground, PerDay: 1, Group: "Nowhere"},
		"over":           {Kind: stance.Kind, Ground: stance.Ground, PerDay: 1, Until: "2026-06-29"},
		"no day":         {Kind: stance.Kind, Ground: stance.Ground, PerDay: 1, Until: "tomorrow"},
	} {
		if err := prog.Standing.SetStanding(ctx, d, "Oddny"); !refuse.Is(err) {
			t.Errorf("%s: %v", what, err)
		}
	}
	decide(t, prog, "Oddny", worklist.StandingDraft{Kind: stance.Kind, Ground: stance.Ground, PerDay: 1})
	seen := oneDecision(t, prog)
	seen.Says.PerDay = 2
	decide(t, prog, "Perlo", seen.Says)
	seen.Says.PerDay = 3
	if err := prog.Standing.SetStanding(ctx, seen.Says, "Oddny"); err == nil {
		t.Error("a change over somebody else's change")
	}
	for _, to := range []string{"pause", "approve", "go on", "end"} {
		if err := prog.Standing.SteerStanding(ctx, seen.Says.ID, seen.Says.Revision, to, "Oddny"); err == nil {
			t.Errorf("%s: what somebody else changed", to)
		}
	}
	tell(t, prog, "end", "Oddny")
	if err := prog.Standing.SteerStanding(ctx, seen.Says.ID, seen.Says.Revision+2, "go on", "Oddny"); !refuse.Is(
		err,
	) {
		t.Errorf("what was ended: %v", err)
	}
	prog.Worklist.Deploy = nil
	err := prog.Standing.SetStanding(ctx, worklist.StandingDraft{Kind: stance.Kind, Ground: stance.Ground, PerDay: 1},
		"Oddny")
	if !refuse.Is(err) {
		t.Errorf("no tool is connected: %v", err)
	}
	if err := prog.Standing.SteerStanding(ctx, 99, 0, "end", "Oddny"); err != sqlite.ErrNotFound {
		t.Error(fmt.Errorf("one that is not there: %w", err))
	}
}
