package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
)

// Two change one stance: each sees that the other has it open; the second is told what the first changed, and what is
// chosen holds. Who ends it as it was is told, too.
func TestTwoEditorsOfAStance(t *testing.T) {
	first, url := open(t, "work", false)
	other := second(t, first, url, "run")
	for _, page := range []*rod.Page{first, other} {
		page.MustNavigate(url + "/worklist/stances?edit=3")
		page.MustElement("[data-stance-form][data-editing]")
	}
	says(t, other, "[data-others]", "Worker has this open, too")
	fill(other, `[aria-label="reason"]`, "films are for evenings")
	fill(first, `[aria-label="reason"]`, "films are for the mess")
	within(t, first, `() => document.querySelector('[data-effect]')?.textContent.includes('findings')`)
	press(t, first, "[data-effect]")
	says(t, first, "[data-stances]", "films are for the mess")
	within(t, other, `() => document.querySelector('[aria-label="reason"]').value === 'films are for evenings'`)
	press(t, other, "[data-effect]")
	says(t, other, "[data-conflict]", "Worker")
	says(t, other, "[data-conflict]", "films are for the mess")
	look(t, other, "two-stances")
	press(t, other, "[data-settle]")
	says(t, other, "[data-stances]", "films are for evenings")
}

// Two are at one name: the second is told what the first decided, nothing is decided over it, and looking at it as it
// is now he may.
func TestTwoDecideOneName(t *testing.T) {
	first, url := open(t, "work", false)
	other := second(t, first, url, "run")
	key := first.MustEval(`() => fetch('/api/names?q=Otterburne-Vik%20AS%20Yawratchet').then((r) => r.json())
		.then((l) => encodeURIComponent(l.rows[0].key))`).Str()
	for _, page := range []*rod.Page{first, other} {
		page.MustNavigate(url + "/titles/names?key=" + key)
		page.MustElement("[data-choice]")
	}
	press(t, other, "[data-choice]")
	says(t, other, "[data-effect]", "install")
	says(t, first, "[data-others]", "Runner has this open, too; Runner is changing it")
	decide := `() => fetch('/api/names/one?key=' + encodeURIComponent(new URLSearchParams(location.search).get('key')))
		.then((r) => r.json())
		.then((n) => fetch('/api/names/decide', { method: 'POST', headers: { 'Content-Type': 'application/json' },
			body: JSON.stringify({ keys: [n.key], revisions: [n.revision], product: 0, edition: '', note: '' }) }))
		.then((r) => r.status)`
	if status := first.MustEval(decide).Int(); status != 200 {
		t.Fatal(status)
	}
	press(t, other, "[data-effect]")
	says(t, other, "aside .says", "Worker was at this name")
	says(t, other, "aside .says", "not software that counts")
	says(t, other, "aside .decided", "not software that counts")
	look(t, other, "two-names")
	press(t, other, "aside .decided button", "Decide otherwise")
	press(t, other, "[data-choice]")
	says(t, other, "[data-effect]", "install")
	press(t, other, "[data-effect]")
	within(t, other, `() => fetch('/api/names?f=state%3Ddecided&q=Otterburne-Vik%20AS%20Yawratchet')
		.then((r) => r.json()).then((l) => l.rows.some((n) => n.revision === 2))`)
}

// What is typed into a rule, a publisher, a title, a scenario and a note survives a reload, is offered again, and is
// saved from there.
func TestDraftsOfOtherForms(t *testing.T) {
	page, url := open(t, "work", false)
	for _, form := range []struct{ path, begin, field string }{
		{"/titles/rules?rule=1", "", "[data-reason]"},
		{"/titles/rules?rule=new", "", "[data-rule-name]"},
		{"/titles/publishers?publisher=1", "", "[data-publisher-successor]"},
		{"/worklist/reclaim?edit=1", "", `[aria-label="note"]`},
		{"/worklist/standing?edit=1", "", `[aria-label="note"]`},
		{"/worklist/stances", "", `[aria-label="reason"]`},
		{"/evidence/changes?rules=yes", "", `[data-rule-form] [aria-label="publisher"]`},
		{"/position/try?scenario=1", "", `[name="scenario"]`},
		{"/titles/1", "[data-title-change]", "[data-title-version]"},
		{"/titles/1?rename=yes", "", "[data-rename-name]"},
		{"/titles/1", "", "[data-note]"},
	} {
		page.MustNavigate(url + form.path)
		if form.begin != "" {
			press(t, page, form.begin)
		}
		page.MustElement(form.field)
		fill(page, form.field, "half a thought")
		page.MustReload()
		within(t, page, `(field) => document.querySelector(field)?.value === 'half a thought'`, form.field)
		if form.field != "[data-note]" {
			says(t, page, "[data-kept]", "not saved")
			page.MustEval(`() => document.querySelector('[data-kept] button').click()`)
			within(t, page, `(field) => document.querySelector(field)?.value !== 'half a thought'`, form.field)
		}
	}
	press(t, page, "[data-note-save]")
	says(t, page, "[data-remarks]", "half a thought")
	within(t, page, `() => document.querySelector('[data-note]').value === ''`)
	page.MustReload()
	says(t, page, "[data-remarks]", "half a thought")
	within(t, page, `() => document.querySelector('[data-note]').value === ''`)
}

