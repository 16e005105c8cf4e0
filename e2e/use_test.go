package e2e

import (
	"strings"
	"testing"

	"ensomet/internal/standin"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
)

// fill types into a field.
func fill(page *rod.Page, selector, value string) {
	page.MustElement(selector).MustSelectAllText().MustInput(value)
}

// pickTitle chooses a title of the catalogue in a form.
func pickTitle(t *testing.T, page *rod.Page, form, name string) {
	t.Helper()
	pickOption(t, page, form+" [data-title-pick] input, "+form+" input[data-title-pick]", name, name)
}

// send presses what sends an open case's order, and says yes.
func send(t *testing.T, page *rod.Page) {
	t.Helper()
	press(t, page, `[data-act="send"]`)
	press(t, page, "[data-send]")
}

// A restricted install goes from finding to gone, by a later scan and by nothing else; until the order has left it
// can be called back.
func TestRestrictedInstallToGone(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/worklist?f=kind%3Drestricted&q=Puffin")
	pressIn(t, page, "", "Puffin Derby", "open")
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

// A pool goes from a complaint to a size with its reason, and its licence server follows.
func TestPoolFromComplaintToSize(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/use/pools")
	pressIn(t, page, "", "tide-harmonic", "100 %", "denied")
	says(t, page, "[data-pool]", "6 of 6 out in the last month")
	fill(page, `[data-complaint] input[aria-label="user"]`, "u0050")
	fill(page, `[data-complaint] input[aria-label="what happened"]`, "denied three mornings in a row")
	press(t, page, "[data-complaint] button", "Note it")
	says(t, page, "[data-pool]", "denied three mornings in a row")
	says(t, page, "[data-sizing]", "Go by the replay.")
	says(t, page, "[data-sizing] tbody", "11")
	fill(
		page,
		`[data-sizing] input[aria-label="what a denial costs"], [data-sizing] [aria-label="what a denial costs"] input`,
		"40",
	)
	page.Keyboard.MustType(input.Tab)
	says(t, page, "[data-cost-curve]", "The least is at")
	press(t, page, "[data-sizing] tbody tr", `^\s*10`)
	fill(page, "[data-size-reason]", "one morning in twenty may wait")
	says(t, page, "[data-sizing] [data-effect]", "at 10 licences replay denies")
	press(t, page, "[data-sizing] [data-effect]")
	says(t, page, "[data-size-says]", "Decided: 10 licences")
	says(t, page, "[data-pool]", "10 instead of 6 by Worker")
	says(t, page, "[data-pool]", "The server still has 6.")
	says(t, page, "[data-pool]", "answered: 10 licences instead of 6")
	says(t, page, "[data-watchers]", "licences@halvorsund.example (every pool)")
	fill(page, "[data-watch-address]", "tides@halvorsund.example")
	press(t, page, "[data-watch]")
	says(t, page, "[data-watcher]", "tides@halvorsund.example")
	press(t, page, "[data-move-on]")
	says(t, page, "[data-pool]", "of 10 out in the last month")
	page.MustNavigate(url + "/evidence/changes/mail?q=tides@")
	row(t, page, "tides@halvorsund.example", "Shared licences: 1 to look at")
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

// To choose what is measured takes the rest out of sight: that shows before, and so does the end of the choice.
func TestChoosingWhatIsMeasured(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/use/measured")
	says(t, page, ".page", "Every title is measured on every device that reports use")
	form := page.MustElement("[data-meter-form]")
	choose(t, form, "what kind", "publisher")
	fill(page, `[data-meter-form] [aria-label="publisher"]`, "Brackwell Office Inc.")
	says(t, page, "[data-meter-form] [data-effect]", "no longer")
	says(t, page, "[data-meter-form] [data-effect]", "can be judged today and will not be for long")
	look(t, page, "measured")
	press(t, page, "[data-meter-form] [data-effect]")
	row(t, page, "Brackwell Office Inc.", "all devices", "the beginning")
	press(t, page, "[data-choices] button", "end it")
	says(t, page, "[data-end-choice]", "from tomorrow on")
	press(t, page, "[data-end-choice]")
	says(t, page, ".page", "Every title is measured on every device that reports use")
}
