package main

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// moving is a clock that the benchmark moves.
type moving struct{ now time.Time }

func (m *moving) Now() time.Time { return m.now }

// measureUse takes in what machines report of processes, week by week over 400 days, lets raw events and runs be
// forgotten as usual, and says what is kept; then a year of a pool's events, and how fast its chart comes.
func measureUse(machines int) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "use.db")
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		return err
	}
	defer db.Close()
	clock := &moving{time.Date(2025, 5, 26, 20, 0, 0, 0, time.UTC)}
	prog := program.New(db, clock)
	r := rand.New(rand.NewPCG(400, uint64(machines)))
	const titles, ownPrograms, days = 300, 40, 400
	var text bytes.Buffer
	take := func(kind *formats.Kind) error {
		res, err := prog.Evidence.Import(
			ctx,
			intake.ImportRequest{Kind: kind, File: kind.Name + ".csv", In: &text, AsOf: clock.now, Author: "bench"},
		)
		if err == nil && len(res.Aside) > 0 {
			err = fmt.Errorf("%s: %s", kind.Name, res.Aside[0].Reason)
		}
		return err
	}
	fmt.Fprintln(&text, "publisher,product,licence_model,aliases")
	for i := range titles {
		fmt.Fprintf(&text, "P%d,Title %d,commercial,prog%03d.exe\n", i%20, i, i)
	}
	if err := take(formats.Titles); err != nil {
		return err
	}
	fmt.Fprintln(&text, "device_id,kind,primary_user")
	for i := range machines {
		fmt.Fprintf(&text, "M%05d,client,u%05d\n", i, i)
	}
	if err := take(formats.Devices); err != nil {
		return err
	}
	events, spent := 0, time.Duration(0)
	for day := 0; day < days; day += 7 {
		text.Reset()
		fmt.Fprintln(&text, "device_id,event,at,pid,file_name,user_id,active_seconds")
		for m := range machines {
			for d := range min(7, days-day) {
				date := clock.now.AddDate(0, 0, day+d).Truncate(24 * time.Hour)
				if date.Weekday() == time.Saturday || date.Weekday() == time.Sunday {
					continue
				}
				for n := range 25 + r.IntN(5) { // runs of a workday, of some twenty different programs
					start := date.Add(7*time.Hour + time.Duration(r.IntN(8*3600))*time.Second)
					length := 60 + r.IntN(7000)
					program := (m*7 + r.IntN(ownPrograms)) % titles
					pid := day*100 + d*40 + n
					fmt.Fprintf(
						&text,
						"M%05d,start,%s,%d,prog%03d.exe,u%05d,\n",
						m,
						start.Format(time.RFC3339),
						pid,
						program,
						m,
					)
					fmt.Fprintf(
						&text,
						"M%05d,stop,%s,%d,prog%03d.exe,u%05d,%d\n",
						m,
						start.Add(time.Duration(length)*time.Second).Format(time.RFC3339),
						pid,
						program,
						m,
						length/2,
					)
					events += 2
				}
			}
		}
		was := clock.now
		clock.now = clock.now.AddDate(0, 0, day+7)
		began := time.Now()
		if err := take(formats.ProcessEvents); err != nil {
			return err
		}
		if _, err := prog.Use.ForgetUse(ctx); err != nil {
			return err
		}
		spent += time.Since(began)
		clock.now = was
	}
	clock.now = clock.now.AddDate(0, 0, days)
	m, err := prog.Use.Metering(ctx)
	if err != nil {
		return err
	}
	whole, err := packed(ctx, db, dir, "whole", nil)
	if err != nil {
		return err
	}
	rolled, err := packed(ctx, db, dir, "rolled", []string{"DELETE FROM process_event", "DELETE FROM use_session"})
	if err != nil {
		return err
	}
	none, err := packed(
		ctx,
		db,
		dir,
		"none",
		[]string{"DELETE FROM process_event", "DELETE FROM use_session", "DELETE FROM use_day",
			"DELETE FROM use_seen"},
	)
	if err != nil {
		return err
	}
	fmt.Printf("\n%d machines over %d days, %d raw events of processes, week by week\n", machines, days, events)
	fmt.Printf(
		"  taken in, paired, rolled up and forgotten: %.0f s, %.0f events a second\n",
		spent.Seconds(),
		float64(events)/spent.Seconds(),
	)
	fmt.Printf(
		"  kept: %d days of use, %d runs of the last %d days, %d events of the last %d days\n",
		m.Days,
		m.Sessions,
		m.SessionDays,
		m.Events,
		m.EventDays,
	)
	fmt.Printf(
		"  days of use take %.0f MB, with the runs and events that are kept %.0f MB\n",
		mb(rolled-none),
		mb(whole-none),
	)
	fmt.Printf(
		"  for 1,000 machines: days of use %.0f MB, all %.0f MB\n",
		mb(rolled-none)*1000/float64(machines),
		mb(whole-none)*1000/float64(machines),
	)
	began := time.Now()
	if _, err := prog.Use.UseOver(ctx, 1, 12); err != nil {
		return err
	}
	fmt.Printf("  the page of one title's use over a year: %.0f ms\n", float64(time.Since(began).Milliseconds()))
	return nil
}

