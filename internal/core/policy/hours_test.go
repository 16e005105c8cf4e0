package policy

import (
	"math/rand/v2"
	"testing"
	"time"
)

func TestParseHours(t *testing.T) {
	for _, c := range []struct{ days, from, to, want string }{
		{"", "", "", ""}, {"mon-fri", "08:00", "16:00", "mon-fri 08:00-16:00"}, {"sat|sun", "", "", "sat|sun"},
		{"", "22:00", "06:00", "22:00-06:00"}, {"mon-sun", "", "", ""},
		{"fri-mon", "", "", "mon|fri-sun"}, {"", "18:00", "24:00", "18:00-00:00"},
		{"Tue, Thu", "9:30", "10:00", "tue|thu 09:30-10:00"},
	} {
		h, err := ParseHours(c.days, c.from, c.to)
		if err != nil || h.String() != c.want {
			t.Errorf("%v: %q, %v", c, h, err)
		}
		days, from, to := h.Texts()
		if again, err := ParseHours(days, from, to); err != nil || again.String() != h.String() {
			t.Errorf("%v comes back as %q, %v", c, again, err)
		}
	}
	for _, c := range [][3]string{{"monday", "", ""}, {"mon-", "", ""}, {"", "08:00", ""}, {"", "8", "9"},
		{"", "24:30", "06:00"}, {"", "25:00", "06:00"}, {"", "07:00", "07:00"}, {"", "-1:00", "06:00"}} {
		if _, err := ParseHours(c[0], c[1], c[2]); err == nil {
			t.Errorf("%v is taken", c)
		}
	}
}

func hours(t *testing.T, days, from, to string) Hours {
	t.Helper()
	h, err := ParseHours(days, from, to)
	if err != nil {
		t.Fatal(err)
	}
	return h
}

func TestWeek(t *testing.T) {
	work, night := hours(t, "mon-fri", "08:00", "16:00"), hours(t, "", "22:00", "06:00")
	game := Title{Product: 1, Category: "game"}
	for _, c := range []struct {
		name     string
		policies []Policy
		presence Stance
		monday10 Stance
		monday23 Stance
		sunday3  Stance
	}{
		{"nothing said", nil, "", "", "", ""},
		{"restricted in working hours", []Policy{{ID: 1, Category: "game", Stance: Restricted, Hours: work}}, "",
			Restricted, "", ""},
		{"restricted, but allowed at night", []Policy{{ID: 1, Category: "game", Stance: Restricted},
			{ID: 2, Category: "game", Stance: Allowed, Hours: night}}, Allowed, Restricted, Allowed, Allowed},
		{"a wider allowance at night does not help", []Policy{{ID: 1, Product: 1, Stance: Restricted},
			{ID: 2, Category: "game", Stance: Allowed, Hours: night}}, Restricted, Restricted, Restricted, Restricted},
		{"a title's allowance goes before its category's hours", []Policy{{ID: 1, Product: 1, Stance: Allowed},
			{ID: 2, Category: "game", Stance: Restricted, Hours: work}}, Allowed, Allowed, Allowed, Allowed},
		{"required, but not at night", []Policy{{ID: 1, Product: 1, Stance: Required},
			{ID: 2, Product: 1, Stance: Restricted, Hours: night}}, Required, Required, Restricted, Restricted},
	} {
		w := Fit(c.policies, game, env("production"))
		stance := func(p *Policy) Stance {
			if p == nil {
				return ""
			}
			return p.Stance
		}
		if got := stance(w.Presence()); got != c.presence {
			t.Errorf("%s: presence %q, want %q", c.name, got, c.presence)
		}
		for _, at := range []struct {
			day    time.Weekday
			minute int
			want   Stance
		}{{time.Monday, 600, c.monday10}, {time.Monday, 23 * 60, c.monday23}, {time.Sunday, 180, c.sunday3}} {
			if got := stance(w.At(at.day, at.minute)); got != at.want {
				t.Errorf("%s: on %s at minute %d %q, want %q", c.name, at.day, at.minute, got, at.want)
			}
		}
	}
}

// Breaches against asking every second, over the hour that is there twice and the one that is not there (IANA data
// for Europe/Oslo, 2026-03-29 and 2026-10-25).
func TestBreachesSecondBySecond(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(4, 2))
	found := 0
	for range 400 {
		policies := []Policy{{ID: 1, Product: 1, Stance: []Stance{Allowed, Restricted}[r.IntN(2)]}}
		for n := range 1 + r.IntN(3) {
			policies = append(
				policies,
				Policy{
					ID:      int64(2 + n),
					Product: 1,
					Stance:  []Stance{Allowed, Restricted, Required}[r.IntN(3)],
					Hours:   Hours{uint8(r.IntN(128)), r.IntN(1440), r.IntN(1440)},
				},
			)
		}
		w := Fit(policies, Title{Product: 1}, env(""))
		day := []string{"2026-03-29", "2026-10-25", "2026-06-10"}[r.IntN(3)]
		at, _ := time.ParseInLocation("2006-01-02", day, oslo)
		start := at.Unix() + r.Int64N(4*3600)
		end := start + r.Int64N(3*3600)
		want := map[int64]bool{}
		for s := start; s < end; s++ {
			l := time.Unix(s, 0).In(oslo)
			if p := w.At(l.Weekday(), l.Hour()*60+l.Minute()); p != nil && p.Stance == Restricted && w.HasHours() {
				want[s] = true
			}
		}
		got := int64(0)
		for _, b := range w.Breaches(start, end, oslo) {
			for s := b.Start; s < b.End; s++ {
				if !want[s] {
					t.Fatalf("second %d is called a breach", s)
				}
			}
			got += b.End - b.Start
		}
		if got != int64(len(want)) {
			t.Fatalf("%d seconds, want %d", got, len(want))
		}
		if got > 0 {
			found++
		}
	}
	if found < 50 {
		t.Errorf("only %d uses had a breach", found)
	}
	w := Fit([]Policy{{ID: 1, Product: 1, Stance: Restricted, Hours: Hours{0, 0, 720}}}, Title{Product: 1}, env(""))
	if b := w.Breaches(1_780_000_000/86400*86400, 1_780_000_000/86400*86400, time.UTC); len(b) != 1 {
		t.Errorf("a use without length: %v", b)
	}
}
