package program

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/policy"
	"ensomet/internal/formats"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// tool is a deployment tool that takes orders, or does not.
type tool struct {
	taken []worklist.Order
	down  error
	lies  bool // it takes an order and says that it did not
	// before it says that it took an order
	before func(worklist.Order)
}

func (d *tool) Take(_ context.Context, o worklist.Order) error {
	if d.down != nil && !d.lies {
		return d.down
	}
	for _, k := range d.taken {
		if k.ID == o.ID {
			return d.down
		}
	}
	d.taken = append(d.taken, o)
	if d.before != nil {
		d.before(o)
	}
	return d.down
}

// house is a desk with a fleet of n devices on which a restricted title is, each with a user of its own, a mail box
// and a deployment tool.
func house(t *testing.T, n int) (*Program, *movable, *letterbox, *tool) {
	t.Helper()
	prog, clock := desk(t)
	box, d := &letterbox{}, &tool{}
	prog.Outbox.Mail, prog.Worklist.Deploy = box, d
	take(t, prog, formats.Titles, "publisher,product,category,licence_model", "Ostwick,Derby,game,free")
	devices, users, installs := []string{
		"device_id,name,kind,primary_user,site",
	}, []string{
		"user_id,name,email",
	}, []string{
		installHeader,
	}
	for i := range n {
		devices = append(devices, fmt.Sprintf("D%d,dev-%d,client,u%d,Quay", i, i, i))
		users = append(users, fmt.Sprintf("u%d,User %d,u%d@x.example", i, i, i))
		installs = append(installs, fmt.Sprintf("D%d,Ostwick,Derby,1,,scan,2026-06-29T10:00:00Z", i))
	}
	take(t, prog, formats.Devices, devices...)
	take(t, prog, formats.Users, users...)
	take(t, prog, formats.Policies, "publisher,product,stance,reason", "Ostwick,Derby,restricted,not at work")
	take(t, prog, formats.Installs, installs...)
	renew(t, prog)
	return prog, clock, box, d
}

func renew(t *testing.T, prog *Program) {
	t.Helper()
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
}

