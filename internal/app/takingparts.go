package app

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/formats"
)

// files merges the files of a scan. A scan of parts speaks of the files of these parts; one of everything of all files.
func (t *taker) files(device, at int64, s *formats.Scan) error {
	root, err := t.tx.Source(t.source, filesPart)
	if err != nil {
		return err
	}
	items := map[string][]evidence.Item{}
	for _, p := range s.Covers {
		items[p] = nil
	}
	if len(s.Covers) == 0 {
		items[""] = nil
	}
	for i := range s.Files {
		f := &s.Files[i]
		file, err := t.tx.Number(t.app.numbers, "file", []string{"name", "size", "version"}, strings.TrimSpace(f.Name), f.Size, strings.TrimSpace(f.Version))
		if err != nil {
			return err
		}
		place, err := t.place(strings.TrimRight(strings.TrimSpace(f.Folder), "/\\"), nil)
		if err != nil {
			return err
		}
		items[f.Part] = append(items[f.Part], evidence.Item{Record: file, Place: place})
	}
	known, err := t.tx.Files().PartsOn(device, root)
	if err != nil {
		return err
	}
	done := map[int64]bool{}
	var covered []int64
	merge := func(part int64, list []evidence.Item) error {
		done[part] = true
		return t.tx.Files().Merge(device, part, root, []evidence.Scan{{At: at, Items: list}})
	}
	for _, p := range slices.Sorted(maps.Keys(items)) {
		id := root
		if p != "" {
			if id, err = t.tx.Source(t.source, filesPart+" "+p); err != nil {
				return err
			}
		}
		if err := merge(id, items[p]); err != nil {
			return err
		}
		if len(s.Covers) > 0 || p == "" {
			covered = append(covered, id)
		}
	}
	for _, part := range known {
		if !done[part] && len(s.Covers) == 0 {
			if err := merge(part, nil); err != nil {
				return err
			}
		}
	}
	for _, id := range covered { // only now, since merging goes by the times that were known before
		if err := t.tx.PutFactScan(device, id, at); err != nil {
			return err
		}
	}
	return nil
}

// facts merges what a scan reports of the hardware.
func (t *taker) facts(device, at int64, s *formats.Scan) error {
	f := s.Device.Facts()
	known := len(f)
	if _, named := f["name"]; named {
		known--
	}
	if known == 0 { // a document that names its device says nothing of it
		return nil
	}
	text, err := json.Marshal(f)
	if err != nil {
		return err
	}
	set, err := t.tx.Number(t.app.numbers, "fact_set", []string{"content"}, string(text))
	if err != nil {
		return err
	}
	part, err := t.tx.Source(t.source, hardwarePart)
	if err != nil {
		return err
	}
	if err := t.tx.Hardware().Merge(device, part, part, []evidence.Scan{{At: at, Items: []evidence.Item{{Record: set}}}}); err != nil {
		return err
	}
	return t.tx.PutFactScan(device, part, at)
}

// use notes who was logged on, and what ran.
func (t *taker) use(device, at int64, s *formats.Scan) error {
	for _, l := range s.Logons {
		if err := t.tx.PutLogon(device, strings.TrimSpace(l.User), l.At.Unix()); err != nil {
			return err
		}
	}
	for _, r := range s.Sessions {
		name, err := t.tx.Number(t.app.numbers, "use_name", []string{"file_name", "product"}, strings.TrimSpace(r.FileName), "")
		if err != nil {
			return err
		}
		end := at // one that goes on has lasted until the scan
		if !r.End.IsZero() {
			end = r.End.Unix()
		}
		start := r.Start.Unix()
		if _, err := t.tx.ProlongSession(device, name, strings.TrimSpace(r.User), start, max(start, end), r.Active); err != nil {
			return err
		}
	}
	if len(s.Sessions) == 0 {
		return nil
	}
	since := s.Sessions[0].Start.Unix()
	for _, x := range s.Sessions {
		since = min(since, x.Start.Unix())
	}
	return t.tx.MarkUseDue(device, since, 0)
}
