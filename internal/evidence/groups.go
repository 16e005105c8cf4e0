package evidence

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// GroupDraft is a group as somebody wants it. Picked devices are put in by hand (true) or taken out (false), whatever
// the condition says.
type GroupDraft struct {
	ID        int64 // 0 for a new one
	Name      string
	Note      string
	ByHand    bool
	Condition condition.Condition
	Picked    []GroupPick
	Revision  int64 // that was seen; a save on an older one is refused
}

// GroupPick is a device that was put in or taken out by hand.
type GroupPick struct {
	Device string // its device_id
	Inside bool
}

// DeviceGroupView is a group with what it holds.
type DeviceGroupView struct {
	GroupDraft
	Words   string
	Members int
	Stale   int // members whose evidence is stale
	Never   int
	Author  string
	At      int64
	UsedBy  []string
	Titles  []Named // the names of the products that the condition mentions
}

// Named is a number with its name.
type Named struct {
	ID   int64
	Name string
}

// GroupPreview says who would be in a group, and why.
type GroupPreview struct {
	Words   string
	Members int
	Joins   int // not in it as it is stored
	Leaves  int
	Stale   int
	Never   int
	In      []GroupMember
	Out     []GroupMember // the first that are not
}

// GroupMember is a device with the reason why it is in or out.
type GroupMember struct {
	Device string
	Name   string
	Unit   string
	Age    string
	Why    string
	Change string // , joins, leaves
}

const shownMembers = 40

func productNames(tx *sqlite.Tx) (condition.Names, error) {
	products, err := snapshot.ProductNames(tx)
	return func(id int64) string {
		if n, ok := products[id]; ok {
			return n
		}
		return fmt.Sprintf("title %d, which is not there", id)
	}, err
}

// PreviewGroup says who would be in a group, without storing anything.
func (svc *Service) PreviewGroup(ctx context.Context, draft GroupDraft) (GroupPreview, error) {
	out := GroupPreview{In: []GroupMember{}, Out: []GroupMember{}}
	if err := draft.Condition.Check(); err != nil {
		return out, err
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, set, before, err := svc.draftFacts(tx, draft)
		if err != nil {
			return err
		}
		names, err := productNames(tx)
		if err != nil {
			return err
		}
		out.Words = set.Condition.Words(names)
		if set.ByHand {
			out.Words = "only who is put in by hand"
		}
		devices, err := snapshot.AllDevices(tx, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		for i := range devices {
			d := &devices[i]
			in, why := set.Why(d.ID, c.Of(d), names)
			age := c.Settings.Age(d, evidence.OfSoftware, c.Now)
			m := GroupMember{
				Device: d.Code,
				Name:   d.Name,
				Unit:   d.OrgUnit,
				Age:    string(age),
				Why:    strings.Join(why, "; "),
			}
			switch {
			case in && !before[d.ID]:
				out.Joins++
				m.Change = "joins"
			case !in && before[d.ID]:
				out.Leaves++
				m.Change = "leaves"
			}
			if in {
				out.Members++
				switch age {
				case evidence.Stale:
					out.Stale++
				case evidence.Never:
					out.Never++
				}
				if len(out.In) < shownMembers {
					out.In = append(out.In, m)
				}
			} else if m.Change == "leaves" && len(out.Out) < shownMembers || len(out.Out) < shownMembers/4 {
				out.Out = append(out.Out, m)
			}
		}
		return nil
	})
	return out, err
}

// draftFacts is what the drafted group is asked of, with the draft among the groups, and who is in it as it is stored.
func (svc *Service) draftFacts(
	tx *sqlite.Tx,
	draft GroupDraft,
) (*snapshot.ConditionFacts, *condition.Set, map[int64]bool, error) {
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return nil, nil, nil, err
	}
	set := &condition.Set{Name: draft.Name, Condition: draft.Condition, ByHand: draft.ByHand, Picked: map[int64]bool{}}
	for _, p := range draft.Picked {
		id, err := snapshot.FindDevice(tx, p.Device)
		if err != nil {
			return nil, nil, nil, err
		}
		if id == 0 {
			return nil, nil, nil, refuse.Errorf("there is no device %q", p.Device)
		}
		set.Picked[id] = p.Inside
	}
	c, err := snapshot.LoadConditions(tx, &settings, svc.Clock.Now().Unix(), []condition.Condition{draft.Condition})
	if err != nil {
		return nil, nil, nil, err
	}
	for name, id := range c.Ids {
		if id == draft.ID {
			delete(c.Sets, name)
		} else if strings.EqualFold(name, draft.Name) {
			return nil, nil, nil, refuse.Errorf("there is a group %q already", name)
		}
	}
	if draft.Name == "" { // not named yet; nobody can ask for it
		set.Name = "\x00"
	}
	c.Sets[set.Name] = set
	var all []condition.Set
	for _, s := range c.Sets {
		all = append(all, *s)
	}
	slices.SortFunc(all, func(a, b condition.Set) int { return strings.Compare(a.Name, b.Name) })
	if err := condition.CheckGroups(all); err != nil {
		return nil, nil, nil, err
	}
	before, err := evidencedb.MembersOf(tx, draft.ID)
	return c, set, before, err
}

