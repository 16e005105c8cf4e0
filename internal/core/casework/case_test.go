package casework

import (
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"ensomet/internal/core/civil"
)

func found(proof string) Finding {
	return Finding{Worth: "reuse", Amount: "60", Currency: "EUR", Proof: []string{proof}, Quantity: 1}
}

func TestWhatPeopleDoWithACase(t *testing.T) {
	day := civil.MustParse("2026-09-30")
	idle := func(s State) Case {
		return Case{ID: 1, Kind: IdleLicence, Device: 1, Product: 1, State: s, Finding: found("not used")}
	}
	agreed := idle(Agreed)
	agreed.AgreedBy = "Oddny"
	for _, c := range []struct {
		what string
		from Case
		d    Deed
		want State // empty is refused
		look func(Case, Step) bool
	}{
		{"agree", idle(Open), Deed{Act: Agree, Who: "Oddny", At: 5}, Agreed,
			func(c Case, s Step) bool { return c.AgreedBy == "Oddny" && c.ChangedAt == 5 && s.Who == "Oddny" }},
		{"ask", idle(Open), Deed{Act: Ask, Who: "Oddny", Until: day}, Asked,
			func(c Case, _ Step) bool { return c.AnswerBy == day && c.Answer == "" }},
		{"keep by who keeps", idle(Open), Deed{Act: Keep, Who: "Oddny", Note: "a spare", Until: day}, Kept,
			func(c Case, s Step) bool {
				return c.KeepUntil == day && c.Owner == "Oddny" &&
					s.Note == "a spare (until 2026-09-30, Oddny answers for it)"
			}},
		{"keep for another", idle(Open), Deed{Act: Keep, Who: "Oddny", Owner: "Perlo", Until: day}, Kept,
			func(c Case, _ Step) bool { return c.Owner == "Perlo" }},
		{"approve one's own", agreed, Deed{Act: Approve, Who: "Oddny", Rules: Rules{TwoPersons: true}}, "", nil},
		{"approve", agreed, Deed{Act: Approve, Who: "Perlo", Rules: Rules{TwoPersons: true}}, Approved, nil},
		{"send alone", agreed, Deed{Act: Send, Who: "Oddny", Rules: Rules{TwoPersons: true}}, "", nil},
		{"the user lets it go", idle(Asked), Deed{Act: SaysNo, Who: "Runvar", Answer: "not needed "}, Agreed,
			func(c Case, _ Step) bool { return c.AgreedBy == "Runvar" && c.Answer == "not needed" }},
		{"the user needs it after all", agreed, Deed{Act: SaysYes, Who: "Oddny", Answer: "needed"}, Answered,
			func(c Case, _ Step) bool { return c.AgreedBy == "" }},
		{"somebody else's agreement", agreed, Deed{Act: SaysYes, Who: "Runvar", Answer: "needed"}, "", nil},
		{"what has left the house", idle(Sent), Deed{Act: Reopen, Who: "Oddny"}, "", nil},
	} {
		got := c.from
		step, err := got.Do(c.d)
		switch {
		case c.want == "":
			if err == nil || !reflect.DeepEqual(got, c.from) {
				t.Errorf("%s: %v, %+v", c.what, err, got)
			}
		case err != nil || got.State != c.want || step.From != c.from.State || step.To != c.want ||
			step.Act != c.d.Act:
			t.Errorf("%s: %+v %+v, %v", c.what, got, step, err)
		case c.look != nil && !c.look(got, step):
			t.Errorf("%s: %+v %+v", c.what, got, step)
		}
	}
}

