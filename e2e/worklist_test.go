package e2e

import (
	"strings"
	"testing"

	"ensomet/internal/standin"

	"github.com/go-rod/rod"
)

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
	pressIn(t, page, "button + button", "Clampweave")
	says(t, page, "[data-end-stance]", "5 go")
	press(t, page, "[data-end-stance]")
	if err := page.Wait(rod.Eval(`() => !document.querySelector('tbody').textContent.includes('Clampweave')`)); err != nil {
		t.Fatal("the stance is still there")
	}
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&f=state%3Dlapsed&q=Clampweave")
	says(t, page, "[data-total]", "5 cases")
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

// A restricted install goes from finding to gone, by a later scan and by nothing else; until the order has left it
// can be called back.
func TestRestrictedInstallToGone(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&q=Puffin")
	pressIn(t, page, "", "Puffin Derby", "hal-chart-201")
	says(t, page, "[data-case-state]", "open")
	press(t, page, `[data-act="agree"]`)
	says(t, page, "[data-case-state]", "agreed")
	send(t, page)
	says(t, page, "[data-case-state]", "waiting")
	says(t, page, "[data-leaves]", "leaves the house at")
	press(t, page, "[data-undo]")
	says(t, page, "[data-case-state]", "agreed")
	says(t, page, ".steps", "taken back")
	send(t, page)
	says(t, page, "[data-case-state]", "waiting")
	page.MustReload()
	says(t, page, "[data-case-state]", "waiting")
	press(t, page, "[data-move-on]")
	says(t, page, "[data-case-state]", "gone")
	says(t, page, ".steps", "no longer has it")
	says(t, page, ".steps", "cannot be called back any more")
}

// An idle licence goes from its proposal through the user's answer by mail to a saving that is booked; nobody signs
// in for the answer.
func TestIdleLicenceThroughMailToSaving(t *testing.T) {
	page, url := open(t, "work", false)
	outside := outsides[url]
	page.MustNavigate(url + "/worklist?f=kind%3Didle&f=state%3Dopen&q=Bollardkit")
	pressIn(t, page, "", "Bollardkit", "hal-admin-148")
	press(t, page, `[data-act="ask"]`)
	page.MustElement("[data-ask-note]").MustInput("It costs 150 euros a year.")
	before := len(outside.Letters())
	press(t, page, "[data-ask]")
	says(t, page, "[data-case-state]", "asked until 2026-07-07")
	says(t, page, "[data-leaves]", "The letter leaves the house")
	if n := len(outside.Letters()); n != before {
		t.Fatal("the letter has left at once")
	}
	press(t, page, "[data-move-on]")
	within(t, page, `() => !document.querySelector('[data-leaves]')`)
	var letter standin.Letter
	for _, l := range outside.Letters()[before:] {
		if l.AnswerAt() != "" {
			letter = l
		}
	}
	if !strings.Contains(letter.Body, "It costs 150 euros a year.") ||
		!strings.HasPrefix(letter.AnswerAt(), url+"/answer/") {
		t.Fatalf("the letter: %+v", letter)
	}
	user := chromium.MustIncognito().MustPage(letter.AnswerAt()).Timeout(patience())
	defer user.MustClose()
	says(t, user, "section", "Bollardkit")
	if user.MustHas("script") || strings.Contains(user.MustHTML(), "hal-admin-146") {
		t.Error("the page of an answer has a script, or speaks of others")
	}
	press(t, user, "button", "I do not need it")
	says(t, user, ".said", "You said that you do not need it")
	user.MustNavigate(url + "/answer/" + strings.Repeat("0", 64))
	says(t, user, "h1", "Nothing is asked here")

	page.MustReload()
	says(t, page, "[data-case-state]", "agreed")
	says(t, page, ".steps", "says that it is not needed")
	send(t, page)
	says(t, page, "[data-case-state]", "waiting")
	press(t, page, "[data-move-on]")
	says(t, page, "[data-case-state]", "gone")
	page.MustNavigate(url + "/worklist/saved")
	row(t, page, "Bollardkit", "hal-admin-148", "at renewal", "2026-10-31", "150 EUR")
	row(t, page, "at renewal", "300 EUR")
}

