package identity

import (
	"cmp"
	"slices"
	"strings"
)

// Machine is what one source says of a machine under one identifier. Records of one source and identifier with other
// serial numbers or machine ids are records of their own.
type Machine struct {
	Source string // empty for the house's own lists
	Key    string // what the source calls it
	MachineSigns
	First, Last int64 // when it was said, in seconds since 1970; 0 for unknown
	LetsName    bool  // the house lets it join what it fits by name
	Coded       bool  // the key is the house's own device_id, though it may look like a name
}

// MachineSigns are the signs of a machine, as they were said.
type MachineSigns struct {
	Serial, Maker string
	MachineID     string
	DirectoryID   string
	Names         []string // the newest first
	Addresses     []string // of its network hardware
	IP            string
}

// machines are records with their signs in the form in which they are compared.
type machines struct {
	list []Machine
	said []foldedMachine
	numbered
	travel map[string]bool // hardware addresses that several machines had
}

type foldedMachine struct {
	serial, maker, machineID, directory, key string
	names                                    []HostName
	addresses                                []string
	keyIsName                                bool
	certain                                  []certainSign
	blocks                                   []int32
}

// Machines says which records are one machine. The same records in any order give the same groups.
func Machines(list []Machine, decisions []Decision, opt Options) Result {
	return resolve(newMachines(list), decisions, opt)
}

func newMachines(list []Machine) *machines {
	m := &machines{list: list, said: make([]foldedMachine, len(list)), travel: map[string]bool{},
		numbered: numbered{number: make(map[value]int32, 4*len(list)), list: make([]value, 0, 4*len(list))}}
	carriers := map[string][]int{}
	for i := range list {
		r := &list[i]
		f := foldedMachine{
			serial:    FoldSerial(r.Serial),
			maker:     foldMaker(r.Maker),
			machineID: FoldMachineID(r.MachineID),
			directory: foldHex(r.DirectoryID),
			key:       strings.ToLower(strings.TrimSpace(r.Key)),
		}
		for _, n := range r.Names {
			if h := FoldName(n); h.Label != "" && !slices.Contains(f.names, h) {
				f.names = append(f.names, h)
			}
		}
		if h := FoldName(strings.TrimPrefix(f.key, "cn=")); r.Source != "" && !r.Coded && len(f.names) > 0 &&
			h.Label == f.names[0].Label {
			f.keyIsName = true
		}
		for _, a := range r.Addresses {
			if a = FoldAddress(a); a != "" && !slices.Contains(f.addresses, a) {
				f.addresses = append(f.addresses, a)
				carriers[a] = append(carriers[a], i)
			}
		}
		m.said[i] = f
	}
	for a, on := range carriers {
		if m.travels(on) {
			m.travel[a] = true
		}
	}
	for i := range list {
		m.numberValues(i)
	}
	return m
}

// mostCarriers is how many records of one machine a hardware address may stand in before it is taken for one that
// travels (common practice).
const mostCarriers = 8

// travels reports whether a hardware address that these records carry goes from machine to machine: as that of a dock.
func (m *machines) travels(on []int) bool {
	if len(on) > mostCarriers {
		return true
	}
	for x, a := range on {
		for _, b := range on[:x] {
			if len(m.against([]int{a}, []int{b})) > 0 {
				return true
			}
			// one source gives two of its machines the same address
			p, q := &m.list[a], &m.list[b]
			if p.Source == q.Source && m.said[a].key != m.said[b].key && overlap(p, q) {
				return true
			}
		}
	}
	return false
}

func (m *machines) size() int { return len(m.list) }

func (m *machines) named(i int) (source, key string, own bool) {
	return m.list[i].Source, m.said[i].key, !m.list[i].LetsName
}

// own reports whether what a source calls a machine is its own identifier: neither the house's nor a name by which it
// is found.
func (m *machines) own(i int) bool { return !m.list[i].Coded && !m.list[i].LetsName }

func (m *machines) byName(i int) bool { return m.list[i].LetsName }

