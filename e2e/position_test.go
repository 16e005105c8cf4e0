package e2e

import (
	"strings"
	"testing"
)

// A shortfall opens down to one device's evidence, each step with its own address.
func TestOpenAShortfallDownToItsEvidence(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/position")
	pressIn(t, page, "", "Saltmark Gauge", "9 short")
	says(t, page, "aside", "12")
	press(t, page, `[data-group="device::out of scope"]`)
	page.MustElement("[data-unit]")
	if n := len(page.MustElements("[data-unit]")); n != 9 {
		t.Fatalf("the group shows %d machines, 9 are short", n)
	}
	press(t, page, "[data-record]")
	says(t, page, "aside", "As the source wrote it")
	says(t, page, "aside", "Saltmark Gauge")
	if at := page.MustInfo().URL; !strings.Contains(at, "trail=") || !strings.Contains(at, "r") {
		t.Errorf("the address %s does not hold the trail", at)
	}
	page.MustReload()
	says(t, page, "aside", "As the source wrote it")
	press(t, page, "[data-unit] a")
	says(t, page, "h1", "hal-")
	row(t, page, "Saltmark Gauge", "counts")
	page.MustNavigateBack()
	says(t, page, "aside", "As the source wrote it")
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

// A shortfall is closed in a scenario: what nothing covers is removed, and the money is seen before; turned into work,
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
	put(page, "scenario", "Gauges off the charting desks")
	within(t, page, `() => !document.querySelector('[data-turn]').disabled`)
	press(t, page, "[data-turn]")
	says(t, page, "[data-scenario-done]", "9 removals")
	page.MustNavigate(url + "/worklist?f=kind%3Dplanned")
	row(t, page, "Saltmark Gauge", "agreed")
	says(t, page, "[data-total]", "9 cases")
	page.MustNavigate(url + "/position/try")
	says(t, page, ".head", "Gauges off the charting desks, done")
	// Another person's change is not overwritten.
	scenario := call(page, "GET", "/api/scenarios", "")
	if !strings.Contains(scenario, `"revision":1`) {
		t.Fatalf("%s", scenario)
	}
	body := `{"id":1,"revision":7,"name":"x","note":"","measures":[],"author":"","at":0,"changedAt":0,"doneAt":0,"doneBy":""}`
	if got := call(page, "POST", "/api/scenarios", body); !strings.Contains(got, "changed this on") {
		t.Errorf("a change of an old version is answered with %s", got)
	}
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
	put(page, "scenario", "Buy some, drop some")
	within(t, page, `() => !document.querySelector('[data-turn]').disabled`)
	press(t, page, "[data-turn]")
	says(t, page, "[data-scenario-done]", "2 cases of what is to be bought or done elsewhere")
}

// A statement for one publisher is frozen, opened down to the machines and what they reported, and given as a file.
func TestAStatementForOnePublisher(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/position/statements")
	fill(page, `[name="handedTo"]`, "Harrowmere plc")
	press(t, page, "[data-statement-of]")
	press(t, page, "[role=option]", "^one publisher$")
	fill(page, `[name="scopeName"]`, "harrowmere")
	press(t, page, ".make button[type=submit]")
	says(t, page, "[data-scope]", "Harrowmere plc")
	says(t, page, ".one", "Nothing differs")
	says(t, page, ".one", "Gannet Store")
	press(t, page, "[data-open-said]", "Gannet Store")
	says(t, page, "[data-said-units]", "not covered: all used")
	says(t, page, "[data-said-units]", "Gannet Store")
	look(t, page, "statement-of-a-publisher")
	press(t, page, "[data-check-statement]")
	says(t, page, "[data-checked]", "It holds")
	file := page.MustEval(`() => fetch(document.querySelector('[data-statement-file]').href).then((r) => r.text())`).
		Str()
	if !strings.HasPrefix(file, "publisher,product,metric,device_id") ||
		!strings.Contains(file, "Gannet Store,core") ||
		strings.Contains(file, "Skerrymap") {
		t.Errorf("the file is not that of the publisher: %.300s", file)
	}
}