// What a user still needs is kept with a reason, an owner and an end.
func TestKeptWithAReasonAndAnEnd(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=state%3Danswered")
	pressIn(t, page, "", "Bollardkit")
	says(t, page, ".steps", "the autumn drawings")
	press(t, page, `[data-act="keep"]`)
	page.MustElement(".keep input").MustInput("the autumn drawings")
	page.MustElement(`.keep input[type="date"]`).
		MustEval(`(v) => { this.value = v; this.dispatchEvent(new Event("input")) }`, "2026-11-30")
	page.MustElement(`.keep input[placeholder="you, if left empty"]`).MustInput("Dagne Laverud")
	press(t, page, ".keep button", "Leave 1 case as it is")
	says(t, page, "[data-case-state]", "kept until 2026-11-30, Dagne Laverud answers for it")
	press(t, page, "[data-undo]")
	says(t, page, "[data-case-state]", "answered")
}

// Use in forbidden hours is a finding of its own, with the hours and the stance that it goes against; a stance with
// hours shows its effect before it is set.
func TestForbiddenHours(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=kind%3Dhours")
	says(t, page, "[data-total]", "5 cases")
	pressIn(t, page, "", "Ternvision", "hal-works")
	says(t, page, "[data-case-state]", "Used in restricted hours")
	says(t, page, "aside", "It ran on Fri 2026-06-26 15:30 for 30 min")
	says(t, page, "aside", "mon-fri 08:00-16:00")
	press(t, page, "aside a", "which stance says so")
	says(t, page, "[data-stance-why]", "not spoken of")
	says(t, page, "[data-stance-why]", "Its use depends on the hour")
	pickTitle(t, page, "[data-stance-form]", "Kelpline Profiler")
	page.MustElement(`[data-stance-form] input[type="time"]`).
		MustEval(`() => { this.value = "00:00"; this.dispatchEvent(new Event("input")) }`)
	page.MustElements(`[data-stance-form] input[type="time"]`)[1].MustEval(
		`() => { this.value = "23:59"; this.dispatchEvent(new Event("input")) }`,
	)
	fill(page, `[data-stance-form] input[aria-label="reason"]`, "not by day")
	says(t, page, "[data-stance-form] [data-effect]", "come")
	says(t, page, "[data-stance-form] [data-effect]", "Kelpline Profiler was used in restricted hours on")
	press(t, page, "[data-stance-form] [data-effect]")
	row(t, page, "Kelpline Profiler", "00:00-23:59", "not by day")
	page.MustNavigate(url + "/worklist?f=kind%3Dhours&q=Kelpline")
	row(t, page, "Kelpline Profiler", "forbidden hours")
}

// A required title that is missing is ordered, and the case ends when a scan has it.
func TestRequiredAndMissingArrives(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=kind%3Dmissing")
	pressIn(t, page, "", "Sternpost Guard", "required, missing")
	says(t, page, "aside", "does not have Sternpost Guard")
	press(t, page, `[data-act="agree"]`)
	says(t, page, "[data-case-state]", "agreed")
	send(t, page)
	says(t, page, "[data-case-state]", "waiting")
	press(t, page, "[data-move-on]")
	says(t, page, "[data-case-state]", "arrived")
}

// A rule for reclaim shows what it would propose before it is set, and what nobody keeps long enough is refused.
func TestReclaimRuleAndRetention(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/worklist/reclaim")
	row(t, page, "Frostsounder", "365", "used in winter alone")
	pickTitle(t, page, "[data-reclaim-form]", "Bollardkit")
	says(t, page, "[data-reclaim-form] [data-effect]", "proposals → ")
	press(t, page, `[data-reclaim-form] [aria-label="propose or not"]`)
	press(t, page, "li", "Never propose")
	says(t, page, "[data-reclaim-form] [data-effect]", "0 come, 12 go")
	press(t, page, "[data-reclaim-form] [data-effect]")
	row(t, page, "Dunlaw Tools Bollardkit", "never")
	page.MustNavigate(url + "/use/measured")
	fill(page, "[data-kept='days'] input, input[data-kept='days']", "60")
	press(t, page, "[data-keep]")
	says(t, page, "[data-says]", "but days of use are kept for 60")
}

// become signs somebody else in, in the same window.
func become(page *rod.Page, role, address string) {
	page.MustEval(`(role) => fetch('/api/sign-in/demo', { method: 'POST', body: JSON.stringify({ role }),
		headers: { 'Content-Type': 'application/json' } }).then((r) => r.status)`, role)
	page.MustNavigate(address)
}