// casesOf reads all cases.
func casesOf(t *testing.T, prog *Program) []casework.Case {
	t.Helper()
	var out []casework.Case
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = worklistdb.Cases(tx)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

func do(t *testing.T, prog *Program, who string, deed worklist.CaseAction) worklist.CaseDone {
	t.Helper()
	prog.Worklist.Address = "http://house.example"
	done, err := prog.Worklist.CaseAct(context.Background(), deed, who)
	if err != nil {
		t.Fatalf("%s: %v", deed.Act, err)
	}
	return done
}

// pass lets time pass, and does what it asks.
func pass(t *testing.T, prog *Program, clock *movable, d time.Duration) {
	t.Helper()
	clock.now = clock.now.Add(d)
	if err := errors.Join(prog.Worklist.FollowUp(context.Background()),
		prog.Outbox.Deliver(context.Background())); err != nil {
		t.Fatal(err)
	}
}

func keyIn(t *testing.T, text string) string {
	t.Helper()
	_, after, found := strings.Cut(text, "http://house.example/answer/")
	if !found {
		t.Fatalf("no address in %q", text)
	}
	key, _, _ := strings.Cut(after, "\n")
	return path.Base(key)
}

const day24 = 24 * time.Hour

// A user is asked once, by one letter for all his cases; the letter can be called back until it leaves; an answer is
// taken once, may be changed until somebody acts on it, and a wrong key opens nothing.
func TestAskingAUser(t *testing.T) {
	ctx := context.Background()
	prog, clock, box, _ := house(t, 2)
	take(t, prog, formats.Titles, "publisher,product,category,licence_model", "Ostwick,Regatta,game,free")
	take(t, prog, formats.Policies, "category,stance,reason", "game,restricted,no games")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D0,Ostwick,Derby,1,,scan,2026-06-29T11:00:00Z",
		"D0,Ostwick,Regatta,1,,scan,2026-06-29T11:00:00Z",
	)
	renew(t, prog)
	if n := len(casesOf(t, prog)); n != 3 {
		t.Fatalf("%d cases", n)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2, 3}, Act: casework.Ask})
	if _, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: casework.Ask}, "w"); err == nil {
		t.Error("asked twice")
	}
	if err := prog.Outbox.Deliver(ctx); err != nil || len(box.sent) != 0 {
		t.Fatalf("the letters have left at once: %v, %v", box.sent, err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{2}, Act: casework.Undo})
	pass(t, prog, clock, 11*time.Minute)
	if len(box.sent) != 1 || strings.Count(box.sent[0], "/answer/") != 1 ||
		!strings.Contains(box.sent[0], "Derby on dev-0") ||
		!strings.Contains(box.sent[0], "Regatta on dev-0") {
		t.Fatalf("letters: %q", box.sent)
	}
	if done, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: casework.Undo},
		"w"); err == nil {
		t.Errorf("a letter that has left was called back: %+v", done)
	}
	key := keyIn(t, box.sent[0])
	for _, wrong := range []string{"", "x", strings.Repeat("0", 64), key[:63]} {
		if _, err := prog.Worklist.AnswerPage(ctx, wrong); !errors.Is(err, worklist.ErrNoQuestion) {
			t.Errorf("%q opens the page: %v", wrong, err)
		}
		if err := prog.Worklist.Answer(ctx, wrong, 1, false, ""); !errors.Is(err, worklist.ErrNoQuestion) {
			t.Errorf("%q answers: %v", wrong, err)
		}
	}
	page, err := prog.Worklist.AnswerPage(ctx, key)
	if err != nil || len(page.Lines) != 2 {
		t.Fatalf("%+v, %v", page, err)
	}
	mine, other := page.Lines[0].Case, page.Lines[1].Case
	if err := prog.Worklist.Answer(ctx, key, 2, false, ""); err != nil || casesOf(t, prog)[1].State != casework.Open {
		t.Errorf("somebody else's case was answered: %v", err)
	}
	for range 3 { // pressed thrice
		if err := prog.Worklist.Answer(ctx, key, mine, true, "for the regatta"); err != nil {
			t.Fatal(err)
		}
	}
	state := func(id int64) casework.Case {
		for _, c := range casesOf(t, prog) {
			if c.ID == id {
				return c
			}
		}
		t.Fatalf("no case %d", id)
		return casework.Case{}
	}
	if c := state(mine); c.State != casework.Answered || c.Answer != "needed for the regatta" {
		t.Errorf("%+v", c)
	}
	if err := prog.Worklist.Answer(ctx, key, mine, false, ""); err != nil || state(mine).State != casework.Agreed ||
		state(mine).AgreedBy != "User 0" {
		t.Errorf("the answer cannot be changed: %+v, %v", state(mine), err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{mine}, Act: casework.Send})
	if err := prog.Worklist.Answer(ctx, key, mine, true, "after all"); err != nil ||
		state(mine).State != casework.Waiting {
		t.Errorf("an answer that came too late has moved the case: %+v, %v", state(mine), err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{other}, Act: casework.Agree})
	if page, err := prog.Worklist.AnswerPage(ctx, key); err != nil ||
		!strings.Contains(page.Lines[1].Answer+page.Lines[0].Answer, "no longer asked") {
		t.Errorf("%+v, %v", page, err)
	}
	steps := 0
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.Steps(tx, mine)
		for _, s := range list {
			if s.Act == casework.SaysYes {
				steps++
			}
		}
		return err
	}); err != nil || steps != 1 {
		t.Errorf("three presses are %d steps, %v", steps, err)
	}
	clock.now = clock.now.AddDate(0, 3, 0)
	if _, err := prog.Worklist.AnswerPage(ctx, key); !errors.Is(err, worklist.ErrNoQuestion) {
		t.Errorf("months later the page opens: %v", err)
	}
}

// Whoever does not answer is reminded, and then somebody here decides. A mail box that is down loses nothing, and
// nothing is sent twice.
func TestRemindersAndAMailBoxThatIsDown(t *testing.T) {
	prog, clock, box, _ := house(t, 1)
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Ask})
	box.fail = true
	for range 4 {
		pass(t, prog, clock, 15*time.Minute)
	}
	if len(box.sent) != 0 || casesOf(t, prog)[0].State != casework.Asked {
		t.Fatalf("%v, %s", box.sent, casesOf(t, prog)[0].State)
	}
	box.fail = false
	for range 3 {
		pass(t, prog, clock, 10*time.Minute)
	}
	if len(box.sent) != 1 {
		t.Fatalf("%d letters", len(box.sent))
	}
	pass(t, prog, clock, 7*day24)
	if len(box.sent) != 1 {
		t.Fatalf("reminded on the last day")
	}
	pass(t, prog, clock, day24)
	pass(t, prog, clock, time.Hour)
	if len(box.sent) != 2 || !strings.Contains(box.sent[1], "we have not heard from you") ||
		keyIn(t, box.sent[0]) != keyIn(t, box.sent[1]) {
		t.Fatalf("letters: %q", box.sent)
	}
	if c := casesOf(t, prog)[0]; c.State != casework.Asked || c.AnswerBy != prog.Snapshots.Today()+7 {
		t.Errorf("%+v", c)
	}
	pass(t, prog, clock, 8*day24)
	if c := casesOf(t, prog)[0]; c.State != casework.Silent {
		t.Errorf("%+v", c)
	}
	if err := prog.Worklist.Answer(context.Background(), keyIn(t, box.sent[1]), 0, false, ""); err == nil &&
		casesOf(t, prog)[0].State != casework.Silent {
		t.Log("an answer that comes late is taken") // all were answered: nothing is open
	}
	if err := prog.Worklist.Answer(context.Background(), keyIn(t, box.sent[1]), 1, false, ""); err != nil ||
		casesOf(t, prog)[0].State != casework.Agreed {
		t.Errorf("a late answer is lost: %v", err)
	}
}

