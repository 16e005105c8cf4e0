// Package e2e drives the real interface in headless Chromium, as a user would.
package e2e

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"ensomet/e2e/browser"
	"ensomet/internal/api"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/standin"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/utils"
)

var (
	chromium *rod.Browser
	demoFile string
)

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(code)
}

// run builds the demo once and starts one browser; each test works on a copy of its own.
func run(m *testing.M) (int, error) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-e2e")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	demoFile = filepath.Join(dir, "demo.db")
	db, err := sqlite.Open(ctx, filepath.Join(dir, "building.db"))
	if err != nil {
		return 1, err
	}
	outside, err := standin.OpenOutside(db.Path)
	if err != nil {
		return 1, err
	}
	a := program.New(db, outside)
	_, err = standin.BuildDemo(ctx, a, outside, api.New(a, outside), func(string) {})
	a.Close()
	if err != nil {
		return 1, err
	}
	if err := errors.Join(db.Backup(ctx, demoFile), db.Close()); err != nil {
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

// open starts a server on a copy of the demo (or on an empty file) and signs in.
func open(t *testing.T, role string, empty bool) (*rod.Page, string) {
	t.Helper()
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "test.db")
	if !empty {
		copyFile(t, demoFile, path)
	}
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	outside, err := standin.OpenOutside(path)
	if err != nil {
		t.Fatal(err)
	}
	a := program.New(db, outside)
	a.Worklist.Deploy, a.Outbox.Mail, a.Demo = outside, outside, true
	handler := api.New(a, outside)
	outside.Connect(handler)
	a.Begin()
	server := httptest.NewServer(handler)
	outsides[server.URL] = outside
	page := chromium.MustIncognito().
		MustPage(server.URL).
		Timeout(patience()).
		Sleeper(func() utils.Sleeper { return utils.BackoffSleeper(20*time.Millisecond, 150*time.Millisecond, nil) })
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
		a.Close()
		db.Close()
	})
	if err := browser.Size(page, 1280, 800); err != nil {
		t.Fatal(err)
	}
	press(t, page, `[data-enter="`+role+`"]`)
	page.MustElement("header")
	return page, server.URL
}

// outsides are the stand-ins of the servers that were opened, by their addresses.
var outsides = map[string]*standin.Outside{}

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

