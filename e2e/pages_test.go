package e2e

import (
	"strings"
	"sync"
	"testing"

	"ensomet/e2e/browser"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
)

// pages are all the addresses that one can stand on, each with what must be there.
var pages = []struct{ path, selector, text string }{
	{"/", ".four", "Where are money and risk?"},
	{"/evidence", "tbody tr", "hal-"},
	{"/evidence/D0001", "h1", "hal-chart-001"},
	{"/evidence/D1203", ".page", "nobody has looked"},
	{"/evidence/none", ".says", "no such thing"},
	{"/evidence/files", "tbody tr", "installs.csv"},
	{"/evidence?split=environment", "[data-split]", "production"},
	{"/evidence?f=hasProduct%3D1", "[data-having]", "Skerrymap Suite"},
	{"/evidence/D0313", "[data-differ]", "deployment tool"},
	{"/evidence/D0311", "[data-same]", "D0312"},
	{"/evidence/where", "[data-levels] tr", "Ashquill"},
	{"/evidence/where?publisher=Ostwick+Foundry+Ltd&product=1&version=6", "[data-holders] tr", "hal-chart"},
	{"/evidence/find?name=*.exe", "[data-found]", "devices"},
	{"/evidence/changes", "tbody tr", "installed"},
	{"/evidence/changes?rules=yes", "[data-rule-form]", "ip address"},
	{"/evidence/changes/mail", "tbody tr", "Do you still need it?"},
	{"/evidence/groups?group=new", "[data-box]", "all of these hold"},
	{"/evidence/scans", "[data-plan]", "Vessels"},
	{"/evidence/people", "tbody tr", "Aslo Alkeskar"},
	{"/evidence/people/u0246", "[data-names]", "the list of users"},
	{"/evidence/people/nobody", ".says", "no such thing"},
	{"/evidence/alike", "[data-pairs]", "tbrattmyr"},
	{"/evidence/moves", ".page", "Nobody has joined"},
	{"/evidence/places", ".page", "No place is watched yet"},
	{"/evidence/directories", ".page", "No directory is read yet"},
	{"/evidence/senders", ".page", "Who sends"},
	{"/evidence/splits", "[data-split-table]", "client"},
	{"/titles/splits?by=site", "[data-split-table]", "Reyksker"},
	{"/use/splits", "[data-split-table]", "client"},
	{"/worklist/splits?by=own:lease", "[data-split-table]", "owned"},
	{"/evidence/same", "[data-pairs]", "hal-chart-twin"},
	{"/evidence/sources", "[data-sources]", "deployment tool"},
	{"/evidence/compare?left=D0001&right=D0655", "[data-warning]", "days apart"},
	{"/titles", "tbody tr", "Brineweft"},
	{"/titles/1", "h1", "Skerrymap Suite"},
	{"/titles/names", "tbody tr", "open"},
	{"/titles/rules", "[data-rules]", "the bench is no production"},
	{"/titles/rules?rule=new", "[data-rule-form]", "Give it a name"},
	{"/titles/unsigned", ".settings", "never: a person decides"},
	{"/titles/publishers", "tbody tr", "Ashquill"},
	{"/titles/life?f=devices%3D%3E0", "[data-ending-months] td", "1"},
	{"/titles/newer", "[data-runs] tbody", "37\u202f231"},
	{"/entitlements", "tbody tr", "L-0001"},
	{"/entitlements/ends", "[data-ends] tbody", "Sternpost Courier"},
	{"/entitlements/seats", "tbody tr", "Fjordpen Notes"},
	{"/entitlements/keys", "section.list tbody tr", "on more than were bought"},
	{"/entitlements/contracts?code=K-11", "[data-contracts] tbody", "Databases of the hall"},
	{"/entitlements/spend", "[data-spend] tbody tr", "Ltd"},
	{"/entitlements/spend?by=use&under=Shore", "[data-spend]", "Workshop"},
	{"/entitlements/held/u0001", "h1", "What Aslo"},
	{"/entitlements/line/L-0008", "[data-days]", "2024-02-01"},
	{"/position/352", "[data-parts] tbody tr", "Hall"},
	{"/position/changes?from=2026-03-31", "[data-step-bars]", "rights expired"},
	{"/position/changes?from=2025-01-31&product=368", "[data-steps] tbody", "rights transferred"},
	{"/position/try?scenario=1", "[data-tried]", "Gannet Engine"},
	{"/position/statements?id=1", ".one", "1 position differs"},
	{"/use", "tbody tr", "regular"},
	{"/use/title/386", "[data-use-months]", "not measured"},
	{"/use/pools", "tbody tr", "engine-tokens"},
	{"/use/pools?pool=2", "[data-sizing-curve]", "today 6"},
	{"/use/measured", ".page", "How long it is kept"},
	{"/position", "tbody tr", "short"},
	{"/position?trail=p1/gdevice%3A%3Aall%20used/r1-0", "aside", "As the source wrote it"},
	{"/worklist", "tbody tr", "not covered"},
	{"/worklist?case=7", "[data-case-state]", "Restricted software"},
	{"/worklist/together", "[data-lots]", "support ends"},
	{"/worklist/orders", "[data-waves]", "orders of 2026-06-26"},
	{"/worklist/standing", "[data-standing]", "remove Gyrelatch 1"},
	{"/worklist/reclaim", "[data-reclaim]", "everything else"},
	{"/worklist/saved", "[data-sums]", "at renewal"},
	{"/worklist/saved?ledger=potential", "section.list tbody tr", "Mosaic"},
	{"/worklist?f=kind%3Duncovered&q=Saltmark+Gauge", "section.list tbody tr", "not covered"},
	{"/position/14", "[data-ways]", "keep maintenance of"},
	{"/position/22", "[data-ways]", "take back the 4 that nobody uses"},
	{"/worklist/stances", "tbody tr", "category game"},
	{"/help", "table", "find a device"},
	{"/nowhere/at/all", "h1", "There is no such page"},
}

