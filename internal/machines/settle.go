package machines

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/identity"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// options reads what the house lets join without anybody.
func options(tx *sqlite.Tx) (identity.Options, error) {
	names, err := tx.Setting("join_names")
	if err != nil {
		return identity.Options{}, err
	}
	addresses, err := tx.Setting("join_addresses")
	return identity.Options{Names: names == "true", Addresses: addresses == "true"}, err
}

// around lists the records that what is said of some records may touch: those that share values, decisions or, so far,
// a device with them, and so on.
func around(tx *sqlite.Tx, records []int64) ([]*Record, error) {
	known := map[int64]bool{}
	for _, id := range records {
		known[id] = true
	}
	next := records
	for near := true; len(next) > 0; near = false {
		like, err := likeThese(tx, next, near)
		if err != nil {
			return nil, err
		}
		tied, err := decidedWith(tx, next)
		if err != nil {
			return nil, err
		}
		beside, err := sqlite.Select[int64](tx, `SELECT id FROM machine_record WHERE device_id IN (SELECT device_id
			FROM machine_record WHERE device_id <> 0 AND id IN (SELECT value FROM json_each(?)))`, numbers(next))
		if err != nil {
			return nil, err
		}
		next = nil
		for _, id := range slices.Concat(like, tied, beside) {
			if !known[id] {
				known[id] = true
				next = append(next, id)
			}
		}
	}
	ids := make([]int64, 0, len(known))
	for id := range known {
		ids = append(ids, id)
	}
	return recordsWhere(tx, "r.id IN (SELECT value FROM json_each(?))", numbers(ids))
}

// settling brings what is stored in line with what records and decisions say.
type settling struct {
	room    *Room
	tx      *sqlite.Tx
	list    []*Record
	at      map[int64]int // place in list by number
	res     identity.Result
	groups  [][]int
	target  []int64        // the device of each group
	touched map[int64]bool // devices that became others
	kind    string         // of a device that is new
}

// settle brings the records that what is said of some records touches in line with it. It says whether devices became
// others.
func (r *Room) settle(tx *sqlite.Tx, kind string, records ...int64) (changed bool, err error) {
	s := &settling{room: r, tx: tx, touched: map[int64]bool{}, kind: kind}
	if s.list, err = around(tx, records); err != nil {
		return false, err
	}
	if len(s.list) > 1 {
		more, err := s.claim()
		if err != nil {
			return false, err
		}
		if more {
			if s.list, err = around(tx, records); err != nil {
				return false, err
			}
		}
	}
	if err := s.resolve(); err != nil {
		return false, err
	}
	for _, step := range []func() error{s.choose, s.move, s.putAway, s.name, s.propose} {
		if err := step(); err != nil {
			return false, err
		}
	}
	if len(s.touched) == 0 {
		return false, nil
	}
	devices := make([]int64, 0, len(s.touched))
	for d := range s.touched {
		devices = append(devices, d)
	}
	slices.Sort(devices)
	if err := r.Settled(tx, devices); err != nil {
		return false, err
	}
	for _, d := range devices {
		if err := renewal.TouchDevice(tx, d); err != nil {
			return false, err
		}
	}
	if err := renewal.TouchPooled(tx); err != nil { // what is given out names devices as it knows them
		return false, err
	}
	return true, renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
}

// claim gives evidence that stands at a device without a record of its own source one, where the device may be joined:
// a source that used the house's device_id.
func (s *settling) claim() (more bool, err error) {
	devices := map[int64]bool{}
	for _, r := range s.list {
		if r.Device != 0 {
			devices[r.Device] = true
		}
	}
	if len(devices) < 2 {
		return false, nil
	}
	for d := range devices {
		names, err := sqlite.Select[string](
			s.tx,
			`SELECT DISTINCT s.name FROM source s WHERE s.slot = 0 AND s.part <> '#os'
			AND s.name <> '`+deviceLists+`' AND (EXISTS (SELECT 1 FROM scan c WHERE c.device_id = ?1 AND c.source_id = s.id)
				OR EXISTS (SELECT 1 FROM install i WHERE i.device_id = ?1 AND i.source_id = s.id)
				OR EXISTS (SELECT 1 FROM fact_scan f WHERE f.device_id = ?1 AND f.source_id = s.id))
			AND NOT EXISTS (SELECT 1 FROM machine_record m WHERE m.device_id = ?1 AND m.source = s.name AND m.slot = 0)`,
			d,
		)
		if err != nil {
			return false, err
		}
		if len(names) == 0 {
			continue
		}
		codes, err := sqlite.Select[string](s.tx, "SELECT code FROM device WHERE id = ?", d)
		if err != nil || len(codes) == 0 {
			return false, err
		}
		for _, name := range names {
			// what it calls by this code now, and has no place yet, is the record of what it called so before
			same := slices.IndexFunc(s.list, func(r *Record) bool {
				return r.Device == 0 && r.Coded && r.Source == name && strings.EqualFold(r.Key, codes[0])
			})
			if same >= 0 {
				if err := s.list[same].place(s.tx, d, 0); err != nil {
					return false, err
				}
				more = true
				continue
			}
			r := &Record{Machine: identity.Machine{Source: name, Key: codes[0], Coded: true}, Device: d}
			if err := r.put(s.tx); err != nil {
				return false, err
			}
			more = true
		}
	}
	return more, nil
}

