package titles

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// RuleDraft is a rule as somebody writes it: which records, on which devices, and what follows.
type RuleDraft struct {
	ID       int64 // 0 is a new one
	Revision int64 // that was seen; a save on an older one is refused
	Name     string
	Outcome  string // title, nothing, leave_out, included
	Records  condition.Condition
	Devices  condition.Condition // only where installs are left out
	Product  int64
	Edition  string
	Reason   string
	From     string // first day, empty is always
	Until    string // first day on which it holds no more, empty is never
	Off      bool
}

func (d *RuleDraft) rule() (recognise.Rule, error) {
	r := recognise.Rule{
		ID:      d.ID,
		Name:    strings.TrimSpace(d.Name),
		Outcome: recognise.Outcome(d.Outcome),
		Records: d.Records,
		Product: d.Product,
		Edition: d.Edition,
		Reason:  strings.TrimSpace(d.Reason),
	}
	if r.Name == "" {
		return r, refuse.New("give the rule a name")
	}
	if err := d.Records.CheckRecord(r.Outcome.LeavesOut()); err != nil {
		return r, err
	}
	switch r.Outcome {
	case recognise.IsTitle:
		if d.Product == 0 {
			return r, refuse.New("choose the title that the records are")
		}
	case recognise.IsExcluded, recognise.IsIncluded:
		r.Product, r.Edition, r.Devices = 0, "", d.Devices
		if err := d.Devices.Check(); err != nil {
			return r, err
		}
		if r.Reason == "" {
			return r, refuse.New("say why these installs make no demand: an auditor will ask")
		}
	default:
		r.Product, r.Edition = 0, ""
	}
	if !r.Outcome.LeavesOut() && empty(d.Records) {
		return r, refuse.New("say which records: a rule without a condition would decide every name")
	}
	for _, day := range []struct {
		text string
		into *civil.Day
	}{{d.From, &r.From}, {d.Until, &r.Until}} {
		if day.text == "" {
			continue
		}
		var err error
		if *day.into, err = civil.Parse(day.text); err != nil {
			return r, err
		}
	}
	if r.From != 0 && r.Until != 0 && r.Until <= r.From {
		return r, refuse.New("the rule ends before it begins")
	}
	return r, nil
}

// empty reports whether a condition asks nothing.
func empty(c condition.Condition) bool {
	return c.Field == "" && c.Not == nil &&
		!slices.ContainsFunc(
			append(slices.Clone(c.All), c.Any...),
			func(p condition.Condition) bool { return !empty(p) },
		)
}

// PreviewRule says what a rule would change now, what it would have touched in the last year, and which positions
// move. It changes nothing.
func (svc *Service) PreviewRule(ctx context.Context, d RuleDraft, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) (err error) {
		out, _, err = svc.putRule(tx, d, who, false, svc.Snapshots.FiguresAndExcluded)
		return err
	})
	return out, err
}

// PutRule adds a rule at the end of the list or changes one. Where rules need a second person it waits. What moves is
// worked out beside the others' work: the writer is held for what is written alone.
func (svc *Service) PutRule(ctx context.Context, d RuleDraft, who string) (Effect, error) {
	var out Effect
	var records []int64
	do := func(tx *sqlite.Tx, figures figuresOf) error {
		waits, err := svc.needsSign(tx, signRule)
		if err != nil {
			return err
		}
		tried := out
		out, records, err = svc.putRule(tx, d, who, waits, figures)
		if figures == nil && !out.Waits {
			out.Moves, out.Installs, out.LastYear = tried.Moves, tried.Installs, tried.LastYear
		}
		return err
	}
	err := svc.besideTheWriter(ctx, do, func(tx *sqlite.Tx) error {
		if err := tx.Note(svc.Clock.Now(), who, "made a rule", d.Name, d.Outcome); err != nil || out.Waits {
			return err
		}
		if len(records) > mostChanged {
			return renewal.Mark(tx, false)
		}
		return errors.Join(renewal.TouchDevicesOf(tx, records), renewal.Count(tx, renewal.Changes))
	})
	return out, err
}

