package condition

import (
	"math/rand/v2"
	"net/netip"
	"path"
	"strings"
	"testing"
)

// box is a device in tests.
type box struct {
	text    map[string]string
	numbers map[string]int64
	has     map[int64]bool
	in      map[string]bool
}

func (b box) Text(f string) string  { return b.text[f] }
func (b box) Number(f string) int64 { return b.numbers[f] }
func (b box) Has(p int64) bool      { return b.has[p] }
func (b box) In(g string) bool      { return b.in[g] }

func named(int64) string { return "Gannet" }

func TestHolds(t *testing.T) {
	d := box{
		map[string]string{
			"name":        "hal-tide-07",
			"unit":        "Sea/Eider/Bridge",
			"environment": "test",
			"network":     "10.24.3.9, fe80::1%eth0",
		},
		map[string]int64{"cores": 16},
		map[int64]bool{7: true},
		map[string]bool{"loaned": true},
	}
	is := func(f, op, v string) Condition { return Condition{Field: f, Op: op, Value: v} }
	for _, c := range []struct {
		name string
		c    Condition
		want bool
	}{
		{"nothing asked", Condition{}, true},
		{"is", is("environment", "is", "test"), true},
		{"is another", is("environment", "is", "production"), false},
		{"like", is("name", "like", "HAL-*-0?"), true},
		{"like cut", is("name", "like", "hal-*-0"), false},
		{"under", is("unit", "under", "Sea/Eider"), true},
		{"under is no prefix", is("unit", "under", "Sea/Eid"), false},
		{"within", is("network", "within", "10.24.0.0/21"), true},
		{"not within", is("network", "within", "10.24.8.0/22"), false},
		{"the zone of an address is passed over", is("network", "within", "fe80::/10"), true},
		{"at least", is("cores", "at_least", "16"), true},
		{"at most", is("cores", "at_most", "15"), false},
		{"number is", is("cores", "is", "16"), true},
		{"has", is("title", "has", "7"), true},
		{"lacks", is("title", "lacks", "7"), false},
		{"in", is("group", "in", "loaned"), true},
		{"all", Condition{All: []Condition{is("environment", "is", "test"), is("title", "has", "7")}}, true},
		{"all but one", Condition{All: []Condition{is("environment", "is", "test"), is("title", "has", "8")}}, false},
		{"any", Condition{Any: []Condition{is("environment", "is", "x"), is("title", "has", "7")}}, true},
		{"none of any", Condition{Any: []Condition{is("environment", "is", "x")}}, false},
		{"not", Condition{Not: &Condition{Field: "environment", Op: "is", Value: "x"}}, true},
	} {
		if err := c.c.Check(); err != nil {
			t.Errorf("%s: %v", c.name, err)
		}
		if got := c.c.Holds(d); got != c.want {
			t.Errorf("%s: %v", c.name, got)
		}
		if got, _ := c.c.Why(d, named); got != c.want {
			t.Errorf("%s: why says %v", c.name, got)
		}
	}
}

func TestCheckRefuses(t *testing.T) {
	deep := Condition{Field: "name", Op: "is", Value: "x"}
	for range 20 {
		inner := deep
		deep = Condition{Not: &inner}
	}
	for _, c := range []Condition{
		{Field: "colour", Op: "is"}, {Field: "name", Op: "under", Value: "x"},
		{Field: "cores", Op: "at_least", Value: "many"}, {Field: "network", Op: "within", Value: "10.0.0.0/40"},
		{Field: "title", Op: "has", Value: "x"}, {Field: "group", Op: "in"},
		{Field: "name", Op: "is", All: []Condition{}}, {All: []Condition{{Field: "no"}}}, deep,
	} {
		if c.Check() == nil {
			t.Errorf("%+v was taken", c)
		}
	}
}

