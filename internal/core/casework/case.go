package casework

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
)

// Case is a case of the worklist: about a product on a device, a seat that a person holds, a pool, or a product as a
// whole; what it is not about is 0. Times are in seconds since 1970. Its state changes in this package alone: by Do,
// Undo, By, See and Plan, each of which returns the step to keep.
type Case struct {
	ID                            int64
	Kind                          Kind
	Device, Product, Person, Pool int64
	Request                       int64 // what was asked for
	State                         State
	OpenedAt, ChangedAt, SentAt   int64
	Finding
	CameBack  int64
	KeepUntil civil.Day // the last day of an exception
	Owner     string    // who answers for an exception
	AgreedBy  string
	Answer    string    // what the user said
	AnswerBy  civil.Day // until when the user may answer
}

// Finding is what evidence says of a case: what it is worth, a decimal of a currency, since when or from when on; why;
// how many licences it is about; and what it rests on.
type Finding struct {
	Worth, Amount, Currency string
	MoneyOn                 civil.Day
	Proof                   []string
	Quantity                int64
	Ground                  Ground
}

func (f Finding) same(other Finding) bool {
	return slices.Equal(f.Proof, other.Proof) && f.Amount == other.Amount && f.Worth == other.Worth &&
		f.MoneyOn == other.MoneyOn && f.Quantity == other.Quantity && f.Ground == other.Ground
}

// Step is one step of a case. Act is what somebody did, empty for evidence. One that is undone stays on record.
type Step struct {
	ID       int64
	At       int64
	Who      string
	From, To State
	Note     string
	Act      Act
	Undone   bool
}

// Deed is something that is done with a case, by whom, when, and with what words.
type Deed struct {
	Act    Act
	Who    string
	At     int64
	Note   string
	Rules  Rules
	Until  civil.Day // of Keep: the last day of the exception; of Ask and TimeOver: until when the user may answer
	Owner  string    // of Keep: who answers for the exception; empty is who keeps it
	Number string    // of Order: under which it was ordered
	Answer string    // of SaysNo and SaysYes: what the user said
}

// step moves the case and says so.
func (c *Case) step(to State, d Deed) Step {
	s := Step{At: d.At, Who: d.Who, From: c.State, To: to, Note: d.Note, Act: d.Act}
	c.State, c.ChangedAt = to, d.At
	return s
}

// Do lets people do something with the case: those here, or the user who was asked. What is not possible now is
// refused, and changes nothing.
func (c *Case) Do(d Deed) (Step, error) {
	to, err := Do(c.Kind, c.State, d.Act, d.Rules)
	if err != nil && c.answersAgain(d) {
		to, err = moves[d.Act][Asked], nil
	}
	if err != nil {
		return Step{}, err
	}
	if c.Kind == Purchase {
		if err := c.buy(&d); err != nil {
			return Step{}, err
		}
		return c.step(to, d), nil
	}
	switch d.Act {
	case Agree:
		c.AgreedBy = d.Who
	case Approve:
		if c.AgreedBy == d.Who {
			return Step{}, refuse.Errorf("%s agreed to it: somebody else approves", d.Who)
		}
	case Keep:
		c.KeepUntil, c.Owner = d.Until, cmp.Or(d.Owner, d.Who)
		d.Note = fmt.Sprintf("%s (until %s, %s answers for it)", d.Note, d.Until, c.Owner)
	case Ask:
		c.Answer, c.AnswerBy = "", d.Until
	case SaysNo, SaysYes:
		c.Answer, c.AgreedBy = strings.TrimSpace(d.Answer), ""
		if d.Act == SaysNo {
			c.AgreedBy = d.Who
		}
	}
	return c.step(to, d), nil
}

