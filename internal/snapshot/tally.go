package snapshot

import (
	"fmt"
	"hash/fnv"

	"ensomet/internal/core/evidence"
)

// Outcome is what became of an install in the count.
type Outcome uint8

const (
	NotCounted Outcome = iota // nobody knows what it is, it is a piece, or its device is not in service
	Counted
	Folded   // under a suite
	LeftOut  // by hand or by a rule
	Included // its right comes with the place
)

// Tally is what a device adds to the sums, and what the demand of what is on it rests on besides.
type Tally struct {
	Installs []TalliedInstall // by record
	Inferred []TalliedSuite   // suites of which parts alone are there
}

// TalliedInstall is a record on a device, and what became of it.
type TalliedInstall struct {
	Record int64
	As     Outcome
}

// TalliedSuite is a suite that is on a device by its parts, and what became of it.
type TalliedSuite struct {
	Product int64
	As      Outcome
}

// tally notes what became of a record on the device.
func (o *onDevice) tally(record int64, as Outcome) {
	if o.e.Tallies != nil {
		t := &o.e.Tallies[o.at]
		t.Installs = append(t.Installs, TalliedInstall{record, as})
	}
}

// tallySuite notes what became of a suite that is on the device by its parts.
func (o *onDevice) tallySuite(product int64, as Outcome) {
	if o.e.Tallies != nil {
		t := &o.e.Tallies[o.at]
		t.Inferred = append(t.Inferred, TalliedSuite{product, as})
	}
}

// outcome is what becomes of what is left.
func (l Left) outcome() Outcome {
	if l.Included {
		return Included
	}
	return LeftOut
}

// Meaning is what a record means to the sums: two records that mean the same are counted together.
type Meaning struct {
	Key              string // of its raw name
	Product          int64  // 0 where it is none
	Edition, Version string // as lists of versions have them
	Title            int64  // of the catalogue, 0 for none
	Unknown          bool   // nobody has recognised it
}

// Meaning is what a record means, and whether anything is known of it: of one that came since nothing is.
func (e *Snapshot) Meaning(record int64) (m Meaning, known bool) {
	if record >= int64(len(e.Recs)) {
		return m, false
	}
	r := &e.Recs[record]
	if r.Key < 0 {
		return m, false
	}
	m.Key, m.Unknown = e.Keys[r.Key].Key, r.unknown
	if r.Product != nil {
		m.Product, m.Edition, m.Version = r.Product.Id, r.version.Edition, r.version.Version
		if r.release != nil {
			m.Title = r.release.Title
		}
	}
	return m, true
}

// Bears is a sum of what is known of a device and its main user but for the times of evidence: where it is the same,
// the demand of what is on the device rests on the same, and conditions hold for it as before.
func (e *Snapshot) Bears(at int) uint64 {
	d := e.Devices[at]
	age := e.age(&d)
	d.LastScan, d.HardwareSeen, d.UseSeen, d.ListedAt = 0, 0, 0, 0
	h := fnv.New64a()
	fmt.Fprintf(h, "%+v|%s", d, age)
	if p := e.mainUser(&d); p >= 0 {
		fmt.Fprintf(h, "|%+v|%+v", e.persons[p], e.userPlace(&e.persons[p]))
	}
	return h.Sum64()
}

// Hosting is a sum of what the demand on other machines rests on of a device: of what runs on it, of its host, and of
// the hosts of its cluster.
func (e *Snapshot) Hosting(at int) uint64 {
	d := &e.Devices[at]
	x := *e.hardware.Machines[d.ID]
	x.Device = 0
	h := fnv.New64a()
	fmt.Fprintf(h, "%+v|%s", x, d.Status)
	return h.Sum64()
}

// TurnsAt is when the evidence of a device will be of another age, in seconds since 1970; 0 where it stays what it is.
func (e *Snapshot) TurnsAt(at int) (next int64) {
	d := &e.Devices[at]
	for _, k := range evidence.Kinds {
		seen := map[evidence.Kind]int64{evidence.OfSoftware: d.LastScan, evidence.OfHardware: d.HardwareSeen,
			evidence.OfUse: d.UseSeen, evidence.OfDirectory: d.ListedAt}[k]
		turns := seen + int64(e.Settings.Limits.Days(d.Kind, k))*86400 + 1
		if seen != 0 && turns > e.At && (next == 0 || turns < next) {
			next = turns
		}
	}
	return next
}
