package evidence

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"

	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Book takes in one thing that somebody typed, by the same way and with the same checks as a line of a file.
func (svc *Service) Book(
	ctx context.Context,
	kindName string,
	values map[string]string,
	who string,
) (intake.ImportResult, error) {
	kind, err := formats.KindByName(kindName)
	if err != nil {
		return intake.ImportResult{}, err
	}
	var header, row []string
	for _, c := range kind.Columns {
		header, row = append(header, c), append(row, values[c])
	}
	if code := values["entitlement_id"]; code != "" && kind == formats.Entitlements {
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
			codes, err := snapshot.Codes(tx, "entitlement")
			if err == nil && codes[code] != 0 {
				return refuse.Errorf("there is an entitlement %s already: choose another number", code)
			}
			return err
		}); err != nil {
			return intake.ImportResult{}, err
		}
	}
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	if err := errors.Join(w.Write(header), w.Write(row)); err != nil {
		return intake.ImportResult{}, err
	}
	w.Flush()
	rehearsal, err := svc.Import(
		ctx,
		intake.ImportRequest{
			Kind:   kind,
			File:   "typed in",
			In:     bytes.NewReader(buf.Bytes()),
			Author: who,
			DryRun: true,
		},
	)
	if err != nil {
		return rehearsal, err
	}
	if len(rehearsal.Aside) > 0 {
		return rehearsal, refuse.New(rehearsal.Aside[0].Reason)
	}
	return svc.Import(ctx, intake.ImportRequest{Kind: kind, File: "typed in", In: &buf, Author: who})
}

// ImportWatched is ImportFile with its progress in Status.
func (svc *Service) ImportWatched(
	ctx context.Context,
	f formats.File,
	size int64,
	req intake.ImportRequest,
) (intake.ImportResult, error) {
	req.Progress = func(lines int) { svc.Progress.Step(fmt.Sprintf("reading %s: %d lines", req.File, lines)) }
	defer svc.Progress.Step("")
	return svc.ImportFile(ctx, f, size, req)
}
