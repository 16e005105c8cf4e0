package e2e

import (
	"fmt"
	"strings"
	"testing"
)

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

// A contract is kept, then a base and the upgrade of it are booked under it; what cannot be right is said while it is
// typed, and the position counts just what there is to upgrade.
func TestBookAContractWithAnUpgradeAndItsBase(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/contracts")
	press(t, page, "button", "A new contract")
	put(page, "code", "K-90")
	put(page, "name", "Drawing, second round")
	press(t, page, "form button", "Keep it")
	row(t, page, "K-90", "Drawing, second round")

	book := func(values map[string]string) {
		for name, v := range values {
			put(page, name, v)
		}
		within(t, page, `() => !document.querySelector('[data-book]').disabled`)
		press(t, page, "[data-book]")
		row(t, page, values["entitlement_id"])
	}
	page.MustNavigate(url + "/entitlements?book=1")
	page.MustElement("[data-book]")
	book(
		map[string]string{
			"entitlement_id": "B-1",
			"publisher":      "Wexcombe Systems",
			"product":        "Murrelet Draft",
			"version":        "3",
			"quantity":       "8",
			"start":          "2024-01-01",
			"contract":       "K-90",
			"unit_price":     "500",
		},
	)

	page.MustNavigate(url + "/entitlements?book=1")
	page.MustElement("[data-book]")
	choose(t, page.MustElement("form.book"), "kind", "upgrade")
	for name, v := range map[string]string{"entitlement_id": "U-1", "publisher": "Wexcombe Systems",
		"product": "Murrelet Draft", "version": "4", "quantity": "10"} {
		put(page, name, v)
	}
	says(t, page, ".book", "an upgrade counts for nothing without the entitlement that it upgrades")
	put(page, "base", "L-0001")
	says(t, page, `[role="alert"]`, "is of Skerrymap Suite, not of this product")
	put(page, "base", "B-1")
	says(t, page, ".book", "B-1 has 8 rights left to upgrade: 2 of these will count for nothing")
	put(page, "end", "2023-01-01")
	put(page, "start", "2026-01-01")
	says(t, page, `[role="alert"]`, "before it starts")
	put(page, "end", "")
	book(map[string]string{"entitlement_id": "U-1", "contract": "K-90"})

	page.MustNavigate(url + "/entitlements/line/U-1")
	says(t, page, ".now", "Counts 8 today")
	says(t, page, ".now", "2 find no base to upgrade")
	page.MustNavigate(url + "/entitlements/line/B-1")
	says(t, page, ".now", "Counts 0 today: used up by upgrades")
	says(t, page, ".now", "Upgraded by U-1")
	settle(t, page)
	page.MustNavigate(url + "/position?q=Murrelet+Draft")
	row(t, page, "Murrelet Draft", "4 short") // twelve have version 4
	page.MustNavigate(url + "/entitlements/contracts")
	row(t, page, "K-90", "2")
}

