package evidence

import (
	"cmp"
	"fmt"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
)

// groupUsers says what rests on each group.
func groupUsers(tx *sqlite.Tx, groups []snapshot.DeviceGroup) (map[string][]string, error) {
	out := map[string][]string{}
	for _, g := range groups {
		for _, other := range g.Condition.Groups() {
			out[other] = append(out[other], "the group "+g.Name)
		}
	}
	policies, err := stored.Policies(tx)
	if err != nil {
		return nil, err
	}
	for _, p := range policies {
		for _, g := range p.Group.Groups() {
			out[g] = append(out[g], fmt.Sprintf("a stance (%s, %s)", p.Stance, p.Reason))
		}
	}
	meterings, err := used.Meterings(tx)
	if err != nil {
		return nil, err
	}
	for _, m := range meterings {
		for _, g := range m.Group.Groups() {
			out[g] = append(out[g], "a choice of what is measured")
		}
	}
	reclaims, err := snapshot.ReclaimRules(tx)
	if err != nil {
		return nil, err
	}
	for _, r := range reclaims {
		for _, g := range r.Group.Groups() {
			out[g] = append(out[g], "a reclaim rule")
		}
	}
	schedules, err := evidencedb.Schedules(tx)
	if err != nil {
		return nil, err
	}
	for _, s := range schedules {
		if s.Group != "" {
			out[s.Group] = append(out[s.Group], "the schedule "+s.Name)
		}
	}
	rules, err := evidencedb.ChangeRules(tx)
	if err != nil {
		return nil, err
	}
	for _, r := range rules {
		if r.Group != "" {
			out[r.Group] = append(out[r.Group], "a rule for changes")
		}
	}
	names, err := snapshot.NameRules(tx)
	if err != nil {
		return nil, err
	}
	for i := range names {
		for _, g := range names[i].Devices.Groups() {
			out[g] = append(out[g], "the rule "+names[i].Name)
		}
	}
	return out, nil
}

// restOn lists what rests on a group, by its name.
func restOn(tx *sqlite.Tx, name string) ([]string, error) {
	groups, err := snapshot.DeviceGroups(tx)
	if err != nil {
		return nil, err
	}
	users, err := groupUsers(tx, groups)
	return users[name], err
}

// keepsItsName refuses a new name for a group that something asks for by its name.
func keepsItsName(tx *sqlite.Tx, draft GroupDraft) error {
	groups, err := snapshot.DeviceGroups(tx)
	if err != nil {
		return err
	}
	for _, g := range groups {
		if g.ID != draft.ID || g.Name == draft.Name {
			continue
		}
		if users, err := restOn(tx, g.Name); err != nil || len(users) > 0 {
			return cmp.Or(err, refuse.Errorf("%s rests on the group %q: it keeps its name", strings.Join(users, "; "),
				g.Name))
		}
	}
	return nil
}