// What cannot be taken back asks first; Esc, “no” and going elsewhere change nothing.
func TestWhatCannotBeTakenBackAsks(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/senders")
	fill(page, "[data-source]", "yard")
	press(t, page, "[data-give]")
	page.MustElement("[data-secret]")
	press(t, page, `[data-token="yard"] [data-ask]`)
	says(t, page, `[data-token="yard"] [role="alertdialog"]`, "send nothing any more?")
	page.Keyboard.MustType(input.Escape)
	within(t, page, `() => !document.querySelector('[role="alertdialog"]')`)
	press(t, page, `[data-token="yard"] [data-ask]`)
	look(t, page, "asks")
	press(t, page, `[data-token="yard"] [data-keep]`)
	within(t, page, `() => !document.querySelector('[role="alertdialog"]')`)
	if text := page.MustElement(`[data-token="yard"]`).MustText(); strings.Contains(text, "revoked") {
		t.Error(text)
	}
	press(t, page, `[data-token="yard"] [data-ask]`)
	press(t, page, `[data-token="yard"] [data-sure]`)
	says(t, page, `[data-token="yard"]`, "revoked")
	page.MustNavigate(url + "/evidence/groups")
	pressIn(t, page, "td button", "on loan")
	press(t, page, "[data-delete][data-ask], [data-delete] [data-ask]")
	fill(page, `[aria-label="note"]`, "elsewhere")
	within(t, page, `() => !document.querySelector('[role="alertdialog"]')`)
	row(t, page, "on loan")
}

// Rows that are ticked and that a filter takes away are named, and can be unticked at once.
func TestTickedRowsThatAFilterTakesAway(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence")
	row(t, page, "bench-01")
	fill(page, "[data-list-search]", "bench-01")
	within(t, page, `() => document.querySelectorAll('.list tbody tr').length === 1`)
	press(t, page, `.list tbody tr input[type="checkbox"]`)
	fill(page, "[data-list-search]", "bench-02")
	says(t, page, "[data-unseen]", "One row is ticked and not shown: bench-01")
	look(t, page, "unseen")
	press(t, page, "[data-drop-unseen]")
	within(t, page, `() => !document.querySelector('[data-unseen]')`)
	fill(page, "[data-list-search]", "bench-01")
	within(t, page, `() => document.querySelectorAll('.list tbody tr').length === 1 &&
		!document.querySelector('.list tbody input[type="checkbox"]').checked`)
}

// A week that is chosen in the picture of changes is that week, with its last day.
func TestAWeekOfChanges(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/changes")
	within(t, page, `() => document.querySelectorAll('[data-picture] svg path').length > 20`)
	box := page.MustElement("[data-picture] svg").MustShape().Box()
	page.Mouse.MustMoveTo(box.X+box.Width-60, box.Y+box.Height-30)
	page.Mouse.MustClick("left")
	says(t, page, ".having", "from 2026-06-15 to 2026-06-21")
	within(t, page, `() => [...document.querySelectorAll('.list tbody tr td:first-child')].length > 3 &&
		[...document.querySelectorAll('.list tbody tr td:first-child')]
			.every((c) => c.textContent.trim() >= '2026-06-15' && c.textContent.trim() < '2026-06-22')`)
	says(t, page, "[data-total]", "39 changes")
}