// Every page comes up, loaded by its address as somebody who may only look, and walked to as somebody who may do
// everything: nothing is thrown, nothing breaks the content policy, and nothing is asked of another host. Nor is
// anything wider than the window, at 1280, at 820 and at 200 % of 1280, with all that one may do on it; wide tables
// scroll by themselves.
func TestEveryPageComesUpClean(t *testing.T) {
	for _, role := range []string{"look", "run"} {
		page, url := open(t, role, false)
		var mu sync.Mutex
		var wrong []string
		note := func(text string) {
			mu.Lock()
			defer mu.Unlock()
			wrong = append(wrong, text)
		}
		go page.EachEvent(func(e *proto.RuntimeExceptionThrown) {
			note("thrown: " + e.ExceptionDetails.Text)
		}, func(e *proto.LogEntryAdded) {
			if e.Entry.Level == proto.LogLogEntryLevelError && !strings.Contains(e.Entry.Text, "404") {
				note("logged: " + e.Entry.Text)
			}
		}, func(e *proto.RuntimeConsoleAPICalled) {
			if e.Type == proto.RuntimeConsoleAPICalledTypeError && len(e.Args) > 0 {
				note("said: " + e.Args[0].Description + e.Args[0].Value.Str())
			}
		}, func(e *proto.NetworkRequestWillBeSent) {
			if !strings.HasPrefix(e.Request.URL, url) && !strings.HasPrefix(e.Request.URL, "data:") {
				note("asked of another host: " + e.Request.URL)
			}
		})()
		if role == "run" {
			page.MustNavigate(url + "/help")
			says(t, page, "table", "find a device")
		}
		for _, p := range pages {
			if role == "look" {
				page.MustNavigate(url + p.path)
				says(t, page, p.selector, p.text)
			} else {
				walk(page, p.path)
				says(t, page, p.selector, p.text)
				sticksOut(t, page, p.path)
			}
			mu.Lock()
			if len(wrong) > 0 {
				t.Errorf("%s as %s: %v", p.path, role, wrong)
			}
			wrong = nil
			mu.Unlock()
		}
	}
}

// walk goes to an address as the browser's back and forward do, without loading the program anew, which must have
// come up.
func walk(page *rod.Page, path string) {
	page.MustEval(
		`(path) => { history.pushState({}, '', path); dispatchEvent(new PopStateEvent('popstate', { state: {} })) }`,
		path,
	)
}

