// Package intake is how the lines of files come in: each station says what takes the lines of its kinds.
package intake

import (
	"fmt"
	"io"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// ImportRequest is one file to take in.
type ImportRequest struct {
	Kind     *formats.Kind
	File     string // its name, for people
	From     string // what it is of, where that is no list of the house's own, such as a directory
	In       io.Reader
	Mapping  *formats.Mapping
	Device   string    // whose software a document is that does not say
	AsOf     time.Time // the time of the evidence where a line does not say; zero is now
	DryRun   bool
	Check    func(tx *sqlite.Tx) error // of what must hold in the transaction that writes; nil is nothing
	Author   string
	Progress func(lines int)
	Told     func(devices, of int) // of a file that is taken in step by step, how far that got
}

// AsideLine is a line that was put aside.
type AsideLine struct {
	File    string
	Line    int
	Content string
	Reason  string
}

// ImportResult says what an import did, or would do. Settled lines were put aside in an earlier import and mended or
// dropped since.
type ImportResult struct {
	Kind    string
	File    string
	Lines   int
	Added   int
	Changed int
	Same    int
	Gone    int
	Scans   int // that were not known before; evidence is newer even where nothing differs
	Settled int
	Aside   []AsideLine
	Columns []string // custom columns that were kept
	Samples []Sample

	// of a file that is taken in step by step, once the first device is
	Import       int64 // its number
	Devices      int
	DevicesTaken int

	seen []seenSample
}

// Sample is one of the first lines that a file would add, change or end, so that a person sees what is meant by the
// numbers.
type Sample struct {
	What string // new, changed, gone, kept
	Text string
}

type seenSample struct {
	what           string
	device, record int64
}

// maxSamples is how many lines of each sort are shown.
const maxSamples = 8

// Sample remembers an install for the samples; its names are looked up at the end.
func (r *ImportResult) Sample(what string, device, record int64) {
	n := 0
	for _, s := range r.seen {
		if s.what == what {
			n++
		}
	}
	if n < maxSamples {
		r.seen = append(r.seen, seenSample{what, device, record})
	}
}

// SampleLine shows a line of a table.
func (r *ImportResult) SampleLine(what, text string) {
	n := 0
	for _, s := range r.Samples {
		if s.What == what {
			n++
		}
	}
	if n < maxSamples {
		r.Samples = append(r.Samples, Sample{what, text})
	}
}

// NameSamples puts names to the installs that were remembered.
func (r *ImportResult) NameSamples(tx *sqlite.Tx) error {
	for _, s := range r.seen {
		text, err := snapshot.InstallWords(tx, s.device, s.record)
		if err != nil {
			return err
		}
		r.SampleLine(s.what, text)
	}
	r.seen = nil
	return nil
}

func NewResult(req ImportRequest) ImportResult {
	return ImportResult{
		Kind:    req.Kind.Name,
		File:    req.File,
		Aside:   []AsideLine{},
		Columns: []string{},
		Samples: []Sample{},
	}
}

// Kept is what is kept of the import in a state: running, stopped or done.
func (r *ImportResult) Kept(state string) snapshot.Import {
	return snapshot.Import{ID: r.Import, Kind: r.Kind, File: r.File, Lines: int64(r.Lines), Added: int64(r.Added),
		Changed: int64(r.Changed), Gone: int64(r.Gone), State: state, Devices: int64(r.Devices),
		DevicesTaken: int64(r.DevicesTaken)}
}

// News reports whether the import changed anything that figures rest on.
func (r *ImportResult) News() bool { return r.Added+r.Changed+r.Gone+r.Scans > 0 }

func (r *ImportResult) Count(c sqlite.Change) {
	switch c {
	case sqlite.Added:
		r.Added++
	case sqlite.Changed:
		r.Changed++
	default:
		r.Same++
	}
}

// StoppedError says that an import was stopped when some devices had been taken in. Those stay.
type StoppedError struct {
	Taken, Of int
	Why       error
}

func (e *StoppedError) Error() string {
	return fmt.Sprintf("stopped: what the file says of %d of %d devices is taken in and stays; take it in again for "+
		"the others", e.Taken, e.Of)
}

// Unwrap returns why it was stopped.
func (e *StoppedError) Unwrap() error { return e.Why }
