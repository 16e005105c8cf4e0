// Package identity says which records are one machine, and which are one person: by signs that are certain, likely or
// against, and by what people decided. What it says depends on the set of records and decisions alone, not on the order
// in which they came.
package identity

import (
	"cmp"
	"maps"
	"slices"
)

// Weight is how much a sign says.
type Weight int

// The weights of signs.
const (
	Certain Weight = iota + 1
	Likely
	Against
)

// Kind is what a sign rests on.
type Kind string

// The kinds of signs. An identifier is one that the same source gave before; a device_id is one that the house uses in
// its own lists and files.
const (
	ByPerson     Kind = "decision"
	BySerial     Kind = "serial"
	ByMachineID  Kind = "machine_id"
	ByDirectory  Kind = "directory_id"
	ByIdentifier Kind = "identifier"
	ByDeviceID   Kind = "device_id"
	ByName       Kind = "name"
	ByAddress    Kind = "hardware_address"
	ByMaker      Kind = "maker"
	ByLogOn      Kind = "log_on"
	AtOneMoment  Kind = "one_moment"
)

// strength puts certain signs into the order in which they join.
var strength = map[Kind]int{
	BySerial:     1,
	ByMachineID:  2,
	ByDirectory:  3,
	ByIdentifier: 4,
	ByDeviceID:   5,
	ByLogOn:      5,
	ByName:       6,
	ByAddress:    7,
}

// Sign is what speaks for or against two records being one. Value is what both have; where they differ, Other is what
// the second one has instead.
type Sign struct {
	Kind   Kind
	Weight Weight
	Value  string
	Other  string
}

// Decision is what somebody decided of two records, by their numbers. At is in seconds since 1970; of decisions that
// contradict each other the later one holds.
type Decision struct {
	A, B     int
	Together bool
	At       int64
}

// Options is what the house lets join without anybody: records that are alike by name, or by hardware address, where
// nothing speaks against it and nobody else is like them.
type Options struct {
	Names     bool
	Addresses bool
}

// Pair is two groups that may be one. A and B are records of them, the lesser first; Waits says that a sign that is
// certain speaks for it and another one against.
type Pair struct {
	A, B  int
	Waits bool
}

// Result says of each record which group it belongs to, and which groups may be one besides. Groups are numbered in the
// order of their first records.
type Result struct {
	Group []int
	Pairs []Pair
	from  *joining
}

// Signs lists all that speaks for and against the groups of a pair being one, the strongest first.
func (r *Result) Signs(p Pair) []Sign { return r.from.signs(p.A, p.B) }

// Members lists the records of each group.
func (r *Result) Members() [][]int {
	var out [][]int
	for i, g := range r.Group {
		for len(out) <= g {
			out = append(out, nil)
		}
		out[g] = append(out[g], i)
	}
	return out
}

// A value that more records carry than this says nothing: something gave it to all of them (common practice).
const (
	mostCertain = 60
	mostAlike   = 30
)

// value is what a record carries: of identifiers, whose it is too.
type value struct {
	kind         Kind
	source, text string
}

// subjects is what is looked at: machines or people.
type subjects interface {
	// size is how many records there are.
	size() int
	// signs lists the certain signs of a record; a weak one joins only where another record has it that is not weak.
	signs(i int) []certainSign
	// blocks lists the values by which records that may be alike are found, by their numbers.
	blocks(i int) []int32
	// values are all values, by their numbers.
	values() []value
	// alike returns the likely signs of two records that share a block.
	alike(i, j int) []Sign
	// against returns what speaks against two groups being one.
	against(a, b []int) []Sign
	// named says who calls it what; own is that it tells the record from others of its source.
	named(i int) (source, key string, own bool)
	// byName reports whether the house lets what this record's name fits join by itself.
	byName(i int) bool
	// order compares two records by what they are, whatever their numbers.
	order(i, j int) int
}

// certainSign is one by the number of its value.
type certainSign struct {
	value int32
	weak  bool
}

// numbered numbers the values of records.
type numbered struct {
	number map[value]int32
	list   []value
}

func (n *numbered) of(v value) int32 {
	id, known := n.number[v]
	if !known {
		id = int32(len(n.list))
		n.number[v] = id
		n.list = append(n.list, v)
	}
	return id
}