// A leaver's seats are taken back on the page of all that he holds, and the first who waits gets one.
func TestALeaversSeatGoesToWhoWaits(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/seats?f=state%3Dof+a+leaver")
	page.MustElement("tbody tr")
	leaver := page.MustEval(`() => fetch('/api/seats?f=state%3Dof+a+leaver').then((r) => r.json()).then((p) => JSON.stringify([p.total, p.rows[0].user, p.rows[0].productId]))`).
		Str()
	var before, product int
	var user string
	if _, err := fmt.Sscanf(strings.NewReplacer(`[`, ``, `]`, ``, `"`, ``, `,`, ` `).Replace(leaver), "%d %s %d",
		&before, &user, &product); err != nil {
		t.Fatal(leaver, err)
	}
	// All other seats are taken: only what the leaver hands back is free.
	for range 40 {
		free := page.MustEval(`(p) => fetch('/api/products/' + p + '/seats').then((r) => r.json()).then((l) => l[0].free)`, product).
			Int()
		if free == 0 {
			break
		}
		if got := call(page, "POST", "/api/seats/assign",
			fmt.Sprintf(`{"product":%d,"line":"","user":"u%04d","device":""}`, product, 200+free)); !strings.Contains(
			got,
			"line",
		) {
			t.Fatal(got)
		}
	}
	for _, u := range []string{"u0310", "u0311"} {
		if got := call(page, "POST", "/api/waiting",
			fmt.Sprintf(`{"product":%d,"user":%q,"note":"needs it"}`, product, u)); !strings.Contains(
			got,
			"count",
		) {
			t.Fatal(got)
		}
	}
	if got := call(page, "POST", "/api/seats/assign",
		fmt.Sprintf(`{"product":%d,"line":"","user":"u0312","device":""}`, product)); !strings.Contains(
		got,
		"no seat of it is free",
	) {
		t.Fatalf("a seat that is not there is given: %s", got)
	}
	page.MustNavigate(url + "/entitlements/held/" + user)
	says(t, page, ".head", "left on")
	press(t, page, "[data-take-all]")
	says(t, page, "[data-handed]", "1 seat handed back")
	says(t, page, "[data-handed]", "got Fjordpen Notes")
	says(t, page, "[data-held-seats]", "No seat")
	page.MustNavigate(url + "/entitlements/held/u0310")
	says(t, page, "[data-held-seats]", "Fjordpen Notes")
	page.MustNavigate(url + "/entitlements/seats")
	says(t, page, "[data-waiting]", "needs it")
}

// A seat goes from one person to another in the list of seats.
func TestASeatMovesToSomebodyElse(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/entitlements/seats?f=state%3Dheld")
	first := page.MustEval(`() => fetch('/api/seats?f=state%3Dheld').then((r) => r.json()).then((p) => { const s = p.rows.find((r) => r.user); return s.userName })`).
		Str()
	pressIn(t, page, `input[type="checkbox"]`, first)
	says(t, page, "[data-bar]", "1 seat chosen")
	pickOption(t, page, "[data-bar] [data-person] input", "u0733", "u0733")
	name := page.MustEval(`() => fetch('/api/people/u0733/held').then((r) => r.json()).then((p) => p.name)`).Str()
	within(t, page, `() => !document.querySelector('[data-move]').disabled`)
	press(t, page, "[data-move]")
	within(t, page, `() => !document.querySelector('[data-bar]')`)
	page.MustNavigate(url + "/entitlements/held/u0733")
	says(t, page, ".head", name)
	within(t, page, `() => !document.querySelector('[data-held-seats]')?.textContent.includes('No seat')`)
}

// Licence keys that scans found stand against those that were booked; one that nobody booked is booked on its line, and
// nothing but its last signs is shown.
func TestLicenceKeys(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/entitlements/keys")
	row(t, page, "…10TEN", "on more than were bought", "Murrelet Shade", "L-0009", "12")
	row(t, page, "…QXW1Z", "nobody booked it", "Kelpline Studio")
	row(t, page, "…15ARC", "found nowhere")
	look(t, page, "licence-keys")
	pressIn(t, page, "[data-key-devices]", "…10TEN")
	says(t, page, "[data-having]", "have the licence key …10TEN")
	says(t, page, "[data-total]", "12 devices")
	page.MustNavigate(url + "/entitlements/line/L-0013")
	fill(page, `[name="key"]`, "kstud cove8 eider plume qxw1z")
	press(t, page, "button", "Keep it sealed")
	says(t, page, "[data-key-found]", "on 3 devices")
	page.MustNavigate(url + "/entitlements/keys")
	row(t, page, "…QXW1Z", "in use", "L-0013", "30")
	page.MustNavigate(url + "/worklist?f=kind%3Dunbought&f=state%3Dgone")
	row(t, page, "Kelpline Studio", "settled")
}
