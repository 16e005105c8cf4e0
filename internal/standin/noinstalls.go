package standin

import (
	"fmt"
	"time"
)

// lentWithoutARight is a licence server that somebody set up and nobody booked a right for. What it starts is on a
// share, so that no machine has it installed.
func (w *rightsTeller) lentWithoutARight() {
	haul := w.newProduct(product{publisher: wex, name: "Fulmar Haul", category: "drawing", price: "890"})
	w.pools = append(w.pools,
		[]string{"fulmar", haul.publisher, haul.name, "lic-2.halvorsund.example", "6", "2027-01-31"})
	for n, d := range w.unitsOf["Shore/Charting"][300:304] { // the third comes as the first leaves
		start := time.Date(2026, 6, 16, 9, 20*n, 0, 0, time.UTC)
		end := start.Add(40 * time.Minute)
		s := fmt.Sprintf("s%05d", len(w.poolEvents))
		w.poolEvents = append(w.poolEvents,
			[]string{"fulmar", "checkout", s, d.user, d.id, start.Format(time.RFC3339), "1", ""},
			[]string{"fulmar", "return", s, d.user, d.id, end.Format(time.RFC3339), "1", ""})
	}
	w.hide(
		"shared by a licence server, installed nowhere, owned by nobody",
		haul,
		"concurrent",
		map[string]int64{"owned": 0, "needed": 2, "short": 2, "gap:none owned": 2},
	)
}

// usedWithoutAnInstall is a program that three people start from a stick, on machines where no scan finds it.
func (w *rightsTeller) usedWithoutAnInstall() {
	stick := w.newProduct(product{publisher: vest, name: "Turnstone Pocket", category: "office", price: "85",
		file: "turnstonepocket.exe"})
	for n, d := range w.unitsOf["Shore/Charting"][304:307] {
		for day := range 2 {
			start := time.Date(2026, 6, 18+day, 10, 7*n, 0, 0, time.UTC)
			w.sessions = append(w.sessions, []string{d.id, d.user, stick.file, "", start.Format(time.RFC3339),
				start.Add(25 * time.Minute).Format(time.RFC3339), ""})
		}
	}
	w.hide(
		"used from a stick by three people, found by no scan",
		stick,
		"named_user",
		map[string]int64{"owned": 0, "needed": 3, "short": 3, "gap:none owned": 3},
	)
}