// putRule keeps the rule and says what moved by the figures. What it touches is what is recognised otherwise than
// before, or left out otherwise; it returns these records.
func (svc *Service) putRule(tx *sqlite.Tx, d RuleDraft, who string, waits bool, figures figuresOf) (
	Effect, []int64, error,
) {
	out := Effect{Moves: []snapshot.PositionChange{}, Waits: waits}
	r, err := d.rule()
	if err != nil {
		return out, nil, err
	}
	if err := svc.keepRule(tx, d.ID, d.Revision, who, ruleFieldsOf(d)); err != nil {
		return out, nil, err
	}
	v := snapshot.NameRule{Rule: r, On: !d.Off, State: "holds", Author: who, At: svc.Clock.Now().Unix()}
	if waits {
		v.State = "waiting"
	}
	records, err := stored.AllRecords(tx, false)
	if err != nil {
		return out, nil, err
	}
	before, err := recognitionsByRecord(tx)
	if err != nil {
		return out, nil, err
	}
	k, err := svc.Snapshots.Knowledge(tx)
	if err != nil {
		return out, nil, err
	}
	if k.Catalogue.Product(v.Product) == nil && v.Product != 0 {
		return out, nil, refuse.New("the catalogue has no such title")
	}
	replace(k, v)
	var changed []stored.Recognition
	var products, touched []int64
	if r.Outcome.LeavesOut() {
		touched, products = fittingRecords(&r, records, before)
		if d.ID != 0 { // of the rule as it was, too
			old, err := svc.Snapshots.Knowledge(tx)
			if err != nil {
				return out, nil, err
			}
			for i := range old.Rules {
				if old.Rules[i].ID == d.ID {
					more, of := fittingRecords(&old.Rules[i].Rule, records, before)
					touched, products = append(touched, more...), append(products, of...)
				}
			}
		}
		products, touched = stored.Distinct(products), stored.Distinct(touched)
		if len(products) > mostPreviewed {
			products = nil
		}
	} else {
		changed, products = changedRecognitions(k.Recogniser().Worker(), records, before)
		for _, n := range changed {
			touched = append(touched, n.Record)
		}
	}
	out.Records = len(touched)
	keys := map[string]bool{}
	for _, id := range touched {
		keys[before[id].Key] = true
	}
	out.Names = len(keys)
	if !r.Outcome.LeavesOut() {
		if out.Installs, out.LastYear, err = titlesdb.InstallsOfRecords(tx, touched,
			svc.Clock.Now().Unix()-365*24*3600); err != nil {
			return out, nil, err
		}
	}
	var was map[snapshot.ProductMetric]snapshot.NamedFigure
	var counts [2]int64
	if was, counts[0], err = figures.of(tx, products); err != nil {
		return out, nil, err
	}
	if err := titlesdb.PutNameRule(tx, &v); err != nil {
		return out, nil, err
	}
	if waits {
		return out, touched, nil
	}
	if err := svc.putChanged(tx, changed, products); err != nil {
		return out, nil, err
	}
	is, left, err := figures.of(tx, products)
	if err != nil {
		return out, nil, err
	}
	counts[1] = left
	if r.Outcome.LeavesOut() {
		out.Installs, out.LastYear = counts[1]-counts[0], counts[1]-counts[0]
	}
	out.Moves = snapshot.Moves(was, is)
	return out, touched, nil
}

// ruleFields are what a person changes of a rule, and whether a second person is asked.
type ruleFields struct {
	Name, Outcome    string
	Records, Devices condition.Condition
	Product          int64
	Edition, Reason  string
	From, Until      string
	Off              bool
}

func ruleFieldsOf(d RuleDraft) *ruleFields {
	return &ruleFields{d.Name, d.Outcome, d.Records, d.Devices, d.Product, d.Edition, d.Reason, d.From, d.Until, d.Off}
}

// keepRule keeps that a rule changes, or that it ends, where is is nil. Of a new one there is nothing to keep.
func (svc *Service) keepRule(tx *sqlite.Tx, id, seen int64, who string, is *ruleFields) error {
	if id == 0 {
		return nil
	}
	was, err := ruleNow(tx, id)
	if err != nil {
		return err
	}
	c := edits.Change{Thing: edits.Of(edits.NameRule, id), Seen: seen, Who: who, At: svc.Clock.Now(), Was: was, Is: is}
	if is == nil {
		return edits.End(tx, c)
	}
	_, err = edits.Save(tx, c)
	return err
}

