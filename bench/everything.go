package main

import (
	"context"
	"fmt"
	"time"

	"ensomet/internal/program"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// everything measures what computing everything takes, from nothing and beside what is kept, and how long somebody who
// writes meanwhile waits at the most.
func everything(ctx context.Context, prog *program.Program) error {
	for _, way := range []string{"from nothing", "anew"} {
		longest, stop, stopped := time.Duration(0), make(chan struct{}), make(chan error, 1)
		go func() {
			for {
				select {
				case <-stop:
					stopped <- nil
					return
				case <-time.After(50 * time.Millisecond):
				}
				asked := time.Now()
				err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error { return tx.SetSetting("bench", way) })
				if err != nil {
					stopped <- err
					return
				}
				longest = max(longest, time.Since(asked))
			}
		}()
		start, before := time.Now(), spent()
		var err error
		if way == "from nothing" {
			err = prog.Pipeline.RenewAll(ctx)
		} else if err = prog.DB.Update(ctx, func(tx *sqlite.Tx) error { return renewal.Mark(tx, false) }); err == nil {
			err = prog.Pipeline.Refresh(ctx)
		}
		took, cpu := time.Since(start).Seconds(), spent()-before
		close(stop)
		if err2 := <-stopped; err != nil || err2 != nil {
			return fmt.Errorf("everything %s: %w, %w", way, err, err2)
		}
		fmt.Printf("%s=%.4f\n%s cpu=%.4f\n%s waits=%.4f\n", way, took, way, cpu, way, longest.Seconds())
	}
	return nil
}
