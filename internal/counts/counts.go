// Package counts keeps what figures count of each device, so that a change of a device moves sums by what differs, and
// what it costs follows what it changed.
package counts

import (
	"encoding/binary"
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Sums count installs, the devices that they are on, and those of them whose evidence is stale: installs of a raw name,
// devices of everything else. As a difference they may be below zero.
type Sums struct{ Installs, Devices, Stale int64 }

func (s *Sums) add(n, stale, sign int64) {
	s.Installs += sign * n
	s.Devices += sign
	s.Stale += sign * stale
}

// ProductSums are the sums of a product, with what became of its installs.
type ProductSums struct {
	Sums
	Counted, Folded, LeftOut int64
}

// Version is a version of an edition of a product, as lists of versions have it.
type Version struct {
	Product          int64
	Edition, Version string
}

// Moved is by how much a change of some devices moves sums, and what else it touches.
type Moved struct {
	Keys     map[string]Sums
	Versions map[Version]Sums
	TitleOf  map[Version]int64 // the title of the catalogue that a version is
	Titles   map[int64]Sums
	Before   map[int64]int64 // by title, devices a year ago
	Products map[int64]ProductSums
	Touched  map[int64]bool  // products of which the position may be another
	Names    map[string]bool // of devices, in small letters, that more or fewer devices have
	Fleet    bool            // how many devices of a kind are in service has changed
	Others   []int64         // devices that became others: whatever was used there is used on another kind of machine
	Users    bool            // somebody belongs elsewhere: whatever he used is used there
}

// Room keeps the counts. It is used by one renewal at a time.
type Room struct {
	numbers  map[snapshot.Meaning]int64
	meanings map[int64]snapshot.Meaning
	last     int64        // the last number that was given
	bulk     *sqlite.Bulk // by which new meanings are written
}

// kept is what is kept of a device.
type kept struct {
	device         int64
	named          string
	kind           evidence.DeviceKind // empty for what is not in service
	age            evidence.Age
	turns          int64
	cluster        string
	user           string
	bears, hosting int64
	before         []byte
	installs       []byte
}

// counted is one install or suite in what is kept: what it means and what became of it.
type counted uint64

func (c counted) meaning() int64       { return int64(c >> 3) }
func (c counted) as() snapshot.Outcome { return snapshot.Outcome(c & 7) }

// pack writes installs and suites by their parts in order, each as the difference to the one before it.
func pack(lists ...[]counted) []byte {
	var out []byte
	for _, list := range lists {
		slices.Sort(list)
		out = binary.AppendUvarint(out, uint64(len(list)))
		before := counted(0)
		for _, c := range list {
			out = binary.AppendUvarint(out, uint64(c-before))
			before = c
		}
	}
	return out
}

// unpack reads what pack wrote.
func unpack(text []byte) (lists [2][]counted) {
	next := func() uint64 {
		v, n := binary.Uvarint(text)
		text = text[max(0, n):]
		return v
	}
	for i := 0; i < len(lists) && len(text) > 0; i++ {
		list := make([]counted, next())
		before := counted(0)
		for k := range list {
			before += counted(next())
			list[k] = before
		}
		lists[i] = list
	}
	return lists
}

// of says what is to be kept of a device, by a snapshot that tallied it.
func (r *Room) of(e *snapshot.Snapshot, at int, in InTime) (kept, error) {
	return r.make(e, at, in, r.number)
}

// known is of where all that the device has was counted before, anywhere; else it is something else than before.
func (r *Room) known(e *snapshot.Snapshot, at int, in InTime) (out kept, known bool) {
	out, err := r.make(e, at, in, func(m snapshot.Meaning) (int64, error) {
		n, has := r.numbers[m]
		if !has {
			return 0, sqlite.ErrNotFound
		}
		return n, nil
	})
	return out, err == nil
}

func (r *Room) make(e *snapshot.Snapshot, at int, in InTime, number func(snapshot.Meaning) (int64, error)) (kept,
	error) {
	d := &e.Devices[at]
	out := kept{
		device:  d.ID,
		named:   strings.ToLower(d.Name),
		age:     e.Settings.Age(d, evidence.OfSoftware, e.At),
		turns:   e.TurnsAt(at),
		cluster: d.Cluster,
		user:    userOf(e, at),
		bears:   int64(e.Bears(at)),
		hosting: int64(e.Hosting(at)),
	}
	if d.Status == evidence.InService {
		out.kind = d.Kind
	}
	if soon := in.soon[d.ID]; soon != 0 && (out.turns == 0 || soon < out.turns) {
		out.turns = soon
	}
	t := &e.Tallies[at]
	installs := make([]counted, 0, len(t.Installs))
	for _, i := range t.Installs {
		m, known := e.Meaning(i.Record)
		if !known {
			continue
		}
		n, err := number(m)
		if err != nil {
			return out, err
		}
		installs = append(installs, counted(n)<<3|counted(i.As))
	}
	var suites []counted
	for _, s := range t.Inferred {
		suites = append(suites, counted(s.Product)<<3|counted(s.As))
	}
	out.before, out.installs = pack(in.before[d.ID]), pack(installs, suites)
	return out, nil
}

// userOf is the main user of a device with where he belongs; empty where it has none.
func userOf(e *snapshot.Snapshot, at int) string {
	name, place := e.MainUser(at)
	if name == "" {
		return ""
	}
	return strings.Join([]string{name, place.Unit, place.Country}, "\x1f")
}

// nameOf is the name of a user as it is kept.
func nameOf(user string) string {
	name, _, _ := strings.Cut(user, "\x1f")
	return name
}

// Put keeps what a snapshot counted on some devices, whatever was kept of them; it moves no sums.
func (r *Room) Put(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64, in InTime) error {
	if tx.Previewed() { // the numbers that it gives are nobody's
		defer func() { r.numbers, r.meanings = nil, nil }()
	}
	return r.forget(r.put(tx, e, devices, in))
}

func (r *Room) put(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64, in InTime) error {
	if err := r.begin(tx); err != nil {
		return err
	}
	var rows []kept
	for _, id := range devices {
		if at, has := e.DeviceAt[id]; has {
			k, err := r.of(e, at, in)
			if err != nil {
				return err
			}
			rows = append(rows, k)
		}
	}
	if err := r.bulk.Flush(); err != nil {
		return err
	}
	return putRows(tx, devices, rows)
}

// Differing lists the devices of which something else is kept than a snapshot of them counted.
func (r *Room) Differing(tx *sqlite.Tx, e *snapshot.Snapshot, devices []int64, in InTime) (out []int64, err error) {
	was, err := read(tx, devices)
	if err != nil {
		return nil, err
	}
	for _, id := range devices {
		k, had := was[id]
		at, has := e.DeviceAt[id]
		same := had == has
		if had && has {
			is, known := r.known(e, at, in)
			same = known && k.same(is)
		}
		if !same {
			out = append(out, id)
		}
	}
	return out, nil
}

// forget forgets the numbers of meanings where a transaction will not be written that may have given some.
func (r *Room) forget(err error) error {
	if err != nil {
		r.numbers, r.meanings = nil, nil
	}
	return err
}

// Move brings what is kept of some devices in line with a snapshot of them, and says by how much that moves sums. A
// device that is there no more adds nothing. Where one of the products mentioned comes or goes, everything on the
// device is touched.
func (r *Room) Move(tx *sqlite.Tx, e *snapshot.Snapshot, devices, mentioned []int64, in InTime) (*Moved, error) {
	out := &Moved{
		Keys:     map[string]Sums{},
		Versions: map[Version]Sums{},
		TitleOf:  map[Version]int64{},
		Titles:   map[int64]Sums{},
		Before:   map[int64]int64{},
		Products: map[int64]ProductSums{},
		Touched:  map[int64]bool{},
		Names:    map[string]bool{},
	}
	return out, r.forget(r.move(tx, e, devices, mentioned, in, out))
}

func (r *Room) move(tx *sqlite.Tx, e *snapshot.Snapshot, devices, mentioned []int64, in InTime, out *Moved) error {
	if err := r.begin(tx); err != nil {
		return err
	}
	before, err := read(tx, devices)
	if err != nil {
		return err
	}
	around := around{users: map[string]bool{}, clusters: map[string]bool{}}
	fleet := map[evidence.DeviceKind]fleetRow{}
	for _, id := range devices {
		was, had := before[id]
		at, has := e.DeviceAt[id]
		var is kept
		if has {
			if is, err = r.of(e, at, in); err != nil {
				return err
			}
		}
		if had && has && was.same(is) {
			continue
		}
		if err := putRow(tx, id, is, has); err != nil {
			return err
		}
		if had {
			fleet[was.kind] = fleet[was.kind].plus(was.age, -1)
			out.Names[was.named] = out.Names[was.named] || !has || was.named != is.named
		}
		if has {
			fleet[is.kind] = fleet[is.kind].plus(is.age, 1)
			out.Names[is.named] = out.Names[is.named] || !had || was.named != is.named
		}
		out.moveBefore(was.before, -1)
		out.moveBefore(is.before, 1)
		whole := !had || !has || was.bears != is.bears || was.hosting != is.hosting
		if err := r.moveInstalls(tx, out, change{&was, &is, whole, mentioned}); err != nil {
			return err
		}
		if !had || !has || was.bears != is.bears {
			around.users[nameOf(was.user)], around.users[nameOf(is.user)] = true, true
			out.Others, out.Users = append(out.Others, id), out.Users || was.user != is.user
		}
		if !had || !has || was.hosting != is.hosting {
			around.devices = append(around.devices, id)
			around.clusters[was.cluster], around.clusters[is.cluster] = true, true
		}
	}
	if err := r.bulk.Flush(); err != nil {
		return err
	}
	delete(fleet, "")
	for kind, n := range fleet {
		if n != (fleetRow{}) {
			out.Fleet = true
			if err := moveFleet(tx, kind, n); err != nil {
				return err
			}
		}
	}
	return r.touchAround(tx, out, around)
}

// same reports whether nothing that is kept differs.
func (k *kept) same(o kept) bool {
	return k.named == o.named && k.kind == o.kind && k.age == o.age && k.turns == o.turns && k.cluster == o.cluster &&
		k.user == o.user && k.bears == o.bears && k.hosting == o.hosting && slices.Equal(k.before, o.before) &&
		slices.Equal(k.installs, o.installs)
}

// moveBefore adds the titles that were on a device a year ago, or where sign is -1 takes them away.
func (m *Moved) moveBefore(packed []byte, sign int64) {
	if len(packed) == 0 {
		return
	}
	for _, title := range unpack(packed)[0] {
		m.Before[int64(title)] += sign
	}
}

// change is a device as it was counted before and is now. whole says that each product on it may have another position,
// as it has where one of the mentioned came or went.
type change struct {
	was, is   *kept
	whole     bool
	mentioned []int64
}

// moveInstalls moves sums by what is on a device now instead of before.
func (r *Room) moveInstalls(tx *sqlite.Tx, out *Moved, c change) error {
	if !c.whole && c.was.age == c.is.age && slices.Equal(c.was.installs, c.is.installs) {
		return nil
	}
	old, now := unpack(c.was.installs), unpack(c.is.installs)
	if err := r.know(tx, old[0]); err != nil {
		return err
	}
	r.sum(out, old, c.was.age, -1)
	r.sum(out, now, c.is.age, 1)
	var differing [2][]counted
	for i := range old {
		gone, came := differ(old[i], now[i])
		differing[i] = slices.Concat(gone, came)
	}
	for _, id := range r.products(differing) {
		_, mentioned := slices.BinarySearch(c.mentioned, id)
		c.whole = c.whole || mentioned
		out.Touched[id] = true
	}
	if c.whole {
		for _, id := range slices.Concat(r.products(old), r.products(now)) {
			out.Touched[id] = true
		}
	}
	return nil
}

// products lists what installs and suites are of.
func (r *Room) products(lists [2][]counted) (out []int64) {
	for _, c := range lists[0] {
		if id := r.meanings[c.meaning()].Product; id != 0 {
			out = append(out, id)
		}
	}
	for _, c := range lists[1] {
		out = append(out, c.meaning())
	}
	return out
}

// differ lists what one ordered list has and the other has not, as often as it does.
func differ(a, b []counted) (gone, came []counted) {
	i, k := 0, 0
	for i < len(a) || k < len(b) {
		switch {
		case k == len(b) || i < len(a) && a[i] < b[k]:
			gone = append(gone, a[i])
			i++
		case i == len(a) || b[k] < a[i]:
			came = append(came, b[k])
			k++
		default:
			i, k = i+1, k+1
		}
	}
	return gone, came
}

// sum adds what is on a device to sums, or where sign is -1 takes it away.
func (r *Room) sum(out *Moved, lists [2][]counted, age evidence.Age, sign int64) {
	stale := int64(0)
	if age == evidence.Stale {
		stale = 1
	}
	keys, versions := map[string]int64{}, map[Version]int64{}
	titles, products := map[int64]int64{}, map[int64]int64{}
	became := map[int64]ProductSums{}
	add := func(product int64, as snapshot.Outcome) {
		s := became[product]
		switch as {
		case snapshot.Counted:
			s.Counted++
		case snapshot.Folded:
			s.Folded++
		case snapshot.LeftOut, snapshot.Included:
			s.LeftOut++
		}
		became[product] = s
	}
	for _, c := range lists[0] {
		m := r.meanings[c.meaning()]
		keys[m.Key]++
		if m.Product == 0 {
			continue
		}
		v := Version{m.Product, m.Edition, m.Version}
		versions[v]++
		products[m.Product]++
		if m.Title != 0 {
			titles[m.Title]++
			out.TitleOf[v] = m.Title
		}
		add(m.Product, c.as())
	}
	for _, c := range lists[1] {
		add(c.meaning(), c.as())
	}
	for key, n := range keys {
		s := out.Keys[key]
		s.add(n, n*stale, sign)
		out.Keys[key] = s
	}
	for v, n := range versions {
		s := out.Versions[v]
		s.add(n, stale, sign)
		out.Versions[v] = s
	}
	for t, n := range titles {
		s := out.Titles[t]
		s.add(n, stale, sign)
		out.Titles[t] = s
	}
	for p, n := range products {
		s := out.Products[p]
		s.add(n, stale, sign)
		out.Products[p] = s
	}
	for p, n := range became {
		s := out.Products[p]
		s.Counted += sign * n.Counted
		s.Folded += sign * n.Folded
		s.LeftOut += sign * n.LeftOut
		out.Products[p] = s
	}
}

// touchAround touches the products on devices whose demand rests on a device that became another: those of its users,
// what runs or ran on it, and what may move to it.
func (r *Room) touchAround(tx *sqlite.Tx, out *Moved, of around) error {
	devices, err := of.list(tx)
	if err != nil || len(devices) == 0 {
		return err
	}
	return eachKept(tx, devices, func(k *kept) error {
		lists := unpack(k.installs)
		if err := r.know(tx, lists[0]); err != nil {
			return err
		}
		for _, id := range r.products(lists) {
			out.Touched[id] = true
		}
		return nil
	})
}