// The sites of RFC 4632, section 5.1, which one provider's block 10.24.0.0/13 holds (from memory).
func TestRangesOfRFC4632(t *testing.T) {
	sites := []struct{ cidr, first, last string }{
		{"10.24.0.0/21", "10.24.0.0", "10.24.7.255"}, {"10.24.16.0/20", "10.24.16.0", "10.24.31.255"},
		{"10.24.8.0/22", "10.24.8.0", "10.24.11.255"}, {"10.24.12.0/22", "10.24.12.0", "10.24.15.255"},
		{"10.24.32.0/23", "10.24.32.0", "10.24.33.255"}, {"10.24.34.0/23", "10.24.34.0", "10.24.35.255"},
	}
	at := func(addr, cidr string) bool {
		return Condition{
			Field: "network",
			Op:    "within",
			Value: cidr,
		}.Holds(
			box{text: map[string]string{"network": addr}},
		)
	}
	for _, s := range sites {
		first, last := netip.MustParseAddr(s.first), netip.MustParseAddr(s.last)
		for addr, want := range map[netip.Addr]bool{first: true, last: true, first.Prev(): false, last.Next(): false} {
			if at(addr.String(), s.cidr) != want {
				t.Errorf("%s in %s is not %v", addr, s.cidr, want)
			}
		}
		if !at(s.first, "10.24.0.0/13") || !at(s.last, "10.24.0.0/13") {
			t.Errorf("%s lies outside the provider's block", s.cidr)
		}
		for _, other := range sites {
			if other.cidr != s.cidr && at(s.first, other.cidr) {
				t.Errorf("%s and %s overlap", s.cidr, other.cidr)
			}
		}
	}
	if at("10.32.0.0", "10.24.0.0/13") || !at("10.31.255.255", "10.24.0.0/13") || !at("192.0.2.1", "0.0.0.0/0") ||
		!at("192.0.2.1", "192.0.2.1") {
		t.Error("the edges of /13, /0 and a single address")
	}
}

// The prefix of RFC 4291, section 2.3, in its legal spellings and in those that the text calls not legal or another
// prefix; and the mapped addresses of section 2.5.5.2.
func TestRangesOfRFC4291(t *testing.T) {
	node := box{text: map[string]string{"network": "2001:0DB8:0:CD30:123:4567:89AB:CDEF"}}
	for cidr, want := range map[string]bool{
		"2001:0DB8:0000:CD30:0000:0000:0000:0000/60": true, "2001:0DB8::CD30:0:0:0:0/60": true,
		"2001:0DB8:0:CD30::/60":                  true,
		"2001:0DB8:0:CD30:123:4567:89AB:CDEF/60": true, "2001:0DB8::CD30/60": false, "2001:0DB8::CD3/60": false,
		"2001:db8:0:cd20::/60": false,
	} {
		c := Condition{Field: "network", Op: "within", Value: cidr}
		if err := c.Check(); err != nil {
			t.Errorf("%s: %v", cidr, err)
		}
		if c.Holds(node) != want {
			t.Errorf("%s: not %v", cidr, want)
		}
	}
	if _, err := ParseRange("2001:0DB8:0:CD3/60"); err == nil {
		t.Error("2001:0DB8:0:CD3/60 was read, though zeros at the end of a group may not be left out")
	}
	mapped := box{text: map[string]string{"network": "::FFFF:129.144.52.38"}}
	if !(Condition{Field: "network", Op: "within", Value: "129.144.52.0/24"}).Holds(mapped) {
		t.Error("an IPv4-mapped address is not seen in its IPv4 range")
	}
}

// Against arithmetic on the bits themselves.
func TestWithinAgainstBits(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 20_000 {
		a, b := r.Uint32(), r.Uint32()
		bits := r.IntN(33)
		if r.IntN(2) == 0 {
			b = a ^ r.Uint32()>>r.IntN(32)
		}
		addr := func(v uint32) netip.Addr {
			return netip.AddrFrom4([4]byte{byte(v >> 24), byte(v >> 16), byte(v >> 8), byte(v)})
		}
		want := bits == 0 || a>>(32-bits) == b>>(32-bits)
		got := Condition{
			Field: "network",
			Op:    "within",
			Value: netip.PrefixFrom(addr(a), bits).String(),
		}.Holds(
			box{text: map[string]string{"network": addr(b).String()}},
		)
		if got != want {
			t.Fatalf("%v in %v/%d: %v", addr(b), addr(a), bits, got)
		}
	}
}