// Who cannot be asked is told, and the others are asked.
func TestNobodyToAsk(t *testing.T) {
	prog, _, _, _ := house(t, 3)
	take(t, prog, formats.Users, "user_id,name,email,status", "u0,User 0,,active", "u1,User 1,u1@x.example,left")
	done := do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2, 3}, Act: casework.Ask})
	if done.Count != 1 || len(done.Refused) != 2 ||
		!strings.Contains(strings.Join(done.Refused, " "), "no mail address") {
		t.Errorf("%+v", done)
	}
}

// An order leaves once: a tool that is down gets it later under the same number, one that lies about it does not do
// it twice, and after the last try it has failed.
func TestOrdersLeaveOnce(t *testing.T) {
	prog, clock, _, d := house(t, 2)
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2}, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Send})
	if err := prog.Outbox.Deliver(context.Background()); err != nil || len(d.taken) != 0 {
		t.Fatalf("it has left at once: %v, %v", d.taken, err)
	}
	d.down, d.lies = errors.New("no route"), true
	pass(t, prog, clock, 11*time.Minute)
	if c := casesOf(t, prog)[0]; c.State != casework.Waiting {
		t.Fatalf("%+v", c)
	}
	if _, err := prog.Worklist.CaseAct(context.Background(), worklist.CaseAction{IDs: []int64{1}, Act: casework.Undo},
		"w"); err == nil {
		t.Error("an order that may have left was called back")
	}
	d.down = nil
	pass(t, prog, clock, time.Minute)
	pass(t, prog, clock, time.Minute)
	if c := casesOf(t, prog)[0]; c.State != casework.Sent || len(d.taken) != 1 || d.taken[0].What != "remove" ||
		d.taken[0].Names[0] != "Derby" {
		t.Fatalf("%+v, %+v", c, d.taken)
	}
	d.down, d.lies = errors.New("no route"), false
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{2}, Act: casework.Send})
	for range outbox.MostTries {
		pass(t, prog, clock, 6*time.Hour)
	}
	if c := casesOf(t, prog)[1]; c.State != casework.Failed || len(d.taken) != 1 {
		t.Errorf("%+v, %+v", c, d.taken)
	}
	d.down = nil
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{2}, Act: casework.Send})
	pass(t, prog, clock, 15*time.Minute)
	if c := casesOf(t, prog)[1]; c.State != casework.Sent || len(d.taken) != 2 || d.taken[1].ID == d.taken[0].ID {
		t.Errorf("%+v, %+v", c, d.taken)
	}
}