// carriersOf lists for each value the records that carry it.
func carriersOf(records, values int, of func(i int, each func(v int32))) [][]int32 {
	ends := make([]int32, values+1)
	for i := range records {
		of(i, func(v int32) { ends[v+1]++ })
	}
	for v := range values {
		ends[v+1] += ends[v]
	}
	all, next := make([]int32, ends[values]), slices.Clone(ends)
	for i := range records {
		of(i, func(v int32) {
			all[next[v]] = int32(i)
			next[v]++
		})
	}
	out := make([][]int32, values)
	for v := range out {
		out[v] = all[ends[v]:ends[v+1]]
	}
	return out
}

// joining is the state of one resolution.
type joining struct {
	of     subjects
	parent []int
	inside [][]int
	apart  map[[2]int]bool // by people
	waits  map[[2]int]bool // pairs of records between which signs disagree
	rank   []int           // the place of each record in the order of what they are
}

func resolve(of subjects, decisions []Decision, opt Options) Result {
	n := of.size()
	j := &joining{of: of, parent: make([]int, n), inside: make([][]int, n), apart: map[[2]int]bool{},
		waits: map[[2]int]bool{}, rank: make([]int, n)}
	byOrder := make([]int, n)
	for i := range n {
		j.parent[i], j.inside[i], byOrder[i] = i, []int{i}, i
	}
	slices.SortFunc(byOrder, func(a, b int) int { return cmp.Or(of.order(a, b), cmp.Compare(a, b)) })
	for place, i := range byOrder {
		j.rank[i] = place
	}
	j.decided(decisions)
	j.certain()
	edges := j.edges()
	j.houseJoins(edges, opt)
	return j.result(edges)
}

func (j *joining) find(i int) int {
	for j.parent[i] != i {
		j.parent[i] = j.parent[j.parent[i]]
		i = j.parent[i]
	}
	return i
}

func pairOf(a, b int) [2]int { return [2]int{min(a, b), max(a, b)} }

func (j *joining) union(a, b int) {
	a, b = j.find(a), j.find(b)
	if a == b {
		return
	}
	if len(j.inside[a]) < len(j.inside[b]) {
		a, b = b, a
	}
	j.parent[b] = a
	j.inside[a] = append(j.inside[a], j.inside[b]...)
	j.inside[b] = nil
}

// keptApart reports whether somebody decided that two groups are not one.
func (j *joining) keptApart(a, b int) bool {
	if len(j.apart) == 0 {
		return false
	}
	for _, x := range j.inside[a] {
		for _, y := range j.inside[b] {
			if j.apart[pairOf(x, y)] {
				return true
			}
		}
	}
	return false
}

