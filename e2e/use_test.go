package e2e

import (
	"testing"

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

// The window of use is chosen; what forty days of data cannot say of ninety, they can of thirty.
func TestChooseTheWindow(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/use?q=Saltmark+Bench")
	row(t, page, "Saltmark Bench", "not measured")
	press(t, page, "[data-window]")
	press(t, page, "li", "^30$")
	row(t, page, "Saltmark Bench", "unused")
}
