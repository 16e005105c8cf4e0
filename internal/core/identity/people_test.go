package identity

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
)

func TestFoldLogOn(t *testing.T) {
	for name, want := range map[string]LogOn{
		`HALV\Una`:          {"una", "halv"},
		"UNA@Halv.Example.": {"una", "halv.example"},
		" una ":             {"una", ""},
		"a@b@halv.example":  {"a@b", "halv.example"},
		`HALV\blåskjær`:     {"blåskjær", "halv"},
		"ＵＮＡ":               {"una", ""},
	} {
		if got := FoldLogOn(name); got != want {
			t.Errorf("%q: %+v, not %+v", name, got, want)
		}
	}
}

// Accounts without a person: common practice.
func TestServiceAccounts(t *testing.T) {
	for name, want := range map[string]bool{
		`NT AUTHORITY\SYSTEM`: true, `HALV\PC1$`: true, "root": true, "svc_backup@halv.example": true, "Administrator": true,
		`HALV\una`: false, "svca@halv.example": false, "rootham": false, "": true,
	} {
		if got := IsService(name); got != want {
			t.Errorf("%q: %v", name, got)
		}
	}
}

func TestPeople(t *testing.T) {
	person := func(source, key string, signs PersonSigns, days ...int64) Person {
		p := Person{Source: source, Key: key, PersonSigns: signs}
		if len(days) == 2 {
			p.First, p.Last = on(days[0], days[1])
		}
		return p
	}
	for _, c := range []struct {
		name  string
		list  []Person
		opt   Options
		want  string
		pairs string
	}{
		{name: "three spellings of one log-on", want: "aaa", list: []Person{
			person("", "u1", PersonSigns{LogOns: []string{`HALV\una`}}),
			person("sign-in", "una@halv.example", PersonSigns{}),
			person("tool", "77", PersonSigns{Mail: "Una@Halv.example"}),
		}},
		{name: "a bare name is proposed", want: "ab", pairs: "a-b", list: []Person{
			person("", "u1", PersonSigns{LogOns: []string{`HALV\una`}}), person("server", "una", PersonSigns{}),
		}},
		{name: "where the house says so it joins", want: "aa", opt: Options{Names: true}, list: []Person{
			person("", "u1", PersonSigns{LogOns: []string{`HALV\una`}}), person("server", "una", PersonSigns{}),
		}},
		{name: "not of two called so", want: "abc", opt: Options{Names: true}, pairs: "a-c b-c", list: []Person{
			person("", "u1", PersonSigns{LogOns: []string{`HALV\una`}}),
			person("", "u2", PersonSigns{LogOns: []string{`SKOLE\una`}}), person("server", "una", PersonSigns{}),
		}},
		{name: "two domains that begin alike", want: "ab", pairs: "a!b", list: []Person{
			person("", "u1", PersonSigns{LogOns: []string{"una@halv.example"}}),
			person("x", "2", PersonSigns{LogOns: []string{"una@halv.test"}}),
		}},
		{name: "a mail box of two", want: "ab", pairs: "a!b", list: []Person{
			person("d", "1", PersonSigns{DirectoryID: "aa11", Mail: "post@halv.example"}, 1, 9),
			person("d", "2", PersonSigns{DirectoryID: "bb22", Mail: "post@halv.example"}, 1, 9),
		}},
		{name: "service accounts join nobody", want: "ab", opt: Options{Names: true}, list: []Person{
			person("x", "root", PersonSigns{}), person("y", "root", PersonSigns{}),
		}},
	} {
		res := People(c.list, nil, c.opt)
		got, pairs := "", []string{}
		for _, g := range res.Group {
			got += string(rune('a' + g))
		}
		for _, p := range res.Pairs {
			mark := map[bool]string{false: "-", true: "!"}[p.Waits]
			pairs = append(pairs, string(rune('a'+min(p.A, p.B)))+mark+string(rune('a'+max(p.A, p.B))))
		}
		slices.Sort(pairs)
		if got != c.want || !slices.Equal(pairs, strings.Fields(c.pairs)) {
			t.Errorf("%s: groups %s, pairs %v", c.name, got, pairs)
		}
	}
}

