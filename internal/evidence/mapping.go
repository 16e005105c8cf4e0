package evidence

import (
	"context"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
)

// savedMapping finds the mapping of a header that lacks what its kind needs.
func (svc *Service) savedMapping(
	ctx context.Context,
	f formats.File,
	size int64,
	form formats.Form,
	kind *formats.Kind,
) (*formats.Mapping, error) {
	headers, _, err := formats.Head(f, size, form, 0)
	if err != nil {
		return nil, err
	}
	if !kind.Lacks(headers) {
		return nil, nil
	}
	var m *formats.Mapping
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		m, err = evidencedb.Mapping(tx, kind.Name, formats.HeaderKey(headers))
		return err
	})
	return m, err
}

func (svc *Service) keepMapping(
	ctx context.Context,
	f formats.File,
	size int64,
	form formats.Form,
	req intake.ImportRequest,
) error {
	headers, _, err := formats.Head(f, size, form, 0)
	if err != nil {
		return err
	}
	if err := req.Mapping.Check(req.Kind); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return evidencedb.SetMapping(
			tx,
			req.Kind.Name,
			formats.HeaderKey(headers),
			req.Mapping,
			req.Author,
			svc.Clock.Now().Unix(),
		)
	})
}

// FileLook is what a file seems to be, before anything is taken in.
type FileLook struct {
	Form string
	// the kind that fits its columns best; scan or directory where the form says it
	Kind     string
	Needs    bool // its columns must be mapped
	Saved    bool // a mapping for this header is on record
	Device   bool // it may not say of which device it is
	Columns  []formats.Proposal
	Own      []string // the columns of the kind
	Required []string
	Mapping  *formats.Mapping
}

// LookAt tells what a file seems to be. kind is what its sender thinks, or empty.
func (svc *Service) LookAt(ctx context.Context, f formats.File, size int64, kind string) (FileLook, error) {
	out := FileLook{Columns: []formats.Proposal{}, Own: []string{}, Required: []string{}}
	form, err := formats.Sniff(f, size)
	if err != nil {
		return out, err
	}
	out.Form = string(form)
	switch {
	case form.IsScan():
		out.Kind, out.Device = "scan", form != formats.ScanJSON
		return out, nil
	case form == formats.CatalogueJSON:
		out.Kind = formats.Titles.Name
		return out, nil
	case form == formats.OSEvents:
		out.Kind = formats.ProcessEvents.Name
		return out, nil
	case form == formats.LDIF:
		out.Kind = "directory"
		return out, nil
	}
	headers, samples, err := formats.Head(f, size, form, 3)
	if err != nil {
		return out, err
	}
	k, err := formats.KindByName(kind)
	if err != nil {
		k = formats.GuessKind(headers)
	}
	out.Kind, out.Own, out.Required = k.Name, k.Columns, k.Required
	out.Needs = k.Lacks(headers)
	out.Columns = formats.Propose(k, headers, samples)
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out.Mapping, err = evidencedb.Mapping(tx, k.Name, formats.HeaderKey(headers))
		return err
	})
	if out.Mapping != nil {
		out.Saved = true
		for i := range out.Columns {
			if to, ok := out.Mapping.Columns[out.Columns[i].Header]; ok {
				out.Columns[i].Column, out.Columns[i].Why = to, "as it was mapped before"
			}
		}
	}
	return out, err
}
