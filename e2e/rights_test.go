package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/go-rod/rod"
)

// put writes into a field of a form, a date too.
func put(page *rod.Page, name, value string) {
	page.MustElement(`input[name="`+name+`"]`).
		MustEval(`(v) => { this.value = v; this.dispatchEvent(new Event('input', { bubbles: true })); this.dispatchEvent(new Event('change', { bubbles: true })) }`, value)
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

// A shortfall of cores opens down to one host: its calculation, the machine that makes it count, and the record on it.
func TestOpenCoresDownToOneHost(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/position?q=Gannet+Store")
	pressIn(t, page, "", "Gannet Store", "88 short")
	says(t, page, "aside", "Full capacity: all of each host")
	press(t, page, `[data-group="core::all used"]`)
	page.MustElement("[data-calc]")
	if n := len(page.MustElements("[data-unit]")); n < 3 || n > 5 {
		t.Fatalf("%d hosts are short of a cluster of five", n)
	}
	says(t, page, "[data-calc]", "2 processors with 16 cores: 2 × 8")
	says(t, page, "[data-calc]", "because of hall-vm-007, 6 virtual cores")
	press(t, page, "[data-record]")
	says(t, page, "aside", "As the source wrote it")
	press(t, page, "[data-unit] a")
	says(t, page, "h1", "hall-host-")
	// On a page of its own it can be worked out again, and shown to be the best.
	page.MustNavigate(url + "/position/352")
	press(t, page, "[data-prove]")
	says(t, page, "[data-proof]", "no other allocation covers more")
	says(t, page, "[data-proof]", "the stored figures are the same")
}

// Two days are compared: the steps add up, in the table and in the picture, and each opens into its lines.
func TestCompareTwoDays(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/position/changes?from=2026-03-31")
	says(t, page, "[data-step-bars]", "rights expired")
	pressIn(t, page, "button", "Lodeglass View", "35 short")
	says(t, page, "[data-steps] tbody", "rights expired")
	says(t, page, "[data-steps] tfoot", "− 40")
	sums := page.MustEval(`() => {
		const number = (c) => Number(c.textContent.replace(/[^0-9−+]/g, '').replace('−', '-')) || 0;
		const rows = [...document.querySelectorAll('[data-steps] tbody tr:not([data-step-lines])')].map((r) => [...r.querySelectorAll('td.num')].map(number));
		const last = [...document.querySelectorAll('[data-steps] tfoot td.num')].map(number);
		return last.slice(0, 5).map((v, i) => v - rows.reduce((n, r) => n + r[i], 0)).join(' ');
	}`).Str()
	if sums != "0 0 0 0 0" {
		t.Errorf("the steps and their sum differ by %s", sums)
	}
	press(t, page, "[data-open-step]")
	says(t, page, "[data-step-lines]", "counted 40, counts 0, ended on 2026-06-15")
	press(t, page, "[data-step-lines] a")
	says(t, page, ".now", "Counts 0 today")
}

// A shortfall is closed in a basket: what nothing covers is removed, and the money is seen before; turned into work,
// each removal is a case that is agreed to.
func TestTryMeasuresAndTurnThemIntoCases(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/position?q=Saltmark+Gauge")
	row(t, page, "Saltmark Gauge", "9 short")
	page.MustNavigate(url + "/position/try?product=13")
	press(t, page, "[data-uncovered]")
	within(t, page, `() => !document.querySelector('[data-add]').disabled`)
	press(t, page, "[data-add]")
	says(t, page, "[data-measures]", "remove Saltmark Gauge from 9 devices")
	says(t, page, "[data-tried]", "28 spare")
	says(t, page, "[data-tried]", "→ 0 EUR, less by")
	put(page, "basket", "Gauges off the charting desks")
	within(t, page, `() => !document.querySelector('[data-turn]').disabled`)
	press(t, page, "[data-turn]")
	says(t, page, "[data-basket-done]", "9 cases")
	page.MustNavigate(url + "/worklist?f=kind%3Dplanned")
	row(t, page, "Saltmark Gauge", "agreed")
	says(t, page, "[data-total]", "9 cases")
	page.MustNavigate(url + "/position/try")
	says(t, page, ".head", "Gauges off the charting desks, done")
	// Another person's change is not overwritten.
	basket := call(page, "GET", "/api/baskets", "")
	if !strings.Contains(basket, `"version":1`) {
		t.Fatalf("%s", basket)
	}
	body := `{"id":1,"version":7,"name":"x","note":"","measures":[],"author":"","at":0,"changedAt":0,"doneAt":0,"doneBy":""}`
	if got := call(page, "POST", "/api/baskets", body); !strings.Contains(got, "somebody else changed it meanwhile") {
		t.Errorf("a change of an old version is answered with %s", got)
	}
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

// What costs money and what saves it are tried beside each other, and each becomes the work that it is.
func TestTryBuyingAndLettingLapse(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/position/try?product=13")
	form := page.MustElement("form.measure")
	choose(t, form, "what", "buy more")
	put(page, "quantity", "4")
	within(t, page, `() => !document.querySelector('[data-add]').disabled`)
	press(t, page, "[data-add]")
	says(t, page, "[data-measures]", "buy 4 Saltmark Gauge")
	says(t, page, "[data-tried]", "5 short")
	choose(t, form, "what", "let a line lapse")
	line := page.MustEval(`() => fetch('/api/products/13/position').then((r) => r.json()).then((p) => p.metrics[0].lines[0].code)`).
		Str()
	choose(t, form, "line", line)
	within(t, page, `() => !document.querySelector('[data-add]').disabled`)
	press(t, page, "[data-add]")
	says(t, page, "[data-measures]", "let "+line+" lapse")
	put(page, "basket", "Buy some, drop some")
	within(t, page, `() => !document.querySelector('[data-turn]').disabled`)
	press(t, page, "[data-turn]")
	says(t, page, "[data-basket-done]", "1 purchase request")
	says(t, page, "[data-basket-done]", "lapse")
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
