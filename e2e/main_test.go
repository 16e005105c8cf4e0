// Package e2e drives the real interface in headless Chromium, as a user would.
package e2e

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"ensomet/e2e/browser"
	"ensomet/internal/api"
	"ensomet/internal/program"
	"ensomet/internal/rest"
	"ensomet/internal/secret"
	"ensomet/internal/sqlite"
	"ensomet/internal/standin"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/utils"
)

var (
	chromium *rod.Browser
	demoFile string
	// under which the licence keys of the demo are known
	demoSecret secret.File
)

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(code)
}

// run builds the demo once and starts one browser; each test works on a copy of its own. Where ENSOMET_E2E_DEMO names a
// file, the demo lies there: it is built by whoever runs first, and used by the others.
func run(m *testing.M) (int, error) {
	dir, err := os.MkdirTemp("", "ensomet-e2e")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	demoFile = cmp.Or(os.Getenv("ENSOMET_E2E_DEMO"), filepath.Join(dir, "demo.db"))
	demoSecret = secret.Beside(demoFile)
	if _, err := os.Stat(demoFile); errors.Is(err, os.ErrNotExist) {
		err = buildDemo(filepath.Join(dir, "building.db"))
		if err != nil {
			return 1, err
		}
	} else if err != nil {
		return 1, err
	}
	b, end, err := browser.Start()
	if err != nil {
		return 1, err
	}
	defer end()
	chromium = b
	return m.Run(), nil
}

// buildDemo builds the demo in a file, and puts it where the tests look for it.
func buildDemo(path string) error {
	ctx := context.Background()
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		return err
	}
	outside, err := standin.OpenOutside(db.Path)
	if err != nil {
		return err
	}
	prog := program.New(db, outside)
	_, err = standin.BuildDemo(ctx, prog, outside, api.New(prog, outside), func(string) {})
	prog.Close()
	if err != nil {
		return err
	}
	key, err := secret.Beside(path).Read()
	if err == nil {
		err = os.WriteFile(string(demoSecret), key, 0o600)
	}
	return errors.Join(err, db.Backup(ctx, demoFile), db.Close())
}

// open starts a server on a copy of the demo (or on an empty file) and signs in.
func open(t *testing.T, role string, empty bool) (*rod.Page, string) {
	t.Helper()
	return openAt(t, "", role, empty)
}

// openAt is open for a house that reaches the program by a name of its own; empty is by its number.
func openAt(t *testing.T, name, role string, empty bool) (*rod.Page, string) {
	t.Helper()
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "test.db")
	if !empty {
		copyFile(t, demoFile, path)
		copyFile(t, string(demoSecret), string(secret.Beside(path)))
	}
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	outside, err := standin.OpenOutside(path)
	if err != nil {
		t.Fatal(err)
	}
	prog := program.New(db, outside)
	prog.Worklist.Deploy, prog.Outbox.Mail, prog.Demo = outside, outside, true
	line := new(atomic.Bool)
	var handler http.Handler
	server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if line.Load() {
			panic(http.ErrAbortHandler) // as a server that goes away, or a line that breaks
		}
		handler.ServeHTTP(w, r)
	}))
	url := "http://" + server.Listener.Addr().String()
	var site rest.Site
	if name != "" {
		_, port, err := net.SplitHostPort(server.Listener.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		url = "http://" + name + ":" + port
		if site, err = rest.ParseSite(url, nil); err != nil {
			t.Fatal(err)
		}
	}
	prog.Worklist.Address = url
	prog.Places.Roots = []string{os.TempDir()}
	served := api.At(site, prog, outside)
	handler = served
	outside.Connect(served)
	prog.Begin()
	server.Start()
	outsides[url], cuts[url] = outside, line
	page := chromium.MustIncognito().
		MustPage(url).
		Timeout(patience()).
		Sleeper(quickly)
	t.Cleanup(func() {
		if t.Failed() {
			if img, err := page.CancelTimeout().Screenshot(false, nil); err == nil {
				file := filepath.Join(os.TempDir(), strings.ReplaceAll(t.Name(), "/", "-")+".png")
				_ = os.WriteFile(file, img, 0o644)
				t.Log("what it looked like:", file)
			}
		}
		_ = page.Close()
		server.Close()
		prog.Close()
		db.Close()
	})
	if err := browser.Size(page, 1280, 800); err != nil {
		t.Fatal(err)
	}
	press(t, page, `[data-enter="`+role+`"]`)
	page.MustElement("header")
	return page, url
}

// quickly looks again soon.
func quickly() utils.Sleeper {
	return utils.BackoffSleeper(20*time.Millisecond, 150*time.Millisecond, nil)
}

// outsides are the stand-ins of the servers that were opened, by their addresses.
var outsides = map[string]*standin.Outside{}

// cuts say of which servers the line is cut.
var cuts = map[string]*atomic.Bool{}

// patience is how long a test waits for anything.
func patience() time.Duration {
	if n, err := strconv.Atoi(os.Getenv("E2E_SECONDS")); err == nil { // shorter while one looks for a fault
		return time.Duration(n) * time.Second
	}
	return 300 * time.Second
}

func copyFile(t *testing.T, from, to string) {
	t.Helper()
	in, err := os.Open(from)
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := io.Copy(out, in); err != nil {
		t.Fatal(err)
	}
	if err := out.Close(); err != nil {
		t.Fatal(err)
	}
}

// row waits for a row of a list whose text has all the parts.
func row(t *testing.T, page *rod.Page, parts ...string) *rod.Element {
	t.Helper()
	el, err := page.ElementByJS(
		rod.Eval(
			`(...parts) => [...document.querySelectorAll('tbody tr')].find((r) => parts.every((p) => r.textContent.includes(p))) ?? null`,
			toAny(parts)...),
	)
	if err != nil {
		t.Fatalf("no row has %v: %v", parts, err)
	}
	return el
}

func toAny(list []string) []any {
	var out []any
	for _, s := range list {
		out = append(out, s)
	}
	return out
}

// says waits until an element's text has a part.
func says(t *testing.T, page *rod.Page, selector, part string) {
	t.Helper()
	err := page.Wait(
		rod.Eval(`(s, p) => [...document.querySelectorAll(s)].some((e) => e.textContent.includes(p))`, selector, part),
	)
	if err != nil {
		text := "nothing"
		if els, err := page.CancelTimeout().Elements(selector); err == nil && len(els) > 0 {
			text = els[0].MustText()
		}
		t.Fatalf("%s never says %q; it says %q", selector, part, text)
	}
}
