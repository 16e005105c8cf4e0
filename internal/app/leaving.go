package app

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// leaving is what is left out of the count: by hand, and by rules.
type leaving struct {
	byHand map[devicePair]string
	rules  []recognise.Rule
	on     [][]int8 // by rule and place of a device: 0 not asked yet, 1 fits, 2 does not
}

// load reads what is left out as of a day.
func (l *leaving) load(tx *store.Tx, asOf civil.Day) error {
	list, err := tx.LeftOuts()
	if err != nil {
		return err
	}
	l.byHand = map[devicePair]string{}
	for _, v := range list {
		if v.State == "holds" {
			l.byHand[devicePair{v.Device, v.Product}] = v.Reason
		}
	}
	rules, err := tx.NameRules()
	if err != nil {
		return err
	}
	for i := range rules {
		if r := &rules[i]; r.Outcome == recognise.IsLeftOut && r.Holds(asOf) {
			l.rules = append(l.rules, r.Rule)
		}
	}
	return nil
}

// matchLeaving finds for each record the rules that may leave its installs out.
func (e *estate) matchLeaving(tx *store.Tx, only []int64) error {
	e.leaving.on = make([][]int8, len(e.leaving.rules))
	for i := range e.leaving.on {
		e.leaving.on[i] = make([]int8, len(e.devices))
	}
	if len(e.leaving.rules) == 0 {
		return nil
	}
	read := func() ([]store.StoredRecord, error) { return tx.AllRecords(false) }
	if only != nil {
		read = func() ([]store.StoredRecord, error) { return tx.RecordsOf(only) }
	}
	records, err := read()
	if err != nil {
		return err
	}
	for i := range records {
		id := records[i].ID
		if id >= int64(len(e.recs)) || e.recs[id].product == nil {
			continue
		}
		r := &e.recs[id]
		r.leave = e.leaving.fitting(&records[i].Record, r.product.id)
	}
	return nil
}

// fitting lists the rules whose condition on records a record fits.
func (l *leaving) fitting(r *recognise.Record, product int64) []int32 {
	var out []int32
	facts := recognise.FactsOf(r, "", product)
	for i := range l.rules {
		if l.rules[i].Records.Holds(facts) {
			out = append(out, int32(i))
		}
	}
	return out
}

// whyLeftOut says why a product on a device is left out of the count, or is empty. rules are those that its record fits.
func (e *estate) whyLeftOut(at int, product int64, rules []int32) string {
	if why := e.leaving.byHand[devicePair{e.devices[at].ID, product}]; why != "" {
		return why
	}
	for _, i := range rules {
		known := &e.leaving.on[i][at]
		if *known == 0 {
			*known = 2
			if e.leaving.rules[i].Devices.Holds(e.conditions.of(&e.devices[at])) {
				*known = 1
			}
		}
		if *known == 1 {
			return e.leaving.rules[i].Reason
		}
	}
	return ""
}

func (f *productFacts) leaveOut(why string) {
	f.leftOut++
	if f.leftOutBy == nil {
		f.leftOutBy = map[string]int64{}
	}
	f.leftOutBy[why]++
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
		return markTouched(tx, l.Product)
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
