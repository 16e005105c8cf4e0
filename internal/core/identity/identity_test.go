package identity

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func TestFoldName(t *testing.T) {
	for name, want := range map[string]HostName{
		"PC1":                   {"pc1", ""},
		" pc1.Example.org. ":    {"pc1", "example.org"},
		`HALV\PC1$`:             {"pc1", "halv"},
		"localhost":             {},
		"localhost.localdomain": {},
		"10.0.0.7":              {},
		"fe80::1":               {},
		"Blåskjær-7":            {"blåskjær-7", ""},
		"ＰＣ１":                   {"pc1", ""}, // written in wide letters
		"メインPC":                 {"メインpc", ""},
		"ΣΊΣΥΦΟΣ":               {"σίσυφοσ", ""},
		"printer.local":         {"printer", ""},
		"":                      {},
	} {
		if got := FoldName(name); got != want {
			t.Errorf("%q: %+v, not %+v", name, got, want)
		}
	}
}

func TestNamesFit(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"pc1", "PC1.example.org", true},
		{"pc1.example.org", "pc1.other.org", false},
		{`EXAMPLE\pc1`, "pc1.example.org", true},
		{`OTHER\pc1`, "pc1.example.org", false},
		{"HYDROGRAFISK-MA", "hydrografisk-maaling-7.example.org", true}, // cut at 15
		{"HYDROGRAFISK-M", "hydrografisk-maaling-7", false},             // 14 letters: nothing cut it
		{"pc1", "pc10", false},
		{"localhost", "localhost", false},
	} {
		a, b := FoldName(c.a), FoldName(c.b)
		if got := a.Fits(b); got != c.want || b.Fits(a) != c.want {
			t.Errorf("%s and %s: %v", c.a, c.b, got)
		}
	}
}

// Placeholders: common practice.
func TestFoldSerial(t *testing.T) {
	for s, want := range map[string]string{
		"To be filled by O.E.M.": "", "Default string": "", "None": "", "0000000": "", "xxxxxx": "", "N/A": "",
		"System Serial Number": "", "123456789": "", "Not Specified": "", "  ": "", "12": "",
		"vmware-42 1c 7f": "VMWARE421C7F", " 5cg-0123abc ": "5CG0123ABC", "ＡＢ１２３４": "AB1234",
	} {
		if got := FoldSerial(s); got != want {
			t.Errorf("%q: %q, not %q", s, got, want)
		}
	}
}

// The bits of an address are those of IEEE 802: the second lowest of the first octet says that it is made up, the
// lowest that it is for many.
func TestFoldAddress(t *testing.T) {
	for s, want := range map[string]string{
		"A4:41:88:3C:1B:9D": "a441883c1b9d", "a441.883c.1b9d": "a441883c1b9d", "a4-41-88-3c-1b-9d": "a441883c1b9d",
		"02:42:ac:11:00:02": "", "ff:ff:ff:ff:ff:ff": "", "00:00:00:00:00:00": "", "01:00:5e:00:00:fb": "",
		"a4:41:88": "", "no address!!": "",
	} {
		if got := FoldAddress(s); got != want {
			t.Errorf("%q: %q, not %q", s, got, want)
		}
	}
}

func on(from, to int64) (int64, int64) { return from * 86400, to * 86400 }

// machine writes a record in short: source/key, then signs as name=value, and from..to days.
func machine(t *testing.T, text string) Machine {
	t.Helper()
	words := strings.Fields(text)
	var m Machine
	m.Source, m.Key, _ = strings.Cut(words[0], "/")
	for _, w := range words[1:] {
		k, v, _ := strings.Cut(w, "=")
		switch k {
		case "serial":
			m.Serial = v
		case "maker":
			m.Maker = v
		case "id":
			m.MachineID = v
		case "directory":
			m.DirectoryID = v
		case "name":
			m.Names = append(m.Names, v)
		case "hw":
			m.Addresses = append(m.Addresses, v)
		case "ip":
			m.IP = v
		case "days":
			var a, b int64
			if _, err := fmt.Sscanf(v, "%d-%d", &a, &b); err != nil {
				t.Fatal(err)
			}
			m.First, m.Last = on(a, b)
		case "byname":
			m.LetsName = true
		default:
			t.Fatalf("%s?", w)
		}
	}
	return m
}

