package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// measureDirectory measures what taking in a directory of so many entries costs, and how long somebody who writes every
// few milliseconds waits meanwhile: first all of it is new, then the same comes again, then one entry in a thousand has
// left.
func measureDirectory(entries int) error {
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	fmt.Printf("\na directory of %d entries\n", entries)
	for n, name := range []string{"all are new", "the same again", "one in a thousand has left"} {
		if err := writeDirectory(filepath.Join(dir, "directory.ldif"), entries, n == 2); err != nil {
			return err
		}
		took, peak := map[string]float64{}, map[string]int64{}
		keep := func(what string, seconds float64) { took[what] = seconds }
		if err := run(dir, "directory", keep, peak); err != nil {
			return err
		}
		fmt.Printf("  %-26s  import %6.1f s, names and figures %6.1f s, peak %d MB, a writer waited at most %.1f s\n",
			name, took["import"], took["renewal"], peak["directory"], took["waited"])
	}
	return nil
}

// writeDirectory writes people whose managers go in circles, with names in several scripts, and a machine for each
// tenth of them.
func writeDirectory(path string, entries int, left bool) (err error) {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	w := bufio.NewWriterSize(f, 1<<20)
	given := []string{"Åse", "Борис", "小龙", "ليلى", "Zoë", "Ngozi", "Θεόδωρος"}
	for i := range entries {
		if i%10 == 9 {
			fmt.Fprintf(w, "dn: cn=pc%d,ou=Shore,dc=halv,dc=example\nobjectClass: computer\ncn: pc%d\n"+
				"operatingSystem: Wharf\nowner: cn=Person %d,ou=Shore,dc=halv,dc=example\n\n", i, i, i-1)
			continue
		}
		fmt.Fprintf(w, "dn: cn=Person %d,ou=Unit %d,ou=Shore,dc=halv,dc=example\nobjectClass: inetOrgPerson\n"+
			"uid: p%d\nsAMAccountName: P%d\ndisplayName: %s Person%d\nmail: p%d@halv.example\n"+
			"manager: cn=Person %d,ou=Unit %d,ou=Shore,dc=halv,dc=example\nentryUUID: 00000000-0000-4000-8000-%012d\n",
			i, i%97, i, i, given[i%len(given)], i, i, (i+10)%entries, (i+10)%entries%97, i)
		if left && i%1000 == 0 {
			fmt.Fprint(w, "nsAccountLock: TRUE\n")
		}
		fmt.Fprint(w, "\n")
	}
	return w.Flush()
}

// directorySteps takes a directory in and renews what follows from it, beside somebody who writes.
func directorySteps(ctx context.Context, db *sqlite.DB, prog *program.Program, dir string,
	timed func(string, func() error) error) error {
	f, err := os.Open(filepath.Join(dir, "directory.ldif"))
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	defer prog.Renewal.Hold()()
	waited, err := waits(ctx, db, func() error {
		if err := timed("import", func() error {
			res, err := prog.Evidence.ImportWatched(ctx, f, info.Size(), intake.ImportRequest{
				File: "directory.ldif", Author: "bench", AsOf: clock{}.Now()})
			if err == nil && len(res.Aside) > 0 {
				err = fmt.Errorf("%v", res.Aside[0])
			}
			return err
		}); err != nil {
			return err
		}
		return timed("renewal", func() error { return prog.Pipeline.Refresh(ctx) })
	})
	if err != nil {
		return err
	}
	var most time.Duration
	for _, w := range waited {
		most = max(most, w)
	}
	fmt.Printf("waited=%.4f\n", most.Seconds())
	return nil
}