// decided takes what people decided, the latest first.
func (j *joining) decided(decisions []Decision) {
	list := slices.Clone(decisions)
	slices.SortStableFunc(list, func(a, b Decision) int {
		return cmp.Or(cmp.Compare(b.At, a.At), cmp.Compare(b2i(a.Together), b2i(b.Together)),
			cmp.Compare(j.rank[a.A]+j.rank[a.B], j.rank[b.A]+j.rank[b.B]),
			cmp.Compare(min(j.rank[a.A], j.rank[a.B]), min(j.rank[b.A], j.rank[b.B])))
	})
	for _, d := range list {
		a, b := j.find(d.A), j.find(d.B)
		switch {
		case a == b:
		case !d.Together:
			j.apart[pairOf(d.A, d.B)] = true
		case !j.keptApart(a, b):
			j.union(a, b)
		}
	}
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// certain joins what certain signs say. A value that records carry which a sign parts joins nobody: these wait.
func (j *joining) certain() {
	all := j.of.values()
	firm := make([]bool, len(all))
	carriers := carriersOf(j.of.size(), len(all), func(i int, each func(int32)) {
		for _, s := range j.of.signs(i) {
			each(s.value)
			firm[s.value] = firm[s.value] || !s.weak
		}
	})
	var values []int32
	for v, list := range carriers {
		if len(list) > 1 && len(list) <= mostCertain && firm[v] {
			values = append(values, int32(v))
		}
	}
	slices.SortFunc(values, func(a, b int32) int {
		x, y := &all[a], &all[b]
		return cmp.Or(cmp.Compare(strength[x.kind], strength[y.kind]), cmp.Compare(x.source, y.source),
			cmp.Compare(x.text, y.text))
	})
	var agreed []int32
	for _, v := range values {
		list := carriers[v]
		disputed := false
		for x, a := range list {
			for _, b := range list[:x] {
				ga, gb := j.find(int(a)), j.find(int(b))
				if ga != gb && len(j.of.against(j.inside[ga], j.inside[gb])) > 0 {
					disputed = true
				}
			}
		}
		if !disputed {
			agreed = append(agreed, v)
			continue
		}
		for x, a := range list {
			for _, b := range list[:x] {
				j.waits[pairOf(int(a), int(b))] = true
			}
		}
	}
	for _, v := range agreed {
		list := carriers[v]
		slices.SortFunc(list, func(a, b int32) int { return cmp.Compare(j.rank[a], j.rank[b]) })
		for x, b := range list {
			for _, a := range list[:x] {
				ga, gb := j.find(int(a)), j.find(int(b))
				if ga == gb || j.keptApart(ga, gb) {
					continue
				}
				if len(j.of.against(j.inside[ga], j.inside[gb])) > 0 {
					j.waits[pairOf(int(a), int(b))] = true
					continue
				}
				j.union(ga, gb)
			}
		}
	}
}

// edge is two groups that are alike, by their first records.
type edge struct {
	a, b    int // records, that of the lower rank first
	signs   []Sign
	byHouse map[Kind]bool // by which kinds the house lets just these two join
}

// edges finds the groups that are alike, nothing speaking against it.
func (j *joining) edges() []*edge {
	blocks := carriersOf(j.of.size(), len(j.of.values()), func(i int, each func(int32)) {
		for _, v := range j.of.blocks(i) {
			each(v)
		}
	})
	found := map[[2]int]*edge{}
	refused := map[[2]int]bool{}
	for _, list := range blocks {
		if len(list) < 2 || len(list) > mostCertain || j.groupsOf(list) > mostAlike {
			continue
		}
		for x, first := range list {
			for _, second := range list[:x] {
				a, b := int(first), int(second)
				ga, gb := j.find(a), j.find(b)
				if ga == gb {
					continue
				}
				key := pairOf(ga, gb)
				if refused[key] {
					continue
				}
				signs := j.of.alike(a, b)
				if len(signs) == 0 {
					continue
				}
				e := found[key]
				if e == nil {
					if j.keptApart(ga, gb) || len(j.of.against(j.inside[ga], j.inside[gb])) > 0 {
						refused[key] = true
						continue
					}
					e = &edge{a: a, b: b, byHouse: map[Kind]bool{}}
					found[key] = e
				}
				e.add(j, a, b, signs)
			}
		}
	}
	out := slices.Collect(maps.Values(found))
	slices.SortFunc(out, func(x, y *edge) int {
		return cmp.Or(cmp.Compare(j.rank[x.a], j.rank[y.a]), cmp.Compare(j.rank[x.b], j.rank[y.b]))
	})
	return out
}

func (j *joining) groupsOf(list []int32) int {
	if len(list) <= mostAlike {
		return len(list)
	}
	out := map[int]bool{}
	for _, i := range list {
		out[j.find(int(i))] = true
	}
	return len(out)
}

// add adds signs of two records to the edge of their groups; the records of the lowest rank stand for it.
func (e *edge) add(j *joining, a, b int, signs []Sign) {
	lower := func(x, y int) (int, int) {
		if j.rank[x] > j.rank[y] {
			return y, x
		}
		return x, y
	}
	a, b = lower(a, b)
	e.a, e.b = lower(e.a, e.b)
	if cmp.Or(cmp.Compare(j.rank[a], j.rank[e.a]), cmp.Compare(j.rank[b], j.rank[e.b])) < 0 {
		e.a, e.b = a, b
	}
	for _, s := range signs {
		if s.Kind == ByName && (j.of.byName(a) || j.of.byName(b)) {
			e.byHouse[ByName] = true
		}
		if !slices.ContainsFunc(e.signs, func(t Sign) bool { return t.Kind == s.Kind && t.Value == s.Value }) {
			e.signs = append(e.signs, s)
		}
	}
}

// houseJoins joins what the house lets join without anybody: groups that are alike, where nothing parts any two of
// them and no source names two of them apart.
func (j *joining) houseJoins(edges []*edge, opt Options) {
	near := map[int][]int{}
	for _, e := range edges {
		allowed := slices.ContainsFunc(e.signs, func(s Sign) bool {
			return s.Kind == ByName && (opt.Names || e.byHouse[ByName]) || s.Kind == ByAddress && opt.Addresses
		})
		if !allowed {
			continue
		}
		a, b := j.find(e.a), j.find(e.b)
		near[a], near[b] = append(near[a], b), append(near[b], a)
	}
	seen := map[int]bool{}
	var starts []int
	for g := range near {
		starts = append(starts, g)
	}
	slices.Sort(starts)
	var together [][]int
	for _, g := range starts {
		if seen[g] {
			continue
		}
		seen[g] = true
		list := []int{g}
		for at := 0; at < len(list); at++ {
			for _, o := range near[list[at]] {
				if !seen[o] {
					seen[o] = true
					list = append(list, o)
				}
			}
		}
		if j.clear(list) {
			together = append(together, list)
		}
	}
	for _, list := range together {
		for _, g := range list[1:] {
			j.union(list[0], g)
		}
	}
}

// clear reports whether groups can be one together.
func (j *joining) clear(groups []int) bool {
	keys := map[string]map[string]bool{}
	for x, a := range groups {
		mine := map[string]map[string]bool{}
		for _, i := range j.inside[a] {
			source, key, own := j.of.named(i)
			if !own {
				continue
			}
			if mine[source] == nil {
				mine[source] = map[string]bool{}
			}
			mine[source][key] = true
		}
		for source, list := range mine {
			for key := range keys[source] {
				if !list[key] {
					return false
				}
			}
			if keys[source] == nil {
				keys[source] = list
			}
		}
		for _, b := range groups[:x] {
			if j.keptApart(a, b) || len(j.of.against(j.inside[a], j.inside[b])) > 0 {
				return false
			}
		}
	}
	return true
}

// result numbers the groups and gathers what may be one besides.
func (j *joining) result(edges []*edge) Result {
	out := Result{Group: make([]int, j.of.size()), from: j}
	number := map[int]int{}
	for i := range out.Group {
		g := j.find(i)
		if _, known := number[g]; !known {
			number[g] = len(number)
		}
		out.Group[i] = number[g]
	}
	done := map[[2]int]bool{}
	add := func(a, b int, waits bool) {
		key := pairOf(out.Group[a], out.Group[b])
		if key[0] == key[1] || done[key] || j.keptApart(j.find(a), j.find(b)) {
			return
		}
		done[key] = true
		out.Pairs = append(out.Pairs, Pair{A: a, B: b, Waits: waits})
	}
	disputed := slices.Collect(maps.Keys(j.waits))
	for k, p := range disputed {
		if j.rank[p[0]] > j.rank[p[1]] {
			disputed[k] = [2]int{p[1], p[0]}
		}
	}
	slices.SortFunc(disputed, func(x, y [2]int) int {
		return cmp.Or(cmp.Compare(j.rank[x[0]], j.rank[y[0]]), cmp.Compare(j.rank[x[1]], j.rank[y[1]]))
	})
	for _, p := range disputed {
		add(p[0], p[1], true)
	}
	for _, e := range edges {
		add(e.a, e.b, false)
	}
	return out
}

// signs lists all that speaks for and against the groups of two records being one.
func (j *joining) signs(a, b int) []Sign {
	ga, gb := j.ordered(a), j.ordered(b)
	all := j.of.values()
	out := make([]Sign, 0, 4)
	add := func(s Sign) {
		if !slices.ContainsFunc(out, func(t Sign) bool { return t.Kind == s.Kind && t.Value == s.Value }) {
			out = append(out, s)
		}
	}
	for _, x := range ga {
		mine := j.of.signs(x)
		for _, y := range gb {
			for _, s := range j.of.signs(y) {
				if s.weak ||
					!slices.ContainsFunc(mine, func(m certainSign) bool { return !m.weak && m.value == s.value }) {
					continue
				}
				add(Sign{Kind: all[s.value].kind, Weight: Certain, Value: all[s.value].text})
			}
			for _, s := range j.of.alike(x, y) {
				add(s)
			}
		}
	}
	slices.SortStableFunc(out, func(x, y Sign) int {
		return cmp.Or(cmp.Compare(strength[x.Kind], strength[y.Kind]), cmp.Compare(x.Value, y.Value))
	})
	return append(out, j.of.against(ga, gb)...)
}

// ordered lists the group of a record in the order of what they are.
func (j *joining) ordered(i int) []int {
	list := j.inside[j.find(i)]
	slices.SortFunc(list, func(a, b int) int { return cmp.Compare(j.rank[a], j.rank[b]) })
	return list
}
