package evidence

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Taken says what a scan did. Outcome is new; late, where a newer one is known; or again, where this very scan is
// known.
type Taken struct {
	Device  string // device_id
	Outcome string // new, late, again
	Added   int
	Changed int
	Gone    int
}

// ErrAmbiguous says that a scan's device cannot be told from another.
var ErrAmbiguous = refuse.New("several devices have this name")

// ahead is how far a scan's clock may be ahead of ours.
const ahead = 24 * time.Hour

// The parts under which files and hardware facts of a source are kept.
const (
	hardwarePart = "#hardware"
	filesPart    = "#files"
)

// receiver takes scans in within one transaction.
type receiver struct {
	app      *Service
	tx       *sqlite.Tx
	source   string
	root     int64
	findsBy  string // id or name
	installs *sqlite.Bulk
	uses     *sqlite.Bulk
	res      *intake.ImportResult
	compare  bool                  // keep what the device was before
	was      *snapshot.DeviceFacts // the device before the scan
}

func (svc *Service) newReceiver(tx *sqlite.Tx, source, findsBy string, res *intake.ImportResult) (*receiver, error) {
	root, err := evidencedb.Source(tx, source, "")
	if err != nil {
		return nil, err
	}
	installs, err := evidencedb.NewInstalls(tx)
	if err != nil {
		return nil, err
	}
	uses, err := evidencedb.NewLastUses(tx)
	return &receiver{
		app:      svc,
		tx:       tx,
		source:   source,
		root:     root,
		findsBy:  findsBy,
		installs: installs,
		uses:     uses,
		res:      res,
	}, err
}

// device finds the device that a scan speaks of, and adds one that nobody has listed.
func (t *receiver) device(d *formats.ScanDevice) (int64, error) {
	if t.findsBy != "name" && d.ID != "" || d.Name == "" {
		id, err := snapshot.FindDevice(t.tx, d.ID)
		if err != nil || id != 0 {
			return id, err
		}
		return t.add(d.ID, d)
	}
	ids, err := evidencedb.DevicesNamed(t.tx, d.Name)
	if err != nil {
		return 0, err
	}
	switch len(ids) {
	case 0:
		if id, err := snapshot.FindDevice(t.tx, d.Name); err != nil || id != 0 {
			return id, err
		}
		code := d.ID
		if code == "" {
			code = d.Name
		}
		if id, err := snapshot.FindDevice(t.tx, code); err != nil || id != 0 {
			return id, err
		}
		return t.add(code, d)
	case 1:
		return ids[0], nil
	}
	return 0, fmt.Errorf("%w: %q; send the scan with the device_id of the one that is meant", ErrAmbiguous, d.Name)
}

func (t *receiver) add(code string, d *formats.ScanDevice) (int64, error) {
	name, kind := d.Name, d.Kind
	if name == "" {
		name = code
	}
	if kind == "" {
		kind = "client"
	}
	return evidencedb.AddSeenDevice(t.tx, code, name, kind)
}

// take merges one scan into what is known. Scans in any order, or twice, end the same.
func (t *receiver) take(s *formats.Scan) (device int64, outcome string, err error) {
	at := s.At.Unix()
	if now := t.app.Clock.Now(); s.At.After(now.Add(ahead)) {
		return 0, "", &formats.FileError{
			Reason: fmt.Sprintf(
				"the scan says it was taken at %s, which lies more than a day ahead of the clock here (%s): set the "+
					"device's clock right",
				s.At.Format(time.RFC3339),
				now.Format(time.RFC3339),
			),
		}
	}
	if device, err = t.device(&s.Device); err != nil {
		return 0, "", err
	}
	if err := evidencedb.LayDevice(t.tx, device); err != nil {
		return 0, "", err
	}
	if t.compare {
		if t.was, err = snapshot.OneDevice(t.tx, device, t.app.Clock.Now().Unix()); err != nil {
			return 0, "", err
		}
	}
	before := t.res.Added + t.res.Changed + t.res.Gone
	newest, err := evidencedb.NewestScan(t.tx, device, t.root)
	if err != nil {
		return 0, "", err
	}
	for _, step := range []func(int64, int64, *formats.Scan) error{t.software, t.files, t.facts, t.use} {
		if err := step(device, at, s); err != nil {
			return 0, "", err
		}
	}
	// only now, since merging goes by the times that were known before
	if outcome, err = t.cover(device, at, s.Covers); err != nil {
		return 0, "", err
	}
	if outcome == "new" && newest > at {
		outcome = "late"
	}
	if err := errors.Join(t.installs.Flush(), t.uses.Flush()); err != nil {
		return 0, "", err
	}
	if err := evidencedb.PutMissing(t.tx, device, t.root, at, s.Missing); err != nil {
		return 0, "", err
	}
	if err := evidencedb.ResolveDevice(t.tx, device); err != nil {
		return 0, "", err
	}
	if outcome == "again" && t.res.Added+t.res.Changed+t.res.Gone == before {
		return device, outcome, nil
	}
	t.res.Scans++
	return device, outcome, renewal.MarkDevice(t.tx, device)
}

// cover notes what a scan covers, and says whether the scan is new or known.
func (t *receiver) cover(device, at int64, parts []string) (string, error) {
	if len(parts) == 0 {
		parts = []string{""}
	}
	outcome := "again"
	for _, p := range parts {
		id, err := t.part(p)
		if err != nil {
			return "", err
		}
		known, err := evidencedb.PutScan(t.tx, device, id, at)
		if err != nil {
			return "", err
		}
		if !known {
			outcome = "new"
		}
	}
	return outcome, nil
}