// A shortfall is closed by a purchase from wanting to booked: the best way is asked for on the case, somebody else
// approves, it is ordered under a number, booked on its line, and evidence ends both cases.
func TestAShortfallIsClosedByAPurchase(t *testing.T) {
	page, url := open(t, "work", false)
	caseAt := func(product, kind string) string {
		return page.MustEval(`(product, kind) => fetch('/api/cases?q=' + encodeURIComponent(product) + '&f=kind%3D' + kind)
			.then((r) => r.json()).then((l) => String(l.rows.at(-1)?.id ?? ''))`, product, kind).Str()
	}
	short := caseAt("Tholemortise Tools", "uncovered")
	page.MustNavigate(url + "/worklist?case=" + short)
	says(t, page, "[data-ways]", "buy 6 like L-")
	look(t, page, "ways-in-pane")
	press(t, page, "[data-turn-way]")
	says(t, page, "[data-way-says]", "Turned into 1 case of what is to be bought or done")
	says(t, page, "[data-on-its-way]", "wanted")
	says(t, page, "[data-case-state]", "seen to")
	bought := caseAt("Tholemortise Tools", "purchase")
	page.MustNavigate(url + "/worklist?case=" + bought)
	says(t, page, "[data-case-state]", "somebody else has to approve it")
	press(t, page, `[data-act="approve"]`)
	says(t, page, "[data-case-says]", "somebody else approves")
	become(page, "run", url+"/worklist?case="+bought)
	press(t, page, `[data-act="approve"]`)
	says(t, page, "[data-case-state]", "approved")
	become(page, "work", url+"/worklist?case="+bought)
	press(t, page, `[data-act="order"]`)
	fill(page, `[name="orderNumber"]`, "PO-9001")
	press(t, page, "[data-ordered]")
	says(t, page, "[data-wanted]", "Ordered as PO-9001")
	says(t, page, "[data-wanted]", "Booked: 0 of 6")
	look(t, page, "purchase-ordered")
	press(t, page, "[data-book-it]")
	says(t, page, "[data-for-case]", "case "+bought)
	fillDay(page, `[data-trade] [name="on"]`, "2026-06-30")
	says(t, page, "[data-effect]", "6 short → even")
	look(t, page, "purchase-booking")
	press(t, page, "[data-effect]:not(:disabled)")
	says(t, page, "[data-transactions]", "for case "+bought)
	page.MustNavigate(url + "/worklist?case=" + bought)
	says(t, page, "[data-case-state]", "booked")
	page.MustNavigate(url + "/worklist?case=" + short)
	says(t, page, "[data-case-state]", "covered")
	look(t, page, "shortfall-closed")
}

// A standing decision sends a few cases a day by itself. What it sent is called back before it leaves: it stays called
// back, and the decision stands still until somebody lets it go on.
func TestAnAutomaticWaveIsCalledBack(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist/standing")
	row(t, page, "remove Gyrelatch 1", "Shore/Workshop", "12 waiting", "runs")
	press(t, page, `[data-standing-form] [aria-label="cases of"]`)
	press(t, page, "li", "Plumecaster")
	says(t, page, "[data-effect]", "6 cases now: 6 on the first day")
	fill(page, `[data-a-day] input, input[data-a-day]`, "2")
	page.MustElement(`[data-standing-form] [aria-label="note"]`).MustFocus() // a number counts once one leaves it
	says(t, page, "[data-effect]", "6 cases now: 2 on the first day, all of them within 3 days")
	look(t, page, "standing-before")
	press(t, page, "[data-effect]")
	row(t, page, "Plumecaster", "2 waiting", "leave from 2026-07-01", "Worker", "runs")
	look(t, page, "standing-set")
	pressIn(t, page, "[data-call-back]", "Plumecaster")
	row(t, page, "Plumecaster", "no order yet", "stands still", "Worker called back its wave")
	look(t, page, "standing-called-back")
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&q=Plumecaster&f=state%3Dagreed")
	says(t, page, "[data-total]", "2 cases")
	for _, day := range []string{"2026-07-01", "2026-07-02"} { // on the second evening those of the first one leave
		press(t, page, "[data-move-on]")
		says(t, page, "header", "as of "+day)
	}
	page.MustNavigate(url + "/worklist/orders")
	row(t, page, "standing decision 1", "out")
	row(t, page, "standing decision 2", "called off")
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&q=Plumecaster&f=state%3Dagreed")
	says(t, page, "[data-total]", "2 cases")
	page.MustNavigate(url + "/worklist/standing")
	pressIn(t, page, "[data-go-on]", "Plumecaster")
	row(t, page, "Plumecaster", "2 waiting", "runs")
	pressIn(t, page, "[data-end]", "Plumecaster")
	says(t, page, "[data-end-standing]", "2 orders that have not left are called back")
	press(t, page, "[data-end-standing]")
	if err := page.Wait(rod.Eval(`() => !document.querySelector('tbody').textContent.includes('Plumecaster')`)); err != nil {
		t.Fatal("the decision is still there")
	}
}