func TestMachines(t *testing.T) {
	for _, c := range []struct {
		name      string
		records   []string
		decisions []Decision
		opt       Options
		want      string // groups by letters
		pairs     string // a-b likely, a!b that wait
	}{
		{
			name: "a serial number in any form", want: "aa",
			records: []string{"/A1 serial=AB-1234", "tool/7 serial=ab1234"},
		},
		{name: "a placeholder is none", records: []string{"/A1 serial=None", "tool/7 serial=None"}, want: "ab"},
		{
			name: "one number of two makers waits",
			records: []string{
				"/A1 serial=AB1234 maker=Norhavn",
				"tool/7 serial=AB1234 maker=Ostlund",
			},
			want: "ab", pairs: "a!b",
		},
		{
			name: "makers are written in many ways",
			records: []string{
				"/A1 serial=AB1234 maker=Hewlett-Packard",
				"tool/7 serial=AB1234 maker=HP",
			},
			want: "aa",
		},
		{name: "the house's device_id", records: []string{"/D1 name=x", "tool/D1", "other/d1"}, want: "aaa"},
		{
			name:    "a device_id that is a name says no more than the name",
			records: []string{"tool/pc1 name=pc1", "other/PC1 name=pc1.example.org"}, want: "ab", pairs: "a-b",
		},
		{
			name:    "a name that the house's list has as device_id",
			records: []string{"/pc1 name=pc1", "tool/pc1 name=pc1", "other/PC1 name=pc1"}, want: "aaa",
		},
		{name: "a name alone is likely", records: []string{"/A1 name=pc1", "tool/7 name=PC1.example.org"}, want: "ab",
			pairs: "a-b"},
		{name: "where the house says so it joins", records: []string{"/A1 name=pc1", "tool/7 name=PC1.example.org"},
			opt: Options{Names: true}, want: "aa"},
		{
			name: "or where it says so of one source", want: "aa",
			records: []string{"/A1 name=pc1", "tool/7 name=PC1 byname"},
		},
		{name: "but not of namesakes", records: []string{"/A1 name=pc1", "/A2 name=pc1", "tool/7 name=pc1"},
			opt: Options{Names: true}, want: "abc", pairs: "a-b a-c b-c"},
		{
			name: "a clone waits, and who fits both",
			records: []string{
				"tool/k serial=AAAA1 id=12345678ab days=1-9",
				"tool/k serial=BBBB2 id=12345678ab days=2-9",
				"x/z id=12345678ab",
			},
			want: "abc", pairs: "a!b a!c b!c",
		},
		{
			name: "a board that was changed is one when somebody says so, and with it whoever fits either",
			records: []string{
				"tool/k serial=AAAA1 id=12345678ab days=1-9",
				"tool/k serial=BBBB2 id=12345678ab days=10-19",
				"x/z id=12345678ab",
				"/A1 serial=bbbb2",
			},
			decisions: []Decision{{A: 0, B: 1, Together: true, At: 1}},
			want:      "aaaa",
		},
		{
			name: "reinstalled: one machine with two ids, one after the other",
			records: []string{
				"tool/k1 serial=AAAA1 id=12345678ab days=1-9",
				"tool/k2 serial=AAAA1 id=99345678ab days=9-19",
			},
			want: "aa",
		},
		{
			name: "two machines with two ids on the same days and one number wait",
			records: []string{
				"tool/k1 serial=AAAA1 id=12345678ab days=1-9",
				"tool/k2 serial=AAAA1 id=99345678ab days=8-19",
			},
			want: "ab", pairs: "a!b",
		},
		{
			name: "a name given to a new machine",
			records: []string{
				"tool/k1 serial=AAAA1 name=pc1 days=1-9",
				"tool/k2 serial=BBBB2 name=pc1 days=20-29",
			},
			opt: Options{Names: true}, want: "ab",
		},
		{
			name: "hardware addresses are likely, those of docks say nothing",
			records: []string{
				"t/1 hw=a44188000001 hw=a44188000009 serial=AAAA1",
				"t/2 hw=a44188000002 hw=a44188000009 serial=BBBB2",
				"x/3 hw=a44188000001 hw=a44188000009",
			},
			want: "abc", pairs: "a-c",
		},
		{
			name: "one source sees two at one moment",
			records: []string{
				"t/1 name=pc1 ip=10.0.0.1 days=1-9",
				"t/2 name=pc1 ip=10.0.0.2 days=1-9",
			},
			opt: Options{Names: true}, want: "ab",
		},
		{name: "parted by somebody", records: []string{"/A1 serial=AAAA1", "x/2 serial=AAAA1"},
			decisions: []Decision{{A: 0, B: 1, At: 1}}, want: "ab"},
		{name: "the later decision holds", records: []string{"/A1 serial=AAAA1", "x/2 serial=BBBB1"},
			decisions: []Decision{{A: 0, B: 1, At: 1}, {A: 0, B: 1, Together: true, At: 2}}, want: "aa"},
		{
			name:      "a later one of two parts what earlier ones held together",
			records:   []string{"/A1", "x/2", "y/3"},
			decisions: []Decision{{0, 1, true, 1}, {1, 2, true, 2}, {0, 2, false, 3}}, want: "abb",
		},
	} {
		var list []Machine
		for _, r := range c.records {
			list = append(list, machine(t, r))
		}
		res := Machines(list, c.decisions, c.opt)
		got, pairs := "", []string{}
		for _, g := range res.Group {
			got += string(rune('a' + g))
		}
		for _, p := range res.Pairs {
			mark := "-"
			if p.Waits {
				mark = "!"
			}
			x, y := string(rune('a'+min(p.A, p.B))), string(rune('a'+max(p.A, p.B)))
			pairs = append(pairs, x+mark+y)
		}
		slices.Sort(pairs)
		if want := strings.Fields(c.pairs); got != c.want || !slices.Equal(pairs, want) {
			t.Errorf("%s: groups %s, pairs %v; not %s, %v", c.name, got, pairs, c.want, want)
		}
	}
}