// staff makes people whose truth is known: a list with mail, a directory with objects and log-on names, sign-ins in
// three spellings, and servers that know bare names; namesakes get a number, some are called otherwise after a while,
// and names of leavers are given again.
func staff(r *rand.Rand, people int) (list []Person, of []int) {
	day := func(d int) int64 { return int64(20000+d) * 86400 }
	first := []string{"una", "ulf", "siv", "tor", "liv", "odd", "eli", "jon"}
	last := []string{"berg", "strand", "vik", "holm", "nes", "dal", "moen", "lund", "haug", "eide"}
	taken, free := map[string]int{}, []string{}
	add := func(m int, p Person) { list, of = append(list, p), append(of, m) }
	for m := range people {
		name := first[r.IntN(len(first))][:1] + last[r.IntN(len(last))] + fmt.Sprintf(
			"%c%c",
			'a'+r.IntN(26),
			'a'+r.IntN(26),
		)
		from, to := r.IntN(60), 400
		if taken[name]++; taken[name] > 1 {
			name += strconv.Itoa(taken[name])
		}
		if r.IntN(15) == 0 {
			to = from + 60 + r.IntN(200)
			free = append(free, name)
		} else if len(free) > 0 && r.IntN(6) == 0 {
			name, free, from = free[0], free[1:], 340
		}
		domain := []string{"halv.example", "skole.example"}[r.IntN(2)]
		flat := strings.ToUpper(strings.Split(domain, ".")[0])
		id := hexOf(r, 32)
		p := Person{Source: "directory", Key: id, First: day(from), Last: day(to)}
		p.DirectoryID, p.LogOns = id, []string{flat + `\` + name}
		add(m, p)
		if r.IntN(10) > 0 {
			h := Person{Key: fmt.Sprintf("P%05d", m), First: day(from), Last: day(to)}
			h.Mail = strings.ToUpper(name[:1]) + name[1:] + "@" + domain
			add(m, h)
		}
		for k, spelling := range []string{name + "@" + domain, flat + `\` + strings.ToUpper(name), name} {
			if r.IntN(3) == 0 {
				continue
			}
			source := []string{"sign-in", "collector", "server"}[k]
			add(m, Person{Source: source, Key: spelling, First: day(from), Last: day(to)})
		}
	}
	return list, of
}

// Simulated people with truth: 99.9 % of what joins by itself is right, 99 % of what is one is joined or proposed.
// Names that are given again within the same directory are the hard ones.
func TestSimulatedPeople(t *testing.T) {
	size := 2000
	if n, err := strconv.Atoi(os.Getenv("ENSOMET_PEOPLE")); err == nil {
		size = n
	}
	for seed := range uint64(4) {
		list, of := staff(rand.New(rand.NewPCG(seed, 15)), size)
		res := People(list, nil, Options{})
		linked := map[[2]int]bool{}
		for _, p := range res.Pairs {
			linked[pairOf(res.Group[p.A], res.Group[p.B])] = true
		}
		var joined, right, truth, reached int
		byTruth := map[int][]int{}
		for i, m := range of {
			byTruth[m] = append(byTruth[m], i)
		}
		for _, members := range res.Members() {
			for x, a := range members {
				for _, b := range members[:x] {
					if joined++; of[a] == of[b] {
						right++
					}
				}
			}
		}
		for _, members := range byTruth {
			for x, a := range members {
				for _, b := range members[:x] {
					if truth++; res.Group[a] == res.Group[b] || linked[pairOf(res.Group[a], res.Group[b])] {
						reached++
					}
				}
			}
		}
		share, found := float64(right)/float64(joined), float64(reached)/float64(truth)
		t.Logf(
			"seed %d, %d people, %d records: %d pairs joined, %.4f %% right; "+
				"%.2f %% of %d true pairs joined or proposed; "+
				"%d pairs to look at",
			seed,
			size,
			len(list),
			joined,
			100*share,
			100*found,
			truth,
			len(res.Pairs),
		)
		if share < 0.999 || found < 0.99 {
			t.Errorf("seed %d: %.4f right, %.4f reached", seed, share, found)
		}
	}
}
