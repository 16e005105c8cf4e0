package evidence

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/version"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// comparable are the hardware facts on which sources are compared; where a device lies and who uses it is for
// directories alone to say.
var comparableFacts = []string{
	"name",
	"kind",
	"os_name",
	"os_version",
	"ip_address",
	"processors",
	"cores",
	"virtual_cores",
	"processor",
	"memory_mb",
	"model",
	"serial",
	"virtual",
}

// FactView is a hardware fact with what each source says of it.
type FactView struct {
	Fact   string
	Holds  string // what counts: the newest report
	Differ bool
	Said   []FactSaid
}

// FactSaid is what one source says.
type FactSaid struct {
	Source string
	Value  string
	At     int64
}

// factViews compares what sources say of one device.
func factViews(said []evidencedb.SaidFacts) []FactView {
	out := []FactView{}
	for _, name := range comparableFacts {
		v := FactView{Fact: name, Said: []FactSaid{}}
		var newest int64 = -1
		most := math.MaxInt // the least number is trusted most
		for _, s := range said {
			value := s.Facts[name]
			if value == "" {
				continue
			}
			source := s.Source
			if source == "" {
				source = "list of devices"
			}
			for _, other := range v.Said {
				if !strings.EqualFold(other.Value, value) {
					v.Differ = true
				}
			}
			v.Said = append(v.Said, FactSaid{source, value, s.At})
			trust := s.Trust
			if trust == 0 {
				trust = math.MaxInt
			}
			if s.Source != "" && (trust < most || trust == most && s.At >= newest) || newest < 0 {
				v.Holds = value
				if s.Source != "" {
					newest, most = s.At, trust
				}
			}
		}
		if len(v.Said) > 0 {
			out = append(out, v)
		}
	}
	return out
}

// disagreements counts for every device the facts and the programs on which its sources disagree.
func disagreements(tx *sqlite.Tx, devices []int64) (map[int64]int64, error) {
	out, err := evidencedb.Disagreements(tx, devices)
	if err != nil {
		return nil, err
	}
	said, err := evidencedb.SaidOf(tx, devices)
	if err != nil {
		return nil, err
	}
	for from := 0; from < len(said); {
		to := from + 1
		for to < len(said) && said[to].Device == said[from].Device {
			to++
		}
		for _, f := range factViews(said[from:to]) {
			if f.Differ {
				out[said[from].Device]++
			}
		}
		from = to
	}
	return out, nil
}

// SourceDiffer is a program that the sources of a device see differently. Versions is what each source sees, by its
// name; a source that sees none is left out.
type SourceDiffer struct {
	Name     string
	Versions map[string]string
}

// softwareViews lists the programs on which the sources of a device disagree.
func softwareViews(seen []evidencedb.SourceView, sources map[string]int64) []SourceDiffer {
	out := []SourceDiffer{}
	if len(sources) < 2 {
		return out
	}
	for from := 0; from < len(seen); {
		to := from + 1
		for to < len(seen) && seen[to].Key == seen[from].Key {
			to++
		}
		by := map[string][]string{}
		for _, s := range seen[from:to] {
			if _, complete := sources[s.Source]; complete {
				by[s.Source] = append(by[s.Source], s.Version)
			}
		}
		text := map[string]string{}
		for source, versions := range by {
			slices.Sort(versions)
			text[source] = strings.Join(slices.Compact(versions), ", ")
			if text[source] == "" {
				text[source] = "version not known"
			}
		}
		same := len(text) == len(sources)
		for _, v := range text {
			same = same && v == text[seen[from].Source]
		}
		if !same && len(text) > 0 {
			out = append(out, SourceDiffer{seen[from].Name, text})
		}
		from = to
	}
	return out
}

// FileSearch is what a search for files found.
type FileSearch struct {
	Files   []evidencedb.FileRow
	Total   int
	Devices int // that have any of them
	Stale   int
	Unknown int // devices in service of which no file is known
}

// shownFiles is how many file names a search lists.
const shownFiles = 500

// FindFiles searches file evidence by name, with * and ?.
func (svc *Service) FindFiles(ctx context.Context, pattern string) (FileSearch, error) {
	out := FileSearch{Files: []evidencedb.FileRow{}}
	pattern = strings.TrimSpace(pattern)
	if strings.Trim(pattern, "*? ") == "" {
		return out, &sqlite.ErrQuery{
			Reason: "name at least one letter of the file; * stands for any run of letters, ? for one",
		}
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if out.Files, out.Total, err = evidencedb.FindFiles(tx, pattern, shownFiles); err != nil {
			return err
		}
		page, err := lists.DeviceList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"hasFile": pattern}, Limit: 1})
		if err != nil {
			return err
		}
		out.Devices, out.Stale = page.Total, page.Stale
		out.Unknown, err = evidencedb.DevicesWithoutFiles(tx)
		return err
	})
	return out, err
}