// An empty file leads on from every page instead of showing nothing.
func TestEveryPageOfAnEmptyFile(t *testing.T) {
	page, url := open(t, "run", true)
	for path, text := range map[string]string{
		"/": "Nothing is here yet", "/evidence": "take in a devices.csv", "/titles": "take in a titles.csv",
		"/titles/names": "No names yet", "/titles/rules": "No rule was made yet",
		"/titles/unsigned": "Nothing waits to be signed off", "/titles/publishers": "No publishers yet",
		"/titles/life": "No release of the catalogue has a date yet", "/titles/newer": "Drop a titles.csv",
		"/entitlements":      "take in an entitlements.csv",
		"/entitlements/ends": "Nothing ends in this time", "/entitlements/seats": "Nobody holds a seat yet",
		"/entitlements/keys":      "No licence key is known yet",
		"/entitlements/contracts": "No line names a contract yet", "/entitlements/spend": "No entitlement has a price",
		"/position/changes": "0 positions moved", "/position/try": "Nothing is being tried",
		"/position/statements": "Nothing has been handed over yet", "/use": "Nothing to measure yet",
		"/position": "No position yet", "/worklist": "Nothing is to be done",
		"/worklist/stances": "Nothing is restricted", "/worklist/together": "Nothing is to be done",
		"/worklist/orders": "No order was ever sent", "/worklist/reclaim": "everything else",
		"/worklist/standing": "None yet: every case waits for somebody",
		"/worklist/saved":    "Nothing was saved yet", "/use/pools": "No licence server has told",
		"/use/measured": "Every title is measured", "/evidence/files": "No line was ever put aside",
		"/evidence/where": "Nothing is installed here yet", "/evidence/changes": "Nothing has changed",
		"/evidence/groups": "No group was made yet", "/evidence/scans": "Nothing is planned",
		"/evidence/senders": "No scan has come",
		"/evidence/splits":  "nothing of this yet", "/worklist/splits": "nothing of this yet",
		"/use/splits": "nothing of this yet", "/titles/splits": "nothing of this yet",
		"/evidence/same":    "No two devices look like one machine",
		"/evidence/sources": "Nothing has reported yet",
		"/evidence/people":  "Nobody is known yet", "/evidence/find": "Type a name",
		"/evidence/moves": "Nobody has joined", "/evidence/directories": "No directory is read yet",
		"/evidence/places":  "No place is watched yet",
		"/evidence/alike":   "No two names look like one person",
		"/evidence/compare": "Choose two devices",
	} {
		page.MustNavigate(url + path)
		says(t, page, ".page", text)
	}
}

// sticksOut complains where a page is wider than the window, at several widths.
func sticksOut(t *testing.T, page *rod.Page, path string) {
	t.Helper()
	for _, width := range []int{820, 640, 1280} {
		if err := browser.Size(page, width, 800); err != nil {
			t.Fatal(err)
		}
		if over := tooWide(page); over > 1 {
			t.Errorf("at %d, %s is %d pixels too wide", width, path, over)
		}
	}
}

// tooWide says by how many pixels the page sticks out of the window once its layout rests: a picture follows the
// window some frames later, on a busy machine many.
func tooWide(page *rod.Page) int {
	return page.MustEval(`async () => {
		const frame = () => new Promise((done) => requestAnimationFrame(done));
		const over = () => document.documentElement.scrollWidth - window.innerWidth;
		for (let i = 0; i < 120; i++) {
			await frame();
			if (i > 2 && over() <= 1) break;
		}
		return over();
	}`).Int()
}

// At 1280 by 800 a list shows twenty rows or more.
func TestTwentyRows(t *testing.T) {
	page, url := open(t, "run", false)
	for _, path := range []string{"/evidence", "/titles", "/entitlements", "/use", "/position", "/position?trail=p1",
		"/worklist", "/titles/names", "/titles/publishers", "/titles/life"} {
		page.MustNavigate(url + path)
		page.MustElement("section.list tbody tr")
		if err := page.Wait(rod.Eval(`() => [...document.querySelectorAll('section.list tbody tr')].filter((r) => r.getBoundingClientRect().bottom <= window.innerHeight).length >= 20`)); err != nil {
			t.Errorf("%s never shows twenty rows", path)
		}
	}
}

// Lists work from the keyboard: down and up move, Enter opens, Escape closes; the colours stay as chosen.
func TestKeyboardAndColours(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/position")
	row(t, page, "Skerrymap Suite")
	page.MustElement("section.list tbody tr").MustFocus()
	page.Keyboard.MustType(input.ArrowDown, input.ArrowDown, input.ArrowUp, input.Enter)
	page.MustElement("aside [data-group]")
	second := page.MustEval(`() => document.querySelectorAll('section.list tbody tr')[1].textContent.includes(document.querySelector('aside h2').textContent.trim())`).
		Bool()
	if !second {
		t.Error("Enter has not opened the second row")
	}
	page.Keyboard.MustType(input.Escape)
	if err := page.Wait(rod.Eval(`() => !document.querySelector('aside')`)); err != nil {
		t.Error("Escape does not close the trail")
	}
	isDark := func() bool { return page.MustEval(`() => document.documentElement.classList.contains('dark')`).Bool() }
	before := isDark()
	press(t, page, "header button", "^(Dark|Light)$")
	if isDark() == before {
		t.Error("the colours do not change")
	}
	page.MustReload()
	page.MustElement("header")
	if isDark() == before {
		t.Error("the colours chosen are forgotten")
	}
}
