package standin

import (
	"fmt"
	"time"
)

// The columns of a line of users, by their places.
const (
	userStatus  = 5
	userUnit    = 3
	userLogOns  = 7
	userObject  = 10
	userColumns = 12
)

// listed completes the lines of users: each has a log-on name of the house's domain, a manager and a cost centre.
func (w *world) listed() {
	first, centre := map[string]string{}, map[string]int{}
	for i, u := range w.users {
		for len(u) < userColumns {
			u = append(u, "")
		}
		unit := u[userUnit]
		if first[unit] == "" {
			first[unit], centre[unit] = u[0], 4100+10*len(centre)
		}
		u[userLogOns], u[9] = `HALV\`+u[0], fmt.Sprint(centre[unit])
		if first[unit] != u[0] {
			u[8] = first[unit]
		}
		w.users[i] = u
	}
}

// ran is a run of a program that somebody started, under a name of his, some days ago.
func (w *world) ran(d *device, name string, p *product, daysAgo int) {
	start := Now.Add(-time.Duration(daysAgo)*24*time.Hour - time.Hour)
	w.sessions = append(w.sessions, []string{d.id, name, p.file, "", start.Format(time.RFC3339),
		start.Add(35 * time.Minute).Format(time.RFC3339), ""})
}

// userAt is the place of a user in the list.
func (w *world) userAt(code string) int {
	for i, u := range w.users {
		if u[0] == code {
			return i
		}
	}
	panic("there is no user " + code)
}

// whoIsWho are people under several names, and names of nobody.
func (w *world) whoIsWho() {
	staff, school := w.unitsOf["Shore/Charting"][240:252], w.unitsOf["School"][80:88]
	slate := w.newProduct(product{publisher: vest, name: "Turnstone Slate", category: "drawing", price: "140",
		metric: "named_user", file: "turnstoneslate.exe"})
	for i, d := range staff[:3] { // at his desk, and in a classroom, where machines ask for the whole name
		w.ran(d, d.user, slate, 3)
		w.ran(school[i], `HALV\`+d.user, slate, 4)
		w.ran(school[i+1], d.user+"@Halv.example", slate, 5)
	}
	w.hide("three people, each under three spellings of a log-on name", slate, "named_user",
		map[string]int64{"owned": 0, "needed": 3, "short": 3})

	render := w.newProduct(product{publisher: vest, name: "Turnstone Batch", category: "drawing", price: "310",
		metric: "named_user", file: "turnstonebatch.exe", versions: []string{"2.4"}})
	for _, d := range staff[3:5] {
		w.put(d, render, "", "2.4")
		w.ran(d, `HALV\svc_render`, render, 2)
	}
	w.hide("what a service account runs makes no named user", render, "named_user",
		map[string]int64{"owned": 0, "needed": 2, "short": 2})

	sketch := w.newProduct(product{publisher: vest, name: "Turnstone Sketch", category: "drawing", price: "75",
		metric: "named_user", file: "turnstonesketch.exe"})
	owner := staff[5]
	w.users[w.userAt(owner.user)][userLogOns] += `|HALV\tbrattmyr`
	w.ran(owner, `HALV\tbrattmyr`, sketch, 6)
	w.ran(school[5], "tbrattmyr", sketch, 7)
	w.hide("a bare name counts for itself until somebody says whose it is", sketch, "named_user",
		map[string]int64{"owned": 0, "needed": 2, "short": 2})

	twice := w.newProduct(product{publisher: vest, name: "Turnstone Proof", category: "office", price: "60",
		metric: "named_user", versions: []string{"3"}})
	seat := w.buy(right{p: twice, metric: "named_user", quantity: 3, kind: "subscription", start: "2025-10-01",
		end: "2026-12-31", price: "55"})
	one := w.users[w.userAt(staff[6].user)]
	other := append([]string{}, one...)
	one[userObject], other[userObject] = "5b1f0c7e-4a1d-4d6e-9a57-2f6d18c0a911", "5b1f0c7e-4a1d-4d6e-9a57-2f6d18c0a911"
	other[0], other[2], other[userLogOns] = "u0901", "u0901@halvorsund.example", ""
	w.users = append(w.users, other)
	for _, code := range []string{one[0], other[0]} {
		w.assigned = append(w.assigned, []string{seat, code, "", "2025-11-01", ""})
	}
	w.hide("the directory lists one person twice, and both hold a seat", twice, "named_user",
		map[string]int64{"owned": 3, "needed": 1, "surplus": 2})
}
