package evidence

import (
	"cmp"
	"fmt"
	"slices"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// CheckEvidence compares the stored changes between scans and the members of groups with what a full recomputation
// gives.
func (svc *Service) CheckEvidence(tx *sqlite.Tx) ([]string, error) {
	var wrong []string
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return nil, err
	}
	now := svc.Clock.Now().Unix()
	devices, err := snapshot.AllDevices(tx, now)
	if err != nil {
		return nil, err
	}
	rules, err := loadRules(tx)
	if err != nil {
		return nil, err
	}
	for _, d := range devices {
		list, err := changesOf(tx, d.ID, 0)
		if err != nil {
			return nil, err
		}
		stored, err := evidencedb.Changes(tx, d.ID)
		if err != nil {
			return nil, err
		}
		var again, kept []string
		for i := range list {
			if list[i].Quiet, err = rules.quiet(&list[i]); err != nil {
				return nil, err
			}
			again = append(again, fmt.Sprint(list[i]))
		}
		for _, c := range stored {
			kept = append(kept, fmt.Sprint(c))
		}
		slices.Sort(again)
		slices.Sort(kept)
		if !slices.Equal(again, kept) {
			wrong = append(wrong, fmt.Sprintf("the stored changes of %s are not what its scans say", d.Code))
		}
	}
	conditions, err := snapshot.LoadConditions(tx, &settings, now, nil)
	if err != nil {
		return nil, err
	}
	members, err := evidencedb.AllMembers(tx)
	if err != nil {
		return nil, err
	}
	compare := func(a, b snapshot.Member) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Group, b.Group))
	}
	again := conditions.Members(devices)
	slices.SortFunc(again, compare)
	slices.SortFunc(members, compare)
	if !slices.Equal(again, members) {
		wrong = append(wrong, "the stored members of groups are not those that their conditions hold for")
	}
	return wrong, nil
}