// A folder of files with two bad lines goes in; one line is mended.
func TestImportAFolderAndMendALine(t *testing.T) {
	page, url := open(t, "run", true)
	says(t, page, ".first", "Nothing is here yet")
	dir := t.TempDir()
	for name, text := range map[string]string{
		"titles.csv": "publisher,product,version,licence_model,list_price,currency\n" +
			"Ostwick,Skerrymap,6,commercial,100,EUR\n",
		"devices.csv": "device_id,name,kind,last_scan\nD1,alpha,client,2026-06-29\nD2,beta,client,2026-06-29\n",
		"entitlements.csv": "entitlement_id,publisher,product,metric,quantity,purchased\n" +
			"E1,Ostwick,Skerrymap,device,1,2025-01-01\nE2,Ostwick,Skerrymap,device,-3,2025-01-01\n",
		"installs.csv": "device_id,publisher,name,version,seen_at\nD1,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\n" +
			"D2,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\nD9,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\n",
		"pools.csv": "pool,publisher,product,server,quantity\nhall,Ostwick,Skerrymap,lic-1,2\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	page.MustNavigate(url + "/evidence/files")
	files := []string{}
	for _, n := range []string{"pools.csv", "installs.csv", "entitlements.csv", "devices.csv", "titles.csv"} {
		files = append(files, filepath.Join(dir, n))
	}
	page.MustElement(`input[type="file"]`).MustSetFiles(files...)
	says(t, page, `[data-file="pools.csv"]`, "not stored yet") // the last of them in their order
	press(t, page, "[data-take]")
	says(t, page, `[data-file="pools.csv"]`, "taken in")
	row(t, page, "entitlements.csv", "quantity is -3")
	row(t, page, "installs.csv", `no device "D9"`)
	pressIn(t, page, "", "entitlements.csv", "quantity is -3")
	page.MustElement("[data-mend-text]").MustSelectAllText().MustInput("E2,Ostwick,Skerrymap,device,x,2025-01-01")
	press(t, page, "[data-mend]")
	says(t, page, "[data-says]", "not a whole number")
	page.MustElement("[data-mend-text]").MustSelectAllText().MustInput("E2,Ostwick,Skerrymap,device,3,2025-01-01")
	press(t, page, "[data-mend]")
	says(t, page, "[data-says]", "The line went in")
	row(t, page, "entitlements.csv", "mended")
	page.MustNavigate(url + "/position")
	row(t, page, "Skerrymap", "4", "2 spare")
}

// A name is recognised from the keyboard, and the position moves.
func TestRecogniseANameAndSeeThePositionMove(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/position?q=Lodeglass+Echo")
	row(t, page, "Lodeglass Echo", "6 spare")
	page.MustNavigate(url + "/titles/names")
	page.MustElement("[data-list-search]").MustInput("LGECHO")
	pressIn(t, page, "", "LGECHO")
	page.MustElement("[data-choice]")
	press(t, page, "[data-queue]")
	page.Keyboard.MustType(input.KeyA)
	says(t, page, "[data-effect]", "needed 14 → 25")
	says(t, page, "[data-effect]", "6 spare → 5 short")
	page.Keyboard.MustType(input.Enter)
	says(t, page, ".p-toast", "Decided for 11 installs")
	page.MustNavigate(url + "/position?q=Lodeglass+Echo")
	row(t, page, "Lodeglass Echo", "5 short")
	page.MustNavigate(url + "/titles/names?f=state%3Ddecided&key=qstone%7Clgecho+workstation")
	says(t, page, ".decided", "by Worker on 2026-06-30")
	press(t, page, "[data-take-back]")
	page.MustElement("[data-choice]")
	page.MustNavigate(url + "/position?q=Lodeglass+Echo")
	row(t, page, "Lodeglass Echo", "6 spare")
}

// A shortfall opens down to one device's evidence, each step with its own address.
func TestOpenAShortfallDownToItsEvidence(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/position")
	pressIn(t, page, "", "Saltmark Gauge", "9 short")
	says(t, page, "aside", "12")
	press(t, page, `[data-group="device::out of scope"]`)
	page.MustElement("[data-unit]")
	if n := len(page.MustElements("[data-unit]")); n != 9 {
		t.Fatalf("the group shows %d machines, 9 are short", n)
	}
	press(t, page, "[data-record]")
	says(t, page, "aside", "As the source wrote it")
	says(t, page, "aside", "Saltmark Gauge")
	if at := page.MustInfo().URL; !strings.Contains(at, "trail=") || !strings.Contains(at, "r") {
		t.Errorf("the address %s does not hold the trail", at)
	}
	page.MustReload()
	says(t, page, "aside", "As the source wrote it")
	press(t, page, "[data-unit] a")
	says(t, page, "h1", "hal-")
	row(t, page, "Saltmark Gauge", "counts")
	page.MustNavigateBack()
	says(t, page, "aside", "As the source wrote it")
}

// Who may only look finds nothing to press, and the server refuses what the page does not offer.
func TestLookingChangesNothing(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/worklist?f=kind%3Didle")
	pressIn(t, page, "", "Murrelet Survey")
	says(t, page, "aside", "Working on cases needs the role")
	if page.MustHas("[data-act]") || page.MustHas(`input[type="checkbox"]`) {
		t.Error("a case can be worked on")
	}
	page.MustNavigate(url + "/evidence/files")
	says(t, page, ".page", "taken in by the role")
	if page.MustHas(`input[type="file"]`) {
		t.Error("a file can be sent")
	}
	for _, call := range []string{"/api/cases/act", "/api/names/decide", "/api/entitlements", "/api/policies",
		"/api/demo/move-on", "/api/asides/1/mend", "/api/import/devices?file=x.csv"} {
		status := page.MustEval(`async (path) => (await fetch(path, {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({ids: [1], act: 'agree', key: 'x', product: 1, edition: '', note: '', days: 1, content: 'x', until: ''})})).status`, call).
			Int()
		if status != 403 {
			t.Errorf("%s answers %d to somebody who may only look", call, status)
		}
	}
	page.MustNavigate(url + "/worklist?case=1")
	says(t, page, "[data-case-state]", "open")
}

// The finding line takes one anywhere from the keyboard.
func TestFindFromTheKeyboard(t *testing.T) {
	page, _ := open(t, "look", false)
	page.MustElement(".four")
	page.Keyboard.MustType(input.Slash)
	page.MustElement("[data-find]").MustInput("hall-host-07")
	says(t, page, "#found", "hall-host-07")
	page.Keyboard.MustType(input.Enter)
	says(t, page, "h1", "hall-host-07")
	press(t, page, "h1")
	page.Keyboard.MustType(input.Digit5)
	says(t, page, "h1", "Position")
}

// A right is booked by hand, with the checks of a file, and the position moves.
func TestBookAnEntitlement(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/position?q=Gannet+Pilot")
	row(t, page, "Gannet Pilot", "8 short")
	page.MustNavigate(url + "/entitlements?book=1")
	fill := func(name, value string) {
		page.MustElement(`input[name="` + name + `"]`).MustSelectAllText().MustInput(value)
	}
	fill("entitlement_id", "X-1")
	fill("publisher", "Harrowmere plc")
	fill("product", "Gannet Pilott")
	fill("quantity", "3")
	fill("start", "2026-01-01")
	says(t, page, `[role="alert"]`, "the catalogue has no product")
	fill("product", "Gannet Pilot")
	within(t, page, `() => !document.querySelector('[data-book]').disabled`)
	press(t, page, "[data-book]")
	row(t, page, "X-1")
	page.MustNavigate(url + "/entitlements/line/X-1")
	says(t, page, ".now", "Counts 3 today")
	page.MustNavigate(url + "/position?q=Gannet+Pilot")
	row(t, page, "Gannet Pilot", "5 short")
}

// A stance is set, and its cases appear by themselves; ended, they lapse.
func TestSetAStance(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist/stances")
	says(t, page, "tbody", "category game")
	pickTitle(t, page, "[data-stance-form]", "Clampweave")
	page.MustElement(`input[aria-label="reason"]`).MustInput("superseded")
	says(t, page, "[data-effect]", "5 findings come")
	press(t, page, "[data-effect]")
	row(t, page, "Clampweave", "superseded", "Worker")
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&q=Clampweave")
	row(t, page, "Clampweave", "open")
	says(t, page, "[data-total]", "5 cases")
	page.MustNavigate(url + "/worklist/stances")
	pressIn(t, page, "button", "Clampweave")
	says(t, page, "[data-end-stance]", "5 go")
	press(t, page, "[data-end-stance]")
	if err := page.Wait(rod.Eval(`() => !document.querySelector('tbody').textContent.includes('Clampweave')`)); err != nil {
		t.Fatal("the stance is still there")
	}
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&f=state%3Dlapsed&q=Clampweave")
	says(t, page, "[data-total]", "5 cases")
}

// The window of use is chosen; what forty days of data cannot say of ninety, they can of thirty.
func TestChooseTheWindow(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/use?q=Saltmark+Bench")
	row(t, page, "Saltmark Bench", "not measured")
	press(t, page, "[data-window]")
	press(t, page, "li", "^30$")
	row(t, page, "Saltmark Bench", "unused")
}

// Many cases are worked on at once; one that cannot take the act is told and the others are done.
func TestManyCasesAtOnce(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?q=Kelpline+Profiler")
	says(t, page, "[data-total]", "8 cases")
	press(t, page, `thead input[type="checkbox"]`)
	press(t, page, "button", `Agree to remove \(8\)`)
	says(t, page, "[data-says]", "Done for 8 cases")
	row(t, page, "Kelpline Profiler", "agreed", "at renewal 2026-09-30", "240 EUR")
	press(t, page, `thead input[type="checkbox"]`)
	press(t, page, "button", `Leave as it is… \(8\)`)
	page.MustElement(".keep input").MustInput("the course in autumn needs them")
	page.MustElement(`.keep input[type="date"]`).
		MustEval(`(v) => { this.value = v; this.dispatchEvent(new Event("input")) }`, "2026-12-01")
	press(t, page, "button", "Leave 8 cases as they are")
	row(t, page, "Kelpline Profiler", "kept")
}

// Lists are taken along as files, as they are filtered; and a filter stands in the address.
func TestListsAsFiles(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence?f=age%3Dnever")
	says(t, page, "[data-total]", "12 devices")
	row(t, page, "hal-lost-01", "never scanned", "unknown")
	href := *page.MustElementR("a", "^CSV$").MustAttribute("href")
	text := page.MustEval(`async (u) => (await fetch(u)).text()`, href).Str()
	if n := strings.Count(strings.TrimSpace(text), "\n"); n != 12 || !strings.Contains(text, "hal-lost-12") {
		t.Errorf("the file has %d lines: %s", n, text)
	}
	page.MustElement("[data-list-search]").MustInput("lost-07")
	says(t, page, "[data-total]", "1 device")
	if at := page.MustInfo().URL; !strings.Contains(at, "q=lost-07") || !strings.Contains(at, "age") {
		t.Errorf("the address is %s", at)
	}
	press(t, page, "tbody tr a")
	says(t, page, ".page", "not that the device is clean")
}
