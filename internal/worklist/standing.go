package worklist

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/outbox"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"
)

// Standing does what can be done with standing decisions: a stance, a rule of when to reclaim or a plan whose cases are
// agreed and sent by themselves, within limits, with time to call them back.
type Standing struct{ *Service }

// StandingDraft is a standing decision to be set.
type StandingDraft struct {
	ID          int64  // 0 is a new one
	Revision    int64  // that was seen; a save on an older one is refused
	Kind        string // of what it rests on: stance, reclaim, plan
	Ground      int64  // the number of that
	Group       string // empty is every device
	PerDay      int
	MaxFails    int // percent of the answered orders that may fail before it pauses
	HoldMinutes int // how long its orders wait before they leave the house; never shorter than the house asks
	Until       string
	Note        string
}

// StandingView is a standing decision, and what came of it.
type StandingView struct {
	Says       StandingDraft // as somebody would set it who changes nothing
	What       string        // what it rests on, in words
	Running    bool
	Why        string // why it does not run
	StateAt    int64  // since when
	Author     string // who answers for it
	At         int64
	ApprovedBy string
	Ready      int // cases that it may take, today or later
	worklistdb.StandingSofar
}

// GroundView is what a standing decision can be set for.
type GroundView struct {
	Kind   string // stance, reclaim, plan
	Ground int64
	What   string // in words
	Cases  int    // open ones
}

// StandingList is the standing decisions that have not ended, and what else one can be set for.
type StandingList struct {
	Decisions []StandingView
	Grounds   []GroundView
	Groups    []string
	Connected bool // a deployment tool is
	House     int  // how many minutes orders wait at least
}

// grounds are what standing decisions can be set for, with their words and revisions.
type grounds map[casework.Ground]groundNow

type groundNow struct {
	what     string
	revision int64
	at       int // place in the order in which they are listed
}

// loadGrounds reads the stances, the rules of when to reclaim and the plans in force whose cases can be sent.
func (svc *Standing) loadGrounds(tx *sqlite.Tx) (grounds, error) {
	out := grounds{}
	add := func(kind string, id int64, what string, revision int64) {
		out[casework.Ground{Kind: kind, ID: id}] = groundNow{what, revision, len(out)}
	}
	policies, err := snapshot.PoliciesInForce(tx, svc.Snapshots.Today())
	if err != nil {
		return nil, err
	}
	kept, err := stored.Policies(tx)
	if err != nil {
		return nil, err
	}
	revisions, err := edits.Revisions(tx, edits.Stance)
	if err != nil {
		return nil, err
	}
	for i := range kept {
		p := &kept[i]
		inForce := slices.ContainsFunc(policies, func(x policy.Policy) bool { return x.ID == p.ID })
		if !inForce || p.Stance == policy.Allowed || !p.Hours.Always() {
			continue
		}
		place, err := svc.scopeWords(tx, &p.Policy, p.PublisherName)
		if err != nil {
			return nil, err
		}
		add(casework.OnStance, p.ID, string(p.Stance)+": "+place, revisions[sqlite.Itoa(p.ID)])
	}
	rules, err := snapshot.ReclaimRules(tx)
	if err != nil {
		return nil, err
	}
	if revisions, err = edits.Revisions(tx, edits.Reclaim); err != nil {
		return nil, err
	}
	for i := range rules {
		m := &rules[i]
		if m.Stance != policy.Proposed {
			continue
		}
		place, err := svc.scopeWords(tx, &m.Policy, m.PublisherName)
		if err != nil {
			return nil, err
		}
		add(casework.OnReclaim, m.ID, "unused: "+place, revisions[sqlite.Itoa(m.ID)])
	}
	usual, err := edits.Revision(tx, edits.Thing{Kind: edits.HouseRules})
	if err != nil {
		return nil, err
	}
	add(casework.OnReclaim, 0, "unused: what no other rule speaks of, on all devices", usual)
	return out, svc.addPlans(tx, add)
}

// addPlans adds the plans that move something or remove it. A plan that is changed becomes another.
func (svc *Standing) addPlans(tx *sqlite.Tx, add func(kind string, id int64, what string, revision int64)) error {
	plans, err := worklistdb.OpenPlans(tx)
	if err != nil {
		return err
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return err
	}
	name := func(product int64, more ...string) string {
		if p := c.Product(product); p != nil {
			return strings.Join(strings.Fields(p.Name+" "+strings.Join(more, " ")), " ")
		}
		return fmt.Sprint("product ", product)
	}
	for _, p := range plans {
		switch p.What {
		case "remove":
			add(casework.OnPlan, p.ID, fmt.Sprintf("planned: remove %s by %s",
				name(p.Product, p.Edition, p.Version), p.Due), 0)
		case "move":
			add(casework.OnPlan, p.ID, fmt.Sprintf("planned: move off %s to %s by %s",
				name(p.Product, p.Edition, p.Version), name(p.ToProduct, p.ToVersion), p.Due), 0)
		}
	}
	return nil
}