// buy checks what is done with a purchase. Its owner is who wants it.
func (c *Case) buy(d *Deed) error {
	switch d.Act {
	case Approve:
		if c.Owner == d.Who {
			return refuse.Errorf("%s wants it: somebody else approves", d.Who)
		}
		c.AgreedBy = d.Who
	case Order:
		if c.State == Open && c.NeedsApproval(d.Rules) {
			return refuse.Errorf(
				"what costs more than %s %s, or nobody knows how much, is approved by somebody else first",
				d.Rules.ApproveAbove,
				cmp.Or(d.Rules.House, "EUR"),
			)
		}
		if d.Number = strings.TrimSpace(d.Number); d.Number == "" {
			return refuse.New("say under which number it was ordered: by that it is found again when it is booked")
		}
		d.Note, c.SentAt = strings.TrimSpace(fmt.Sprintf("Ordered as %s. %s", d.Number, d.Note)), d.At
	case Drop:
		if strings.TrimSpace(d.Note) == "" {
			return refuse.New("say why it is not wanted any more")
		}
	case Reopen:
		c.AgreedBy = ""
	}
	return nil
}

// Want makes a case of what somebody asked for.
func Want(about Case, f Finding, d Deed) (Case, Step) {
	about.Finding, about.OpenedAt, about.Owner = f, d.At, d.Who
	s := about.step(Open, d)
	s.From = ""
	return about, s
}

// Fulfil lets what is booked, or what shows, end a case that was asked for, or open it again where that was taken
// back. words say what there is. It reports whether the case moved.
func (c *Case) Fulfil(done bool, words string, at int64) (s Step, moved bool) {
	d := Deed{Who: byEvidence, At: at, Note: words}
	switch {
	case done && c.State != Gone && c.State != Lapsed:
		return c.step(Gone, d), true
	case !done && c.State == Gone && c.SentAt >= 0: // below 0: bought before it was known what names a purchase
		c.CameBack++
		d.Note = "What ended it was taken back."
		to := Open
		if c.SentAt != 0 {
			to = Sent
		}
		return c.step(to, d), true
	}
	return s, false
}

// answersAgain reports whether a user who has answered may say otherwise: as long as nobody has done anything since.
func (c *Case) answersAgain(d Deed) bool {
	return d.Act == SaysNo && c.State == Agreed && c.AgreedBy == d.Who ||
		d.Act == SaysYes && (c.State == Agreed && c.AgreedBy == d.Who || c.State == Answered)
}

// MayAnswer reports whether a user may answer now, for the first time or, having answered, once more.
func (c *Case) MayAnswer(who string, answered bool) bool {
	return c.State == Asked || c.State == Silent ||
		answered && (c.State == Agreed && c.AgreedBy == who || c.State == Answered)
}

// Undo goes back to where the last step of somebody here came from. steps are those of the case, in order; the first
// step returned is the one that is undone. What others did is not taken back.
func (c *Case) Undo(steps []Step, d Deed) (undone, back Step, err error) {
	i := len(steps) - 1
	for i >= 0 && (steps[i].Undone || steps[i].Act == Undo) {
		i--
	}
	if i < 0 || steps[i].Act == "" {
		return undone, back, refuse.Errorf("there is nothing of yours to take back: evidence made the last step")
	}
	undone = steps[i]
	if undone.To != c.State {
		return undone, back, refuse.Errorf("the case has moved on since")
	}
	if !slices.Contains(ByHand, undone.Act) {
		return undone, back, refuse.Errorf("what others did cannot be taken back here: decide anew instead")
	}
	switch undone.Act {
	case Agree:
		c.AgreedBy = ""
	case Keep:
		c.KeepUntil, c.Owner = 0, ""
	case Order:
		c.SentAt = 0
	}
	if c.Kind == Purchase && undone.Act == Approve {
		c.AgreedBy = ""
	}
	to := undone.From
	if to == Asked { // the question ended with the decision
		to = Open
	}
	d.Note = cmp.Or(d.Note, fmt.Sprintf("“%s” by %s is taken back.", undone.Act, undone.Who))
	return undone, c.step(to, d), nil
}

// By lets the passing of time or the deployment tool do something with the case. One that cannot take it stays where
// it is; what was said is kept all the same.
func (c *Case) By(d Deed) Step {
	to, err := Do(c.Kind, c.State, d.Act, Rules{})
	if err != nil || d.Act == TimeOver && d.Until.Known() { // reminded: the user has until then
		to = c.State
	}
	switch d.Act {
	case Leaves:
		c.SentAt = d.At
	case TimeOver:
		c.AnswerBy = d.Until
	}
	return c.step(to, d)
}