// Undoing goes back step by step to where people's steps came from; what evidence, a user, time or the tool did is
// not taken back.
func TestUndo(t *testing.T) {
	c := Case{ID: 1, Kind: IdleLicence, State: Open, Finding: found("not used")}
	var steps []Step
	do := func(d Deed) {
		t.Helper()
		s, err := c.Do(d)
		if err != nil {
			t.Fatal(err)
		}
		s.ID = int64(len(steps) + 1)
		steps = append(steps, s)
	}
	undo := func(want State, of Act) {
		t.Helper()
		undone, back, err := c.Undo(steps, Deed{Act: Undo, Who: "Oddny"})
		if err != nil || c.State != want || undone.Act != of || back.To != want {
			t.Fatalf("%+v %+v, %v; is %s, want %s", undone, back, err, c.State, want)
		}
		steps[undone.ID-1].Undone = true
		back.ID = int64(len(steps) + 1)
		steps = append(steps, back)
	}
	do(Deed{Act: Ask, Who: "Oddny", Until: 9})
	do(Deed{Act: Agree, Who: "Oddny"})
	do(Deed{Act: Keep, Who: "Oddny", Note: "a spare", Until: 9})
	undo(Agreed, Keep)
	if c.KeepUntil != 0 || c.Owner != "" {
		t.Errorf("the exception stays: %+v", c)
	}
	undo(Open, Agree) // the question ended when it was decided
	if c.AgreedBy != "" {
		t.Errorf("the agreement stays: %+v", c)
	}
	if _, _, err := c.Undo(steps, Deed{Act: Undo}); err == nil {
		t.Error("a step is undone that the case has moved on from")
	}
	for _, s := range []Step{{To: Open}, {Act: SaysNo, To: Open}, {Act: Leaves, To: Open}, {Act: Agree, To: Kept}} {
		if _, _, err := c.Undo([]Step{s}, Deed{Act: Undo}); err == nil {
			t.Errorf("%+v is taken back", s)
		}
	}
	if _, _, err := c.Undo(nil, Deed{Act: Undo}); err == nil {
		t.Error("nothing is taken back")
	}
}

func TestWhatTimeAndTheToolDo(t *testing.T) {
	c := Case{Kind: IdleLicence, State: Asked, AnswerBy: 3}
	if s := c.By(Deed{Act: TimeOver, Until: 7, At: 1}); c.State != Asked || c.AnswerBy != 7 || s.To != Asked {
		t.Errorf("reminded: %+v %+v", c, s)
	}
	if s := c.By(Deed{Act: TimeOver, At: 2}); c.State != Silent || c.AnswerBy != 0 || s.From != Asked {
		t.Errorf("silent: %+v %+v", c, s)
	}
	c = Case{Kind: IdleLicence, State: Waiting}
	if c.By(Deed{Act: Leaves, At: 5}); c.State != Sent || c.SentAt != 5 {
		t.Errorf("left: %+v", c)
	}
	if s := c.Said(Deed{Act: Leaves, Note: "done"}); c.State != Sent || s.From != Sent || s.To != Sent {
		t.Errorf("words: %+v", s)
	}
	if s := c.By(Deed{Act: Halts}); c.State != Sent || s.To != Sent {
		t.Errorf("what has left was called back: %+v", c)
	}
}

func TestWhatEvidenceDoes(t *testing.T) {
	c, s := Find(Case{Kind: IdleLicence, Device: 1}, found("not used"), 100)
	if c.State != Open || c.OpenedAt != 100 || s.From != "" || s.Note != "not used" || s.Who != "evidence" {
		t.Fatalf("%+v %+v", c, s)
	}
	f := found("not used")
	see := func(f *Finding, e Evidence, at int64) (Step, bool, bool) { return c.See(f, e, 1000, at) }
	if _, moved, changed := see(&f, Evidence{Present: true, ScanAt: 200}, 210); moved || changed {
		t.Error("the same again is a change")
	}
	f.Amount = "80"
	if _, moved, changed := see(&f, Evidence{Present: true, ScanAt: 200}, 210); moved || !changed || c.Amount != "80" {
		t.Error("another amount is none")
	}
	if s, moved, _ := see(nil, Evidence{ScanAt: 1780000000}, 300); !moved || c.State != Gone || c.ChangedAt != 300 ||
		s.Note != "The scan of 2026-05-28 no longer has it." {
		t.Errorf("%+v %+v", c, s)
	}
	if s, moved, _ := see(&f, Evidence{Present: true, ScanAt: 400}, 410); !moved || c.State != Open ||
		c.CameBack != 1 ||
		c.OpenedAt != 410 || s.Note != "It is back: not used" {
		t.Errorf("%+v %+v", c, s)
	}
	c.State, c.KeepUntil, c.Owner = Kept, 999, "Oddny" // the exception ended yesterday
	if _, moved, _ := see(&f, Evidence{Present: true}, 500); !moved || c.State != Open || c.Owner != "" ||
		c.KeepUntil != 0 {
		t.Errorf("%+v", c)
	}
	c.State, c.KeepUntil = Kept, 1000 // it ends today
	if _, moved, _ := see(&f, Evidence{Present: true}, 500); moved {
		t.Errorf("%+v", c)
	}
	p := Case{Kind: Planned, Device: 1}
	s, planned := p.Plan(found("decided"), Deed{Who: "Oddny", At: 7})
	if !planned || p.State != Agreed || p.OpenedAt != 7 || s.From != "" {
		t.Fatalf("%+v %+v", p, s)
	}
	if _, moved, _ := p.See(nil, Evidence{Present: true, ScanAt: 9}, 1000, 9); moved {
		t.Error("a decision falls away by itself")
	}
	if _, again := p.Plan(found("decided"), Deed{Who: "Oddny", At: 8}); again {
		t.Error("what is under way is planned once more")
	}
}