// decision is a standing decision with what it is judged by.
type decision struct {
	worklistdb.Standing
	sofar worklistdb.StandingSofar
	core  casework.Standing
}

func (d *decision) answered() casework.StandingSofar {
	return casework.StandingSofar{Today: d.sofar.Today, Done: d.sofar.DoneSince, Failed: d.sofar.FailedSince}
}

// judge reads what a standing decision is judged by.
func (svc *Standing) judge(tx *sqlite.Tx, s worklistdb.Standing, g grounds) (*decision, error) {
	d := &decision{Standing: s}
	role, err := worklistdb.RoleOf(tx, s.Author)
	if err != nil {
		return nil, err
	}
	today, err := svc.dayBegan(tx)
	if err != nil {
		return nil, err
	}
	if d.sofar, err = worklistdb.CountStanding(tx, &s, today, time.Now().Unix()); err != nil {
		return nil, err
	}
	d.core = casework.Standing{
		PerDay:   s.PerDay,
		MaxFails: s.MaxFails,
		Until:    s.Until,
		Seen:     s.Seen,
		Now:      -1,
		Author:   s.Author,
		MayWork:  access.Role(role).May(access.Editor),
		Approved: s.ApprovedBy,
	}
	if now, inForce := g[s.Ground]; inForce {
		d.core.Now = now.revision
	}
	return d, nil
}

// dayBegan is the second at which today began in the zone of the house.
func (svc *Standing) dayBegan(tx *sqlite.Tx) (int64, error) {
	settings, err := snapshot.LoadSettings(tx)
	return svc.Snapshots.Today().Start(settings.Zone).Unix(), err
}

// Decisions lists the standing decisions that have not ended, and what one can be set for.
func (svc *Standing) Decisions(ctx context.Context) (StandingList, error) {
	out := StandingList{Decisions: []StandingView{}, Grounds: []GroundView{}, Connected: svc.Deploy != nil}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		g, err := svc.loadGrounds(tx)
		if err != nil {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		out.House = rules.HoldMinutes
		list, err := worklistdb.StandingDecisions(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Standing)
		if err != nil {
			return err
		}
		for _, s := range list {
			v, err := svc.view(tx, s, g, revisions[sqlite.Itoa(s.ID)])
			if err != nil {
				return err
			}
			out.Decisions = append(out.Decisions, v)
		}
		at := func(v GroundView) int { return g[casework.Ground{Kind: v.Kind, ID: v.Ground}].at }
		for ground, now := range g {
			_, n, err := worklistdb.CountFor(tx, &worklistdb.Standing{Ground: ground})
			if err != nil {
				return err
			}
			out.Grounds = append(out.Grounds, GroundView{ground.Kind, ground.ID, now.what, n})
		}
		slices.SortFunc(out.Grounds, func(a, b GroundView) int { return cmp.Compare(at(a), at(b)) })
		out.Groups, err = snapshot.GroupNames(tx)
		return err
	})
	return out, err
}

func (svc *Standing) view(tx *sqlite.Tx, s worklistdb.Standing, g grounds, revision int64) (StandingView, error) {
	d, err := svc.judge(tx, s, g)
	if err != nil {
		return StandingView{}, err
	}
	ready, _, err := worklistdb.CountFor(tx, &s)
	return StandingView{
		Says: StandingDraft{
			ID:          s.ID,
			Revision:    revision,
			Kind:        s.Ground.Kind,
			Ground:      s.Ground.ID,
			Group:       s.Group,
			PerDay:      s.PerDay,
			MaxFails:    s.MaxFails,
			HoldMinutes: s.HoldMinutes,
			Until:       s.Until.String(),
			Note:        s.Note,
		},
		What: cmp.Or(
			g[s.Ground].what,
			fmt.Sprintf("%s %d, not in force any more", s.Ground.Kind, s.Ground.ID),
		),
		Running:       s.State == "running",
		Why:           s.Why,
		StateAt:       s.StateAt,
		Author:        s.Author,
		At:            s.At,
		ApprovedBy:    s.ApprovedBy,
		Ready:         ready,
		StandingSofar: d.sofar,
	}, err
}