// SaveGroup stores a group and works out who is in it. It returns its number.
func (svc *Service) SaveGroup(ctx context.Context, draft GroupDraft, who string) (int64, error) {
	draft.Name = strings.TrimSpace(draft.Name)
	switch {
	case draft.Name == "":
		return 0, refuse.New("give the group a name")
	case strings.ContainsAny(draft.Name, "|/*=>"):
		return 0, refuse.New("a group's name cannot hold any of | / * = >")
	}
	if err := draft.Condition.Check(); err != nil {
		return 0, err
	}
	id := draft.ID
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		automatic, err := snapshot.AutomaticGroups(tx)
		if err != nil {
			return err
		}
		if _, taken := automatic[draft.Name]; taken {
			return refuse.Errorf(
				"%q is a unit, site, kind or environment already: give the group another name",
				draft.Name,
			)
		}
		if err := keepsItsName(tx, draft); err != nil {
			return err
		}
		c, set, _, err := svc.draftFacts(tx, draft)
		if err != nil {
			return err
		}
		if err := keepGroupEdit(tx, draft, who, svc.Clock.Now()); err != nil {
			return err
		}
		if id, err = evidencedb.PutGroup(tx,
			snapshot.DeviceGroup{
				ID:     draft.ID,
				Note:   draft.Note,
				Author: who,
				At:     svc.Clock.Now().Unix(),
				Set:    *set,
			}); err != nil {
			return err
		}
		for name := range c.Ids {
			if c.Ids[name] == id {
				delete(c.Ids, name)
			}
		}
		c.Ids[set.Name] = id
		devices, err := snapshot.AllDevices(tx, c.Now)
		if err != nil {
			return err
		}
		if err := evidencedb.PutMembers(tx, c.Members(devices)); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "set a group", draft.Name,
			set.Condition.Words(func(id int64) string { return fmt.Sprint("title ", id) })); err != nil {
			return err
		}
		return markGroup(tx, set.Name)
	})
	return id, err
}

// keepGroupEdit keeps that a group is changed. Of a new one there is nothing to keep.
func keepGroupEdit(tx *sqlite.Tx, draft GroupDraft, who string, at time.Time) error {
	if draft.ID == 0 {
		return nil
	}
	groups, err := snapshot.DeviceGroups(tx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(groups, func(g snapshot.DeviceGroup) bool { return g.ID == draft.ID })
	if i < 0 {
		return sqlite.ErrNotFound
	}
	codes, err := evidencedb.DeviceCodes(tx)
	if err != nil {
		return err
	}
	_, err = edits.Save(tx, edits.Change{
		Thing: edits.Of(edits.Group, draft.ID),
		Seen:  draft.Revision,
		Who:   who,
		At:    at,
		Was:   draftOf(&groups[i], codes),
		Is:    draft,
	})
	return err
}

// draftOf is a group as somebody would want it who changes nothing.
func draftOf(g *snapshot.DeviceGroup, codes map[int64]string) GroupDraft {
	d := GroupDraft{
		ID:        g.ID,
		Name:      g.Name,
		Note:      g.Note,
		ByHand:    g.ByHand,
		Condition: g.Condition,
		Picked:    []GroupPick{},
	}
	for device, in := range g.Picked {
		d.Picked = append(d.Picked, GroupPick{codes[device], in})
	}
	slices.SortFunc(d.Picked, func(a, b GroupPick) int { return strings.Compare(a.Device, b.Device) })
	return d
}

// DropGroup deletes a group that nothing rests on.
func (svc *Service) DropGroup(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		groups, err := snapshot.DeviceGroups(tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(groups, func(g snapshot.DeviceGroup) bool { return g.ID == id })
		if i < 0 {
			return sqlite.ErrNotFound
		}
		users, err := groupUsers(tx, groups)
		if err != nil {
			return err
		}
		if used := users[groups[i].Name]; len(used) > 0 {
			return refuse.Errorf("%s rests on this group: change that first", strings.Join(used, "; "))
		}
		codes, err := evidencedb.DeviceCodes(tx)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Group, id),
			Seen:  revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   draftOf(&groups[i], codes),
		}); err != nil {
			return err
		}
		if err := evidencedb.DropGroup(tx, id); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "deleted a group", groups[i].Name, "")
	})
}

// DeviceGroups lists the groups that people made.
func (svc *Service) DeviceGroups(ctx context.Context) ([]DeviceGroupView, error) {
	out := []DeviceGroupView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		groups, err := snapshot.DeviceGroups(tx)
		if err != nil {
			return err
		}
		names, err := productNames(tx)
		if err != nil {
			return err
		}
		users, err := groupUsers(tx, groups)
		if err != nil {
			return err
		}
		codes, err := evidencedb.DeviceCodes(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Group)
		if err != nil {
			return err
		}
		for _, g := range groups {
			v := DeviceGroupView{
				GroupDraft: draftOf(&g, codes),
				Words:      g.Condition.Words(names),
				Author:     g.Author,
				At:         g.At,
				UsedBy:     []string{},
				Titles:     []Named{},
			}
			v.Revision = revisions[sqlite.Itoa(g.ID)]
			if g.ByHand {
				v.Words = "by hand"
			}
			v.UsedBy = append(v.UsedBy, users[g.Name]...)
			for _, id := range g.Condition.Titles() {
				v.Titles = append(v.Titles, Named{id, names(id)})
			}
			if v.Members, v.Stale, v.Never, err = evidencedb.GroupAges(tx, g.ID); err != nil {
				return err
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// markGroup notes that a group changed. Where nothing rests on it, who is in it is all that changed, and is known.
func markGroup(tx *sqlite.Tx, name string) error {
	users, err := restOn(tx, name)
	if err != nil {
		return err
	}
	if len(users) > 0 {
		return renewal.Mark(tx, false)
	}
	return renewal.Count(tx, renewal.Changes)
}
