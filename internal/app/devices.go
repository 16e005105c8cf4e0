package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// DeviceView is a device with everything known of it.
type DeviceView struct {
	store.DeviceFull
	FreshFor int                `json:"freshFor"`
	Software []store.InstallRow `json:"software"`
	Remarks  []store.Remark     `json:"remarks" doc:"notes on single installs"`
	Scans    []store.ScanRow    `json:"scans"`
	Findings []store.CaseRow    `json:"findings"`
}

// Device returns a device by its device_id.
func (a *App) Device(ctx context.Context, code string) (DeviceView, error) {
	var out DeviceView
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		out.FreshFor = s.FreshDays
		if out.DeviceFull, err = tx.DeviceByCode(code); err != nil {
			return err
		}
		if out.Software, err = tx.DeviceInstalls(out.ID); err != nil {
			return err
		}
		if err := a.markNotCounted(tx, out.ID, out.Software); err != nil {
			return err
		}
		out.Software = oneOfSeveral(out.Software)
		remarks, err := tx.Remarks(0, out.ID)
		if err != nil {
			return err
		}
		out.Remarks = append([]store.Remark{}, remarks...)
		if out.Scans, err = tx.DeviceScans(out.ID, 30); err != nil {
			return err
		}
		page, err := tx.CasePage(store.ListQuery{Filters: map[string]string{"deviceId": fmt.Sprint(out.ID)}})
		out.Findings = page.Rows
		return err
	})
	return out, err
}

// oneOfSeveral makes one line of an install that several sources see now.
func oneOfSeveral(list []store.InstallRow) []store.InstallRow {
	at := map[int64]int{}
	out := list[:0:0]
	for _, i := range list {
		first, known := at[i.Record]
		if i.Until != 0 || !known {
			if i.Until == 0 {
				at[i.Record] = len(out)
			}
			out = append(out, i)
			continue
		}
		o := &out[first]
		if !slices.Contains(strings.Split(o.Source, " and "), i.Source) {
			o.Source += " and " + i.Source
		}
		o.Since, o.InstallDate, o.LastUsed = min(o.Since, i.Since), max(o.InstallDate, i.InstallDate), max(o.LastUsed, i.LastUsed)
		if o.Path == "" {
			o.Path = i.Path
		}
	}
	return out
}

// markNotCounted says of software on a device that it folds under a suite there, or is left out of the count.
func (a *App) markNotCounted(tx *store.Tx, device int64, software []store.InstallRow) error {
	c, err := a.catalogueOf(tx)
	if err != nil {
		return err
	}
	var records []int64
	for _, i := range software {
		if i.Until == 0 && i.ProductID != 0 {
			records = append(records, i.Record)
		}
	}
	list, err := tx.RecognitionsOf(records)
	if err != nil {
		return err
	}
	var here []recognise.Present
	at := map[int64]int{}
	for _, n := range list {
		if n.Whole {
			at[n.Record] = len(here)
			here = append(here, recognise.Present{Product: n.Product, Edition: n.Edition, Version: n.Version})
		}
	}
	why, err := a.leavingOn(tx, device)
	if err != nil {
		return err
	}
	folds := c.Fold(here)
	for i := range software {
		s := &software[i]
		k, whole := at[s.Record]
		if !whole || s.WhyNot != "" || s.Until != 0 {
			continue
		}
		if len(c.Suites(s.ProductID)) > 0 {
			s.Suites = strings.Join(c.WhyFold(here[k], here), "; ")
		}
		if folds.Under != nil && folds.Under[k] != nil {
			s.WhyNot = "part of " + c.Product(folds.Under[k].Product).Name + " on this device"
			continue
		}
		reason, err := why(s.Record, s.ProductID)
		if err != nil {
			return err
		}
		if reason != "" {
			s.WhyNot = "left out: " + reason
		}
	}
	return nil
}

// leavingOn returns a function that says why a record recognised as a product is left out of the count on one device.
func (a *App) leavingOn(tx *store.Tx, device int64) (func(record, product int64) (string, error), error) {
	e := estate{asOf: a.Today(), machines: &machines{at: a.Clock.Now().Unix()}}
	var err error
	if err = e.leaving.load(tx, e.asOf); err != nil {
		return nil, err
	}
	if e.settings, err = loadSettings(tx); err != nil {
		return nil, err
	}
	d, err := tx.OneDevice(device, e.at)
	if err != nil {
		return nil, err
	}
	e.devices = []store.DeviceFacts{*d}
	var asked []condition.Condition
	e.leaving.on = make([][]int8, len(e.leaving.rules))
	for i := range e.leaving.rules {
		asked = append(asked, e.leaving.rules[i].Devices)
		e.leaving.on[i] = make([]int8, 1)
	}
	if len(e.leaving.rules) > 0 {
		if e.conditions, err = loadConditions(tx, &e.settings, e.at, asked); err != nil {
			return nil, err
		}
	}
	return func(record, product int64) (string, error) {
		var rules []int32
		if len(e.leaving.rules) > 0 {
			r, err := tx.Record(record)
			if err != nil {
				return "", err
			}
			rules = e.leaving.fitting(&r.Record, product)
		}
		return e.whyLeftOut(0, product, rules), nil
	}, nil
}
