package worklist

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/money"
	"ensomet/internal/core/policy"
	"ensomet/internal/edits"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// ReclaimDraft says when licences of titles are proposed for reclaim.
type ReclaimDraft struct {
	ID        int64 // 0 is a new one
	Revision  int64 // that was seen; a save on an older one is refused
	Product   int64
	Publisher string
	Category  string
	Group     string
	Propose   bool    // false leaves them alone
	Window    int     // days that are looked at
	Grace     int     // an install younger than this is left alone
	Least     float64 // share of the window that must be measured
	PoolShare float64 // a pool whose peak lies below this share of its quantity is proposed
	Note      string
}

// ReclaimView is a rule in words.
type ReclaimView struct {
	ID        int64
	Says      ReclaimDraft // as somebody would set it who changes nothing
	What      string
	Group     string
	Propose   bool
	Window    int
	Grace     int
	Least     float64
	PoolShare float64
	Note      string
	Author    string
	At        int64
}

// ReclaimRules lists the rules in force; what none speaks of goes by the usual numbers, which come first with number 0.
func (svc *Service) ReclaimRules(ctx context.Context) ([]ReclaimView, error) {
	var out []ReclaimView
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		u := usualRule(&s)
		out = append(
			out,
			ReclaimView{
				What:      "everything else",
				Group:     "all devices",
				Propose:   true,
				Window:    u.Window,
				Grace:     u.GraceDays,
				Least:     u.LeastShare,
				PoolShare: u.PoolShare,
			},
		)
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		list, err := snapshot.ReclaimRules(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Reclaim)
		for i := range list {
			m := &list[i]
			v := ReclaimView{
				ID:        m.ID,
				Says:      draftOfReclaim(m),
				Propose:   m.Stance == policy.Proposed,
				Window:    m.Window,
				Grace:     m.Grace,
				Least:     m.LeastShare,
				PoolShare: m.PoolShare,
				Note:      m.Reason,
				Author:    m.Author,
				At:        m.At,
			}
			v.Says.Revision = revisions[sqlite.Itoa(m.ID)]
			v.What, v.Group = snapshot.ScopeWords(c, &m.Policy, m.PublisherName)
			out = append(out, v)
		}
		return err
	})
	return out, err
}

func draftOfReclaim(m *snapshot.ReclaimRule) ReclaimDraft {
	s := snapshot.ScopeOf(&m.Policy, m.PublisherName)
	return ReclaimDraft{
		ID:        m.ID,
		Product:   s.Product,
		Publisher: s.Publisher,
		Category:  s.Category,
		Group:     s.Group,
		Propose:   m.Stance == policy.Proposed,
		Window:    m.Window,
		Grace:     m.Grace,
		Least:     m.LeastShare,
		PoolShare: m.PoolShare,
		Note:      m.Reason,
	}
}

// reclaimFields are what a person changes of a rule for reclaim.
type reclaimFields struct {
	Scope            string
	Propose          bool
	Window, Grace    int
	Least, PoolShare float64
	Note             string
}

func (svc *Service) reclaimFields(tx *sqlite.Tx, m *snapshot.ReclaimRule) (*reclaimFields, error) {
	scope, err := svc.scopeWords(tx, &m.Policy, m.PublisherName)
	return &reclaimFields{scope, m.Stance == policy.Proposed, m.Window, m.Grace, m.LeastShare, m.PoolShare,
		m.Reason}, err
}

// reclaimNow reads a rule in force as people change it.
func (svc *Service) reclaimNow(tx *sqlite.Tx, id int64) (*reclaimFields, error) {
	list, err := snapshot.ReclaimRules(tx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(m snapshot.ReclaimRule) bool { return m.ID == id })
	if i < 0 {
		return nil, sqlite.ErrNotFound
	}
	return svc.reclaimFields(tx, &list[i])
}

