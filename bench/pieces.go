package main

import (
	"context"
	"fmt"
	"time"

	"ensomet/internal/program"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

func pieces(ctx context.Context, prog *program.Program) error {
	go func() {
		for {
			time.Sleep(5 * time.Second)
			fmt.Println(prog.Progress.Doing(), spent())
		}
	}()
	for _, what := range []string{"nought", "anew"} {
		start, before := time.Now(), spent()
		var err error
		if what == "nought" {
			err = prog.Pipeline.RenewAll(ctx)
		} else {
			if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error { return renewal.Mark(tx, false) }); err != nil {
				return err
			}
			err = prog.Pipeline.Refresh(ctx)
		}
		fmt.Printf("%s=%.4f\n%s cpu=%.4f\n", what, time.Since(start).Seconds(), what, spent()-before)
		if err != nil {
			return err
		}
	}
	return nil
}
