package app

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// Check returns what is wrong with the file: SQLite's own complaints, and every stored figure that a full recomputation does not give.
func (a *App) Check(ctx context.Context) ([]string, error) {
	wrong, err := a.DB.Integrity(ctx)
	if err != nil {
		return nil, err
	}
	dirty, err := a.Dirty(ctx)
	if err != nil {
		return nil, err
	}
	if dirty {
		if err := a.Refresh(ctx); err != nil {
			return nil, err
		}
	}
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		k, err := a.know(tx)
		if err != nil {
			return err
		}
		w := k.recogniser().Worker()
		stored, err := tx.Recognitions()
		if err != nil {
			return err
		}
		records, err := tx.AllRecords(false)
		if err != nil {
			return err
		}
		byRecord := make(map[int64]store.Recognition, len(stored))
		for _, n := range stored {
			byRecord[n.Record] = n
		}
		for i := range records {
			if got := recognition(w, &records[i]); byRecord[records[i].ID] != got {
				wrong = append(wrong, fmt.Sprintf("record %d is stored as another title than it is recognised as", records[i].ID))
			}
		}
		ways, err := tx.Ways(0)
		if err != nil {
			return err
		}
		figures, err := tx.Figures()
		if err != nil {
			return err
		}
		again, err := a.computeFigures(tx, a.Today(), ways)
		if err != nil {
			return err
		}
		wrong = append(wrong, differences(figures, again)...)
		releases, err := checkReleases(tx, a.Clock.Now().Unix())
		if err != nil {
			return err
		}
		wrong = append(wrong, releases...)
		more, err := a.checkEvidence(tx)
		wrong = append(wrong, more...)
		if err != nil {
			return err
		}
		more, err = a.checkUse(tx)
		wrong = append(wrong, more...)
		return err
	})
	return wrong, err
}

// checkReleases compares the devices stored of each title with those that have it by the evidence.
func checkReleases(tx *store.Tx, now int64) ([]string, error) {
	facts, err := tx.ReleaseFacts()
	if err != nil {
		return nil, err
	}
	devices, err := tx.DevicesOfTitles(slices.Sorted(maps.Keys(facts)), now)
	if err != nil {
		return nil, err
	}
	var wrong []string
	for _, id := range slices.Sorted(maps.Keys(facts)) {
		if f := facts[id]; f.Devices != devices[id] {
			wrong = append(wrong, fmt.Sprintf("title %d is stored as being on %d devices, and the evidence has it on %d", id, f.Devices, devices[id]))
		}
	}
	return wrong, nil
}

// checkEvidence compares the stored changes between scans and the members of groups with what a full recomputation gives.
func (a *App) checkEvidence(tx *store.Tx) ([]string, error) {
	var wrong []string
	settings, err := loadSettings(tx)
	if err != nil {
		return nil, err
	}
	now := a.Clock.Now().Unix()
	devices, err := tx.AllDevices(now)
	if err != nil {
		return nil, err
	}
	rules, err := loadRules(tx)
	if err != nil {
		return nil, err
	}
	stored, err := tx.Changes(0)
	if err != nil {
		return nil, err
	}
	by := map[int64][]string{}
	for _, c := range stored {
		by[c.Device] = append(by[c.Device], fmt.Sprint(c))
	}
	for _, d := range devices {
		list, err := changesOf(tx, d.ID)
		if err != nil {
			return nil, err
		}
		var again []string
		for i := range list {
			list[i].Quiet = rules.quiet(&list[i])
			again = append(again, fmt.Sprint(list[i]))
		}
		slices.Sort(again)
		slices.Sort(by[d.ID])
		if !slices.Equal(again, by[d.ID]) {
			wrong = append(wrong, fmt.Sprintf("the stored changes of %s are not what its scans say", d.Code))
		}
	}
	conditions, err := loadConditions(tx, &settings, now, nil)
	if err != nil {
		return nil, err
	}
	members, err := tx.AllMembers()
	if err != nil {
		return nil, err
	}
	compare := func(a, b store.Member) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Group, b.Group))
	}
	again := conditions.members(devices)
	slices.SortFunc(again, compare)
	slices.SortFunc(members, compare)
	if !slices.Equal(again, members) {
		wrong = append(wrong, "the stored members of groups are not those that their conditions hold for")
	}
	return wrong, nil
}

func differences(stored, again []store.Figure) []string {
	type id struct {
		product int64
		metric  string
	}
	var out []string
	known := map[id]store.Figure{}
	for _, f := range stored {
		known[id{f.Product, f.Metric}] = f
	}
	for _, f := range again {
		k := id{f.Product, f.Metric}
		s, ok := known[k]
		delete(known, k)
		if !ok || fmt.Sprint(plain(s)) != fmt.Sprint(plain(f)) {
			out = append(out, fmt.Sprintf("the stored position of product %d by %s is not what a full recomputation gives", f.Product, f.Metric))
		}
	}
	for k := range known {
		out = append(out, fmt.Sprintf("the stored position of product %d by %s does not exist in a full recomputation", k.product, k.metric))
	}
	return out
}

// plain brings amounts to one form for comparing.
func plain(f store.Figure) store.Figure {
	for _, s := range []*string{&f.Exposure, &f.SpareValue} {
		if d, err := decimal.NewFromString(*s); err == nil {
			*s = d.String()
		}
	}
	return f
}
