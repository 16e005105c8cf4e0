package evidence

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"

	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Book takes in one thing that somebody typed, by the same way and with the same checks as a line of a file. A number
// that is taken is refused in the very transaction that writes: what somebody else did a moment before is seen.
func (svc *Service) Book(
	ctx context.Context,
	kindName string,
	values map[string]string,
	who string,
) (intake.ImportResult, error) {
	check := func(tx *sqlite.Tx) error { return nil }
	if code := values["entitlement_id"]; code != "" && kindName == formats.Entitlements.Name {
		check = func(tx *sqlite.Tx) error {
			codes, err := stored.Codes(tx, "entitlement")
			if err == nil && codes[code] != 0 {
				return refuse.Errorf("there is an entitlement %s already: choose another number", code)
			}
			return err
		}
	}
	kind, err := formats.KindByName(kindName)
	if err != nil {
		return intake.ImportResult{}, err
	}
	var header, row []string
	for _, c := range kind.Columns {
		header, row = append(header, c), append(row, values[c])
	}
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	if err := errors.Join(w.Write(header), w.Write(row)); err != nil {
		return intake.ImportResult{}, err
	}
	w.Flush()
	req := intake.ImportRequest{Kind: kind, File: "typed in", Author: who, Check: check}
	rehearsed := req
	rehearsed.DryRun, rehearsed.In = true, bytes.NewReader(buf.Bytes())
	rehearsal, err := svc.Import(ctx, rehearsed)
	if err != nil {
		return rehearsal, err
	}
	if len(rehearsal.Aside) > 0 {
		return rehearsal, refuse.New(rehearsal.Aside[0].Reason)
	}
	req.In = &buf
	return svc.Import(ctx, req)
}