// Drill is one level of the way from publishers down to the file.
type Drill struct {
	Publisher string
	Product   string
	ProductID int64
	Levels    []evidencedb.Level
	Holders   []evidencedb.HolderRow
}

// shownHolders is how many devices a version lists.
const shownHolders = 2000

// Drill returns the publishers; with a publisher its products; with a product its versions; with a version (which may
// be empty) the devices that have it.
func (svc *Service) Drill(ctx context.Context, publisher string, product int64, ver string, down bool) (Drill, error) {
	out := Drill{
		Publisher: publisher,
		ProductID: product,
		Levels:    []evidencedb.Level{},
		Holders:   []evidencedb.HolderRow{},
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		switch {
		case product != 0:
			page, err := lists.ProductList().Page(
				tx,
				sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(product)}, Limit: 1})
			if err != nil {
				return err
			}
			if len(page.Rows) == 0 {
				return sqlite.ErrNotFound
			}
			out.Publisher, out.Product = page.Rows[0].Publisher, page.Rows[0].Product
			if down {
				out.Holders, err = evidencedb.HoldersOf(tx, product, ver, shownHolders)
				return err
			}
			if out.Levels, err = evidencedb.VersionsOf(tx, product); err != nil {
				return err
			}
			slices.SortStableFunc(
				out.Levels,
				func(a, b evidencedb.Level) int { return version.Compare(version.Dotted, b.Key, a.Key) },
			)
			return nil
		case publisher != "":
			out.Levels, err = evidencedb.ProductsOf(tx, publisher)
			return err
		}
		out.Levels, err = evidencedb.Publishers(tx)
		return err
	})
	return out, err
}

// DeviceEvidence is the age of each kind of evidence on a device, and what its sources say.
type DeviceEvidence struct {
	Ages    []KindAge
	Facts   []FactView
	Differ  []SourceDiffer
	Sources map[string]int64
	Missing []evidencedb.MissingRow
	Groups  []string
	Order   string // a scan that waits or runs
	Same    []string
}

// KindAge is the age of one kind of evidence.
type KindAge struct {
	Kind  string
	At    int64
	Age   string
	Limit int // days
}

// DeviceEvidence returns how far what is known of a device can be trusted.
func (svc *Service) DeviceEvidence(ctx context.Context, code string) (DeviceEvidence, error) {
	out := DeviceEvidence{Ages: []KindAge{}, Groups: []string{}, Same: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		id, err := snapshot.FindDevice(tx, code)
		if err != nil {
			return err
		}
		if id == 0 {
			return sqlite.ErrNotFound
		}
		f, err := snapshot.OneDevice(tx, id, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		for _, k := range evidence.Kinds {
			at := map[evidence.Kind]int64{evidence.OfSoftware: f.LastScan, evidence.OfHardware: f.HardwareSeen,
				evidence.OfUse: f.UseSeen, evidence.OfDirectory: f.ListedAt}[k]
			out.Ages = append(
				out.Ages,
				KindAge{string(k), at, string(s.Age(f, k, svc.Clock.Now().Unix())), s.Limits.Days(f.Kind, k)},
			)
		}
		said, err := evidencedb.SaidOf(tx, []int64{id})
		if err != nil {
			return err
		}
		out.Facts = factViews(said)
		if out.Sources, err = evidencedb.SourcesOn(tx, id); err != nil {
			return err
		}
		seen, err := evidencedb.SeenBySource(tx, id)
		if err != nil {
			return err
		}
		out.Differ = softwareViews(seen, out.Sources)
		if out.Missing, err = evidencedb.Missing(tx, id); err != nil {
			return err
		}
		if out.Groups, err = evidencedb.GroupsOf(tx, id); err != nil {
			return err
		}
		open, err := evidencedb.OpenOrders(tx, []int64{id})
		if err != nil {
			return err
		}
		for _, o := range open {
			out.Order = string(o.State)
		}
		same, err := evidencedb.DevicesNamed(tx, f.Name)
		if err != nil {
			return err
		}
		for _, other := range same {
			if other == id {
				continue
			}
			c, err := evidencedb.DeviceCode(tx, other)
			if err != nil {
				return err
			}
			out.Same = append(out.Same, c)
		}
		return nil
	})
	return out, err
}