func (s *settling) resolve() error {
	s.at = make(map[int64]int, len(s.list))
	ids := make([]int64, len(s.list))
	said := make([]identity.Machine, len(s.list))
	for i, r := range s.list {
		s.at[r.ID], ids[i], said[i] = i, r.ID, r.Machine
	}
	// who else carries an address is not among these where it is that of a dock
	known, err := docks(s.tx, ids)
	if err != nil {
		return err
	}
	for i := range said {
		said[i].Addresses = slices.DeleteFunc(slices.Clone(said[i].Addresses),
			func(a string) bool { return known[identity.FoldAddress(a)] })
	}
	decisions, err := decisionsOn(s.tx, ids)
	if err != nil {
		return err
	}
	for i, d := range decisions {
		decisions[i].A, decisions[i].B = s.at[int64(d.A)], s.at[int64(d.B)]
	}
	opt, err := options(s.tx)
	if err != nil {
		return err
	}
	s.res = identity.Machines(said, decisions, opt)
	s.groups = s.res.Members()
	for _, g := range s.groups {
		slices.SortFunc(g, func(a, b int) int { return order(s.list[a], s.list[b]) })
	}
	return nil
}

// order puts records into an order that does not depend on when they came: the house's lists first,
// then directories, then who uses the house's device_ids; a name by which something is found comes last.
func order(a, b *Record) int {
	rank := func(r *Record) int {
		switch {
		case r.Source == "":
			return 0
		case r.Listed:
			return 1
		case r.Coded:
			return 2
		case !r.LetsName:
			return 3
		}
		return 4
	}
	return cmp.Or(
		cmp.Compare(rank(a), rank(b)),
		cmp.Compare(a.Source, b.Source),
		cmp.Compare(a.Key, b.Key),
		cmp.Compare(a.Serial, b.Serial),
		cmp.Compare(a.MachineID, b.MachineID),
		cmp.Compare(a.DirectoryID, b.DirectoryID),
		cmp.Compare(a.ID, b.ID),
	)
}

// choose says which device each group is: that of its first record, which is one of the house's lists where there is
// one. A group that has none yet gets a new one.
func (s *settling) choose() error {
	s.target = make([]int64, len(s.groups))
	taken := map[int64]bool{}
	for g, members := range s.groups {
		for _, i := range members {
			if home := s.list[i].Home; home != 0 {
				s.target[g] = home
				taken[home] = true
				break
			}
		}
	}
	for g, members := range s.groups {
		if s.target[g] == 0 {
			for _, i := range members {
				d := s.list[i].Device
				if d == 0 || taken[d] {
					continue
				}
				outside, err := sqlite.Select[int64](
					s.tx,
					`SELECT id FROM machine_record WHERE (device_id = ?1 OR home_id = ?1)
					AND id NOT IN (SELECT value FROM json_each(?2)) LIMIT 1`,
					d,
					numbers(s.numbersOf(members)),
				)
				if err != nil {
					return err
				}
				if len(outside) == 0 {
					s.target[g] = d
					taken[d] = true
					break
				}
			}
		}
		if err := s.ensure(g); err != nil {
			return err
		}
	}
	return nil
}

func (s *settling) numbersOf(members []int) []int64 {
	out := make([]int64, len(members))
	for k, i := range members {
		out[k] = s.list[i].ID
	}
	return out
}

// ensure sees to it that the device of a group is there.
func (s *settling) ensure(g int) error {
	lead := s.list[s.groups[g][0]]
	if s.target[g] == 0 {
		code, err := s.room.freeCode(s.tx, lead, 0)
		if err != nil {
			return err
		}
		name := code
		if len(lead.Names) > 0 {
			name = lead.Names[0]
		}
		kind := s.kind
		if kind == "" {
			kind = "client"
		}
		if s.target[g], err = addDevice(s.tx, code, name, kind); err != nil {
			return err
		}
		lead.Home = s.target[g]
		_, err = s.tx.Exec("UPDATE machine_record SET home_id = ? WHERE id = ?", lead.Home, lead.ID)
		s.touched[s.target[g]] = true
		return err
	}
	back, err := s.room.restore(s.tx, s.target[g])
	if err != nil {
		return err
	}
	if back {
		s.touched[s.target[g]] = true
	}
	return nil
}

