package evidence

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// DeviceView is a device with everything known of it.
type DeviceView struct {
	lists.DeviceFull
	FreshFor int
	Software []evidencedb.InstallRow
	Remarks  []snapshot.Remark // notes on single installs
	Scans    []evidencedb.ScanRow
	Findings []lists.CaseRow
}

// Device returns a device by its device_id.
func (svc *Service) Device(ctx context.Context, code string) (DeviceView, error) {
	var out DeviceView
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		out.FreshFor = s.FreshDays
		if out.DeviceFull, err = lists.DeviceByCode(tx, code); err != nil {
			return err
		}
		if out.Software, err = evidencedb.DeviceInstalls(tx, out.ID); err != nil {
			return err
		}
		if err := svc.markNotCounted(tx, out.ID, out.Software); err != nil {
			return err
		}
		if why := evidence.DeviceStatus(out.Status).NotCounted(); why != "" {
			for i := range out.Software {
				if s := &out.Software[i]; s.WhyNot == "" && s.Until == 0 && s.ProductID != 0 {
					s.WhyNot = why
				}
			}
		}
		out.Software = oneOfSeveral(out.Software)
		remarks, err := snapshot.Remarks(tx, 0, out.ID)
		if err != nil {
			return err
		}
		out.Remarks = append([]snapshot.Remark{}, remarks...)
		if out.Scans, err = evidencedb.DeviceScans(tx, out.ID, 30); err != nil {
			return err
		}
		page, err := lists.CaseList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"deviceId": fmt.Sprint(out.ID)}})
		out.Findings = page.Rows
		return err
	})
	return out, err
}

// oneOfSeveral makes one line of an install that several sources see now.
func oneOfSeveral(list []evidencedb.InstallRow) []evidencedb.InstallRow {
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
		o.Since, o.InstallDate, o.LastUsed = min(o.Since, i.Since), max(o.InstallDate, i.InstallDate), max(
			o.LastUsed,
			i.LastUsed,
		)
		if o.Path == "" {
			o.Path = i.Path
		}
	}
	return out
}

// markNotCounted says of software on a device that it folds under a suite there, or is left out of the count.
func (svc *Service) markNotCounted(tx *sqlite.Tx, device int64, software []evidencedb.InstallRow) error {
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return err
	}
	var records []int64
	for _, i := range software {
		if i.Until == 0 && i.ProductID != 0 {
			records = append(records, i.Record)
		}
	}
	list, err := stored.RecognitionsOf(tx, records)
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
	why, err := svc.leavingOn(tx, device)
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
		if s.Included && !reason.Is() {
			reason = snapshot.Left{Included: true}
		}
		s.WhyNot = reason.Words()
	}
	return nil
}

// leavingOn returns a function that says why a record recognised as a product is left out of the count on one device.
func (svc *Service) leavingOn(
	tx *sqlite.Tx,
	device int64,
) (func(record, product int64) (snapshot.Left, error), error) {
	e := snapshot.Snapshot{AsOf: svc.Snapshots.Today(), Inventory: &snapshot.Inventory{At: svc.Clock.Now().Unix()}}
	var err error
	if err = e.Exclusions.Load(tx, e.AsOf); err != nil {
		return nil, err
	}
	if e.Settings, err = snapshot.LoadSettings(tx); err != nil {
		return nil, err
	}
	d, err := snapshot.OneDevice(tx, device, e.At)
	if err != nil {
		return nil, err
	}
	e.Devices = []snapshot.DeviceFacts{*d}
	var asked []condition.Condition
	e.Exclusions.On = make([][]int8, len(e.Exclusions.Rules))
	for i := range e.Exclusions.Rules {
		asked = append(asked, e.Exclusions.Rules[i].Devices)
		e.Exclusions.On[i] = make([]int8, 1)
	}
	if len(e.Exclusions.Rules) > 0 {
		if e.Conditions, err = snapshot.LoadConditions(tx, &e.Settings, e.At, asked); err != nil {
			return nil, err
		}
	}
	return func(record, product int64) (snapshot.Left, error) {
		var rules []int32
		if len(e.Exclusions.Rules) > 0 {
			r, err := stored.RecordOf(tx, record)
			if err != nil {
				return snapshot.Left{}, err
			}
			rules = e.Exclusions.Fitting(&r.Record, product)
		}
		return e.WhyExcluded(0, product, rules), nil
	}, nil
}
