package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod"
)

// lineOf finds the number of the one line of a product.
func lineOf(page *rod.Page, product string) string {
	return page.MustEval(`(q) => fetch('/api/entitlements?q=' + encodeURIComponent(q)).then((r) => r.json())
		.then((l) => l.rows[0].code)`, product).Str()
}

// fillDay fills a field of a day, which takes no text.
func fillDay(page *rod.Page, selector, day string) {
	page.MustElement(selector).MustEval(`(day) => {
		this.value = day
		this.dispatchEvent(new Event('input', { bubbles: true }))
		this.dispatchEvent(new Event('change', { bubbles: true }))
	}`, day)
}

// A true-up shows its effect before it is booked, asks before the same counts twice, and is taken back; what is typed
// survives leaving the page.
func TestATrueUpAndBackOnThePage(t *testing.T) {
	page, url := open(t, "work", false)
	code := lineOf(page, "Dunlin Sheet")
	page.MustNavigate(url + "/entitlements/line/" + code)
	says(t, page, "[data-transactions]", "first purchase")
	says(t, page, "[data-transactions]", "after the winter count")
	fillDay(page, `[data-trade] [name="on"]`, "2026-06-01")
	fill(page, `[data-trade] [name="quantity"]`, "5")
	fill(page, `[data-trade] [name="trade-note"]`, "five more for the school")
	says(t, page, "[data-effect]", "on 2026-06-01 it counts 24 → 29")
	says(t, page, "[data-effect]", "700 EUR more is spent")
	says(t, page, "[data-effect]", "2 spare → 7 spare")
	look(t, page, "true-up-effect")
	page.MustNavigate(url + "/entitlements/line/" + code)
	within(t, page, `() => document.querySelector('[data-trade] [name="quantity"]')?.value === '5'`)
	press(t, page, "[data-effect]:not(:disabled)")
	says(t, page, "[data-transactions]", "five more for the school")
	says(t, page, ".now", "Counts 29 today")
	within(t, page, `() => document.querySelector('[data-trade] [name="quantity"]').value === ''`)
	// the same once more asks
	fillDay(page, `[data-trade] [name="on"]`, "2026-06-01")
	fill(page, `[data-trade] [name="quantity"]`, "5")
	says(t, page, ".asks", "Is this a second one?")
	within(t, page, `() => document.querySelector('[data-effect]').disabled`)
	look(t, page, "true-up-asks")
	press(t, page, "[data-ask-check]")
	within(t, page, `() => !document.querySelector('[data-effect]').disabled`)
	fill(page, `[data-trade] [name="quantity"]`, "")
	// back
	press(t, page, "[data-transaction]:last-child [data-undo]")
	says(t, page, "[data-undo-form]", "on 2026-06-01 it counts 29 → 24")
	within(t, page, `() => document.querySelector('[data-undo-form] [data-effect]').disabled`)
	fill(page, `[data-undo-form] [name="why"]`, "the school has its own")
	look(t, page, "true-up-undo")
	press(t, page, "[data-undo-form] [data-effect]:not(:disabled)")
	says(t, page, "[data-transactions]", "taken back by Worker")
	says(t, page, ".now", "Counts 24 today")
}

// What a statement rests on is undone by a counter-entry, and the page says which statement that is.
func TestACounterEntryOnThePage(t *testing.T) {
	page, url := open(t, "work", false)
	code := lineOf(page, "Sandwort Grid")
	page.MustNavigate(url + "/entitlements/line/" + code)
	says(t, page, "[data-transactions]", "counter-entry: true-up")
	press(t, page, "[data-transaction] [data-undo]") // of the first true-up
	says(t, page, "[data-undo-form]", "handed to Skrubbholt Revision, rests on it")
	fill(page, `[data-undo-form] [name="why"]`, "it was another product")
	says(t, page, "[data-undo-form] [data-effect]", "15 → 12")
	look(t, page, "counter-entry")
	press(t, page, "[data-undo-form] [data-effect]:not(:disabled)")
	says(t, page, ".now", "Counts 12 today")
	if n := strings.Count(page.MustElement("[data-transactions]").MustText(), "undone by its counter-entry"); n != 2 {
		t.Errorf("%d are undone by a counter-entry", n)
	}
}

// A renewal asks for the new end, says what it changes, and the line is in force until then, in the list too.
func TestARenewalOnThePage(t *testing.T) {
	page, url := open(t, "work", false)
	code := lineOf(page, "Sternpost Courier")
	page.MustNavigate(url + "/entitlements/line/" + code)
	press(t, page, "[data-trade] [role=combobox]")
	press(t, page, "[role=option]", "^renew$")
	fillDay(page, `[data-trade] [name="on"]`, "2026-06-30")
	fill(page, `[data-trade] [name="quantity"]`, "18")
	fillDay(page, `[data-trade] [name="end"]`, "2027-07-10")
	says(t, page, "[data-effect]", "in force until 2026-07-10 → 2027-07-10")
	says(t, page, ".asks", "Retire what is not renewed")
	fill(page, `[data-trade] [name="quantity"]`, "20")
	within(t, page, `() => !document.querySelector('.asks')`)
	press(t, page, "[data-effect]:not(:disabled)")
	says(t, page, "[data-transactions]", "renew until 2027-07-10")
	if end := page.MustEval(`(q) => fetch('/api/entitlements?q=' + encodeURIComponent(q)).then((r) => r.json())
		.then((l) => l.rows[0].end)`, "Sternpost Courier").Str(); end != "2027-07-10" {
		t.Errorf("the list says it ends on %q", end)
	}
}
