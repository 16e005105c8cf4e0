package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// measureWaits measures how long somebody who saves something waits while installs are taken in: by the same program,
// and by another one on the same file; and what the import takes with him and without.
func measureWaits(devices int) error {
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	perDevice = 80
	if err := generate(dir, devices, 3); err != nil {
		return err
	}
	ctx := context.Background()
	importing := func(db *sqlite.DB, files ...string) error {
		prog := program.New(db, clock{})
		defer prog.Close()
		for _, name := range files {
			f, err := os.Open(filepath.Join(dir, name+".csv"))
			if err != nil {
				return err
			}
			kind, err := formats.KindByName(name)
			if err == nil {
				_, err = prog.Evidence.Import(ctx, intake.ImportRequest{Kind: kind, File: name, In: f, Author: "bench"})
			}
			if err := errors.Join(err, f.Close()); err != nil {
				return err
			}
		}
		return nil
	}
	for _, how := range []string{"alone", "beside somebody who saves", "by another program beside him"} {
		path := filepath.Join(dir, "waits.db")
		for _, end := range []string{"", "-wal", "-shm"} {
			_ = os.Remove(path + end)
		}
		db, err := sqlite.Open(ctx, path)
		if err != nil {
			return err
		}
		if err := importing(db, "titles", "devices"); err != nil {
			return err
		}
		var waits []time.Duration
		var work sync.WaitGroup
		over := make(chan struct{})
		if how != "alone" {
			work.Go(func() {
				for {
					select {
					case <-over:
						return
					case <-time.After(5 * time.Millisecond):
					}
					start := time.Now()
					if err := db.Update(ctx, func(tx *sqlite.Tx) error {
						return tx.Note(start, "somebody", "saved something", "", "")
					}); err != nil {
						fmt.Println("he could not save:", err)
					}
					waits = append(waits, time.Since(start))
				}
			})
		}
		start := time.Now()
		if how == "by another program beside him" {
			var self string
			if self, err = os.Executable(); err == nil {
				other := exec.Command(self, "-step", "installs", "-dir", dir)
				other.Stderr = os.Stderr
				err = other.Run()
			}
		} else {
			err = importing(db, "installs")
		}
		took := time.Since(start)
		close(over)
		work.Wait()
		if err := errors.Join(err, db.Close()); err != nil {
			return err
		}
		fmt.Printf("%d installs, %s: %.1f s", devices*perDevice, how, took.Seconds())
		if len(waits) > 0 {
			slices.Sort(waits)
			fmt.Printf("; he saved %d times, and waited %.1f ms in the middle, 95 %% under %.1f ms, at most %.1f ms",
				len(waits), 1000*waits[len(waits)/2].Seconds(), 1000*waits[len(waits)*95/100].Seconds(),
				1000*waits[len(waits)-1].Seconds())
		}
		fmt.Println()
	}
	return nil
}

// importInstalls takes installs in as another program would.
func importInstalls(ctx context.Context, dir string) error {
	db, err := sqlite.Open(ctx, filepath.Join(dir, "waits.db"))
	if err != nil {
		return err
	}
	prog := program.New(db, clock{})
	defer prog.Close()
	f, err := os.Open(filepath.Join(dir, "installs.csv"))
	if err != nil {
		return err
	}
	_, err = prog.Evidence.Import(ctx, intake.ImportRequest{Kind: formats.Installs, File: "installs", In: f,
		Author: "bench"})
	return errors.Join(err, f.Close(), db.Close())
}
