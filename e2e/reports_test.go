package e2e

import (
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

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

// The house has its sums in another currency once it says so: what is exposed, what was spent, what could be saved and
// what decisions are worth stand in it, and what is in another currency beside it.
func TestTheHouseChoosesItsCurrency(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/entitlements/spend")
	says(t, page, "main, .page", "EUR")
	page.MustNavigate(url + "/evidence/scans")
	press(t, page, "details.limits summary")
	fill(page, "[data-house-currency]", "xyz")
	press(t, page, "details.limits button", "Set these")
	says(t, page, "details.limits", "no rate is known for")
	fill(page, "[data-house-currency]", "nok")
	press(t, page, "details.limits button", "Set these")
	says(t, page, "details.limits", "Set; figures are being renewed")
	page.MustNavigate(url + "/worklist/saved")
	says(t, page, "[data-ledger-total]", "NOK")
	look(t, page, "saved-in-nok")
	page.MustNavigate(url + "/worklist/together")
	says(t, page, "[data-in-house]", "NOK")
	look(t, page, "lots-in-nok")
	page.MustNavigate(url + "/entitlements/spend")
	says(t, page, "tfoot", "together")
	says(t, page, ".page", "NOK")
	page.MustNavigate(url + "/")
	says(t, page, "main, .page", "NOK")
}