// In any order of the records the same groups and the same proposals come out, with decisions between.
func TestAnyOrderOfRecords(t *testing.T) {
	for seed := range uint64(12) {
		r := rand.New(rand.NewPCG(seed, 7))
		e := simulated(r, 400)
		n := len(e.list)
		var decisions []Decision
		for k := range 60 {
			a := r.IntN(n)
			decisions = append(decisions, Decision{a, (a + 1 + r.IntN(4)) % n, r.IntN(2) == 0, int64(k)})
		}
		opt := Options{Names: seed%2 == 0, Addresses: seed%3 == 0}
		want := Machines(e.list, decisions, opt)
		for range 4 {
			at := r.Perm(n)
			list, moved := make([]Machine, n), slices.Clone(decisions)
			for i, to := range at {
				list[to] = e.list[i]
			}
			for i, d := range moved {
				moved[i].A, moved[i].B = at[d.A], at[d.B]
			}
			r.Shuffle(len(moved), func(i, j int) { moved[i], moved[j] = moved[j], moved[i] })
			got := Machines(list, moved, opt)
			for i := range n {
				for _, k := range []int{(i + 1) % n, (i + 2) % n, (i + 3) % n, (i + 5) % n} {
					if (want.Group[i] == want.Group[k]) != (got.Group[at[i]] == got.Group[at[k]]) {
						t.Fatalf("seed %d: %+v and %+v", seed, e.list[i], e.list[k])
					}
				}
			}
			pairs := func(res Result, of []Machine) (out []string) {
				for _, p := range res.Pairs {
					out = append(out, fmt.Sprintf("%+v %+v %v %v", of[p.A], of[p.B], p.Waits, res.Signs(p)))
				}
				slices.Sort(out)
				return out
			}
			if x, y := pairs(want, e.list), pairs(got, list); !slices.Equal(x, y) {
				for i := range min(len(x), len(y)) {
					if x[i] != y[i] {
						t.Fatalf("seed %d:\n%s\n%s", seed, x[i], y[i])
					}
				}
				t.Fatalf("seed %d: %d and %d pairs", seed, len(x), len(y))
			}
		}
	}
}

// 100,000 machines from four sources.
func BenchmarkEstate(b *testing.B) {
	e := simulated(rand.New(rand.NewPCG(1, 1)), 100_000)
	b.ReportMetric(float64(len(e.list)), "records")
	for b.Loop() {
		Machines(e.list, nil, Options{Names: true})
	}
}

// What one scan costs: the records of its machine and those that are like it.
func BenchmarkOneMachine(b *testing.B) {
	e := simulated(rand.New(rand.NewPCG(1, 1)), 2)
	for b.Loop() {
		Machines(e.list, nil, Options{Names: true})
	}
}
