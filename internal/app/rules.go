package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// RuleDraft is a rule as somebody writes it: which records, on which devices, and what follows.
type RuleDraft struct {
	ID      int64               `json:"id" doc:"0 is a new one"`
	Name    string              `json:"name" maxLength:"200"`
	Outcome string              `json:"outcome" enum:"title,nothing,leave_out"`
	Records condition.Condition `json:"records"`
	Devices condition.Condition `json:"devices" doc:"only where installs are left out"`
	Product int64               `json:"product"`
	Edition string              `json:"edition"`
	Reason  string              `json:"reason" maxLength:"500"`
	From    string              `json:"from" doc:"first day, empty is always"`
	Until   string              `json:"until" doc:"first day on which it holds no more, empty is never"`
	Off     bool                `json:"off"`
}

// RuleView is a rule with what it does now.
type RuleView struct {
	RuleDraft
	Words    string           `json:"words"`
	Means    string           `json:"means"`
	State    string           `json:"state" enum:"holds,waiting,off,not_yet,over"`
	Author   string           `json:"author"`
	At       int64            `json:"at"`
	Signed   string           `json:"signed"`
	Fits     int              `json:"fits" doc:"records that its condition fits"`
	Decides  int              `json:"decides" doc:"records that it decides, or whose installs it may leave out"`
	Conflict []RuleConflict   `json:"conflicts"`
	Dead     string           `json:"dead" doc:"why it decides nothing, empty where it does"`
	Names    map[int64]string `json:"names" doc:"the titles that its conditions mention"`
}

// RuleConflict is an earlier rule that takes records from this one and says something else of them.
type RuleConflict struct {
	Rule    string `json:"rule"`
	Records int    `json:"records"`
}

func (d *RuleDraft) rule() (recognise.Rule, error) {
	r := recognise.Rule{ID: d.ID, Name: strings.TrimSpace(d.Name), Outcome: recognise.Outcome(d.Outcome), Records: d.Records, Product: d.Product, Edition: d.Edition, Reason: strings.TrimSpace(d.Reason)}
	if r.Name == "" {
		return r, errors.New("give the rule a name")
	}
	if err := d.Records.CheckRecord(r.Outcome == recognise.IsLeftOut); err != nil {
		return r, err
	}
	switch r.Outcome {
	case recognise.IsTitle:
		if d.Product == 0 {
			return r, errors.New("choose the title that the records are")
		}
	case recognise.IsLeftOut:
		r.Product, r.Edition, r.Devices = 0, "", d.Devices
		if err := d.Devices.Check(); err != nil {
			return r, err
		}
		if r.Reason == "" {
			return r, errors.New("say why these installs are left out: an auditor will ask")
		}
	default:
		r.Product, r.Edition = 0, ""
	}
	if r.Outcome != recognise.IsLeftOut && empty(d.Records) {
		return r, errors.New("say which records: a rule without a condition would decide every name")
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
		return r, errors.New("the rule ends before it begins")
	}
	return r, nil
}

// empty reports whether a condition asks nothing.
func empty(c condition.Condition) bool {
	return c.Field == "" && c.Not == nil && !slices.ContainsFunc(append(slices.Clone(c.All), c.Any...), func(p condition.Condition) bool { return !empty(p) })
}

// PreviewRule says what a rule would change now, what it would have touched in the last year, and which positions move. It changes nothing.
func (a *App) PreviewRule(ctx context.Context, d RuleDraft, who string) (Effect, error) {
	var out Effect
	err := a.DB.Rehearse(ctx, func(tx *store.Tx) (err error) {
		out, err = a.ruleAndCompare(tx, d, who, false)
		return err
	})
	return out, err
}

// PutRule adds a rule at the end of the list or changes one. Where rules need a second person it waits.
func (a *App) PutRule(ctx context.Context, d RuleDraft, who string) (Effect, error) {
	var out Effect
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		waits, err := a.needsSign(tx, signRule)
		if err != nil {
			return err
		}
		if out, err = a.ruleAndCompare(tx, d, who, waits); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "made a rule", d.Name, d.Outcome); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
	return out, err
}