func mb(n int64) float64 { return float64(n) / (1 << 20) }

// packed is the size of a copy of the file, without what some statements delete.
func packed(ctx context.Context, db *sqlite.DB, dir, name string, without []string) (int64, error) {
	path := filepath.Join(dir, name+".db")
	if err := db.Backup(ctx, path); err != nil {
		return 0, err
	}
	defer os.Remove(path)
	if err := sqlite.Trim(ctx, path, without); err != nil {
		return 0, err
	}
	s, err := os.Stat(path)
	if err != nil {
		return 0, err
	}
	return s.Size(), nil
}

// measurePool takes a year of a pool's events in, five million unless said otherwise, and draws its daily peaks.
func measurePool(events int) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	db, err := sqlite.Open(ctx, filepath.Join(dir, "pool.db"))
	if err != nil {
		return err
	}
	defer db.Close()
	clock := &moving{time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)}
	prog := program.New(db, clock)
	var text bytes.Buffer
	take := func(kind *formats.Kind) error {
		res, err := prog.Evidence.Import(
			ctx,
			intake.ImportRequest{Kind: kind, File: kind.Name + ".csv", In: &text, AsOf: clock.now, Author: "bench"},
		)
		if err == nil && len(res.Aside) > 0 {
			err = fmt.Errorf("%s: %s", kind.Name, res.Aside[0].Reason)
		}
		return err
	}
	fmt.Fprintln(&text, "publisher,product,licence_model\nP,Title,commercial")
	if err := take(formats.Titles); err != nil {
		return err
	}
	fmt.Fprintln(&text, "pool,product,quantity\nbig,Title,900")
	if err := take(formats.Pools); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(5, 5))
	began := time.Now()
	spent := time.Duration(0)
	sessions := events / 2
	at := func(unix int64) string { return time.Unix(unix, 0).UTC().Format(time.RFC3339) }
	for month := range 12 {
		text.Reset()
		fmt.Fprintln(&text, "pool,event,session,user_id,at,licences")
		var starts []int64
		first := clock.now.AddDate(-1, month, 0)
		for range sessions / 12 {
			starts = append(starts, first.Unix()+r.Int64N(30*86400))
		}
		slices.Sort(starts)
		for i, s := range starts {
			fmt.Fprintf(
				&text,
				"big,checkout,s%d-%d,u%04d,%s,1\nbig,return,s%d-%d,u%04d,%s,1\n",
				month,
				i,
				i%3000,
				at(s),
				month,
				i,
				i%3000,
				at(s+600+r.Int64N(7200)),
			)
		}
		began := time.Now()
		if err := take(formats.PoolEvents); err != nil {
			return err
		}
		spent += time.Since(began)
	}
	_ = began
	fmt.Printf("\na pool with %d events in a year\n", sessions/12*12*2)
	fmt.Printf(
		"  taken in and summed up by days: %.0f s, %.0f events a second\n",
		spent.Seconds(),
		float64(sessions/12*12*2)/spent.Seconds(),
	)
	timed := func(name string, fn func() error) error {
		began := time.Now()
		err := fn()
		fmt.Printf("  %-50s %6.0f ms\n", name, float64(time.Since(began).Microseconds())/1000)
		return err
	}
	if err := timed("its daily peaks over the year, to be drawn", func() error {
		days, err := prog.Use.PoolDays(ctx, 1, 365)
		if err == nil && len(days) != 365 {
			err = fmt.Errorf("%d days", len(days))
		}
		return err
	}); err != nil {
		return err
	}
	if err := timed("its page over 30 days, from the events themselves", func() error {
		_, err := prog.Use.Pool(ctx, 1, 30)
		return err
	}); err != nil {
		return err
	}
	return timed("its right size, from the requests of 7 days", func() error {
		_, err := prog.Use.PoolSizing(ctx, 1, 7, 0.01, 0)
		return err
	})
}