// Random walks of a whole case by everybody: its state is always that of its last step, each step begins where the one
// before ended, and a refusal changes nothing.
func TestStepsTellTheWholeStory(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 3))
	acts := append(slices.Clone(ByHand), SaysNo, SaysYes, TimeOver, Leaves, Fails, Halts)
	for range 300 {
		f := found("not used")
		c, s := Find(Case{Kind: Kinds[r.IntN(len(Kinds))], Device: 1}, f, 1)
		steps := []Step{s}
		for at := int64(2); at < 40; at++ {
			before := c
			var s Step
			var err error
			moved := true
			switch d := (Deed{Act: acts[r.IntN(len(acts))], Who: []string{"a", "b"}[r.IntN(2)], At: at, Note: "n",
				Until: civil.Day(r.IntN(3) * 500)}); r.IntN(4) {
			case 0:
				var says *Finding
				if r.IntN(3) > 0 {
					says = &f
				}
				s, moved, _ = c.See(says, Evidence{Present: r.IntN(3) > 0, ScanAt: at}, 600, at)
			case 1:
				d.Act = Undo
				var undone Step
				undone, s, err = c.Undo(steps, d)
				if err == nil {
					for i := range steps {
						if steps[i].ID == undone.ID {
							steps[i].Undone = true
						}
					}
				}
			default:
				if slices.Contains([]Act{TimeOver, Leaves, Fails, Halts}, d.Act) {
					s = c.By(d)
				} else {
					s, err = c.Do(d)
				}
			}
			if err != nil {
				if !reflect.DeepEqual(before, c) {
					t.Fatalf("a refusal (%v) made\n%+v of\n%+v", err, c, before)
				}
				continue
			}
			if !moved {
				continue
			}
			if s.From != before.State || s.To != c.State || s.At != at || c.ChangedAt != at {
				t.Fatalf("%+v does not lead from\n%+v to\n%+v", s, before, c)
			}
			s.ID = at
			steps = append(steps, s)
		}
	}
}

// What was bought before anything could name a purchase stays bought; what is taken back is on its way again.
func TestFulfil(t *testing.T) {
	for _, c := range []struct {
		from State
		sent int64
		done bool
		want State
	}{
		{Open, 0, false, Open}, {Open, 0, true, Gone}, {Sent, 9, true, Gone}, {Lapsed, 0, true, Lapsed},
		{Gone, 9, false, Sent}, {Gone, 0, false, Open}, {Gone, -1, false, Gone}, {Gone, 9, true, Gone},
	} {
		about := Case{Kind: Purchase, State: c.from, SentAt: c.sent}
		if _, moved := about.Fulfil(c.done, "E: line of 2", 10); about.State != c.want || moved != (c.from != c.want) {
			t.Errorf("%+v: %s, %v", c, about.State, moved)
		}
	}
}