// name gives each device the code of its first record. What is to be called otherwise lets its code go first.
func (s *settling) name() error {
	was := make([]string, len(s.groups))
	for g := range s.groups {
		lead := s.list[s.groups[g][0]]
		codes, err := sqlite.Select[string](s.tx, "SELECT code FROM device WHERE id = ?", s.target[g])
		if err != nil {
			return err
		}
		if len(codes) == 0 {
			return fmt.Errorf("the device of %s: %w", lead.Label(), sqlite.ErrNotFound)
		}
		if was[g] = codes[0]; codes[0] == lead.Key {
			continue
		}
		if _, err := s.tx.Exec("UPDATE device SET code = ? WHERE id = ?", fmt.Sprint("\x00", s.target[g]),
			s.target[g]); err != nil {
			return err
		}
	}
	for g := range s.groups {
		lead := s.list[s.groups[g][0]]
		if was[g] == lead.Key {
			continue
		}
		code, err := s.room.freeCode(s.tx, lead, s.target[g])
		if err != nil {
			return err
		}
		if code != was[g] {
			s.touched[s.target[g]] = true
		}
		if _, err := s.tx.Exec("UPDATE device SET code = ? WHERE id = ?", code, s.target[g]); err != nil {
			return err
		}
	}
	return nil
}

// freeCode is the code of a device that a record leads: what its source calls it, where no other device has that.
func (r *Room) freeCode(tx *sqlite.Tx, lead *Record, self int64) (string, error) {
	for n := 1; ; n++ {
		code := lead.Key
		switch n {
		case 1:
		case 2:
			code = fmt.Sprintf("%s (%s)", lead.Key, cmp.Or(lead.Source, "list"))
		default:
			code = fmt.Sprintf("%s (%s %d)", lead.Key, cmp.Or(lead.Source, "list"), n-1)
		}
		used, err := sqlite.Select[int64](tx, `SELECT id FROM device WHERE code = ?1 AND id <> ?2
			UNION SELECT id FROM joined_device WHERE code = ?1 AND id <> ?2`, code, self)
		if err != nil || len(used) == 0 {
			return code, err
		}
	}
}

// move moves the evidence of each record to the device that it counts for.
func (s *settling) move() error {
	for g, members := range s.groups {
		for _, i := range members {
			r, to := s.list[i], s.target[g]
			if r.Device == to {
				continue
			}
			if r.Device != 0 {
				s.touched[r.Device], s.touched[to] = true, true
			}
			if err := s.room.moveEvidence(s.tx, r, to); err != nil {
				return fmt.Errorf("what %s says of %s: %w", cmp.Or(r.Source, "the list"), r.Key, err)
			}
		}
	}
	return nil
}

// putAway puts the devices away that count as another one now, with all that follows them.
func (s *settling) putAway() error {
	for g, members := range s.groups {
		for _, i := range members {
			home, to := s.list[i].Home, s.target[g]
			if home == 0 || home == to {
				continue
			}
			put, err := s.room.putAway(s.tx, s.list[i], to)
			if err != nil {
				return err
			}
			if put {
				s.touched[to] = true
				delete(s.touched, home)
			}
		}
	}
	// a device of which every record has gone is none any more
	for d := range s.touched {
		gone, err := sqlite.Select[int64](s.tx, `SELECT id FROM device d WHERE id = ? AND stated = ''
			AND NOT EXISTS (SELECT 1 FROM machine_record r WHERE r.device_id = d.id)
			AND NOT EXISTS (SELECT 1 FROM scan c WHERE c.device_id = d.id)`, d)
		if err != nil {
			return err
		}
		if len(gone) == 0 {
			continue
		}
		delete(s.touched, d)
		if err := dropDevice(s.tx, d); err != nil {
			return err
		}
	}
	return nil
}

// propose keeps the pairs that wait for somebody.
func (s *settling) propose() error {
	ids := make([]int64, len(s.list))
	for i, r := range s.list {
		ids[i] = r.ID
	}
	if _, err := s.tx.Exec(`DELETE FROM machine_pair WHERE a IN (SELECT value FROM json_each(?1))
		OR b IN (SELECT value FROM json_each(?1))`, numbers(ids)); err != nil {
		return err
	}
	for _, p := range s.res.Pairs {
		signs, err := json.Marshal(s.res.Signs(p))
		if err != nil {
			return err
		}
		if _, err := s.tx.Exec("INSERT OR REPLACE INTO machine_pair(a, b, waits, signs) VALUES (?, ?, ?, ?)",
			s.list[p.A].ID, s.list[p.B].ID, p.Waits, string(signs)); err != nil {
			return err
		}
	}
	return nil
}

// Label is what people call a record: its source, and what that calls the machine.
func (r *Record) Label() string {
	return strings.TrimSpace(cmp.Or(r.Source, "device lists") + ": " + r.Key)
}
