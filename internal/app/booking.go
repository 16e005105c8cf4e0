package app

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"

	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// Book takes in one thing that somebody typed, by the same way and with the same checks as a line of a file.
func (a *App) Book(ctx context.Context, kindName string, values map[string]string, who string) (ImportResult, error) {
	kind, err := formats.KindByName(kindName)
	if err != nil {
		return ImportResult{}, err
	}
	var header, row []string
	for _, c := range kind.Columns {
		header, row = append(header, c), append(row, values[c])
	}
	if code := values["entitlement_id"]; code != "" && kind == formats.Entitlements {
		if err := a.DB.View(ctx, func(tx *store.Tx) error {
			codes, err := tx.Codes("entitlement")
			if err == nil && codes[code] != 0 {
				return fmt.Errorf("there is an entitlement %s already: choose another number", code)
			}
			return err
		}); err != nil {
			return ImportResult{}, err
		}
	}
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	if err := errors.Join(w.Write(header), w.Write(row)); err != nil {
		return ImportResult{}, err
	}
	w.Flush()
	rehearsal, err := a.Import(ctx, ImportRequest{Kind: kind, File: "typed in", In: bytes.NewReader(buf.Bytes()), Author: who, DryRun: true})
	if err != nil {
		return rehearsal, err
	}
	if len(rehearsal.Aside) > 0 {
		return rehearsal, errors.New(rehearsal.Aside[0].Reason)
	}
	return a.Import(ctx, ImportRequest{Kind: kind, File: "typed in", In: &buf, Author: who})
}

// ImportWatched is ImportFile with its progress in Status.
func (a *App) ImportWatched(ctx context.Context, f formats.File, size int64, req ImportRequest) (ImportResult, error) {
	req.Progress = func(lines int) { a.Progress.Step(fmt.Sprintf("reading %s: %d lines", req.File, lines)) }
	defer a.Progress.Step("")
	return a.ImportFile(ctx, f, size, req)
}