// standingOf checks a draft.
func (svc *Standing) standingOf(tx *sqlite.Tx, d StandingDraft, who string) (worklistdb.Standing, grounds, error) {
	now := svc.Clock.Now().Unix()
	s := worklistdb.Standing{
		ID:          d.ID,
		Ground:      casework.Ground{Kind: d.Kind, ID: d.Ground},
		Group:       d.Group,
		PerDay:      d.PerDay,
		MaxFails:    d.MaxFails,
		HoldMinutes: d.HoldMinutes,
		Note:        strings.TrimSpace(d.Note),
		Author:      who,
		At:          now,
		State:       "running",
		StateAt:     now,
	}
	g, err := svc.loadGrounds(tx)
	if err != nil {
		return s, nil, err
	}
	ground, inForce := g[s.Ground]
	if s.Until, err = civil.Parse(d.Until); err != nil {
		return s, g, err
	}
	if _, err := snapshot.GroupByName(tx, d.Group); err != nil {
		return s, g, err
	}
	others, err := worklistdb.StandingDecisions(tx)
	if err != nil {
		return s, g, err
	}
	switch {
	case !inForce:
		return s, g, refuse.New(
			"choose a stance without hours, a rule for reclaim or a plan that is in force: only " +
				"their cases can be sent by themselves",
		)
	case d.PerDay < 1 || d.MaxFails < 0 || d.MaxFails > 100 || d.HoldMinutes < 0:
		return s, g, refuse.New("say how many a day, at least 1, and how many of a hundred answers may be failures")
	case s.Until.Known() && s.Until < svc.Snapshots.Today():
		return s, g, refuse.New("its last day is past")
	}
	for _, o := range others {
		if o.ID != d.ID && o.Ground == s.Ground && o.Group == d.Group {
			return s, g, refuse.Errorf(
				"there is one already for the same cases on the same devices, which %s set: "+
					"change that one",
				o.Author,
			)
		}
	}
	s.Seen = ground.revision
	return s, g, nil
}

// StandingEffect says what a standing decision would take.
type StandingEffect struct {
	Ready   int // cases that it may take
	Outside int // open ones of the same ground that it leaves, on devices outside of its group
	Today   int // of those it may take, how many it would take on the first day
	Days    int // on how many days it would take them all
	Samples []string
	Waits   string // why it would not run at once
}

// PreviewStanding works out what a standing decision would take. Nothing is stored.
func (svc *Standing) PreviewStanding(ctx context.Context, draft StandingDraft, who string) (StandingEffect, error) {
	out := StandingEffect{Samples: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, g, err := svc.standingOf(tx, draft, who)
		if err != nil {
			return err
		}
		d, err := svc.judge(tx, s, g)
		if err != nil {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		out.Waits = d.core.Pauses(casework.StandingSofar{}, rules.core(), svc.Snapshots.Today())
		all := 0
		if out.Ready, all, err = worklistdb.CountFor(tx, &s); err != nil {
			return err
		}
		out.Outside = all - out.Ready
		out.Today = min(out.Ready, d.core.Take(d.answered()))
		out.Days = (out.Ready + s.PerDay - 1) / s.PerDay
		first, err := worklistdb.CasesFor(tx, &s, 5)
		if err != nil {
			return err
		}
		cases, err := worklistdb.CasesOf(tx, first)
		for i := range cases {
			at, name, err := worklistdb.NamesInLetters(tx, cases[i].Device, cases[i].Product)
			if err != nil {
				return err
			}
			out.Samples = append(out.Samples, name+" on "+at)
		}
		return err
	})
	return out, err
}

// standingFields are what a person changes of a standing decision.
type standingFields struct {
	What, Group                   string
	PerDay, MaxFails, HoldMinutes int
	Until, Note                   string
}

func fieldsOfStanding(s *worklistdb.Standing, g grounds) *standingFields {
	return &standingFields{g[s.Ground].what, s.Group, s.PerDay, s.MaxFails, s.HoldMinutes, s.Until.String(), s.Note}
}

// SetStanding sets a standing decision, or changes one. Who sets it answers for it; who approved the one before has
// not approved this one. It takes what it may at once.
func (svc *Standing) SetStanding(ctx context.Context, draft StandingDraft, who string) error {
	if svc.Deploy == nil {
		return refuse.New("no deployment tool is connected: nothing can be sent by itself")
	}
	if err := svc.set(ctx, draft, who); err != nil {
		return err
	}
	return svc.follow(ctx)
}

