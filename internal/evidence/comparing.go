package evidence

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/version"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// Comparison is two devices side by side.
type Comparison struct {
	Left     ComparedDevice
	Right    ComparedDevice
	DaysOff  int    // between their evidence of software
	Warning  string // why the two cannot well be compared; empty where they can
	Facts    []ComparedFact
	Software []ComparedTitle
	Same     int
}

// ComparedDevice is one of the two.
type ComparedDevice struct {
	Code     string
	Name     string
	LastSeen int64
	Age      string
	Installs int64
}

// ComparedFact is a fact of both.
type ComparedFact struct {
	Fact   string
	Left   string
	Right  string
	Differ bool
}

// ComparedTitle is a program with its versions on both; empty is not there. What is left, right, newer left, newer
// right, or same.
type ComparedTitle struct {
	Key       string
	Name      string
	Publisher string
	ProductID int64
	Left      string
	Right     string
	What      string // left, right, newer left, newer right, differ, same
	Counts    bool
}

// apart is how many days may lie between the evidence of two devices before a comparison warns.
const apart = 7

// Compare sets two devices side by side.
func (svc *Service) Compare(ctx context.Context, left, right string) (Comparison, error) {
	out := Comparison{Facts: []ComparedFact{}, Software: []ComparedTitle{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		l, err := lists.DeviceByCode(tx, left)
		if err != nil {
			return err
		}
		r, err := lists.DeviceByCode(tx, right)
		if err != nil {
			return err
		}
		out.Left, out.Right = ComparedDevice{
			l.Code,
			l.Name,
			l.LastSeen,
			l.Age,
			l.Installs,
		}, ComparedDevice{
			r.Code,
			r.Name,
			r.LastSeen,
			r.Age,
			r.Installs,
		}
		out.DaysOff = int(max(l.LastSeen-r.LastSeen, r.LastSeen-l.LastSeen) / 86400)
		switch {
		case l.LastSeen == 0 || r.LastSeen == 0:
			none := l.Name
			if l.LastSeen != 0 {
				none = r.Name
			}
			out.Warning = none + " was never scanned: what stands here as missing on it may well be there"
		case out.DaysOff > apart:
			out.Warning = fmt.Sprintf(
				"the evidence of the two is %d days apart: what differs may have changed in between",
				out.DaysOff,
			)
		}
		n := func(v int64) string {
			if v == 0 {
				return ""
			}
			return fmt.Sprint(v)
		}
		for _, f := range [][3]string{{"kind", l.Kind, r.Kind}, {"environment", l.Environment, r.Environment},
			{"unit", l.Unit, r.Unit}, {"site", l.Site, r.Site}, {"hosting", l.Hosting, r.Hosting},
			{"operating system", l.OS, r.OS},
			{"processors", n(l.Processors), n(r.Processors)}, {"cores", n(l.Cores), n(r.Cores)},
			{"virtual cores", n(l.VirtualCores), n(r.VirtualCores)}, {"host", l.HostID, r.HostID},
			{"cluster", l.Cluster, r.Cluster}, {"main user", l.User, r.User}, {"portable", l.Portable, r.Portable}} {
			if f[1] != "" || f[2] != "" {
				out.Facts = append(out.Facts, ComparedFact{f[0], f[1], f[2], f[1] != f[2]})
			}
		}
		ls, err := evidencedb.DeviceInstalls(tx, l.ID)
		if err != nil {
			return err
		}
		rs, err := evidencedb.DeviceInstalls(tx, r.ID)
		if err != nil {
			return err
		}
		out.Software, out.Same = compareSoftware(ls, rs)
		return nil
	})
	return out, err
}

// compareSoftware sets the programs of two devices side by side: by product where they are recognised, else by their
// cleaned names.
func compareSoftware(left, right []evidencedb.InstallRow) ([]ComparedTitle, int) {
	type pair struct {
		row         evidencedb.InstallRow
		left, right []string
	}
	by := map[string]*pair{}
	add := func(list []evidencedb.InstallRow, side func(*pair) *[]string) {
		for _, i := range list {
			if i.Until != 0 || i.System { // the system stands among the facts
				continue
			}
			key := i.Key
			if i.ProductID != 0 {
				key = fmt.Sprint("product ", i.ProductID)
			}
			p := by[key]
			if p == nil {
				p = &pair{row: i}
				by[key] = p
			}
			v := i.Version
			if v == "" {
				v = "version not known"
			}
			if s := side(p); !slices.Contains(*s, v) {
				*s = append(*s, v)
			}
		}
	}
	add(left, func(p *pair) *[]string { return &p.left })
	add(right, func(p *pair) *[]string { return &p.right })
	out, same := []ComparedTitle{}, 0
	for key, p := range by {
		slices.Sort(p.left)
		slices.Sort(p.right)
		t := ComparedTitle{
			Key:       key,
			Name:      p.row.Name,
			Publisher: p.row.Publisher,
			ProductID: p.row.ProductID,
			Left:      strings.Join(p.left, ", "),
			Right:     strings.Join(p.right, ", "),
			Counts:    p.row.WhyNot == "",
		}
		if p.row.Title != "" {
			t.Name = p.row.Title
		}
		switch {
		case t.Left == t.Right:
			t.What = "same"
			same++
		case t.Left == "":
			t.What = "right"
		case t.Right == "":
			t.What = "left"
		case len(p.left) == 1 && len(p.right) == 1:
			t.What = map[int]string{-1: "newer right", 0: "differ",
				1: "newer left"}[version.Compare(version.Dotted, p.left[0], p.right[0])]
		default:
			t.What = "differ"
		}
		out = append(out, t)
	}
	rank := func(t ComparedTitle) int { return map[bool]int{true: 1, false: 0}[t.What == "same"] }
	slices.SortFunc(out, func(a, b ComparedTitle) int {
		return cmp.Or(
			cmp.Compare(rank(a), rank(b)),
			cmp.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)),
			cmp.Compare(a.Key, b.Key),
		)
	})
	return out, same
}