// A tool that answers twice, otherwise, to nothing, or never: cases stay right, and evidence decides.
func TestAnswersOfTheTool(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 4)
	ids := []int64{1, 2, 3, 4}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Agree})
	if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: 1, Done: true}, "tool"); !errors.Is(
		err,
		sqlite.ErrNotFound,
	) {
		t.Errorf("an order that was never made: %v", err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Send})
	if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: 1, Done: true}, "tool"); err == nil {
		t.Error("an answer to an order that has not left")
	}
	pass(t, prog, clock, 11*time.Minute)
	for _, o := range []worklist.Outcome{{Order: 1, Done: true}, {Order: 1, Done: true},
		{Order: 2, Reason: "disk full"}, {Order: 2, Reason: "disk full"}, {Order: 3, Done: true},
		{Order: 3, Reason: "on second thoughts"}} {
		if err := prog.Orders.TakeOutcome(ctx, o, "tool"); err != nil {
			t.Fatal(err)
		}
	}
	want := []casework.State{casework.Sent, casework.Failed, casework.Failed, casework.Sent}
	for i, c := range casesOf(t, prog) {
		if c.State != want[i] {
			t.Errorf("case %d is %s, want %s", c.ID, c.State, want[i])
		}
	}
	count := func(id int64) int {
		n := 0
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := worklistdb.Steps(tx, id)
			for _, s := range list {
				if strings.Contains(s.Note, "says that it is done") || strings.Contains(s.Note, "could not do it") {
					n++
				}
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if count(1) != 1 || count(2) != 1 || count(3) != 2 {
		t.Errorf("answers on record: %d, %d, %d", count(1), count(2), count(3))
	}
	renew(t, prog)
	if c := casesOf(t, prog)[0]; c.State != casework.Sent {
		t.Errorf("the tool's word has ended the case: %s", c.State)
	}
	pass(t, prog, clock, 15*day24)
	if c := casesOf(t, prog)[3]; c.State != casework.Failed {
		t.Errorf("nobody has said anything for a fortnight, and the case is %s", c.State)
	}
	seen := clock.now.Add(-time.Hour).Format(time.RFC3339)
	take(t, prog, formats.Devices, "device_id,last_scan", "D0,"+seen, "D3,"+seen)
	take(t, prog, formats.Installs, installHeader, "D0,Ostwick,Other,1,,scan,"+seen, "D3,Ostwick,Other,1,,scan,"+seen)
	renew(t, prog)
	for _, i := range []int{0, 3} {
		if c := casesOf(t, prog)[i]; c.State != casework.Gone {
			t.Errorf("later evidence: case %d is %s", c.ID, c.State)
		}
	}
	if len(d.taken) != 4 {
		t.Errorf("%d orders have left", len(d.taken))
	}
}

// A wave lets a few leave a day, pauses when too many fail, goes on when somebody says so, and can be called off.
func TestWaves(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 12)
	var ids []int64
	for i := range 12 {
		ids = append(ids, int64(i+1))
	}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Agree})
	do(
		t,
		prog,
		"w",
		worklist.CaseAction{
			IDs:  ids,
			Act:  casework.Send,
			Wave: &worklist.WaveSettings{Name: "first", PerDay: 4, MaxFails: 25},
		},
	)
	for range 3 {
		pass(t, prog, clock, time.Hour)
	}
	if len(d.taken) != 4 {
		t.Fatalf("%d have left on the first day", len(d.taken))
	}
	for i, o := range d.taken {
		if err := prog.Orders.TakeOutcome(ctx, worklist.Outcome{Order: o.ID, Done: i > 1, Reason: "locked"},
			"tool"); err != nil {
			t.Fatal(err)
		}
	}
	pass(t, prog, clock, day24)
	waves, err := prog.Orders.Waves(ctx)
	if err != nil || len(waves) != 1 || waves[0].State != "paused" || len(d.taken) != 4 ||
		!strings.Contains(waves[0].Why, "2 of 4") {
		t.Fatalf("%+v, %d have left, %v", waves, len(d.taken), err)
	}
	pass(t, prog, clock, day24)
	if len(d.taken) != 4 {
		t.Fatal("a paused wave goes on")
	}
	if err := prog.Orders.SteerWave(ctx, waves[0].ID, "call off", "w"); err != nil {
		t.Fatal(err)
	}
	states := map[casework.State]int{}
	for _, c := range casesOf(t, prog) {
		states[c.State]++
	}
	if states[casework.Agreed] != 8 || states[casework.Failed] != 2 || states[casework.Sent] != 2 {
		t.Errorf("%v", states)
	}
	if err := prog.Orders.SteerWave(ctx, waves[0].ID, "go on", "w"); err == nil {
		t.Error("a wave that was called off goes on")
	}
}

// Where the house asks for it, whoever agreed does not approve.
func TestTwoPersons(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 1)
	r, err := prog.Worklist.CaseRules(ctx)
	if err != nil {
		t.Fatal(err)
	}
	r.TwoPersons = true
	if err := prog.Worklist.SetCaseRules(ctx, r, "boss"); err != nil {
		t.Fatal(err)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Agree})
	for _, deed := range []casework.Act{casework.Send, casework.Approve} {
		if _, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: deed}, "w"); err == nil {
			t.Errorf("%s by whoever agreed", deed)
		}
	}
	do(t, prog, "v", worklist.CaseAction{IDs: []int64{1}, Act: casework.Approve})
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Send})
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 1 {
		t.Error("it has not left")
	}
}

