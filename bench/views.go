package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime/pprof"
	"slices"
	"strings"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/core/access"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// measureViews measures how long each answer takes that pages ask for and whose address has something in it, on the
// file that was kept in a folder, and prints the slowest. Where scanned is set a device reports before each of them,
// and figures have that.
func measureViews(dir, only, profile string, scanned bool) error {
	ctx := context.Background()
	db, err := sqlite.Open(ctx, filepath.Join(dir, "bench.db"))
	if err != nil {
		return err
	}
	defer db.Close()
	prog := program.New(db, clock{})
	defer prog.Close()
	const password = "a long enough password"
	if err := prog.People.SaveAccount(ctx, "reader", access.Admin, password); err != nil {
		return err
	}
	server := api.New(prog, nil)
	srv := httptest.NewServer(server)
	defer srv.Close()
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	client := &http.Client{Jar: jar, Timeout: time.Minute}
	res, err := client.Post(srv.URL+"/api/sign-in", "application/json",
		strings.NewReader(`{"name":"reader","password":"`+password+`"}`))
	if err != nil {
		return err
	}
	if err := res.Body.Close(); err != nil {
		return err
	}
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("signing in: status %d", res.StatusCode)
	}
	description, err := server.Description()
	if err != nil {
		return err
	}
	paths, err := viewPaths(ctx, prog, description)
	if err != nil {
		return err
	}
	paths = slices.DeleteFunc(paths, func(p string) bool { return !strings.Contains(p, only) })
	if len(paths) == 0 {
		return fmt.Errorf("no view has %q in its address", only)
	}
	if profile != "" {
		f, err := os.Create(profile)
		if err == nil {
			err = pprof.StartCPUProfile(f)
		}
		if err != nil {
			return err
		}
		defer pprof.StopCPUProfile()
	}
	type answer struct {
		path         string
		middle, most time.Duration
		size         int64
	}
	var list []answer
	reporting := scans{prog: prog, at: clock{}.Now()}
	report := func(i int) error {
		device := 500 + i%400
		scan, err := reporting.of(ctx, device, fmt.Sprintf("D%06d", device), 0)
		if err == nil {
			_, err = prog.Evidence.TakeScan(ctx, "collector", "id", scan)
		}
		if err == nil {
			err = prog.Pipeline.Refresh(ctx)
		}
		return err
	}
	var all []time.Duration
	for _, path := range paths {
		var took []time.Duration
		a := answer{path: path}
		for range 5 {
			if scanned {
				if err := report(len(all) + len(took)); err != nil {
					return err
				}
			}
			start := time.Now()
			res, err := client.Get(srv.URL + path)
			if err != nil {
				fmt.Printf("  %s: %v\n", path, err)
				took = append(took, time.Minute)
				break
			}
			a.size, err = io.Copy(io.Discard, res.Body)
			if err := errors.Join(err, res.Body.Close()); err != nil {
				return err
			}
			took = append(took, time.Since(start))
			if res.StatusCode != http.StatusOK {
				fmt.Printf("  %s: status %d\n", path, res.StatusCode)
				break
			}
		}
		all = append(all, took...)
		slices.Sort(took)
		a.middle, a.most = took[len(took)/2], took[len(took)-1]
		list = append(list, a)
	}
	slices.SortFunc(list, func(a, b answer) int { return int(b.middle - a.middle) })
	slices.Sort(all)
	fmt.Printf("%d views, each asked for five times: half of the answers within %v, 95 %% within %v, the slowest %v\n",
		len(list), all[len(all)/2].Round(time.Millisecond), all[len(all)*95/100].Round(time.Millisecond),
		all[len(all)-1].Round(time.Millisecond))
	for _, a := range list[:min(25, len(list))] {
		fmt.Printf("  %7.0f ms in the middle, %7.0f ms at most, %8d bytes  %s\n", 1000*a.middle.Seconds(),
			1000*a.most.Seconds(), a.size, a.path)
	}
	return nil
}

type parameter struct{ Name string }

// operation is what is described of a route.
type operation struct {
	ID         string `json:"operationId"`
	Parameters []parameter
}

// viewPaths are the addresses of all answers that pages ask for, as the description of the program lists them, with
// things of the estate in their places; and lists as people sort, filter, search and split them.
func viewPaths(ctx context.Context, prog *program.Program, text []byte) (out []string, err error) {
	var description struct {
		Paths map[string]map[string]operation `json:"paths"`
	}
	if err := json.Unmarshal(text, &description); err != nil {
		return nil, err
	}
	var product, record, line string
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRowContext(ctx, `SELECT product_id, (SELECT min(id) FROM record), (SELECT code FROM
			entitlement LIMIT 1) FROM position ORDER BY needed DESC LIMIT 1`).Scan(&product, &record, &line)
	}); err != nil {
		return nil, err
	}
	places := strings.NewReplacer("/products/{id}", "/products/"+product, "/records/{id}", "/records/"+record,
		"/cases/{id}", "/cases/1", "/devices/{code}", "/devices/D000100", "/entitlements/{code}", "/entitlements/"+line)
	for path, verbs := range description.Paths {
		if path = places.Replace(path); verbs["get"].ID == "" || strings.Contains(path, "{") {
			continue
		}
		if slices.ContainsFunc(verbs["get"].Parameters, func(p parameter) bool { return p.Name == "count" }) {
			path += "?count=some"
		}
		out = append(out, path)
	}
	out = append(out,
		"/api/devices?limit=1&split=age",
		"/api/devices?count=some&sort=installs&desc=true",
		"/api/devices?count=some&q=D0001",
		"/api/devices?count=some&sort=lastSeen",
		"/api/use?count=some&sort=last&desc=true",
		"/api/use?limit=1&split=class",
		"/api/use?count=some&f=class%3Dunused",
		"/api/use?count=some&q=Loom",
		"/api/use?count=some&q=Loom&sort=last&desc=true",
		"/api/use?count=some&q=D000123",
		"/api/names?count=some&sort=devices&desc=true",
		"/api/positions?count=some&sort=short&desc=true",
		"/api/cases?limit=1&split=kind",
		"/api/splits/installs?by=site",
		"/api/splits/use?by=site",
		"/api/splits/titles?by=kind",
		"/api/splits/titles?by=source",
		"/api/splits/use?by=source",
	)
	slices.Sort(out)
	return out, nil
}
