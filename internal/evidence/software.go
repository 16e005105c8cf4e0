package evidence

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/own"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SoftwareFormat is an open document that a device's software can be written as.
type SoftwareFormat struct{ Ending, Type string }

// SoftwareFormats are the documents that a device's software can be written as.
var SoftwareFormats = map[string]SoftwareFormat{
	"cyclonedx": {"cdx.json", "application/vnd.cyclonedx+json"},
	"spdx":      {"spdx.json", "application/spdx+json"},
	"swid":      {"swid.zip", "application/zip"},
}

// DeviceScan puts what is known of a device's software now in the form of a scan.
func (svc *Service) DeviceScan(ctx context.Context, code string) (*formats.Scan, error) {
	s := &formats.Scan{Format: formats.ScanFormat, Source: "Ensomet"}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err := lists.DeviceByCode(tx, code)
		if err != nil {
			return err
		}
		s.Device = formats.ScanDevice{ID: d.Code, Name: d.Name}
		s.At = time.Unix(d.LastSeen, 0).UTC()
		if d.LastSeen == 0 {
			return refuse.Errorf("%s was never scanned: there is no software to write", d.Name)
		}
		seen := map[string]bool{}
		return export.Installs(tx, svc.Clock.Now().Unix(), code, func(e snapshot.ExportedInstall) error {
			v := e.Values
			in := formats.ScanInstall{
				Publisher:    v[1],
				Name:         v[2],
				Version:      v[3],
				Edition:      v[4],
				Architecture: v[5],
				Language:     v[6],
				InstallDate:  v[7],
				InstallPath:  v[8],
				FileName:     v[9],
				TagID:        v[10],
				PURL:         v[11],
				CPE:          v[12],
				LastUsed:     v[13],
			}
			// several sources of one install are one
			if key := strings.Join(append(v[1:7:7], v[8:13]...), "\x1f"); !seen[key] {
				seen[key] = true
				s.Installs = append(s.Installs, in)
			}
			return nil
		})
	})
	return s, err
}

// WriteSoftware writes a device's software as a document: cyclonedx, spdx, or swid for an archive of tags.
func (svc *Service) WriteSoftware(ctx context.Context, code, format string, out io.Writer) error {
	s, err := svc.DeviceScan(ctx, code)
	if err != nil {
		return err
	}
	switch format {
	case "cyclonedx":
		return formats.WriteCycloneDX(out, s, false)
	case "spdx":
		return formats.WriteSPDX(out, s)
	case "swid":
		return writeTags(out, []*formats.Scan{s})
	}
	return refuse.Errorf("software can be written as cyclonedx, spdx or swid, not as %q", format)
}

// WriteAllSoftware writes the software of every device that was scanned: an archive of tags, or of one document for
// each device.
func (svc *Service) WriteAllSoftware(ctx context.Context, format string, out io.Writer) error {
	var codes []string
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Sort: "code"})
		for _, d := range page.Rows {
			if d.LastSeen != 0 {
				codes = append(codes, d.Code)
			}
		}
		return err
	}); err != nil {
		return err
	}
	var scans []*formats.Scan
	for _, c := range codes {
		s, err := svc.DeviceScan(ctx, c)
		if err != nil {
			return err
		}
		scans = append(scans, s)
	}
	if format == "swid" {
		return writeTags(out, scans)
	}
	z := zip.NewWriter(out)
	for _, s := range scans {
		w, err := z.Create(strings.ReplaceAll(s.Device.ID, "/", "-") + "." + SoftwareFormats[format].Ending)
		if err != nil {
			return err
		}
		if format == "cyclonedx" {
			err = formats.WriteCycloneDX(w, s, false)
		} else {
			err = formats.WriteSPDX(w, s)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

func writeTags(out io.Writer, scans []*formats.Scan) error {
	z := zip.NewWriter(out)
	for _, s := range scans {
		for i := range s.Installs {
			w, err := z.Create(fmt.Sprintf("%s/%05d.swidtag", strings.ReplaceAll(s.Device.ID, "/", "-"), i+1))
			if err != nil {
				return err
			}
			if err := formats.WriteSWID(w, formats.TagOf(s.Installs[i].Record(), s.At, s.Device.ID)); err != nil {
				return err
			}
		}
	}
	return z.Close()
}

// ConditionFields is what conditions may ask about, with values to choose from.
type ConditionFields struct {
	Fields    []condition.Field
	Operators map[string][]string // by type
	Values    map[string][]string // by field, those that devices have
	Groups    []string
}

// RecordFields lists what conditions on records may ask about.
func (svc *Service) RecordFields() ConditionFields {
	out := ConditionFields{
		Fields:    condition.RecordFields,
		Operators: map[string][]string{},
		Groups:    []string{},
		Values: map[string][]string{
			"piece": {
				string(recognise.Update),
				string(recognise.LanguagePack),
				string(recognise.Runtime),
				string(recognise.Driver),
				string(recognise.PlugIn),
				string(recognise.Trial),
			},
		},
	}
	for t, ops := range condition.Operators {
		out.Operators[string(t)] = ops
	}
	return out
}

func texts[T ~string](list []T) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = string(v)
	}
	return out
}

