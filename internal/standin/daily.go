package standin

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

// take lets lines of a file in.
func take(ctx context.Context, prog *program.Program, kind *formats.Kind, rows [][]string) error {
	if len(rows) == 0 {
		return nil
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	if err := w.WriteAll(append([][]string{kind.Columns}, rows...)); err != nil {
		return err
	}
	res, err := prog.Evidence.Import(
		ctx,
		intake.ImportRequest{Kind: kind, File: kind.Name + ".csv", In: &b, AsOf: prog.Clock.Now(), Author: "demo"},
	)
	if err == nil && len(res.Aside) > 0 {
		err = fmt.Errorf("%s: line %d: %s", kind.Name, res.Aside[0].Line, res.Aside[0].Reason)
	}
	return err
}

// reportUse lets the devices that were metered until now report an ordinary program as a day passes, so that
// measuring goes on.
func reportUse(ctx context.Context, prog *program.Program, now time.Time) error {
	var rows [][]string
	err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := usedb.DevicesMeteredSince(tx, prog.Snapshots.Today()-9)
		for _, d := range list {
			if luck(5, "use", d.Code, now.Format(time.DateOnly)) == 0 {
				start := now.Add(-time.Duration(30+luck(90, d.Code)) * time.Minute)
				rows = append(
					rows,
					[]string{
						d.Code,
						d.User,
						"hvbrowse.exe",
						"",
						start.Format(time.RFC3339),
						start.Add(20 * time.Minute).Format(time.RFC3339),
						"600",
					},
				)
			}
		}
		return err
	})
	if err != nil {
		return err
	}
	return take(ctx, prog, formats.Usage, rows)
}

// sizePools lets the owners of licence servers set their pools to the sizes that were decided on: the next list of
// pools shows it.
func sizePools(ctx context.Context, prog *program.Program) error {
	var rows [][]string
	err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := usedb.PoolList(prog.Snapshots.Today()).Page(tx, sqlite.ListQuery{})
		if err != nil {
			return err
		}
		for _, p := range page.Rows {
			sizes, err := usedb.PoolSizes(tx, p.ID)
			if err != nil {
				return err
			}
			if len(sizes) > 0 && sizes[0].Size != p.Quantity {
				rows = append(
					rows,
					[]string{p.Code, p.Publisher, p.Product, p.Server, fmt.Sprint(sizes[0].Size), p.Expires.String()},
				)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	return take(ctx, prog, formats.Pools, rows)
}