func (svc *Service) reclaimRule(tx *sqlite.Tx, d ReclaimDraft, who string) (snapshot.ReclaimRule, error) {
	m := snapshot.ReclaimRule{
		PublisherName: d.Publisher,
		Window:        d.Window,
		Grace:         d.Grace,
		LeastShare:    d.Least,
		PoolShare:     d.PoolShare,
		Author:        who,
		At:            svc.Clock.Now().Unix(),
	}
	stance := policy.NotProposed
	if d.Propose {
		stance = policy.Proposed
	}
	scope := snapshot.Scope{Product: d.Product, Publisher: d.Publisher, Category: d.Category, Group: d.Group}
	var err error
	if m.Policy, err = scope.Policy(tx, stance, d.Note); err != nil {
		return m, err
	}
	m.ID = d.ID
	s, err := snapshot.LoadSettings(tx)
	if err != nil {
		return m, err
	}
	s.UseWindow = d.Window
	return m, s.KeepsEnough()
}

// ReclaimEffect says what a rule would propose beside what is proposed now.
type ReclaimEffect struct {
	Now     int // idle licences that are proposed now
	Then    int
	Comes   int
	Goes    int
	Money   []ReclaimMoney     // what the proposals are worth, now and then, by currency
	Samples []ReclaimDifferent // the first of those that come or go
}

// ReclaimMoney is what proposals are worth in one currency.
type ReclaimMoney struct {
	Currency string
	Now      string
	Then     string
}

// ReclaimDifferent is a proposal that comes or goes.
type ReclaimDifferent struct {
	Product string
	About   string
	Comes   bool
	Why     string
}

// PreviewReclaim works out what a rule would change, before it is saved. Nothing is stored.
func (svc *Service) PreviewReclaim(ctx context.Context, d ReclaimDraft, end int64) (ReclaimEffect, error) {
	out := ReclaimEffect{Money: []ReclaimMoney{}, Samples: []ReclaimDifferent{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.ReclaimRules(tx)
		if err != nil {
			return err
		}
		var then []snapshot.ReclaimRule
		for _, m := range list {
			if m.ID != d.ID && m.ID != end {
				then = append(then, m)
			}
		}
		if end == 0 {
			m, err := svc.reclaimRule(tx, d, "")
			if err != nil {
				return err
			}
			m.ID = 1 << 60
			then = append(then, m)
		}
		e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		a1, err := svc.proposals(tx, e, list)
		if err != nil {
			return err
		}
		a2, err := svc.proposals(tx, e, then)
		if err != nil {
			return err
		}
		out.Now, out.Then = len(a1), len(a2)
		sums := map[string][2]decimal.Decimal{}
		add := func(found map[caseKey]*finding, at int) {
			for _, f := range found {
				if f.amount.IsPositive() {
					s := sums[f.currency]
					s[at] = s[at].Add(f.amount)
					sums[f.currency] = s
				}
			}
		}
		add(a1, 0)
		add(a2, 1)
		for _, c := range slices.Sorted(maps.Keys(sums)) {
			out.Money = append(out.Money, ReclaimMoney{c, sums[c][0].String(), sums[c][1].String()})
		}
		say := func(comes bool) func(f *finding) {
			return func(f *finding) {
				out.Samples = append(out.Samples,
					ReclaimDifferent{e.Products[f.product].Product.Name, aboutWords(e, f), comes, f.proof[0]})
			}
		}
		out.Comes, out.Goes = without(a2, a1, 8, say(true)), without(a1, a2, 8, say(false))
		return nil
	})
	return out, err
}

// without counts the findings that another lot has not, and says the first ones, in the worklist's order.
func without(found, other map[caseKey]*finding, most int, say func(f *finding)) int {
	var only []*finding
	for key, f := range found {
		if other[key] == nil {
			only = append(only, f)
		}
	}
	sortFindings(only)
	for _, f := range only[:min(most, len(only))] {
		say(f)
	}
	return len(only)
}

func aboutWords(e *snapshot.Snapshot, f *finding) string {
	if i, known := e.DeviceAt[f.device]; known {
		return e.Devices[i].Name
	}
	return fmt.Sprintf("a pool, %d licences", f.quantity)
}