// ruleAndCompare keeps the rule and says what moved. What it touches is what is recognised otherwise than before, or left out otherwise.
func (a *App) ruleAndCompare(tx *store.Tx, d RuleDraft, who string, waits bool) (Effect, error) {
	out := Effect{Moves: []Move{}, Waits: waits}
	r, err := d.rule()
	if err != nil {
		return out, err
	}
	v := store.NameRule{Rule: r, On: !d.Off, State: "holds", Author: who, At: a.Clock.Now().Unix()}
	if waits {
		v.State = "waiting"
	}
	records, err := tx.AllRecords(false)
	if err != nil {
		return out, err
	}
	before, err := recognitionsByRecord(tx)
	if err != nil {
		return out, err
	}
	k, err := a.know(tx)
	if err != nil {
		return out, err
	}
	if k.catalogue.Product(v.Product) == nil && v.Product != 0 {
		return out, errors.New("the catalogue has no such title")
	}
	k.replace(v)
	var changed []store.Recognition
	var products, touched []int64
	if r.Outcome == recognise.IsLeftOut {
		touched, products = fittingRecords(&r, records, before)
		if d.ID != 0 { // of the rule as it was, too
			old, err := a.know(tx)
			if err != nil {
				return out, err
			}
			for i := range old.rules {
				if old.rules[i].ID == d.ID {
					more, of := fittingRecords(&old.rules[i].Rule, records, before)
					touched, products = append(touched, more...), append(products, of...)
				}
			}
		}
		products, touched = compact(products), compact(touched)
		if len(products) > mostPreviewed {
			products = nil
		}
	} else {
		changed, products = recognisedAnew(k.recogniser().Worker(), records, before)
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
	if r.Outcome != recognise.IsLeftOut {
		if out.Installs, out.LastYear, err = tx.InstallsOfRecords(touched, a.Clock.Now().Unix()-365*24*3600); err != nil {
			return out, err
		}
	}
	var was map[productMetric]namedFigure
	var counts [2]int64
	if was, counts[0], err = a.positionsAndLeft(tx, products); err != nil {
		return out, err
	}
	if err := tx.PutNameRule(&v); err != nil {
		return out, err
	}
	if waits {
		return out, nil
	}
	b, err := tx.NewRecognitions()
	if err != nil {
		return out, err
	}
	for _, n := range changed {
		if err := b.AddRecognition(n); err != nil {
			return out, err
		}
	}
	if err := b.Flush(); err != nil {
		return out, err
	}
	is, left, err := a.positionsAndLeft(tx, products)
	if err != nil {
		return out, err
	}
	counts[1] = left
	if r.Outcome == recognise.IsLeftOut {
		out.Installs, out.LastYear = counts[1]-counts[0], counts[1]-counts[0]
	}
	out.Moves = moves(was, is)
	return out, nil
}

// mostPreviewed is how many positions a preview computes before it computes all of them at once.
const mostPreviewed = 400

func compact(list []int64) []int64 {
	slices.Sort(list)
	return slices.Compact(list)
}

// fittingRecords lists the records that a rule fits, and the products that they are.
func fittingRecords(r *recognise.Rule, records []store.StoredRecord, as map[int64]store.Recognition) (fit, products []int64) {
	for i := range records {
		n := as[records[i].ID]
		if n.Product != 0 && n.WhyNot == "" && r.Records.Holds(recognise.FactsOf(&records[i].Record, "", n.Product)) {
			fit, products = append(fit, n.Record), append(products, n.Product)
		}
	}
	return fit, compact(products)
}

// replace puts a rule in its place, or at the end.
func (k *knowledge) replace(v store.NameRule) {
	k.rules = slices.Clone(k.rules)
	for i := range k.rules {
		if k.rules[i].ID == v.ID {
			v.Place = k.rules[i].Place
			k.rules[i] = v
			return
		}
	}
	k.rules = append(k.rules, v)
}

// Rules in their order, with what each does.
func (a *App) NameRules(ctx context.Context) ([]RuleView, error) {
	out := []RuleView{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		k, err := a.know(tx)
		if err != nil || len(k.rules) == 0 {
			return err
		}
		records, err := tx.AllRecords(false)
		if err != nil {
			return err
		}
		as, err := recognitionsByRecord(tx)
		if err != nil {
			return err
		}
		out = a.judgeRules(k, records, as)
		return nil
	})
	return out, err
}