func TestWhyNamesTheDecidingFacts(t *testing.T) {
	d := box{map[string]string{"unit": "School", "network": "10.1.2.3"}, map[string]int64{"cores": 4}, nil, nil}
	c := Condition{All: []Condition{{Field: "unit", Op: "under", Value: "School"},
		{Any: []Condition{{Field: "cores", Op: "at_least", Value: "8"},
			{Field: "network", Op: "within", Value: "10.1.0.0/16"}}},
		{Not: &Condition{Field: "title", Op: "has", Value: "3"}}}}
	ok, why := c.Why(d, named)
	if got := strings.Join(why, "; "); !ok || got != "unit School; 10.1.2.3 lies in 10.1.0.0/16; lacks Gannet" {
		t.Errorf("%v %s", ok, got)
	}
	if got := c.Words(named); got != "unit under School and (cores at least 8 or network within 10.1.0.0/16) and not "+
		"has Gannet" {
		t.Error(got)
	}
	d.text["network"] = ""
	if ok, why := c.Why(d, named); ok || strings.Join(why, "; ") != "cores 4; network unknown" {
		t.Errorf("%v %v", ok, why)
	}
}

func TestGroupsAskForEachOther(t *testing.T) {
	in := func(g string) Condition { return Condition{Field: "group", Op: "in", Value: g} }
	sets := []Set{
		{
			Name:      "ashore",
			Condition: Condition{Field: "unit", Op: "under", Value: "Shore"},
			Picked:    map[int64]bool{9: true, 2: false},
		},
		{Name: "at sea", Condition: Condition{Not: &Condition{Field: "group", Op: "in", Value: "ashore"}}},
		{Name: "loans", ByHand: true, Picked: map[int64]bool{1: true}},
	}
	if err := CheckGroups(sets); err != nil {
		t.Fatal(err)
	}
	by := map[string]*Set{}
	for i := range sets {
		by[sets[i].Name] = &sets[i]
	}
	shore := box{text: map[string]string{"unit": "Shore/Charting"}}
	sea := box{text: map[string]string{"unit": "Sea/Eider"}}
	for _, c := range []struct {
		device int64
		b      box
		group  string
		want   bool
	}{{1, shore, "ashore", true}, {1, shore, "at sea", false}, {1, shore, "loans", true}, {2, shore, "ashore", false},
		{2, shore, "at sea", true}, {3, sea, "at sea", true}, {9, sea, "ashore", true}, {9, sea, "at sea", false},
		{3, sea, "none such", false}} {
		f := WithGroups(c.device, c.b, by)
		if got := f.In(c.group); got != c.want {
			t.Errorf("device %d in %s: %v", c.device, c.group, got)
		}
		if set := by[c.group]; set != nil {
			if ok, why := set.Why(c.device, f, named); ok != c.want || len(why) == 0 {
				t.Errorf("device %d in %s: %v %v", c.device, c.group, ok, why)
			}
		}
	}
	if err := CheckGroups(append(sets, Set{Name: "a", Condition: in("b")},
		Set{Name: "b", Condition: in("a")})); err == nil ||
		!strings.Contains(err.Error(), "asks for") {
		t.Errorf("a circle was taken: %v", err)
	}
	if err := CheckGroups([]Set{{Name: "a", Condition: in("gone")}}); err == nil {
		t.Error("a group that is not there was taken")
	}
}

// Like against the standard library's matcher, where the two mean the same.
func FuzzLike(f *testing.F) {
	for _, s := range [][2]string{{"hal-01", "hal-*"}, {"hal-01", "*01"}, {"", "*"}, {"abc", "a?c"}, {"aab", "a*b"},
		{"mississippi", "m*si*i"}} {
		f.Add(s[0], s[1])
	}
	f.Fuzz(func(t *testing.T, s, pattern string) {
		if strings.ContainsAny(s+pattern, "/[]\\") || !isText(s) || !isText(pattern) {
			t.Skip()
		}
		want, err := path.Match(pattern, s)
		if err != nil {
			t.Skip()
		}
		if got := Like(s, pattern); got != want {
			t.Errorf("%q like %q: %v", s, pattern, got)
		}
	})
}

func isText(s string) bool { return strings.ToValidUTF8(s, "") == s }