// An exception holds up to its last day, and the most specific stance is explained.
func TestExceptionsEndAndStancesAreExplained(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, _ := house(t, 1)
	for _, bad := range []worklist.PolicyDraft{
		{Product: 1, Stance: "allowed", Reason: "x", Until: "2026-07-02"},
		{Product: 1, Stance: "allowed", Reason: "x", Until: "2026-06-29", Owner: "o"},
		{Stance: "allowed", Reason: "x"},
		{Product: 1, Stance: "required", Reason: "x", Days: "mon"},
		{Product: 1, Stance: "restricted", Reason: "x", From: "08:00"},
		{Product: 1, Stance: "allowed", Reason: "x", Group: "nowhere"},
	} {
		if err := prog.Worklist.SetPolicy(ctx, bad, "w"); err == nil {
			t.Errorf("%+v was set", bad)
		}
	}
	d := worklist.PolicyDraft{
		Product: 1,
		Stance:  "allowed",
		Reason:  "a course",
		Owner:   "Dagne",
		Until:   "2026-07-02",
		Group:   "Quay",
	}
	if _, err := prog.Worklist.PreviewPolicy(ctx, d, 0); err == nil ||
		!strings.Contains(err.Error(), "nobody here is called") {
		t.Errorf("an exception for which nobody known answers: %v", err)
	}
	take(t, prog, formats.Users, "user_id,name,org_unit", "u1,Dagne,A")
	e, err := prog.Worklist.PreviewPolicy(ctx, d, 0)
	if err != nil || e.Goes != 1 || e.Comes != 0 {
		t.Errorf("%+v, %v", e, err)
	}
	// at the very place of the restriction an exception holds; without an owner and an end it contradicts it
	same := worklist.PolicyDraft{Product: 1, Stance: "allowed", Reason: "a course", Owner: "u1", Until: "2026-07-02"}
	if e, err := prog.Worklist.PreviewPolicy(ctx, same, 0); err != nil || e.Goes == 0 {
		t.Errorf("an exception at the same place: %+v, %v", e, err)
	}
	same.Owner, same.Until = "", ""
	if err := prog.Worklist.SetPolicy(ctx, same, "w"); err == nil ||
		!strings.Contains(err.Error(), "it is restricted there") {
		t.Errorf("two stances that contradict each other: %v", err)
	}
	res := take(t, prog, formats.Policies, "publisher,product,stance,reason", "Ostwick,Derby,allowed,why not")
	if len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, "it is restricted there (stance 1)") {
		t.Errorf("from a file: %+v", res)
	}
	if err := prog.Worklist.SetPolicy(ctx, d, "w"); err != nil {
		t.Fatal(err)
	}
	if prog.Worklist.SetPolicy(ctx, d, "w") == nil {
		t.Error("the same was set twice")
	}
	renew(t, prog)
	if c := casesOf(t, prog)[0]; c.State != casework.Lapsed {
		t.Errorf("under the exception the case is %s", c.State)
	}
	why, err := prog.Worklist.Stance(ctx, 1, "D0")
	if err != nil || why.Stance != "allowed" || len(why.Policies) != 2 || why.Policies[0].Owner != "Dagne" ||
		!strings.Contains(why.Why, "most specific") {
		t.Errorf("%+v, %v", why, err)
	}
	clock.now = clock.now.AddDate(0, 0, 3)
	renew(t, prog)
	if c := casesOf(t, prog)[0]; c.State != casework.Open {
		t.Errorf("the exception is over, and the case is %s", c.State)
	}
	if e, err := prog.Worklist.PreviewPolicy(ctx, worklist.PolicyDraft{}, 1); err != nil || e.Goes != 1 {
		t.Errorf("ending the stance: %+v, %v", e, err)
	}
}

// Required titles are missing where somebody has looked; any title of a category will do; what is ordered is an
// install.
func TestMissing(t *testing.T) {
	prog, clock, _, d := house(t, 3)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,category,licence_model",
		"V,Guard,security,free",
		"V,Ward,security,free",
	)
	take(t, prog, formats.Devices, "device_id,kind", "D9,client") // never scanned
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Derby,1,,scan,2026-06-29T12:00:00Z",
		"D1,V,Ward,1,,scan,2026-06-29T12:00:00Z",
	)
	take(t, prog, formats.Policies, "category,stance,reason", "security,required,guard every machine")
	renew(t, prog)
	var missing []casework.Case
	for _, c := range casesOf(t, prog) {
		if c.Kind == casework.Missing {
			missing = append(missing, c)
		}
	}
	if len(missing) != 2 {
		t.Fatalf("%+v", missing)
	}
	ids := []int64{missing[0].ID, missing[1].ID}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Send})
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 2 || d.taken[0].What != "install" || d.taken[0].Product != "Guard" {
		t.Fatalf("%+v", d.taken)
	}
	// an hour before the order left
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D0,Ostwick,Derby,1,,scan,2026-06-30T08:50:00Z",
		"D0,V,Guard,1,,scan,2026-06-30T08:50:00Z",
	)
	clock.now = clock.now.Add(2 * time.Hour)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D2,Ostwick,Derby,1,,scan,2026-06-30T10:30:00Z",
		"D2,V,Ward,1,,scan,2026-06-30T10:30:00Z",
	)
	renew(t, prog)
	for _, c := range casesOf(t, prog) {
		if c.ID == missing[0].ID && c.State != casework.Sent || c.ID == missing[1].ID && c.State != casework.Gone {
			t.Errorf("%+v", c)
		}
	}
}