// judgeRules says of each rule what it fits, what it decides, who is before it, and why it decides nothing.
func (a *App) judgeRules(k *knowledge, records []store.StoredRecord, as map[int64]store.Recognition) []RuleView {
	out := make([]RuleView, len(k.rules))
	lost := make([]map[int]int, len(k.rules))
	for i := range k.rules {
		out[i] = a.ruleView(k, &k.rules[i])
		lost[i] = map[int]int{}
	}
	for i := range records {
		n := as[records[i].ID]
		apart := recognise.TakeApart(records[i].Record, k.catalogue)
		facts := recognise.FactsOf(&records[i].Record, apart.Piece, n.Product)
		var first [2]int // the first rule that fits, of those that decide and of those that leave out; from 1
		for j := range k.rules {
			r := &k.rules[j]
			if !r.Records.Holds(facts) {
				continue
			}
			out[j].Fits++
			if !r.Holds(k.today) {
				continue
			}
			leaves := 0
			if r.Outcome == recognise.IsLeftOut {
				leaves = 1
			}
			switch {
			case leaves == 1:
				if n.Product != 0 && n.WhyNot == "" {
					out[j].Decides++
				}
			case n.Rule == r.ID:
				out[j].Decides++
			}
			if first[leaves] == 0 {
				first[leaves] = j + 1
			} else if o := &k.rules[first[leaves]-1]; leaves == 0 && (o.Outcome != r.Outcome || o.Product != r.Product || o.Edition != r.Edition) {
				lost[j][first[leaves]-1]++
			}
		}
	}
	for j := range out {
		for i := range k.rules {
			if n := lost[j][i]; n > 0 {
				out[j].Conflict = append(out[j].Conflict, RuleConflict{k.rules[i].Name, n})
			}
		}
		v := &out[j]
		switch {
		case v.Decides > 0 || v.State != "holds":
		case v.Fits == 0:
			v.Dead = "no record fits it"
		case len(v.Conflict) > 0:
			v.Dead = "earlier rules decide all that it fits"
		default:
			v.Dead = "what it fits is decided before rules are asked, or does not count anyway"
		}
	}
	return out
}

func (a *App) ruleView(k *knowledge, r *store.NameRule) RuleView {
	v := RuleView{RuleDraft: RuleDraft{ID: r.ID, Name: r.Name, Outcome: string(r.Outcome), Records: r.Records, Devices: r.Devices, Product: r.Product, Edition: r.Edition, Reason: r.Reason, From: r.From.String(), Until: r.Until.String(), Off: !r.On},
		State: "holds", Author: r.Author, At: r.At, Signed: r.SignedBy, Conflict: []RuleConflict{}, Names: map[int64]string{}}
	switch {
	case r.State == "waiting":
		v.State = "waiting"
	case !r.On:
		v.State = "off"
	case r.From > k.today:
		v.State = "not_yet"
	case r.Until != 0 && r.Until <= k.today:
		v.State = "over"
	}
	for _, id := range append(append(r.Records.Titles(), r.Devices.Titles()...), r.Product) {
		if p := k.catalogue.Product(id); p != nil {
			v.Names[id] = p.Name
		}
	}
	v.Words = r.Records.Words(k.name)
	if empty(r.Records) {
		v.Words = "every record"
	}
	v.Means = a.ruleWords(k, r)
	return v
}

func (k *knowledge) name(product int64) string {
	if p := k.catalogue.Product(product); p != nil {
		return p.Name
	}
	return fmt.Sprintf("title %d", product)
}

// ruleWords says what follows from a rule.
func (a *App) ruleWords(k *knowledge, r *store.NameRule) string {
	switch r.Outcome {
	case recognise.IsTitle:
		return strings.TrimSpace("is " + k.name(r.Product) + " " + r.Edition)
	case recognise.IsNothing:
		return "is not software that counts"
	}
	on := "on " + r.Devices.Words(k.name)
	if empty(r.Devices) {
		on = "on every device"
	}
	return "is left out of the count " + on
}

