package standin

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/api"
	"ensomet/internal/formats"
)

var (
	goldenAll = flag.Bool("golden-all", false, "look at all three days, at each device too: some minutes")
	goldenTo  = flag.String("golden-to", "", "write all that the golden is made of into this folder, to be compared")
	goldenNew = flag.Bool("golden-new", false, "take what comes out as the new golden")
)

// goldenDays are how many days pass before each look at the demo.
var goldenDays = []int{0, 9, 31}

// make test looks at every sixth thing of those that have a page each.
const (
	goldenEach = 6
	ofSome     = " of some"
)

// volatile are what the demo answers differently from run to run: times that work took, and random names.
var volatile = []string{
	"/api/status",
	"/api/news",
	"/api/me",
	"/api/tokens",
	"/api/how-far/{key}",
	"/api/proofs/{id}",
	"/api/catalogue/updates",
}

// All that the demo says on three days is what it was: every file of every kind, every list, every page of each
// product, device, line, case, statement and pool. The golden keeps a sum of each; a change that is wanted is looked
// at with -golden-to, on the program before and after, and taken with -golden-new. make golden looks at all of it,
// make test at the first day alone, and at one thing of six.
func TestGolden(t *testing.T) {
	ctx := context.Background()
	prog, o, _ := demo(t)
	prog.Demo = true
	server := api.New(prog, o)
	g := &golden{listReader: signedIn(t, server), sums: &bytes.Buffer{}}
	defer prog.Renewal.Hold()()
	for _, days := range goldenDays {
		if days > 0 {
			if !*goldenAll {
				break
			}
			if _, err := o.MoveOn(ctx, prog, days); err != nil {
				t.Fatal(err)
			}
			if err := renew(ctx, prog); err != nil {
				t.Fatal(err)
			}
		}
		g.day = o.Now().Format("2006-01-02")
		for _, k := range append(slices.Clone(formats.Kinds), formats.Positions) {
			if k.InOnly {
				continue
			}
			var file bytes.Buffer
			write := func(row []string) error {
				_, err := fmt.Fprintf(&file, "%q\n", row)
				return err
			}
			if err := prog.Reports.Export(ctx, k.Name, 0, write, write); err != nil {
				t.Fatal(k.Name, err)
			}
			g.keep("export "+k.Name, file.Bytes())
		}
		g.lookAtAll()
	}
	const kept = "testdata/golden.txt"
	if *goldenNew {
		if err := os.WriteFile(kept, g.sums.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(kept)
	if err != nil {
		t.Fatal(err)
	}
	before, now := strings.Split(string(want), "\n"), strings.Split(g.sums.String(), "\n")
	for _, line := range now {
		if !slices.Contains(before, line) {
			t.Errorf("is now  %s", line)
		}
	}
	for _, line := range before {
		ofAll := strings.Contains(line, "{") && !strings.Contains(line, ofSome)
		if (*goldenAll || strings.HasPrefix(line, g.day) && !ofAll) && !slices.Contains(now, line) {
			t.Errorf("was     %s", line)
		}
	}
}

// golden gathers what the demo says, as sums and, if wanted, as files.
type golden struct {
	*listReader
	day  string
	sums *bytes.Buffer
}

func (g *golden) keep(what string, content []byte) {
	fmt.Fprintf(g.sums, "%s %-44s %9d %x\n", g.day, what, len(content), sha256.Sum256(content))
	if *goldenTo == "" {
		return
	}
	name := strings.NewReplacer("/", "_", " ", "_").Replace(g.day + " " + what)
	if err := os.WriteFile(filepath.Join(*goldenTo, name), content, 0o644); err != nil {
		g.t.Fatal(err)
	}
}

// lookAtAll asks everything that can be asked by GET: once where no number is named, else for each thing that has one.
func (g *golden) lookAtAll() {
	of := func(list, column string) (out []string) {
		var rows []map[string]any
		status, body := g.ask("/api/"+list+".json", nil)
		if err := json.Unmarshal(body, &rows); status != http.StatusOK || err != nil {
			g.t.Fatal(list, status, err)
		}
		for _, r := range rows {
			out = append(out, fmt.Sprint(r[column]))
		}
		slices.Sort(out)
		return out
	}
	ids := map[string][]string{
		"products": of(
			"products",
			"id",
		), "devices": of("devices", "code"), "entitlements": of("entitlements", "code"), "cases": of("cases", "id"),
		"pools":      of("pools", "id"),
		"statements": g.numbers("/api/statements"),
	}
	for _, path := range g.paths() {
		if slices.Contains(volatile, path) {
			continue
		}
		station, rest, one := strings.Cut(strings.TrimPrefix(path, "/api/"), "/{")
		if !one {
			if status, body := g.ask(path, nil); status == http.StatusOK {
				g.keep(path, body)
			}
			if status, body := g.ask(path+".csv", nil); status == http.StatusOK &&
				!bytes.HasPrefix(body, []byte("<!")) {
				g.keep(path+".csv", body)
			}
			continue
		}
		_, rest, _ = strings.Cut(rest, "}")
		var all, some bytes.Buffer
		for i, id := range ids[station] {
			if !*goldenAll && i%goldenEach != 0 {
				continue
			}
			q := url.Values{"from": {"2026-03-31"}, "limit": {"100000"}}
			if !strings.HasSuffix(path, "/units") {
				q.Del("limit")
			}
			status, body := g.ask("/api/"+station+"/"+url.PathEscape(id)+rest, q)
			fmt.Fprintf(&all, "%s %d\n%s\n", id, status, body)
			if i%goldenEach == 0 {
				fmt.Fprintf(&some, "%s %d\n%s\n", id, status, body)
			}
		}
		if all.Len() > 0 && *goldenAll {
			g.keep(path, all.Bytes())
		}
		if some.Len() > 0 {
			g.keep(path+ofSome, some.Bytes())
		}
	}
}

// numbers are the ids of a list that is no paged one.
func (g *golden) numbers(path string) (out []string) {
	var rows []struct {
		ID json.Number `json:"id"`
	}
	status, body := g.ask(path, nil)
	if err := json.Unmarshal(body, &rows); status != http.StatusOK || err != nil {
		g.t.Fatal(path, status, err)
	}
	for _, r := range rows {
		out = append(out, r.ID.String())
	}
	return out
}

// paths are all that can be asked by GET, as the program's own description has them.
func (g *golden) paths() (out []string) {
	var description struct {
		Paths map[string]map[string]any `json:"paths"`
	}
	if _, body := g.ask("/openapi.json", nil); json.Unmarshal(body, &description) != nil {
		g.t.Fatal("the description cannot be read")
	}
	for path, methods := range description.Paths {
		if methods["get"] != nil {
			out = append(out, path)
		}
	}
	slices.Sort(out)
	return out
}

// signedIn is somebody who may look, in a demo.
func signedIn(t *testing.T, server http.Handler) *listReader {
	t.Helper()
	r := httptest.NewRequest(http.MethodPost, "http://localhost/api/sign-in/demo", strings.NewReader(`{"role":"look"}`))
	r.Header.Set("Content-Type", "application/json")
	w := httptest.NewRecorder()
	server.ServeHTTP(w, r)
	if w.Code >= 300 {
		t.Fatal(w.Code, w.Body)
	}
	return &listReader{t, server, w.Header().Get("Set-Cookie")}
}