// A stance at certain hours makes a case of use in them, which lapses when it stops; nothing is invented of a run
// whose end nobody saw.
func TestHoursLapse(t *testing.T) {
	prog, clock, _, _ := house(t, 1)
	take(t, prog, formats.Titles, "publisher,product,aliases,licence_model", "Fenn,Tern,tern.exe,free")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D0,Ostwick,Derby,1,,scan,2026-06-29T12:00:00Z",
		"D0,Fenn,Tern,1,,scan,2026-06-29T12:00:00Z",
	)
	take(
		t,
		prog,
		formats.Policies,
		"product,publisher,stance,days,from_time,to_time,reason",
		"Tern,Fenn,restricted,mon-fri,08:00,16:00,not at work",
	)
	if err := prog.Evidence.SetSiteZone(context.Background(), "Quay", "Atlantic/Reykjavik"); err != nil {
		t.Fatal(err)
	}
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D0,u0,tern.exe,2026-06-26T15:50:00Z,2026-06-26T16:30:00Z",
		"D0,u0,tern.exe,2026-06-27T10:00:00Z,2026-06-27T11:00:00Z",
	)
	// after hours, and nobody saw its end
	take(
		t,
		prog,
		formats.ProcessEvents,
		"device_id,event,at,pid,file_name,user_id",
		"D0,start,2026-06-25T16:10:00Z,9,tern.exe,u0",
	)
	renew(t, prog)
	var c casework.Case
	for _, x := range casesOf(t, prog) {
		if x.Kind == casework.ForbiddenHours {
			c = x
		}
	}
	if c.ID == 0 || !strings.Contains(c.Proof[0], "1 times in 30 days, 10 min in all") {
		t.Fatalf("%+v", c)
	}
	clock.now = clock.now.AddDate(0, 0, 40)
	renew(t, prog)
	for _, x := range casesOf(t, prog) {
		if x.ID == c.ID && x.State != casework.Lapsed {
			t.Errorf("forty days later the case is %s", x.State)
		}
	}
	if h, err := policy.ParseHours("mon-fri", "08:00", "16:00"); err != nil || h.String() != "mon-fri 08:00-16:00" {
		t.Error(h, err)
	}
}

// A reclaimed licence is a saving once a scan shows that it is gone, its seat goes to whoever waits first, and what
// comes back within days is booked out; two ledgers say so line by line.
func TestSavingsAndTheSeatThatBecomesFree(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,licence_model,list_price,currency,default_metric",
		"Ostwick,Draw,commercial,100,EUR,named_user",
	)
	take(t, prog, formats.Users, "user_id,name", "u1,Dagne", "u2,Livar", "u3,Oddny")
	take(t, prog, formats.Devices, "device_id,kind,primary_user", "D1,client,u1", "D2,client,u3")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency",
		"N-1,Ostwick,Draw,named_user,2,subscription,2025-10-01,2026-09-30,60,EUR",
	)
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from", "N-1,u1,2025-10-01", "N-1,u3,2025-10-01")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Draw,1,2026-01-10,scan,2026-01-20T10:00:00Z",
		"D2,Ostwick,Draw,1,2026-06-28,scan,2026-01-20T10:00:00Z",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Draw,1,2026-01-10,scan,2026-06-29T10:00:00Z",
		"D2,Ostwick,Draw,1,2026-06-28,scan,2026-06-29T10:00:00Z",
	)
	if err := prog.Entitlements.Wait(ctx, 1, "u2", "", "w"); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	cases := casesOf(t, prog)
	if len(cases) != 1 || cases[0].Kind != casework.IdleLicence || cases[0].Worth != "at renewal" ||
		cases[0].Amount != "60" {
		t.Fatalf("%+v", cases)
	}
	sums := func() worklist.LedgerSum {
		all, err := prog.Worklist.Ledger(ctx)
		if err != nil || len(all.Sums) != 1 {
			t.Fatal(all, err)
		}
		return all.Sums[0]
	}
	if s := sums(); s.Potential != "60" || s.Realised != "0" || s.Cases != 1 {
		t.Errorf("%+v", s)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1}, Act: casework.Agree})
	if s := sums(); s.Realised != "0" {
		t.Errorf("a click is a saving: %+v", s)
	}
	holders := func() string {
		page, err := listed(prog, prog.Entitlements.Seats,
			sqlite.ListQuery{Filters: map[string]string{"state": "held"}, Sort: "user"},
		)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, s := range page.Rows {
			out = append(out, s.User)
		}
		return strings.Join(out, " ")
	}
	clock.now = clock.now.AddDate(0, 0, 2)
	take(t, prog, formats.Devices, "device_id,primary_user,kind,last_scan", "D1,u1,client,2026-07-02T07:00:00Z")
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Other,1,,scan,2026-07-02T07:00:00Z")
	renew(t, prog)
	if c := casesOf(t, prog)[0]; c.State != casework.Gone {
		t.Fatalf("%+v", c)
	}
	if s := sums(); s.Potential != "0" || s.Realised != "60" || s.Lines != 1 {
		t.Errorf("%+v", s)
	}
	if h := holders(); h != "u2 u3" {
		t.Errorf("seats are held by %s", h)
	}
	renew(t, prog)
	if s := sums(); s.Lines != 1 {
		t.Errorf("booked twice: %+v", s)
	}
	clock.now = clock.now.AddDate(0, 0, 3)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Other,1,,scan,2026-07-05T07:00:00Z",
		"D1,Ostwick,Draw,1,,scan,2026-07-05T07:00:00Z",
	)
	renew(t, prog)
	if c := casesOf(t, prog)[0]; c.CameBack != 1 || c.State != casework.Lapsed && c.State != casework.Open {
		t.Errorf("%+v", c)
	}
	if s := sums(); s.Realised != "0" || s.Lines != 2 {
		t.Errorf("%+v", s)
	}
	page := sqlite.Page[worklistdb.SavingRow]{}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		page, err = worklistdb.SavingList().Page(tx, sqlite.ListQuery{Sort: "id"})
		return err
	}); err != nil || len(page.Rows) != 2 || page.Rows[0].Amount != "60" || page.Rows[1].Amount != "-60" ||
		page.Rows[1].CaseID != 1 {
		t.Errorf("%+v, %v", page.Rows, err)
	}
}