// ruleNow reads a rule as people change it.
func ruleNow(tx *sqlite.Tx, id int64) (*ruleFields, error) {
	rules, err := snapshot.NameRules(tx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(rules, func(r snapshot.NameRule) bool { return r.ID == id })
	if i < 0 {
		return nil, sqlite.ErrNotFound
	}
	return ruleFieldsOf(draftOfRule(&rules[i])), nil
}

// putChanged writes what records are now, where figures of some products, or of all (nil), are computed next.
func (svc *Service) putChanged(tx *sqlite.Tx, changed []stored.Recognition, products []int64) error {
	if len(changed) == 0 {
		return nil
	}
	if products != nil {
		records := make([]int64, len(changed))
		for i := range changed {
			records[i] = changed[i].Record
		}
		if err := svc.Snapshots.LayRecognitions(tx, products, records); err != nil {
			return err
		}
	}
	b, err := stored.NewRecognitions(tx)
	if err != nil {
		return err
	}
	keys := make([]string, 0, len(changed))
	for _, n := range changed {
		keys = append(keys, n.Key)
		if err := stored.AddRecognition(b, n); err != nil {
			return err
		}
	}
	return errors.Join(b.Flush(), titlesdb.MarkNames(tx, keys))
}

// mostPreviewed is how many positions a preview computes before it computes all of them at once.
const mostPreviewed = 400

// fittingRecords lists the records that a rule fits, and the products that they are.
func fittingRecords(
	r *recognise.Rule,
	records []stored.RawRecord,
	as map[int64]stored.Recognition,
) (fit, products []int64) {
	for i := range records {
		n := as[records[i].ID]
		if n.Product != 0 && n.WhyNot == "" && r.Records.Holds(recognise.FactsOf(&records[i].Record, "", n.Product)) {
			fit, products = append(fit, n.Record), append(products, n.Product)
		}
	}
	return fit, stored.Distinct(products)
}

// replace puts a rule in its place, or at the end.
func replace(k *snapshot.Knowledge, v snapshot.NameRule) {
	k.Rules = slices.Clone(k.Rules)
	for i := range k.Rules {
		if k.Rules[i].ID == v.ID {
			v.Place = k.Rules[i].Place
			k.Rules[i] = v
			return
		}
	}
	k.Rules = append(k.Rules, v)
}

func name(k *snapshot.Knowledge, product int64) string {
	if p := k.Catalogue.Product(product); p != nil {
		return p.Name
	}
	return fmt.Sprintf("title %d", product)
}

// RuleChange switches a rule, ends it, or moves it before another.
type RuleChange struct {
	ID       int64
	Revision int64   // that was seen, of the rule, or of the order
	Change   string  // on, off, end, order
	Order    []int64 // all rules in their new order
}

// ChangeRule switches a rule on or off, ends it, or gives all rules another order.
func (svc *Service) ChangeRule(ctx context.Context, c RuleChange, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		var err error
		switch c.Change {
		case "on", "off":
			is, err2 := ruleNow(tx, c.ID)
			if err2 != nil {
				return err2
			}
			is.Off = c.Change == "off"
			err = errors.Join(svc.keepRule(tx, c.ID, c.Revision, who, is),
				titlesdb.SetRuleState(tx, c.ID, c.Change == "on"))
		case "end":
			err = errors.Join(svc.keepRule(tx, c.ID, c.Revision, who, nil),
				titlesdb.EndRule(tx, c.ID, now.Unix(), who))
		default:
			err = errors.Join(svc.keepOrder(tx, c, who), titlesdb.OrderRules(tx, c.Order))
		}
		if err != nil {
			return err
		}
		if err := tx.Note(now, who, "changed a rule", fmt.Sprint(c.ID), c.Change); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}

// keepOrder keeps that the rules get another order, and refuses one that is not of all of them.
func (svc *Service) keepOrder(tx *sqlite.Tx, c RuleChange, who string) error {
	rules, err := snapshot.NameRules(tx)
	if err != nil {
		return err
	}
	type order struct{ Order []string }
	names := map[int64]string{}
	was, is := order{}, order{}
	for i := range rules {
		names[rules[i].ID] = rules[i].Name
		was.Order = append(was.Order, rules[i].Name)
	}
	for _, id := range c.Order {
		is.Order = append(is.Order, names[id])
		delete(names, id)
	}
	if _, err := edits.Save(tx, edits.Change{
		Thing: edits.Thing{Kind: edits.RuleOrder},
		Seen:  c.Revision,
		Who:   who,
		At:    svc.Clock.Now(),
		Was:   was,
		Is:    is,
	}); err != nil {
		return err
	}
	if len(names) > 0 || len(c.Order) != len(rules) {
		return refuse.New("the order names each rule once: look at the rules as they are now, and order them again")
	}
	return nil
}