func (m *machines) order(i, j int) int {
	a, b := &m.list[i], &m.list[j]
	if c := cmp.Compare(a.Source, b.Source); c != 0 {
		return c
	}
	if c := cmp.Compare(a.Key, b.Key); c != 0 {
		return c
	}
	return cmp.Or(cmp.Compare(a.Serial, b.Serial), cmp.Compare(a.MachineID, b.MachineID),
		cmp.Compare(a.DirectoryID, b.DirectoryID), slices.Compare(a.Names, b.Names),
		slices.Compare(a.Addresses, b.Addresses), cmp.Compare(a.First, b.First))
}

// numberValues numbers the values of a record.
func (m *machines) numberValues(i int) {
	f, source := &m.said[i], m.list[i].Source
	add := func(kind Kind, source, text string, weak bool) {
		if text != "" {
			f.certain = append(f.certain, certainSign{m.of(value{kind, source, text}), weak})
		}
	}
	f.certain = make([]certainSign, 0, 5)
	add(BySerial, "", f.serial, false)
	add(ByMachineID, "", f.machineID, false)
	add(ByDirectory, "", f.directory, false)
	add(ByDeviceID, "", f.key, f.keyIsName)
	if source != "" { // a name is given again to another machine; an identifier is not
		add(ByIdentifier, source, f.key, f.keyIsName)
	}
	for _, n := range f.names {
		if v := m.of(value{ByName, "", n.block()}); !slices.Contains(f.blocks, v) {
			f.blocks = append(f.blocks, v)
		}
	}
	for _, a := range f.addresses {
		if !m.travel[a] {
			f.blocks = append(f.blocks, m.of(value{ByAddress, "", a}))
		}
	}
}

func (m *machines) signs(i int) []certainSign { return m.said[i].certain }

func (m *machines) blocks(i int) []int32 { return m.said[i].blocks }

func (m *machines) values() []value { return m.numbered.list }

func (m *machines) alike(i, j int) []Sign {
	a, b := &m.said[i], &m.said[j]
	var out []Sign
	for _, x := range a.names {
		for _, y := range b.names {
			if x.Fits(y) {
				out = append(out, Sign{Kind: ByName, Weight: Likely, Value: longer(x, y)})
			}
		}
	}
	for _, x := range a.addresses {
		if !m.travel[x] && slices.Contains(b.addresses, x) {
			out = append(out, Sign{Kind: ByAddress, Weight: Likely, Value: x})
		}
	}
	return out
}

func longer(x, y HostName) string {
	if len(y.Label) > len(x.Label) {
		return y.Label
	}
	return x.Label
}

// against returns what speaks against two groups: that they have other serial numbers; other machine ids on the same
// days; that one source saw both on the same days, from other addresses or under other
// identifiers and names.
func (m *machines) against(a, b []int) []Sign {
	var out []Sign
	if x, y, differ := m.differ(a, b, func(f *foldedMachine) string { return f.serial }, m.otherSerial); differ {
		out = append(out, Sign{BySerial, Against, x, y})
	}
	if x, y, differ := m.differ(a, b, func(f *foldedMachine) string { return f.machineID }, m.sameDays); differ {
		out = append(out, Sign{ByMachineID, Against, x, y})
	}
	for _, i := range a {
		for _, j := range b {
			if m.said[i].serial != "" && m.said[i].serial == m.said[j].serial && m.otherMaker(i, j) {
				out = append(out, Sign{ByMaker, Against, m.list[i].Maker, m.list[j].Maker})
				break
			}
		}
	}
	for _, i := range a {
		for _, j := range b {
			p, q := &m.list[i], &m.list[j]
			if p.Source != q.Source || !overlap(p, q) {
				continue
			}
			if p.IP != "" && q.IP != "" && p.IP != q.IP && m.others(i, j) {
				return append(out, Sign{AtOneMoment, Against, p.IP, q.IP})
			}
			if m.own(i) && m.own(j) && m.said[i].key != m.said[j].key && !m.sameName(i, j) {
				return append(out, Sign{ByIdentifier, Against, p.Key, q.Key})
			}
		}
	}
	return out
}

// sameName reports whether two records have names that fit.
func (m *machines) sameName(i, j int) bool {
	for _, x := range m.said[i].names {
		for _, y := range m.said[j].names {
			if x.Fits(y) {
				return true
			}
		}
	}
	return false
}

