package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/store"
)

// DeviceView is a device with everything known of it.
type DeviceView struct {
	store.DeviceFull
	FreshFor int                `json:"freshFor"`
	Software []store.InstallRow `json:"software"`
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
		if err := markFolded(tx, out.Software); err != nil {
			return err
		}
		out.Software = oneOfSeveral(out.Software)
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

// markFolded says of the parts of a suite on one device that they fold under it.
func markFolded(tx *store.Tx, software []store.InstallRow) error {
	_, c, _, err := recogniser(tx)
	if err != nil {
		return err
	}
	here := map[int64]bool{}
	for _, i := range software {
		if i.Until == 0 && i.ProductID != 0 && !strings.HasSuffix(i.WhyNot, "not the program itself") {
			here[i.ProductID] = true
		}
	}
	folded := c.Fold(here)
	for i := range software {
		if suite, ok := folded[software[i].ProductID]; ok && software[i].WhyNot == "" && software[i].Until == 0 {
			software[i].WhyNot = "part of " + c.Product(suite).Name + " on this device"
		}
	}
	return nil
}