func (svc *Standing) set(ctx context.Context, draft StandingDraft, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, g, err := svc.standingOf(tx, draft, who)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		if draft.ID != 0 {
			was, err := svc.notEnded(tx, draft.ID)
			if err != nil {
				return err
			}
			if _, err := edits.Save(tx, edits.Change{
				Thing: edits.Of(edits.Standing, draft.ID),
				Seen:  draft.Revision,
				Who:   who,
				At:    now,
				Was:   fieldsOfStanding(&was, g),
				Is:    fieldsOfStanding(&s, g),
			}); err != nil {
				return err
			}
		}
		if s.ID, err = worklistdb.PutStanding(tx, s); err != nil {
			return err
		}
		if err := tx.Note(now, who, "set a standing decision", g[s.Ground].what, fmt.Sprintf(
			"%d a day on %s, orders wait %d minutes", s.PerDay, cmp.Or(s.Group, "all devices"), s.HoldMinutes),
		); err != nil {
			return err
		}
		return svc.goOrWait(tx, s, g)
	})
}

func (svc *Standing) notEnded(tx *sqlite.Tx, id int64) (worklistdb.Standing, error) {
	s, err := worklistdb.StandingByID(tx, id)
	if err == nil && s.EndedAt != 0 {
		err = refuse.Errorf("%s ended it", s.EndedBy)
	}
	return s, err
}

// goOrWait lets a standing decision run that somebody has just looked at, with the orders of it that were halted, or
// says why it waits.
func (svc *Standing) goOrWait(tx *sqlite.Tx, s worklistdb.Standing, g grounds) error {
	d, err := svc.judge(tx, s, g)
	if err != nil {
		return err
	}
	rules, err := loadCaseRules(tx)
	if err != nil {
		return err
	}
	if why := d.core.Pauses(d.answered(), rules.core(), svc.Snapshots.Today()); why != "" {
		return svc.halt(tx, s, why)
	}
	waves, err := worklistdb.WavesOf(tx, s.ID)
	for _, w := range waves {
		if w.State == "paused" {
			err = errors.Join(err, worklistdb.LetWaveGoOn(tx, w.ID, svc.Clock.Now().Unix()))
		}
	}
	tx.Announce(outbox.Topic)
	return err
}

// halt lets a standing decision take nothing more, and holds its orders that have not left.
func (svc *Standing) halt(tx *sqlite.Tx, s worklistdb.Standing, why string) error {
	s.State, s.Why, s.StateAt = "paused", why, svc.Clock.Now().Unix()
	if _, err := worklistdb.PutStanding(tx, s); err != nil {
		return err
	}
	waves, err := worklistdb.WavesOf(tx, s.ID)
	for _, w := range waves {
		if w.State == "running" {
			err = errors.Join(err, worklistdb.SetWave(tx, w.ID, "paused", why))
		}
	}
	return err
}

// SteerStanding pauses a standing decision, lets it go on, approves it as second person or ends it. Whoever lets it go
// on has looked at it as it is now, and answers for it from then on. What waits of one that ends is called back: those
// cases stay agreed.
func (svc *Standing) SteerStanding(ctx context.Context, id, revision int64, to, who string) error {
	if err := svc.steer(ctx, id, revision, to, who); err != nil {
		return err
	}
	return svc.follow(ctx)
}

func (svc *Standing) steer(ctx context.Context, id, revision int64, to, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := svc.notEnded(tx, id)
		if err != nil {
			return err
		}
		g, err := svc.loadGrounds(tx)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		change := edits.Change{Thing: edits.Of(edits.Standing, id), Seen: revision, Who: who, At: now,
			Was: fieldsOfStanding(&s, g)}
		if err := edits.Check(tx, change); err != nil {
			return err
		}
		if err := tx.Note(now, who, to, "standing decision "+sqlite.Itoa(id), g[s.Ground].what); err != nil {
			return err
		}
		switch to {
		case "pause":
			return svc.halt(tx, s, who+" paused it.")
		case "end":
			if err := edits.End(tx, change); err != nil {
				return err
			}
			s.State, s.Why, s.StateAt, s.EndedAt, s.EndedBy = "ended", "", now.Unix(), now.Unix(), who
			if _, err := worklistdb.PutStanding(tx, s); err != nil {
				return err
			}
			return svc.callBackAll(tx, &s, who)
		case "approve":
			if s.Author == who {
				return refuse.Errorf("%s answers for it: somebody else approves", who)
			}
			s.ApprovedBy, s.ApprovedAt = who, now.Unix()
		case "go on":
			if s.ApprovedBy == who { // he cannot be the second person as well
				s.ApprovedBy, s.ApprovedAt = "", 0
			}
			if s.Author != who {
				s.Author, s.At = who, now.Unix()
			}
			s.Seen = g[s.Ground].revision
		default:
			return refuse.Errorf("%q is nothing that a standing decision can be told", to)
		}
		s.State, s.Why, s.StateAt = "running", "", now.Unix()
		if _, err := worklistdb.PutStanding(tx, s); err != nil {
			return err
		}
		return svc.goOrWait(tx, s, g)
	})
}