// others reports whether a source names two records differently, or under one name gives both a host name and hardware
// of its own.
func (m *machines) others(i, j int) bool {
	a, b := &m.said[i], &m.said[j]
	if a.key != b.key {
		return true
	}
	return len(a.names) > 0 && len(b.names) > 0 && a.names[0].Label != b.names[0].Label &&
		len(a.addresses) > 0 && len(b.addresses) > 0 &&
		!slices.ContainsFunc(a.addresses, func(x string) bool { return slices.Contains(b.addresses, x) })
}

// differ finds values that two groups do not share, where other says that two records that have them are not one.
func (m *machines) differ(
	a, b []int,
	of func(*foldedMachine) string,
	other func(i, j int) bool,
) (x, y string, is bool) {
	for _, i := range a {
		for _, j := range b {
			p, q := of(&m.said[i]), of(&m.said[j])
			if p == "" || q == "" {
				continue
			}
			if p == q && !m.otherMaker(i, j) {
				return "", "", false // what else they have was changed on one machine
			}
			if !is && p != q && other(i, j) {
				x, y, is = p, q, true
			}
		}
	}
	return x, y, is
}

// otherMaker reports whether two records name makers that are not one: makers are written in many ways, so their first
// words are compared.
func (m *machines) otherMaker(i, j int) bool {
	p, q := m.said[i].maker, m.said[j].maker
	return p != "" && q != "" && p != q
}

func (m *machines) otherSerial(int, int) bool { return true }

func (m *machines) sameDays(i, j int) bool { return overlap(&m.list[i], &m.list[j]) }

// overlap reports whether two records were said on the same days.
func overlap(p, q *Machine) bool { return spansMeet(p.First, p.Last, q.First, q.Last) }

// spansMeet reports whether two spans of time share days: one on which the first ended and the second began is none.
func spansMeet(firstA, lastA, firstB, lastB int64) bool {
	if firstA == 0 || firstB == 0 {
		return false
	}
	const day = 86400
	from, to := max(firstA/day, firstB/day), min(lastA/day, lastB/day)
	if from == to { // one day together: both had no other, or one took over from the other
		return firstA/day == to && lastA/day == to && firstB/day == to && lastB/day == to
	}
	return from < to
}

// SameRecord reports whether what a source says under an identifier belongs to a record that it gave before under the
// same one: no sign that is certain differs, nor do both name and hardware.
func SameRecord(a, b *Machine) bool {
	m := newMachines([]Machine{*a, *b})
	x, y := &m.said[0], &m.said[1]
	if x.key != y.key || a.Source != b.Source {
		return false
	}
	for _, v := range [][2]string{{x.serial, y.serial}, {x.machineID, y.machineID}, {x.directory, y.directory}} {
		if v[0] != "" && v[1] != "" && v[0] != v[1] {
			return false
		}
	}
	return !m.others(0, 1)
}

// Values are what records of one machine are found by: what a record carries, folded, with a letter for its kind. Those
// that many records carry say nothing (Shared).
func (r *Machine) Values() []string {
	m := newMachines([]Machine{*r})
	letters := map[Kind]string{BySerial: "s", ByMachineID: "m", ByDirectory: "d", ByDeviceID: "k", ByName: "n",
		ByAddress: "a"}
	var out []string
	add := func(v value) {
		if l := letters[v.kind]; l != "" && !slices.Contains(out, l+":"+v.text) {
			out = append(out, l+":"+v.text)
		}
	}
	for _, s := range m.said[0].certain {
		add(m.values()[s.value])
	}
	for _, b := range m.said[0].blocks {
		add(m.values()[b])
	}
	return out
}

// Shared reports whether a value that so many records carry says nothing.
func Shared(value string, carriers int) bool {
	if strings.HasPrefix(value, "a:") {
		return carriers > mostCarriers
	}
	return carriers > mostCertain
}

// NameValue is the value by which records with a name that fits are found; empty where the name says nothing.
func NameValue(name string) string {
	h := FoldName(name)
	if h.Label == "" {
		return ""
	}
	return "n:" + h.block()
}