// On a line of 400 kbit a second, with a fifth of a second each way: pages say that they read, what is typed stays
// while answers come late, and two clicks make one.
func TestASlowLine(t *testing.T) {
	page, url := open(t, "run", false)
	if err := (proto.NetworkEmulateNetworkConditions{
		Latency:            400,
		DownloadThroughput: 400_000 / 8,
		UploadThroughput:   400_000 / 8,
	}).Call(page); err != nil {
		t.Fatal(err)
	}
	page.MustNavigate(url + "/evidence/senders")
	page.MustElement("[data-source]")
	fill(page, "[data-source]", "slow yard")
	page.MustEval(`() => { for (let i = 0; i < 3; i++) document.querySelector('[data-give]').click() }`)
	page.MustElement("[data-secret]")
	within(t, page, `() => document.querySelectorAll('[data-token="slow yard"]').length === 1`)
	page.MustNavigate(url + "/evidence/groups?group=new")
	page.MustElement("[data-group-name]")
	fill(page, "[data-group-name]", "from a slow line")
	within(t, page, `() => !!document.querySelector('[data-effect]:not([disabled])')`)
	press(t, page, "[data-effect]")
	fill(page, `[aria-label="note"]`, "typed while it was being saved")
	says(t, page, "[data-says]", "The group is set")
	within(t, page, `() => new URLSearchParams(location.search).get('group') !== 'new' &&
		document.querySelector('[aria-label="note"]')?.value === 'typed while it was being saved'`)
	within(t, page,
		`() => [...document.querySelectorAll('tr')].some((r) => r.textContent.includes('from a slow line'))`)
	if n := page.MustEval(`() => fetch('/api/groups').then((r) => r.json())
		.then((l) => l.filter((g) => g.name === 'from a slow line').length)`).Int(); n != 1 {
		t.Errorf("there are %d groups", n)
	}
	walk(page, "/evidence")
	within(t, page, `() => !document.querySelector('[data-total]')?.textContent.startsWith('0 ')`)
	row(t, page, "bench-01")
}

// Every page of one thing belongs to its address: what is typed about one line goes to no other, and a form that
// stands open about one title does not stand open about another.
func TestPagesBelongToTheirAddress(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/line/L-0001")
	page.MustElement(`[name="note"]`)
	fill(page, `[name="note"]`, "about the first")
	walk(page, "/entitlements/line/L-0002")
	says(t, page, "h1", "L-0002")
	within(t, page, `() => document.querySelector('[name="note"]')?.value === ''`)
	fill(page, `[name="note"]`, "about the second")
	press(t, page, `form button[type="submit"]`, "Note it")
	within(t, page, `() => document.querySelector('[name="note"]')?.value === ''`)
	for code, want := range map[string]bool{"L-0001": false, "L-0002": true} {
		if has := strings.Contains(call(page, "GET", "/api/entitlements/"+code, ""), "about the second"); has != want {
			t.Errorf("%s has the note: %v", code, has)
		}
	}
	walk(page, "/entitlements/line/L-0001")
	within(t, page, `() => document.querySelector('[name="note"]')?.value === 'about the first'`)
	page.MustNavigate(url + "/titles/3?rename=yes")
	page.MustElement("[data-rename-name]")
	fill(page, "[data-rename-name]", "half a name")
	walk(page, "/titles/4")
	page.MustElement("[data-title-lines]")
	if page.MustHas("[data-rename-name]") {
		t.Error("the name of one title stands open on another")
	}
}

// Esc in a dialog in which something was typed asks before it is thrown away.
func TestEscAsksInADialog(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=state%3Dopen")
	page.MustElement(".list tbody tr")
	page.MustWaitStable() // filters that come late move the rows under the mouse
	press(t, page, ".list tbody tr")
	press(t, page, `[data-act="keep"]`)
	page.MustElement(".p-dialog input")
	fill(page, ".p-dialog input", "half a reason")
	page.Keyboard.MustType(input.Escape)
	says(t, page, "[data-leaving]", "not saved")
	within(t, page, `() => document.querySelector('.p-dialog input')?.value === 'half a reason'`)
	press(t, page, "[data-leaving] button", "go on")
	within(t, page, `() => !document.querySelector('[data-leaving]')`)
	page.Keyboard.MustType(input.Escape)
	press(t, page, "[data-throw-away]")
	within(t, page, `() => !document.querySelector('.p-dialog')`)
}

// The code of a picture that does not come is asked for again; where it never comes, the page says so, and the rest of
// it is there.
func TestAPartThatDoesNotCome(t *testing.T) {
	page, url := open(t, "look", false)
	blocked := func(urls ...string) {
		t.Helper()
		if err := (proto.NetworkSetBlockedURLs{Urls: urls}).Call(page); err != nil {
			t.Fatal(err)
		}
	}
	if err := (proto.NetworkEnable{}).Call(page); err != nil {
		t.Fatal(err)
	}
	blocked("*DayPicture*")
	page.MustNavigate(url + "/evidence/changes")
	says(t, page, ".page [role=alert]", "A part of this page did not come")
	within(t, page, `() => document.querySelectorAll(".list tbody tr").length > 3`)
	failed := page.WaitEvent(&proto.NetworkLoadingFailed{})
	page.MustReload()
	failed()
	blocked("*/nothing")
	within(t, page, `() => document.querySelectorAll('[data-picture] svg path').length > 20`)
}
