package e2e

import (
	"testing"

	"ensomet/e2e/browser"

	"github.com/go-rod/rod"
)

// second opens the same server in another browser, as somebody else.
func second(t *testing.T, page *rod.Page, url, role string) *rod.Page {
	t.Helper()
	other := chromium.MustIncognito().MustPage(url).Timeout(patience()).Sleeper(quickly)
	t.Cleanup(func() { _ = other.Close() })
	if err := browser.Size(other, 1280, 800); err != nil {
		t.Fatal(err)
	}
	press(t, other, `[data-enter="`+role+`"]`)
	other.MustElement("header")
	return other
}

// Two change one group: the second is told what the first changed, keeps what he typed, and chooses what is to hold.
func TestTwoEditorsOfAGroup(t *testing.T) {
	first, url := open(t, "work", false)
	other := second(t, first, url, "run")
	for _, page := range []*rod.Page{first, other} {
		page.MustNavigate(url + "/evidence/groups")
		pressIn(t, page, "td button", "large machines ashore")
		page.MustElement("[data-group-name]")
	}
	fill(other, `[aria-label="note"]`, "boats alone")
	fill(first, `[aria-label="note"]`, "boats and buoys")
	says(t, first, "[data-preview] h2", "122")
	press(t, first, "[data-effect]")
	says(t, first, "[data-says]", "The group is set")
	// what the first saved renews every list of the second, and what he typed stays
	says(t, other, "td", "boats and buoys")
	within(t, other, `() => document.querySelector('[aria-label="note"]').value === 'boats alone'`)
	fill(other, `[aria-label="name of the group"]`, "large machines")
	says(t, other, "[data-preview] h2", "122")
	press(t, other, "[data-effect]")
	says(t, other, "[data-conflict]", "Worker")
	says(t, other, "[data-conflict]", "boats and buoys")
	says(t, other, "[data-conflict]", "boats alone")
	look(t, other, "two-editors")
	pressIn(t, other, "[data-conflict] label", "boats and buoys")
	press(t, other, "[data-settle]")
	says(t, other, "[data-says]", "The group is set")
	row(t, other, "large machines", "boats and buoys")
	row(t, first, "large machines", "boats and buoys")
}

// What is typed survives a reload, another page and a wrong click, is offered again where it was typed and nowhere
// else, and can be thrown away.
func TestDraftsStay(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/groups")
	pressIn(t, page, "td button", "on loan")
	page.MustElement("[data-group-name]")
	fill(page, `[aria-label="note"]`, "half a thought")
	page.MustReload()
	says(t, page, "[data-kept]", "not saved")
	within(t, page, `() => document.querySelector('[aria-label="note"]').value === 'half a thought'`)
	press(t, page, "[data-new-group]")
	within(t, page, `() => document.querySelector('[aria-label="note"]')?.value === ''`)
	fill(page, `[aria-label="note"]`, "another thought")
	pressIn(t, page, "td button", "on loan")
	within(t, page, `() => document.querySelector('[aria-label="note"]').value === 'half a thought'`)
	page.MustNavigate(url + "/evidence/groups?group=new")
	within(t, page, `() => document.querySelector('[aria-label="note"]')?.value === 'another thought'`)
	press(t, page, "[data-kept] button")
	within(t, page, `() => document.querySelector('[aria-label="note"]').value === ''`)
	page.MustReload()
	within(t, page, `() => document.querySelector('[aria-label="note"]')?.value === ''`)
	if page.MustHas("[data-kept]") {
		t.Error("what was thrown away is offered again")
	}
}

// Two change one contract, and one of the rules of the house: neither overwrites the other.
func TestTwoEditorsOfContractsAndRules(t *testing.T) {
	first, url := open(t, "run", false)
	other := second(t, first, url, "work")
	for _, page := range []*rod.Page{first, other} {
		page.MustNavigate(url + "/entitlements/contracts")
		press(t, page, "[data-contracts] td button")
		page.MustElement(`[name="name"]`)
	}
	fill(first, `[name="name"]`, "The long one")
	press(t, first, `form button[type="submit"]`)
	says(t, first, "[data-contracts]", "The long one")
	fill(other, `[name="name"]`, "The short one")
	press(t, other, `form button[type="submit"]`)
	says(t, other, "[data-conflict]", "Runner")
	says(t, other, "[data-conflict]", "The long one")
	press(t, other, "[data-settle]")
	says(t, other, "[data-contracts]", "The short one")
	first.MustReload()
	says(t, first, "[data-contracts]", "The short one")
}
