package arriving

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
)

// files merges the files of a scan. A scan of parts speaks of the files of these parts; one of everything of all files.
func (t *receiver) files(device, at int64, s *formats.Scan) error {
	root, err := t.part(filesPart)
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
		file, err := evidencedb.Number(
			t.tx,
			t.room.Numbers,
			"file",
			[]string{"name", "size", "version"},
			strings.TrimSpace(f.Name),
			f.Size,
			strings.TrimSpace(f.Version),
		)
		if err != nil {
			return err
		}
		place, err := t.place(strings.TrimRight(strings.TrimSpace(f.Folder), "/\\"), nil, false)
		if err != nil {
			return err
		}
		items[f.Part] = append(items[f.Part], evidence.Item{Record: file, Place: place})
	}
	known, err := evidencedb.Files(t.tx).PartsOn(device, root)
	if err != nil {
		return err
	}
	done := map[int64]bool{}
	var covered []int64
	merge := func(part int64, list []evidence.Item) error {
		done[part] = true
		_, err := evidencedb.Files(t.tx).Merge(device, part, root, []evidence.Scan{{At: at, Items: list}})
		return err
	}
	for _, p := range slices.Sorted(maps.Keys(items)) {
		id := root
		if p != "" {
			if id, err = t.part(filesPart + " " + p); err != nil {
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
		if err := evidencedb.PutFactScan(t.tx, device, id, at); err != nil {
			return err
		}
	}
	return nil
}

// facts merges what a scan reports of the hardware.
func (t *receiver) facts(device, at int64, s *formats.Scan) error {
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
	set, err := evidencedb.Number(t.tx, t.room.Numbers, "fact_set", []string{"content"}, string(text))
	if err != nil {
		return err
	}
	part, err := t.part(hardwarePart)
	if err != nil {
		return err
	}
	moved, err := evidencedb.Hardware(t.tx).Merge(device, part, part,
		[]evidence.Scan{{At: at, Items: []evidence.Item{{Record: set}}}})
	if err != nil {
		return err
	}
	if t.resolve = moved; !moved { // which of several sources is the newest may be another
		if t.resolve, err = evidencedb.OthersReport(t.tx, device, part); err != nil {
			return err
		}
	}
	return evidencedb.PutFactScan(t.tx, device, part, at)
}

// use notes who was logged on, and what ran.
func (t *receiver) use(device, at int64, s *formats.Scan) error {
	for _, l := range s.Logons {
		user := strings.TrimSpace(l.User)
		if err := evidencedb.PutLogon(t.tx, device, t.found.Record, user, l.At.Unix()); err != nil {
			return err
		}
	}
	for _, r := range s.Sessions {
		name, err := evidencedb.Number(
			t.tx,
			t.room.Numbers,
			"use_name",
			[]string{"file_name", "product"},
			strings.TrimSpace(r.FileName),
			"",
		)
		if err != nil {
			return err
		}
		end := at // one that goes on has lasted until the scan
		if !r.End.IsZero() {
			end = r.End.Unix()
		}
		start := r.Start.Unix()
		if _, err := evidencedb.ProlongSession(t.tx, device, t.found.Record, name, strings.TrimSpace(r.User), start,
			max(start, end), r.Active); err != nil {
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
	return renewal.MarkUseDue(t.tx, device, since, 0)
}