// RuleChange switches a rule, ends it, or moves it before another.
type RuleChange struct {
	ID     int64   `json:"id"`
	Change string  `json:"change" enum:"on,off,end,order"`
	Order  []int64 `json:"order,omitempty" doc:"all rules in their new order"`
}

// ChangeRule switches a rule on or off, ends it, or gives all rules another order.
func (a *App) ChangeRule(ctx context.Context, c RuleChange, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		var err error
		switch c.Change {
		case "on", "off":
			err = tx.SetRuleState(c.ID, c.Change == "on")
		case "end":
			err = tx.EndRule(c.ID, now.Unix(), who)
		default:
			err = tx.OrderRules(c.Order)
		}
		if err != nil {
			return err
		}
		if err := tx.Note(now, who, "changed a rule", fmt.Sprint(c.ID), c.Change); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// Leaving is to leave a product on devices out of the count, or to count it again.
type Leaving struct {
	Devices []string `json:"devices" minItems:"1" doc:"device_ids"`
	Product int64    `json:"product"`
	Reason  string   `json:"reason" maxLength:"500"`
	Again   bool     `json:"again" doc:"count it again"`
}

// PreviewLeaving says what leaving out would change, and changes nothing.
func (a *App) PreviewLeaving(ctx context.Context, l Leaving, who string) (Effect, error) {
	var out Effect
	err := a.DB.Rehearse(ctx, func(tx *store.Tx) (err error) {
		l.Reason = strings.TrimSpace(l.Reason + " ")
		if l.Reason == "" {
			l.Reason = "preview"
		}
		out, err = a.leaveAndCompare(tx, l, who, false)
		return err
	})
	return out, err
}

// Leave leaves a product on devices out of the count with a reason, or counts it again.
func (a *App) Leave(ctx context.Context, l Leaving, who string) (Effect, error) {
	var out Effect
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		waits, err := a.needsSign(tx, signLeaveOut)
		if err != nil {
			return err
		}
		if out, err = a.leaveAndCompare(tx, l, who, waits && !l.Again); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, map[bool]string{false: "left out of the count", true: "counts again"}[l.Again], fmt.Sprintf("product %d", l.Product), strings.Join(l.Devices, ", ")); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
	return out, err
}

func (a *App) leaveAndCompare(tx *store.Tx, l Leaving, who string, waits bool) (Effect, error) {
	out := Effect{Moves: []Move{}, Waits: waits, Installs: int64(len(l.Devices)), LastYear: int64(len(l.Devices))}
	if strings.TrimSpace(l.Reason) == "" && !l.Again {
		return out, errors.New("say why these installs are left out: an auditor will ask")
	}
	c, err := a.catalogueOf(tx)
	if err != nil {
		return out, err
	}
	if c.Product(l.Product) == nil {
		return out, store.ErrNotFound
	}
	was, _, err := a.positionsAndLeft(tx, c.Kin(l.Product))
	if err != nil {
		return out, err
	}
	now := a.Clock.Now().Unix()
	if out.Batch, err = tx.NewBatch(now, who, fmt.Sprintf("left %d installs out", len(l.Devices))); err != nil {
		return out, err
	}
	state := "holds"
	if waits {
		state = "waiting"
	}
	for _, code := range l.Devices {
		d, err := tx.DeviceByCode(code)
		if err != nil {
			return out, fmt.Errorf("device %s: %w", code, err)
		}
		if l.Again {
			err = tx.CountAgain(d.ID, l.Product, now, who)
		} else {
			err = tx.LeaveOut(store.LeftOut{Device: d.ID, Product: l.Product, Reason: strings.TrimSpace(l.Reason), Author: who, At: now, State: state, Batch: out.Batch})
		}
		if err != nil {
			return out, fmt.Errorf("device %s: %w", code, err)
		}
	}
	if waits {
		return out, nil
	}
	is, _, err := a.positionsAndLeft(tx, c.Kin(l.Product))
	if err != nil {
		return out, err
	}
	out.Moves = moves(was, is)
	return out, nil
}