// ConditionFields lists what conditions on devices may ask about.
func (svc *Service) ConditionFields(ctx context.Context) (ConditionFields, error) {
	out := ConditionFields{
		Fields:    condition.Fields,
		Operators: map[string][]string{},
		Values: map[string][]string{
			"kind":        texts(evidence.DeviceKinds),
			"environment": texts(evidence.Environments),
			"status":      texts(evidence.DeviceStatuses),
			"age":         {"fresh", "stale", "never"},
			"portable":    texts([]evidence.Known{evidence.Yes, evidence.No}),
		},
		Groups: []string{},
	}
	for t, ops := range condition.Operators {
		out.Operators[string(t)] = ops
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		devices, err := evidencedb.OwnFields(tx)
		if err != nil {
			return err
		}
		out.Fields = slices.Clone(condition.Fields)
		for _, f := range devices {
			out.Fields = append(
				out.Fields,
				condition.Field{Name: condition.OwnField + f.Name, Type: condition.Text},
			)
			out.Values[condition.OwnField+f.Name] = f.Values
		}
		users, err := own.UserNames(tx)
		if err != nil {
			return err
		}
		for _, f := range users {
			out.Fields = append(out.Fields, condition.Field{Name: condition.UserField + f.Name, Type: condition.Text})
			out.Values[condition.UserField+f.Name] = f.Values
		}
		for field, column := range map[string]string{"unit": "org_unit", "site": "site", "country": "country",
			"hosting": "hosting", "cluster": "cluster"} {
			list, err := evidencedb.DeviceValues(tx, column)
			if err != nil {
				return err
			}
			out.Values[field] = list
		}
		groups, err := snapshot.DeviceGroups(tx)
		for _, g := range groups {
			out.Groups = append(out.Groups, g.Name)
		}
		return err
	})
	return out, err
}

// ChangesByDay counts the changes that a query finds, by day and kind.
func (svc *Service) ChangesByDay(
	ctx context.Context,
	q sqlite.ListQuery,
) (out []evidencedb.ChangeTally, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = evidencedb.ChangesByDay(tx, q)
		return err
	})
	return out, err
}

// DeviceFiles lists the files of a device, or those of one record on it.
func (svc *Service) DeviceFiles(
	ctx context.Context,
	code string,
	record int64,
) (out []evidencedb.DeviceFileRow, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		id, err := snapshot.FindDevice(tx, code)
		if err != nil {
			return err
		}
		if id == 0 {
			return sqlite.ErrNotFound
		}
		if record != 0 {
			out, err = evidencedb.RecordFiles(tx, id, record)
			return err
		}
		out, err = evidencedb.DeviceFiles(tx, id, 2000)
		return err
	})
	return out, err
}