// proposals works out what is proposed for reclaim by some rules.
func (svc *Service) proposals(
	tx *sqlite.Tx,
	e *snapshot.Snapshot,
	list []snapshot.ReclaimRule,
) (map[caseKey]*finding, error) {
	d := &Findings{Positions: snapshot.NewPositions(e)}
	uses, err := e.LoadUse(tx)
	if err != nil {
		return nil, err
	}
	rules, err := newReclaimRules(tx, e, list)
	if err != nil {
		return nil, err
	}
	taken, err := d.findRestricted(tx)
	if err != nil {
		return nil, err
	}
	ways, err := snapshot.Ways(tx, 0)
	if err != nil {
		return nil, err
	}
	open, lines, err := d.ComputeAll(tx.Context(), ways)
	if err != nil {
		return nil, err
	}
	for _, f := range e.Ordered() {
		if err := d.findIdle(tx, f, rules, uses, lines, taken); err != nil {
			return nil, err
		}
	}
	if err := d.findIdlePools(tx, rules); err != nil {
		return nil, err
	}
	if err := d.findEnded(tx, taken); err != nil { // what is removed anyway avoids its purchase first
		return nil, err
	}
	if err := d.findPlanned(tx); err != nil {
		return nil, err
	}
	if err := d.worth(tx.Context(), open, lines); err != nil {
		return nil, err
	}
	out := map[caseKey]*finding{}
	for i := range d.found {
		if f := &d.found[i]; f.kind == casework.IdleLicence || f.kind == casework.IdlePool {
			out[f.key()] = f
		}
	}
	return out, nil
}

// PutReclaimRule sets a rule, or changes one.
func (svc *Service) PutReclaimRule(ctx context.Context, d ReclaimDraft, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		m, err := svc.reclaimRule(tx, d, who)
		if err != nil {
			return err
		}
		touched, err := reclaimScopes(tx, d.ID)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		if d.ID != 0 {
			was, err := svc.reclaimNow(tx, d.ID)
			if err != nil {
				return err
			}
			is, err := svc.reclaimFields(tx, &m)
			if err != nil {
				return err
			}
			if _, err := edits.Save(tx, edits.Change{
				Thing: edits.Of(edits.Reclaim, d.ID),
				Seen:  d.Revision,
				Who:   who,
				At:    now,
				Was:   was,
				Is:    is,
			}); err != nil {
				return err
			}
		}
		if _, err := worklistdb.PutReclaimRule(tx, m); err != nil {
			return err
		}
		if err := tx.Note(now, who, "set when to propose reclaim", fmt.Sprint(d.Product, d.Publisher, d.Category),
			d.Note); err != nil {
			return err
		}
		return svc.markScopes(tx, append(touched, &m.Policy)...)
	})
}

// EndReclaimRule takes a rule out of force.
func (svc *Service) EndReclaimRule(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		was, err := svc.reclaimNow(tx, id)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Reclaim, id),
			Seen:  revision,
			Who:   who,
			At:    now,
			Was:   was,
		}); err != nil {
			return err
		}
		touched, err := reclaimScopes(tx, id)
		if err != nil {
			return err
		}
		if err := worklistdb.EndReclaimRule(tx, id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "ended a rule for reclaim", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return svc.markScopes(tx, touched...)
	})
}

// reclaimScopes is what a rule in force speaks of before it changes; 0 is a new one.
func reclaimScopes(tx *sqlite.Tx, id int64) ([]*policy.Policy, error) {
	if id == 0 {
		return nil, nil
	}
	list, err := snapshot.ReclaimRules(tx)
	for i := range list {
		if list[i].ID == id {
			return []*policy.Policy{&list[i].Policy}, err
		}
	}
	return nil, err
}

// LedgerSum is what one kind of worth comes to in one currency.
type LedgerSum struct {
	Worth     string
	Currency  string
	Potential string
	Cases     int
	Realised  string
	Lines     int
	// the same in the currency of the house, at the rates of today and of the days of booking; empty where one has
	// none
	PotentialInHouse string
	RealisedInHouse  string
}

// Ledger is both ledgers added up: what could be saved, and what evidence has shown to be saved.
type Ledger struct {
	Sums      []LedgerSum
	House     string // the currency of the sums below
	Potential string
	Realised  string
	Without   []string // currencies without a rate, whose amounts are in neither sum
}

