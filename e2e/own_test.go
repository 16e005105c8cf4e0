package e2e

import (
	"strings"
	"testing"
)

// What somebody says of a person by hand holds before what files say, with who and why: the list of people has it as a
// column, a filter and a split, a colleague who said it meanwhile is not written over, and taken back the files hold.
func TestAFieldOfOurOwnOfAPerson(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/people/u0246")
	says(t, page, "[data-own]", "building")
	press(t, page, "[data-own] button", "^change$")
	page.MustElement(`[data-own-form] input[aria-label="value"]`).MustSelectAllText().MustInput("lighthouse")
	page.MustElement(`[data-own-form] input[aria-label="why"]`).MustInput("she keeps the lamp")
	press(t, page, `[data-own-form] button[type="submit"]`)
	says(t, page, "[data-own-says]", "It holds from now on")
	says(t, page, `[data-field="building"]`, "lighthouse")
	says(t, page, `[data-field="building"]`, "she keeps the lamp")
	page.MustNavigate(url + "/evidence/people?split=own:building&cols=key,own:building")
	says(t, page, "[data-split] .bar", "lighthouse")
	press(t, page, "[data-split] .part", "lighthouse")
	says(t, page, "[data-total]", "1 people")
	says(t, page, "tbody", "lighthouse")
	look(t, page, "own-of-a-person")
	page.MustNavigate(url + "/evidence/people/u0246")
	says(t, page, `[data-field="building"]`, "lighthouse")
	letGo := heldBack(page, "/own-fields/") // the page does not know yet what a colleague does
	other := second(t, page, url, "run")
	if status := other.MustEval(`async () => {` + sent + `const at = '/own-fields/person/u0246'
		const p = await read('/api' + at)
		return send('/api' + at, { field: 'building', value: 'boat', drop: false, reason: 'moved', revision: p.revision },
			'PUT')}`).String(); status != "200" {
		t.Fatal(status)
	}
	press(t, page, `[data-field="building"] button`, "^take it back$")
	press(t, page, `[data-field="building"] button`, "^take it back$")
	says(t, page, "[data-own-says]", "changed it on")
	letGo()
	says(t, page, `[data-field="building"]`, "boat")
	press(t, page, `[data-field="building"] button`, "^take it back$")
	press(t, page, `[data-field="building"] button`, "^take it back$")
	says(t, page, "[data-own-says]", "Taken back")
	page.MustWait(`() => !document.querySelector('[data-field="building"] .soft')`)
	if text := page.MustElement(`[data-field="building"]`).MustText(); !strings.Contains(text, "north shed") {
		t.Errorf("after it was taken back: %s", text)
	}
}

// Fields of entitlements and contracts split what was spent, and contracts are narrowed by theirs.
func TestFieldsOfOurOwnInSpend(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/spend")
	says(t, page, "[data-spend] tfoot", "together")
	whole := page.MustElement("[data-spend] tfoot td:nth-child(3)").MustText()
	press(t, page, "[data-own-by]")
	press(t, page, ".p-select-option", "budget, of the entitlement")
	says(t, page, "[data-spend] thead", "budget, of the entitlement")
	says(t, page, "[data-spend] tbody", "education")
	if sum := page.MustElement("[data-spend] tfoot td:nth-child(3)").MustText(); sum != whole {
		t.Errorf("by budget %s was spent, and %s by publisher", sum, whole)
	}
	press(t, page, "[data-own-by]")
	press(t, page, ".p-select-option", "counsel, of the contract")
	says(t, page, "[data-spend] tbody", "Sunniva Hagenes")
	page.MustNavigate(url + "/entitlements/contracts")
	press(t, page, "[data-narrow]")
	press(t, page, ".p-select-option", "counsel: Brage Tofterud")
	says(t, page, "[data-contracts] tbody", "K-11")
	if text := page.MustElement("[data-contracts] tbody").MustText(); strings.Contains(text, "K-05") {
		t.Errorf("contracts of another counsel are there: %s", text)
	}
}

// A count is split by what is said of devices, as a picture and a table; a row leads to the list that has as many.
func TestSplitsOnThePage(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence/splits")
	says(t, page, "[data-split-table]", "client")
	press(t, page, "[data-split-by]")
	press(t, page, ".p-select-option", "^by lease$")
	says(t, page, "[data-split-table] thead", "lease")
	says(t, page, "[data-split-total]", "installs on")
	row := `[data-value="owned"]`
	text := page.MustEval(`async () => (await fetch(document.querySelector('a[download]').href)).text()`).String()
	if installs := plain(page.MustElement(row + " td:nth-child(3)").MustText()); !strings.Contains(text,
		"\nowned,"+installs+",") || !strings.HasPrefix(text, "value,count,devices,stale,never_scanned") {
		t.Errorf("the file of a split with %s installs: %.300s", installs, text)
	}
	devices := page.MustElement(row + " td:nth-last-child(3)").MustText()
	press(t, page, row+" a")
	says(t, page, "[data-total]", devices+" devices")
	page.MustNavigate(url + "/use/splits?by=site")
	says(t, page, ".legend", "not measured")
	says(t, page, "[data-split-table]", "Reyksker")
	look(t, page, "use-by-site")
	press(t, page, `[data-value="Reyksker"] a`)
	says(t, page, "[data-total]", "installs")
	page.MustNavigate(url + "/worklist/splits?by=unit")
	cases := page.MustElement(`[data-value="School"] td:nth-child(3)`).MustText()
	press(t, page, `[data-value="School"] a`)
	says(t, page, "[data-total]", cases+" cases")
	page.MustNavigate(url + "/titles/splits?by=source")
	says(t, page, "[data-split-table]", "collector")
	page.MustNavigate(url + "/position/351?by=environment")
	says(t, page, "[data-parts]", "production")
}

// plain is a number without what parts its thousands.
func plain(number string) string {
	return strings.NewReplacer("\u202f", "", "\u00a0", "", " ", "").Replace(number)
}

// The page of a host says what its processors are asked for and why, and that of a machine on it leads there.
func TestChargesOfAHost(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence/D0993")
	press(t, page, "[data-to-charges]", "title")
	says(t, page, "[data-charges]", "pinned to it")
	says(t, page, "[data-charges] table", "Gannet Ledger")
	press(t, page, "[data-charges] p a", "hall-host-01")
	says(t, page, "h1", "hall-host-01")
	says(t, page, "[data-guests]", "hall-vm-001")
	says(t, page, "[data-charges] table", "2 processors with 16 cores: 2 × 8 = 16")
}