func (t *receiver) part(name string) (int64, error) {
	if name == "" {
		return t.root, nil
	}
	return evidencedb.Source(t.tx, t.source, name)
}

// software merges the installs of a scan, part by part.
func (t *receiver) software(device, at int64, s *formats.Scan) error {
	items, dates := map[string][]evidence.Item{}, map[string]map[evidence.Item]civil.Day{}
	for _, p := range s.Covers {
		items[p] = nil
	}
	if len(s.Covers) == 0 {
		items[""] = nil
	}
	for i := range s.Installs {
		in := &s.Installs[i]
		it, err := t.item(in)
		if err != nil {
			return err
		}
		items[in.Part] = append(items[in.Part], it)
		installed, err := civil.Parse(in.InstallDate)
		if err != nil {
			return err
		}
		if installed.Known() {
			if dates[in.Part] == nil {
				dates[in.Part] = map[evidence.Item]civil.Day{}
			}
			dates[in.Part][it] = max(dates[in.Part][it], installed)
		}
		used, err := civil.Parse(in.LastUsed)
		if err != nil {
			return err
		}
		if used.Known() {
			if err := t.uses.Add(device, it.Record, int64(used), int64(civil.OfUnix(at))); err != nil {
				return err
			}
		}
	}
	m := merging{t.tx, device, t.root, t.installs, t.res}
	done := map[int64]bool{}
	for _, p := range slices.Sorted(maps.Keys(items)) {
		id, err := t.part(p)
		if err != nil {
			return err
		}
		if dates[p] == nil {
			dates[p] = map[evidence.Item]civil.Day{}
		}
		if err := m.part(id, []evidence.Scan{{At: at, Items: items[p]}}, dates[p]); err != nil {
			return err
		}
		done[id] = true
	}
	if len(s.Covers) > 0 {
		return nil
	}
	return m.otherParts([]evidence.Scan{{At: at}}, done)
}

var recordColumns = []string{
	"publisher",
	"name",
	"version",
	"edition",
	"architecture",
	"language",
	"file_name",
	"tag_id",
	"purl",
	"cpe",
}

func (t *receiver) item(in *formats.ScanInstall) (evidence.Item, error) {
	r := in.Record()
	record, err := evidencedb.Number(
		t.tx,
		t.app.Numbers,
		"record",
		recordColumns,
		r.Publisher,
		r.Name,
		r.Version,
		r.Edition,
		r.Architecture,
		r.Language,
		r.FileName,
		r.TagID,
		r.PURL,
		r.CPE,
	)
	if err != nil {
		return evidence.Item{}, err
	}
	place, err := t.place(strings.TrimSpace(in.InstallPath), in.Custom)
	return evidence.Item{Record: record, Place: place}, err
}

func (t *receiver) place(path string, custom map[string]string) (int64, error) {
	text := ""
	if len(custom) > 0 {
		b, err := json.Marshal(custom)
		if err != nil {
			return 0, err
		}
		text = string(b)
	}
	return evidencedb.Number(t.tx, t.app.Numbers, "place", []string{"path", "custom"}, path, text)
}

// TakeScan takes in one scan, whole or not at all. findsBy says whether the device is found by its device_id or by
// its name.
func (svc *Service) TakeScan(ctx context.Context, source, findsBy string, s *formats.Scan) (Taken, error) {
	var out Taken
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = svc.takeScan(tx, source, findsBy, s)
		return err
	})
	return out, err
}

func (svc *Service) takeScan(tx *sqlite.Tx, source, findsBy string, s *formats.Scan) (Taken, error) {
	var res intake.ImportResult
	t, err := svc.newReceiver(tx, source, findsBy, &res)
	if err != nil {
		return Taken{}, err
	}
	t.compare = true
	device, outcome, err := t.take(s)
	if err != nil {
		return Taken{}, err
	}
	if err := svc.finishOrders(tx, device, s.At.Unix()); err != nil {
		return Taken{}, err
	}
	code, err := evidencedb.DeviceCode(tx, device)
	if err != nil {
		return Taken{}, err
	}
	out := Taken{Device: code, Outcome: outcome, Added: res.Added, Changed: res.Changed, Gone: res.Gone}
	if !res.News() {
		return out, nil
	}
	return out, svc.markScan(tx, t.was, device)
}

// markScan marks what a scan touches: the products on its device, and everything where the device became another kind
// of machine or its evidence another age, since the doubt in every figure rests on that.
func (svc *Service) markScan(tx *sqlite.Tx, was *snapshot.DeviceFacts, device int64) error {
	now := svc.Clock.Now().Unix()
	is, err := snapshot.OneDevice(tx, device, now)
	if err != nil {
		return err
	}
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return err
	}
	if was == nil || settings.Age(was, evidence.OfSoftware, now) != settings.Age(is, evidence.OfSoftware, now) ||
		lasting(*was) != lasting(*is) {
		return renewal.Mark(tx, false)
	}
	if err := renewal.TouchDevice(tx, device); err != nil {
		return err
	}
	return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
}

// lasting is a device without the times of its evidence.
func lasting(d snapshot.DeviceFacts) snapshot.DeviceFacts {
	d.LastScan, d.HardwareSeen, d.UseSeen, d.ListedAt = 0, 0, 0, 0
	return d
}