// ledger adds up in the currency of the house beside each own one.
type ledger struct {
	rates               money.Rates
	potential, realised decimal.Decimal
	without             map[string]bool
}

// add adds an amount of a day to a sum of a line and to the whole. The sum of a line with an amount that has no rate is
// empty.
func (l *ledger) add(sum *string, whole *decimal.Decimal, amount decimal.Decimal, currency string, on civil.Day) {
	in, err := l.rates.InHouse(amount, currency, on)
	if err != nil {
		l.without[currency] = true
		*sum = ""
		return
	}
	*whole = whole.Add(in)
	if !l.without[currency] {
		*sum = amountOf(*sum).Add(in).String()
	}
}

// Ledger adds both ledgers up.
func (svc *Service) Ledger(ctx context.Context) (Ledger, error) {
	out := Ledger{Sums: []LedgerSum{}, Without: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		rates, err := snapshot.LoadRates(tx)
		if err != nil {
			return err
		}
		in := ledger{rates: rates, without: map[string]bool{}}
		type key struct{ worth, currency string }
		at := map[key]int{}
		of := func(worth, currency string) *LedgerSum {
			k := key{worth, currency}
			i, known := at[k]
			if !known {
				i = len(out.Sums)
				at[k] = i
				out.Sums = append(out.Sums, LedgerSum{Worth: worth, Currency: currency, Potential: "0", Realised: "0",
					PotentialInHouse: "0", RealisedInHouse: "0"})
			}
			return &out.Sums[i]
		}
		cases, err := worklistdb.Cases(tx)
		if err != nil {
			return err
		}
		for i := range cases {
			c := &cases[i]
			if amount := amountOf(c.Amount); !c.State.Ended() && c.Kind.Saves() && amount.IsPositive() {
				s := of(c.Worth, c.Currency)
				s.Potential, s.Cases = amountOf(s.Potential).Add(amount).String(), s.Cases+1
				in.add(&s.PotentialInHouse, &in.potential, amount, c.Currency, svc.Snapshots.Today())
			}
		}
		booked, err := worklistdb.AllBooked(tx)
		for _, b := range booked {
			s := of(b.Worth, b.Currency)
			amount := amountOf(b.Amount)
			s.Realised, s.Lines = amountOf(s.Realised).Add(amount).String(), s.Lines+1
			in.add(&s.RealisedInHouse, &in.realised, amount, b.Currency, civil.OfUnix(b.At))
		}
		out.House, out.Without = rates.House(), append(out.Without, slices.Sorted(maps.Keys(in.without))...)
		out.Potential, out.Realised = in.potential.String(), in.realised.String()
		return err
	})
	return out, err
}

// CaseCount counts cases of one kind in one state.
type CaseCount struct {
	Kind  casework.Kind
	State casework.State
	Count int64
	Back  int64 // of them, those that came back
}

// CaseCounts counts the cases by kind and state, in the order of the worklist.
func (svc *Service) CaseCounts(ctx context.Context) ([]CaseCount, error) {
	out := []CaseCount{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		counts, err := worklistdb.CaseCounts(tx)
		for _, k := range casework.Kinds {
			for _, s := range casework.States {
				if n := counts[[2]string{string(k), string(s)}]; n[0] > 0 {
					out = append(out, CaseCount{k, s, n[0], n[1]})
				}
			}
		}
		return err
	})
	return out, err
}

// CaseGroups gathers cases that one decision may serve.
func (svc *Service) CaseGroups(ctx context.Context) ([]worklistdb.CaseGroup, error) {
	out := []worklistdb.CaseGroup{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.CaseGroups(tx, 300)
		if err != nil {
			return err
		}
		rates, err := snapshot.LoadRates(tx)
		for _, g := range list {
			if in, err := rates.InHouse(amountOf(g.Amount), g.Currency, svc.Snapshots.Today()); err == nil {
				g.InHouse = in.String()
			}
			out = append(out, g)
		}
		return err
	})
	return out, err
}
