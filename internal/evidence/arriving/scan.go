package arriving

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/renewal"
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

// tooOld says why something that was seen before the past that is kept is not taken in.
func tooOld(kept int64) string {
	return fmt.Sprintf("this house keeps what was from %s on: what is older is not taken in", civil.OfUnix(kept))
}

// receiver takes scans in within one transaction.
type receiver struct {
	room     *Room
	tx       *sqlite.Tx
	source   string
	root     int64          // the source's whole list, in the slot of the device
	found    machines.Found // where the scan belongs
	findsBy  string         // id or name
	arrivals *arrivals
	hashes   hasher
	resolve  bool // what is said of the device's hardware may be another
}

func (room *Room) newReceiver(
	tx *sqlite.Tx,
	source, findsBy string,
	res *intake.ImportResult,
) (*receiver, error) {
	all, err := room.newArrivals(tx, res)
	return &receiver{room: room, tx: tx, source: source, findsBy: findsBy, arrivals: all,
		hashes: hasher{file: room.Secret}}, err
}

// take merges one scan into what is known. Scans in any order, or twice, end the same.
func (t *receiver) take(s *formats.Scan) (device int64, outcome string, err error) {
	at := s.At.Unix()
	t.resolve = false
	if now := t.room.Clock.Now(); s.At.After(now.Add(ahead)) {
		return 0, "", &formats.FileError{
			Reason: fmt.Sprintf(
				"the scan says it was taken at %s, which lies more than a day ahead of the clock here (%s): set the "+
					"device's clock right",
				s.At.Format(time.RFC3339),
				now.Format(time.RFC3339),
			),
		}
	}
	if at < t.arrivals.kept {
		return 0, "", &formats.FileError{Reason: fmt.Sprintf("the scan was taken on %s, and %s", civil.OfUnix(at),
			tooOld(t.arrivals.kept))}
	}
	if t.found, err = t.device(&s.Device, at); err != nil {
		return 0, "", err
	}
	device = t.found.Device
	if t.root, err = t.part(""); err != nil {
		return 0, "", err
	}
	if err := evidencedb.LayDevice(t.tx, device); err != nil {
		return 0, "", err
	}
	newest, err := evidencedb.NewestScan(t.tx, device, t.root)
	if err != nil {
		return 0, "", err
	}
	software, err := t.software(device, at, s)
	if err != nil {
		return 0, "", err
	}
	fresh, err := t.arrivals.take(software)
	if err != nil {
		return 0, "", err
	}
	for _, step := range []func(int64, int64, *formats.Scan) error{t.files, t.facts, t.use} {
		if err := step(device, at, s); err != nil {
			return 0, "", err
		}
	}
	if err := t.arrivals.finish(); err != nil {
		return 0, "", err
	}
	if err := evidencedb.PutMissing(t.tx, device, t.root, at, s.Missing); err != nil {
		return 0, "", err
	}
	switch {
	case fresh == 0:
		outcome = "again"
	case newest > at:
		outcome = "late"
	default:
		outcome = "new"
	}
	if t.resolve || newest == 0 || len(s.Logons) > 0 {
		err = evidencedb.ResolveDevice(t.tx, device)
	}
	return device, outcome, err
}

func (t *receiver) part(name string) (int64, error) {
	return machines.SourceIn(t.tx, t.source, name, t.found.Slot)
}

// software makes an arrival of the installs of a scan, part by part.
func (t *receiver) software(device, at int64, s *formats.Scan) (*arrival, error) {
	a := &arrival{device: device, root: t.root, origin: t.found.Record, whole: len(s.Covers) == 0}
	covers := s.Covers
	if a.whole {
		covers = []string{""}
	}
	places := map[string]int{}
	part := func(name string, covered bool) (*arrivedPart, error) {
		i, known := places[name]
		if !known {
			id, err := t.part(name)
			if err != nil {
				return nil, err
			}
			i = len(a.parts)
			places[name] = i
			a.parts = append(a.parts, arrivedPart{
				part:    id,
				scans:   []evidence.Scan{{At: at}},
				dates:   map[evidence.Item]civil.Day{},
				covered: covered,
			})
		}
		return &a.parts[i], nil
	}
	for _, name := range slices.Sorted(slices.Values(covers)) {
		if _, err := part(name, true); err != nil {
			return nil, err
		}
	}
	for i := range s.Installs {
		in := &s.Installs[i]
		p, err := part(in.Part, false)
		if err != nil {
			return nil, err
		}
		it, err := t.item(in)
		if err != nil {
			return nil, err
		}
		p.scans[0].Items = append(p.scans[0].Items, it)
		if err := t.key(p, at, it.Record, in.Key); err != nil {
			return nil, err
		}
		installed, err := civil.Parse(in.InstallDate)
		if err != nil {
			return nil, err
		}
		if installed.Known() {
			p.dates[it] = max(p.dates[it], installed)
		}
		used, err := civil.Parse(in.LastUsed)
		if err != nil {
			return nil, err
		}
		if used.Known() {
			a.uses = append(a.uses, arrivedUse{it.Record, used, civil.OfUnix(at)})
		}
	}
	return a, nil
}

// key notes a licence key that was found with an install: its hash and its last signs. What is no key is passed over.
func (t *receiver) key(p *arrivedPart, at, record int64, key string) error {
	hash, hint, err := t.hashes.of(key)
	if err != nil || hash == "" {
		return err
	}
	id, err := evidencedb.Number(t.tx, t.room.Numbers, "found_key", []string{"hash", "hint"}, hash, hint)
	if err != nil {
		return err
	}
	if p.keys == nil {
		p.keys = map[int64][]evidence.Item{}
	}
	p.keys[at] = append(p.keys[at], evidence.Item{Record: record, Place: id})
	return nil
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
		t.room.Numbers,
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
	place, err := t.place(strings.TrimSpace(in.InstallPath), in.Custom, in.Included())
	return evidence.Item{Record: record, Place: place}, err
}

func (t *receiver) place(path string, custom map[string]string, included bool) (int64, error) {
	text, with := "", int64(0)
	if included {
		with = 1
	}
	if len(custom) > 0 {
		b, err := json.Marshal(custom)
		if err != nil {
			return 0, err
		}
		text = string(b)
	}
	return evidencedb.Number(t.tx, t.room.Numbers, "place", []string{"path", "custom", "included"}, path, text, with)
}

// TakeScan takes in one scan, whole or not at all. findsBy says whether the device is found by its device_id or by
// its name.
func (room *Room) TakeScan(ctx context.Context, source, findsBy string, s *formats.Scan) (Taken, error) {
	var out Taken
	err := room.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = room.Take(tx, source, findsBy, s)
		return err
	})
	return out, err
}

// Take takes in one scan within a transaction.
func (room *Room) Take(tx *sqlite.Tx, source, findsBy string, s *formats.Scan) (Taken, error) {
	var res intake.ImportResult
	t, err := room.newReceiver(tx, source, findsBy, &res)
	if err != nil {
		return Taken{}, err
	}
	device, outcome, err := t.take(s)
	if err != nil {
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
	return out, renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
}

// TakeDocument takes in what a file says of one device. named is true where its sender said whose software it is.
func (room *Room) TakeDocument(tx *sqlite.Tx, s *formats.Scan, named bool, res *intake.ImportResult) error {
	t, err := room.newReceiver(tx, cmp.Or(s.Source, "collector"), "id", res)
	if err != nil {
		return err
	}
	if named || s.Device.ID != "" {
		if err := knownByName(tx, &s.Device); err != nil {
			return err
		}
	}
	_, _, err = t.take(s)
	return err
}