// Said is a step that only keeps words: the case stays as it is.
func (c *Case) Said(d Deed) Step {
	return Step{At: d.At, Who: d.Who, From: c.State, To: c.State, Note: d.Note, Act: d.Act}
}

// byEvidence is who moves a case by what was found.
const byEvidence = "evidence"

// Find opens a case about something that was found.
func Find(about Case, f Finding, at int64) (Case, Step) {
	about.Finding, about.OpenedAt = f, at
	s := about.step(Open, Deed{Who: byEvidence, At: at, Note: f.Proof[0]})
	s.From = ""
	return about, s
}

// Plan is a decision to remove a product from a device: it makes a case that is agreed to, or takes up one that nobody
// works on. Others stay as they are.
func (c *Case) Plan(f Finding, d Deed) (Step, bool) {
	if c.State != "" && c.State != Open && !c.State.Ended() {
		return Step{}, false
	}
	if c.State == "" {
		c.OpenedAt = d.At
	}
	f.MoneyOn, f.Quantity = c.MoneyOn, c.Quantity
	c.Finding = f
	return c.step(Agreed, d), true
}

// See lets the newest evidence move the case. f is what it says of it now, nil where nothing is found any more; today
// ends exceptions. It reports whether the case moved, and whether anything else of it changed.
func (c *Case) See(f *Finding, e Evidence, today civil.Day, at int64) (s Step, moved, changed bool) {
	if c.Kind == Planned && e.Present { // a decision stands by itself as long as it is there
		own := c.Finding
		if f != nil { // what it is worth follows from the position
			own.Worth, own.Amount, own.Currency, own.MoneyOn = f.Worth, f.Amount, f.Currency, f.MoneyOn
		}
		f = &own
	}
	e.Found, e.GoneAt = f != nil, c.ChangedAt
	before := *c
	to := See(c.State, c.SentAt, e)
	if c.State == Kept && c.KeepUntil.Known() && c.KeepUntil < today { // the exception has ended
		if to = Open; f == nil {
			to = Lapsed
		}
	}
	if f != nil && !to.Ended() {
		c.Finding = *f
	}
	if to == before.State {
		return s, false, !before.Finding.same(c.Finding)
	}
	d := Deed{Who: byEvidence, At: at}
	switch {
	case to == Gone:
		d.Note = c.Done(e.ScanAt)
		if e.By != "" {
			d.Who, d.Note = e.By, d.Note+" "+e.Because
		}
	case to == Lapsed && before.State == Gone:
		c.CameBack++
		d.Note = "It is there again. Nothing speaks against it today; what was saved is booked out."
	case to == Lapsed:
		d.Note = "What the case rested on no longer holds."
		if e.By != "" {
			d.Who, d.Note = e.By, e.Because
		}
	case to == Open && before.State == Gone:
		c.CameBack++
		d.Note = "It is back: " + f.Proof[0]
	case to == Open:
		d.Note = "Found again: " + f.Proof[0]
	}
	if to == Open {
		c.OpenedAt = at
		c.Answer, c.AnswerBy, c.AgreedBy, c.Owner, c.KeepUntil, c.SentAt = "", 0, "", "", 0, 0
	}
	return c.step(to, d), true, true
}

// Done says in words what evidence shows once the work of the case is done; scan is the time of the newest one.
func (c *Case) Done(scan int64) string {
	day := "never"
	if scan != 0 {
		day = civil.OfUnix(scan).String()
	}
	switch c.Kind {
	case Missing:
		return fmt.Sprintf("The scan of %s has it.", day)
	case Leaver:
		return "Nobody who left holds it any more."
	case IdlePool:
		return "The pool has fewer licences now."
	case DeniedPool:
		return "Nobody has been denied for 30 days."
	case Uncovered:
		return "The position is no longer short."
	case OverusedKey:
		return "Its keys are on no more devices than there are licences."
	case UnboughtKey:
		return "No key of it is in use that nobody booked."
	}
	return fmt.Sprintf("The scan of %s no longer has it.", day)
}

// Saves reports whether a case of the kind may be worth money once it is done.
func (k Kind) Saves() bool {
	return k == IdleLicence || k == IdlePool || k == Planned || k == Leaver || k == RestrictedTitle ||
		k == EndOfLife
}