// Work of an end of support takes off the release that is to go, and no other.
func TestEndOfSupportTakesOffItsRelease(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 1)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,version,licence_model,end_of_life",
		"Grim,Relay,3,free,2026-03-31",
		"Grim,Relay,4,free,",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D0,Ostwick,Derby,1,,scan,2026-06-29T12:00:00Z",
		"D0,Grim,Relay 3,3.1,,scan,2026-06-29T12:00:00Z",
		"D0,Grim,Relay 4,4.0,,scan,2026-06-29T12:00:00Z",
	)
	renew(t, prog)
	page, err := listed(prog, prog.Catalogue.Releases,
		sqlite.ListQuery{Filters: map[string]string{"product": "Relay", "version": "3"}},
	)
	if err != nil || len(page.Rows) != 1 {
		t.Fatal(page.Rows, err)
	}
	if _, err := prog.Catalogue.PutPlan(ctx,
		titles.PlanDraft{Title: page.Rows[0].ID, What: "move", ToProduct: page.Rows[0].ProductID, ToVersion: "4",
			Due: prog.Snapshots.Today() + 30, Owner: "Workshop"}, "w"); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	var c casework.Case
	for _, x := range casesOf(t, prog) {
		if x.Kind == casework.EndOfLife {
			c = x
		}
	}
	if c.ID == 0 || !strings.Contains(strings.Join(c.Proof, " "), "ended on 2026-03-31") ||
		!strings.Contains(strings.Join(c.Proof, " "), "to move to Relay 4") {
		t.Fatalf("%+v", c)
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{c.ID}, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{c.ID}, Act: casework.Send})
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 1 || len(d.taken[0].Names) != 1 || d.taken[0].Names[0] != "Relay 3" {
		t.Fatalf("%+v", d.taken)
	}
	clock.now = clock.now.Add(2 * time.Hour)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D0,Ostwick,Derby,1,,scan,2026-06-30T10:30:00Z",
		"D0,Grim,Relay 4,4.0,,scan,2026-06-30T10:30:00Z",
	)
	renew(t, prog)
	for _, x := range casesOf(t, prog) {
		if x.ID == c.ID && x.State != casework.Gone {
			t.Errorf("%+v", x)
		}
	}
}

// The tool may answer before it has said that it took the order: the answer counts, and the taking that follows it
// changes nothing.
func TestAnOutcomeBeforeTheAttemptReturns(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 2)
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2}, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2}, Act: casework.Send})
	d.before = func(o worklist.Order) {
		out := worklist.Outcome{Order: o.ID, Done: o.ID == 1, Reason: "disk full"}
		if err := prog.Orders.TakeOutcome(ctx, out, "tool"); err != nil {
			t.Error(err)
		}
	}
	pass(t, prog, clock, 11*time.Minute)
	list := casesOf(t, prog)
	if list[0].State != casework.Sent || list[1].State != casework.Failed || len(d.taken) != 2 {
		t.Errorf("%s, %s, %v", list[0].State, list[1].State, d.taken)
	}
}

