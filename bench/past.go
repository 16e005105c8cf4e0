package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"ensomet/internal/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// measurePast lets machines be scanned every day for years, two of 80 programs upgraded each time, and says what of it
// the file keeps, what a scan costs at the beginning and at the end, and what forgetting takes and gives back.
func measurePast(machines, days, kept int) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "past.db")
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		return err
	}
	clock := &moving{time.Date(2024, 1, 1, 20, 0, 0, 0, time.UTC)}
	prog := program.New(db, clock)
	scan := func(machine, day int) *formats.Scan {
		s := &formats.Scan{Format: formats.ScanFormat, At: clock.now.Add(time.Duration(machine) * time.Second),
			Device: formats.ScanDevice{ID: fmt.Sprintf("M%05d", machine), Name: fmt.Sprintf("m-%05d", machine),
				Cores: 8}}
		for i := range 80 {
			version := 1 + (day+40-i/2)/40 // two of them another one each day
			s.Installs = append(s.Installs, formats.ScanInstall{Publisher: fmt.Sprintf("Maker %d", i%20),
				Name: fmt.Sprintf("Program %d", i), Version: fmt.Sprintf("%d.0", version)})
		}
		return s
	}
	size := func() int64 {
		all := int64(0)
		for _, end := range []string{"", "-wal"} {
			if info, err := os.Stat(path + end); err == nil {
				all += info.Size()
			}
		}
		return all
	}
	rows := func(table string) (n int64) {
		_ = db.View(ctx, func(tx *sqlite.Tx) error {
			return tx.QueryRowContext(ctx, "SELECT count(*) FROM "+table).Scan(&n)
		})
		return n
	}
	spentOn := func(day int) (float64, error) {
		before := spent()
		for m := range machines {
			if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", scan(m, day)); err != nil {
				return 0, err
			}
		}
		return 1000 * (spent() - before) / float64(machines), prog.Pipeline.Refresh(ctx)
	}
	fmt.Printf("%d machines, %d days, a scan of 80 installs each day, two of them upgraded\n", machines, days)
	for day := range days {
		cost, err := spentOn(day)
		if err != nil {
			return err
		}
		clock.now = clock.now.Add(24 * time.Hour)
		if day == 0 || day == 10 || day == days-1 {
			fmt.Printf("  day %4d: %.1f ms of a processor each; %d installs there or ended, %d scans, %d rows of what "+
				"was known; %.1f MB\n", day+1, cost, rows("install"), rows("scan"), rows("past"), float64(size())/1e6)
		}
	}
	if err := prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Days: kept}, "bench"); err != nil {
		return err
	}
	began, before := time.Now(), spent()
	gone, err := prog.Evidence.ForgetHistory(ctx)
	if err != nil {
		return err
	}
	fmt.Printf("  forgotten but for %d days: %d installs, %d scans, %d changes, %d others in %.1f s, %.1f of a "+
		"processor\n", kept, gone.Installs, gone.Scans, gone.Changes, gone.Others,
		time.Since(began).Seconds(), spent()-before)
	cost, err := spentOn(days)
	if err != nil {
		return err
	}
	fmt.Printf("  after it: %.1f ms of a processor each; %d installs, %d scans, %d rows of what was known\n", cost,
		rows("install"), rows("scan"), rows("past"))
	prog.Close()
	if err := db.Close(); err != nil {
		return err
	}
	if err := sqlite.Trim(ctx, path, nil); err != nil {
		return err
	}
	fmt.Printf("  the file, packed: %.1f MB\n", float64(size())/1e6)
	return nil
}
