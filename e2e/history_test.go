package e2e

import (
	"strings"
	"testing"
)

// Whoever chooses how far back days can be asked for sees before what would be forgotten, and who may not cannot.
func TestHowFarBackDaysCanBeAskedFor(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/scans")
	press(t, page, "[data-history] summary")
	const days = "[data-history-days] input, input[data-history-days]"
	fill(page, days, "60")
	page.MustElement(days).MustBlur()
	says(t, page, "[data-history-effect]", "does not come back")
	if text := page.MustElement("[data-history-effect]").MustText(); !strings.Contains(text, "2026-05-01") {
		t.Error(text)
	}
	press(t, page, "[data-keep-history]")
	says(t, page, "[data-history] summary", "60 days")
	says(t, page, "[data-history] [role=status]", "Saved")
	looker := second(t, page, url, "look")
	looker.MustNavigate(url + "/evidence/scans")
	press(t, looker, "[data-history] summary")
	says(t, looker, "[data-history]", "60 days")
	if looker.MustHas("[data-keep-history]") {
		t.Error("who looks may save")
	}
}