// callBackAll calls off the waves of a standing decision that have not left.
func (svc *Standing) callBackAll(tx *sqlite.Tx, s *worklistdb.Standing, who string) error {
	orders := Orders{svc.Service}
	waves, err := worklistdb.WavesOf(tx, s.ID)
	for _, w := range waves {
		err = errors.Join(err, worklistdb.SetWave(tx, w.ID, "called off", ""), orders.callOffAll(tx, w.ID, who))
	}
	return err
}

// follow lets the standing decisions take what they may.
func (svc *Standing) follow(ctx context.Context) error {
	if svc.Deploy == nil {
		return nil
	}
	some := false
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.StandingDecisions(tx)
		some = slices.ContainsFunc(list, func(s worklistdb.Standing) bool { return s.State == "running" })
		return err
	}); err != nil || !some {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.StandingDecisions(tx)
		if err != nil {
			return err
		}
		g, err := svc.loadGrounds(tx)
		if err != nil {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		for _, s := range list {
			if s.State != "running" {
				continue
			}
			d, err := svc.judge(tx, s, g)
			if err != nil {
				return err
			}
			if why := d.core.Pauses(d.answered(), rules.core(), svc.Snapshots.Today()); why != "" {
				err = svc.halt(tx, s, why)
			} else {
				err = svc.take(tx, d, rules, g[s.Ground].what)
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// take lets a standing decision agree to cases and send them, as many as are left of its day's number.
func (svc *Standing) take(tx *sqlite.Tx, d *decision, rules CaseRules, what string) error {
	ids, err := worklistdb.CasesFor(tx, &d.Standing, d.core.Take(d.answered()))
	if err != nil || len(ids) == 0 {
		return err
	}
	cases, err := worklistdb.CasesOf(tx, ids)
	if err != nil {
		return err
	}
	now := svc.Clock.Now()
	today, err := svc.dayBegan(tx)
	if err != nil {
		return err
	}
	w := &caseWorker{a: svc.Service, tx: tx, rules: rules, who: d.Author, now: now.Unix(), standing: &d.Standing}
	w.rules.HoldMinutes = max(rules.HoldMinutes, d.HoldMinutes)
	if w.wave, err = worklistdb.NewestWaveOf(tx, d.ID, max(today, d.StateAt)); err != nil {
		return err
	}
	for i := range cases {
		if err := w.takeOne(&cases[i], d, what); err != nil {
			return err
		}
	}
	if err := worklistdb.CountCases(tx); err != nil {
		return err
	}
	return tx.Note(
		now,
		d.Author,
		"standing decision",
		fmt.Sprintf("%d cases, the first %d", len(cases), cases[0].ID),
		what,
	)
}

// takeOne agrees to a case, has it approved by who approved the standing decision, and sends it. One that cannot be
// sent stays agreed, and says why.
func (w *caseWorker) takeOne(c *casework.Case, d *decision, what string) error {
	if err := worklistdb.TakeCase(w.tx, d.ID, c, w.now); err != nil {
		return err
	}
	by := fmt.Sprintf("By standing decision %d of %s on %s (%s).", d.ID, d.Author, stored.Day(d.At), what)
	steps := []CaseAction{{Act: casework.Agree, Note: by}}
	if w.rules.TwoPersons {
		steps = append(steps, CaseAction{Act: casework.Approve, Note: by})
	}
	for _, deed := range append(steps, CaseAction{Act: casework.Send}) {
		w.deed, w.who = deed, d.Author
		if deed.Act == casework.Approve {
			w.who = d.ApprovedBy
		}
		err := w.do(c)
		if refuse.Is(err) {
			return w.a.noteCase(w.tx, c, d.Author, "It was not sent: "+err.Error()+".", w.now)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
