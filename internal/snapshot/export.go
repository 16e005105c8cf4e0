package snapshot

import (
	"fmt"
	"slices"

	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// deviceRecord is an install.
type deviceRecord struct{ device, record int64 }

// Folds says which installs fold under which suite.
func (e *Snapshot) Folds(tx *sqlite.Tx) (map[deviceRecord]int64, error) {
	out := map[deviceRecord]int64{}
	err := EachDevice(tx, e.At, nil, func(device int64, records []int64) error {
		folded, _ := e.foldedHere(records)
		for id, suite := range folded {
			out[deviceRecord{device, id}] = suite.Product
		}
		return nil
	})
	return out, err
}

// Verdict gives the columns suite, counted and why_not_counted of an install.
func (e *Snapshot) Verdict(r *ExportedInstall, folds map[deviceRecord]int64) []string {
	suite, whyNot := "", r.WhyNot
	at := e.DeviceAt[r.Device]
	if s, ok := folds[deviceRecord{r.Device, r.Record}]; ok && whyNot == "" {
		suite = e.Products[s].Product.Name
		whyNot = "part of " + suite + " on this device"
	}
	if whyNot == "" {
		whyNot = e.Devices[at].Status.NotCounted()
	}
	if whyNot == "" && r.Product != 0 && r.Record < int64(len(e.Recs)) {
		whyNot = e.WhyExcluded(at, r.Product, e.Recs[r.Record].leave).Words()
	}
	if whyNot == "" && r.Included() {
		whyNot = IncludedWords
	}
	return []string{suite, fmt.Sprint(whyNot == ""), whyNot}
}

// ExportedInstall is a line of installs.csv up to recognised_by, with what decides the rest.
type ExportedInstall struct {
	Values          []string
	Device, Product int64
	WhyNot          string
	Record          int64
}

// Included reports whether its right comes with the place it runs in.
func (r *ExportedInstall) Included() bool {
	return r.Values[slices.Index(formats.Installs.Columns, "licence")] != ""
}