// A wave that is called off leaves nothing without a way on: what was never tried goes back, what was tried is for a
// person to decide, and no sentence speaks of 1970.
func TestACalledOffWaveLeavesAWayOn(t *testing.T) {
	ctx := context.Background()
	prog, clock, _, d := house(t, 3)
	ids := []int64{1, 2, 3}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Agree})
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Send,
		Wave: &worklist.WaveSettings{PerDay: 2, MaxFails: 50}})
	d.down = errors.New("no route")
	pass(t, prog, clock, 11*time.Minute)
	_, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: casework.Undo}, "w")
	if err == nil || strings.Contains(err.Error(), "1970") || !strings.Contains(err.Error(), "call its wave off") {
		t.Errorf("taking back an order that was tried: %v", err)
	}
	if err := prog.Orders.SteerWave(ctx, 1, "call off", "w"); err != nil {
		t.Fatal(err)
	}
	d.down = nil
	pass(t, prog, clock, day24)
	for i, c := range casesOf(t, prog) {
		if c.State != casework.Agreed && c.State != casework.Failed {
			t.Errorf("case %d is left %s", i+1, c.State)
		}
	}
	if len(d.taken) != 0 {
		t.Errorf("%d orders left after the wave was called off", len(d.taken))
	}
	do(t, prog, "w", worklist.CaseAction{IDs: ids, Act: casework.Send}) // every one of them can be sent anew
	pass(t, prog, clock, 11*time.Minute)
	if len(d.taken) != 3 {
		t.Errorf("%d of 3 left anew", len(d.taken))
	}
}

// A deployment tool and a mail server that take their time hold up no figure, and are no failed renewal.
func TestFiguresDoNotWaitForWhatLeaves(t *testing.T) {
	prog, _, box, _ := house(t, 3)
	box.wait = 2 * time.Second
	take(t, prog, formats.Users, "user_id,name,email,status", "u0,User 0,u0@x.example,active")
	if err := prog.DB.Update(t.Context(), func(tx *sqlite.Tx) error {
		for range 5 {
			if err := outbox.QueueMail(tx, outbox.Mail{Address: "a@x.example", Subject: "s", Body: "b"}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	prog.Begin()
	began := time.Now()
	rests(t, prog)
	prog.Renewal.Wake()
	install(t, prog, 3)
	rests(t, prog)
	took := time.Since(began)
	prog.Close()
	if s := prog.Renewal.Status(); s.Error != "" || s.Renewals == 0 {
		t.Errorf("%+v", s)
	}
	if took > 5*box.wait {
		t.Errorf("figures took %v beside five letters of %v each", took, box.wait)
	}
}

// A case whose work somebody else has done takes back what is still on its way: the order that has not left is
// withdrawn, and a question that nobody has answered asks no more.
func TestWhatIsOnItsWayEndsWithItsCase(t *testing.T) {
	ctx := context.Background()
	prog, clock, box, d := house(t, 3)
	for _, c := range casesOf(t, prog) {
		if c.ID == 3 {
			do(t, prog, "w", worklist.CaseAction{IDs: []int64{c.ID}, Act: casework.Ask})
			continue
		}
		do(t, prog, "w", worklist.CaseAction{IDs: []int64{c.ID}, Act: casework.Agree})
	}
	do(t, prog, "w", worklist.CaseAction{IDs: []int64{1, 2}, Act: casework.Send,
		Wave: &worklist.WaveSettings{Name: "slow", PerDay: 1, MaxFails: 50}})
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 1 || len(box.sent) != 1 {
		t.Fatalf("%d orders and %d letters have left", len(d.taken), len(box.sent))
	}
	key := keyIn(t, box.sent[0])
	clock.now = clock.now.Add(time.Hour)
	var lines []string
	for i := range 3 { // the game is gone everywhere
		lines = append(lines, fmt.Sprintf("D%d,x,Other,1,,scan,%s", i, clock.now.UTC().Format(time.RFC3339)))
	}
	take(t, prog, formats.Installs, append([]string{installHeader}, lines...)...)
	renew(t, prog)
	for _, c := range casesOf(t, prog) {
		if c.State != casework.Gone {
			t.Errorf("case %d is %s", c.ID, c.State)
		}
	}
	clock.now = clock.now.AddDate(0, 0, 1)
	pass(t, prog, clock, time.Hour)
	if len(d.taken) != 1 {
		t.Errorf("an order left for what is gone: %+v", d.taken)
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		withdrawn, err := worklistdb.DeploymentsIn(tx, "withdrawn")
		if err == nil && len(withdrawn) != 1 {
			t.Errorf("%d orders are withdrawn", len(withdrawn))
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if err := prog.Worklist.Answer(ctx, key, 3, true, "I need it"); err != nil {
		t.Fatal(err)
	}
	if c := casesOf(t, prog)[2]; c.State != casework.Gone || c.Answer != "" {
		t.Errorf("an answer about what is gone moved the case: %+v", c)
	}
}
