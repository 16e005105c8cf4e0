// Package same has what people decide of what may be one machine under several names: proposals with the signs for them
// and against them, joining and parting with what that does, and what joins by itself.
package same

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/clock"
	"ensomet/internal/core/identity"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Machines  *machines.Room
}

// NamedAs is what one source calls a machine, with the signs that it gave. Times are in seconds since 1970.
type NamedAs struct {
	Record    int64
	Source    string // empty for the house's own lists
	Key       string
	Names     []string
	Serial    string
	Maker     string
	MachineID string
	Directory string
	Addresses []string
	IP        string
	First     int64
	Last      int64
}

// Side is one of two devices that may be one.
type Side struct {
	Code     string
	Name     string
	Kind     string
	Unit     string
	User     string
	LastSeen int64
	Installs int64
	NamedAs  []NamedAs
}

// Pair is two devices that may be one machine, with what speaks for it and against it.
type Pair struct {
	A     Side
	B     Side
	Waits bool // a sign that is certain speaks for it, and another one against
	Signs []Sign
}

// Sign is a sign in words. Weight is certain, likely or against.
type Sign struct {
	Weight string
	Words  string
}

// List is what may be one machine: how many pairs there are, and the first of them.
type List struct {
	Total int64
	Waits int64
	Pairs []Pair
}

// shownPairs is how many pairs are listed at once.
const shownPairs = 60

// Act is a decision of somebody, with what it was about.
type Act struct {
	ID       int64
	Together bool
	Reason   string
	Author   string
	At       int64
	EndedAt  int64
	EndedBy  string
	About    []string
}

// DeviceNames is what a device is called, and what people decided about it.
type DeviceNames struct {
	NamedAs []NamedAs
	Acts    []Act
}

func namedAs(list []*machines.Record) []NamedAs {
	out := []NamedAs{}
	for _, r := range list {
		n := NamedAs{Record: r.ID, Source: r.Source, Key: r.Key, Names: r.Names, Serial: r.Serial, Maker: r.Maker,
			MachineID: r.MachineID, Directory: r.DirectoryID, Addresses: r.Addresses, IP: r.IP, First: r.First,
			Last: r.Last}
		if n.Names == nil {
			n.Names = []string{}
		}
		if n.Addresses == nil {
			n.Addresses = []string{}
		}
		out = append(out, n)
	}
	return out
}

// signWords say what a sign is.
func signWords(s identity.Sign) Sign {
	names := map[identity.Kind]string{identity.BySerial: "serial number", identity.ByMachineID: "machine id",
		identity.ByDirectory: "object in the directory", identity.ByIdentifier: "identifier of its source",
		identity.ByDeviceID: "device id", identity.ByName: "host name", identity.ByAddress: "hardware address",
		identity.ByMaker: "maker", identity.AtOneMoment: "address"}
	out := Sign{Weight: "likely", Words: "the same " + names[s.Kind] + " " + s.Value}
	switch {
	case s.Weight == identity.Certain:
		out.Weight = "certain"
	case s.Weight == identity.Against && s.Kind == identity.ByMachineID:
		out = Sign{"against", fmt.Sprintf("two machine ids on the same days: %s and %s", s.Value, s.Other)}
	case s.Weight == identity.Against && s.Kind == identity.AtOneMoment:
		out = Sign{"against", fmt.Sprintf("seen on the same days at %s and at %s", s.Value, s.Other)}
	case s.Weight == identity.Against && s.Kind == identity.ByIdentifier:
		out = Sign{"against", fmt.Sprintf("one source lists both, as %s and as %s", s.Value, s.Other)}
	case s.Weight == identity.Against:
		out = Sign{"against", fmt.Sprintf("another %s: %s and %s", names[s.Kind], s.Value, s.Other)}
	}
	return out
}

// Pairs lists devices that may be one machine: those that wait for somebody first.
func (svc *Service) Pairs(ctx context.Context) (List, error) {
	out := List{Pairs: []Pair{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		pairs, total, waits, err := machines.Pairs(tx, shownPairs)
		if err != nil {
			return err
		}
		out.Total, out.Waits = total, waits
		for _, p := range pairs {
			one := Pair{Waits: p.Waits, Signs: []Sign{}}
			for _, s := range p.Signs {
				one.Signs = append(one.Signs, signWords(s))
			}
			if one.A, err = sideOf(tx, p.A); err != nil {
				return err
			}
			if one.B, err = sideOf(tx, p.B); err != nil {
				return err
			}
			out.Pairs = append(out.Pairs, one)
		}
		return nil
	})
	return out, err
}

func sideOf(tx *sqlite.Tx, device int64) (Side, error) {
	var out Side
	if err := tx.QueryRowContext(tx.Ctx, `SELECT d.code, d.name, d.kind, d.org_unit, d.primary_user,
		coalesce(f.last_seen, 0), coalesce(f.installs, 0) FROM device d LEFT JOIN device_fact f ON f.device_id = d.id
		WHERE d.id = ?`, device).Scan(&out.Code, &out.Name, &out.Kind, &out.Unit, &out.User, &out.LastSeen,
		&out.Installs); err != nil {
		return out, err
	}
	list, err := machines.Of(tx, device)
	out.NamedAs = namedAs(list)
	return out, err
}

// Names says what sources call a device, and what people decided about it.
func (svc *Service) Names(ctx context.Context, code string) (DeviceNames, error) {
	out := DeviceNames{Acts: []Act{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		id, err := snapshot.FindDevice(tx, code)
		if err != nil {
			return err
		}
		if id == 0 {
			return sqlite.ErrNotFound
		}
		list, err := machines.Of(tx, id)
		if err != nil {
			return err
		}
		out.NamedAs = namedAs(list)
		acts, err := machines.Acts(tx, id, 40)
		for _, a := range acts {
			out.Acts = append(
				out.Acts,
				Act{a.ID, a.Together, a.Reason, a.Author, a.At, a.EndedAt, a.EndedBy, a.Records},
			)
		}
		return err
	})
	return out, err
}

// Acts lists the newest decisions.
func (svc *Service) Acts(ctx context.Context) ([]Act, error) {
	out := []Act{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		acts, err := machines.Acts(tx, 0, 60)
		for _, a := range acts {
			out = append(out, Act{a.ID, a.Together, a.Reason, a.Author, a.At, a.EndedAt, a.EndedBy, a.Records})
		}
		return err
	})
	return out, err
}

// Draft is what somebody decides: that the devices of each pair are one machine, or that they are not; or that
// some of what a device is known as is another machine.
type Draft struct {
	Pairs    [][]string // of device_ids
	Together bool
	Device   string  // whose records are parted from it
	Records  []int64 // what goes
	Reason   string
}

// Effect is what a decision does.
type Effect struct {
	Before int64 // devices
	After  int64
	Acts   []int64 // by which it can be taken back
	Device string  // the device that it is about, afterwards
	Moves  []snapshot.PositionChange
}

// Decide takes a decision.
func (svc *Service) Decide(ctx context.Context, d Draft, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if out, err = svc.decide(tx, d, who); err != nil {
			return err
		}
		what := "devices are one machine"
		if !d.Together {
			what = "devices are two machines"
		}
		var about []string
		for _, p := range d.Pairs {
			about = append(about, strings.Join(p, " and "))
		}
		if d.Device != "" {
			about = append(about, d.Device)
		}
		return tx.Note(svc.Clock.Now(), who, what, strings.Join(about, ", "), d.Reason)
	})
	out.Moves = []snapshot.PositionChange{}
	return out, err
}

// Preview says what a decision would do.
func (svc *Service) Preview(ctx context.Context, d Draft) (Effect, error) {
	var out Effect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		if d.Reason == "" {
			d.Reason = "to see what it would do"
		}
		codes := slices.Concat(d.Pairs...)
		if d.Device != "" {
			codes = append(codes, d.Device)
		}
		products, err := evidencedb.ProductsOn(tx, codes)
		if err != nil {
			return err
		}
		// figures go by the installs of all devices, of these or not
		if err := tx.LayRows("install", "1"); err != nil {
			return err
		}
		before, err := svc.Snapshots.FiguresAround(tx, products)
		if err != nil {
			return err
		}
		if out, err = svc.decide(tx, d, ""); err != nil {
			return err
		}
		after, err := svc.Snapshots.FiguresAround(tx, products)
		out.Moves = snapshot.Moves(before, after)
		return err
	})
	if out.Moves == nil {
		out.Moves = []snapshot.PositionChange{}
	}
	return out, err
}

func (svc *Service) decide(tx *sqlite.Tx, d Draft, who string) (out Effect, err error) {
	said := machines.Who{Name: who, Reason: d.Reason, At: svc.Clock.Now().Unix()}
	if out.Before, err = evidencedb.CountDevices(tx); err != nil {
		return out, err
	}
	find := func(code string) (int64, error) {
		id, err := snapshot.FindDevice(tx, code)
		if err == nil && id == 0 {
			err = refuse.Errorf("there is no device %q", code)
		}
		return id, err
	}
	var about int64
	for _, p := range d.Pairs {
		var ids []int64
		for _, code := range p {
			id, err := find(code)
			if err != nil {
				return out, err
			}
			ids = append(ids, id)
		}
		var act int64
		if d.Together {
			act, about, err = svc.Machines.Join(tx, ids, said)
		} else {
			act, err = svc.Machines.Apart(tx, ids, said)
		}
		if err != nil {
			return out, err
		}
		out.Acts = append(out.Acts, act)
	}
	if d.Device != "" {
		id, err := find(d.Device)
		if err != nil {
			return out, err
		}
		var act int64
		if act, about, err = svc.Machines.Part(tx, id, d.Records, said); err != nil {
			return out, err
		}
		out.Acts = append(out.Acts, act)
	}
	if len(out.Acts) == 0 {
		return out, refuse.New("name the devices that are meant")
	}
	if about != 0 {
		if out.Device, err = evidencedb.DeviceCode(tx, about); err != nil {
			return out, err
		}
	}
	out.After, err = evidencedb.CountDevices(tx)
	return out, err
}

// TakeBack takes a decision back.
func (svc *Service) TakeBack(ctx context.Context, act int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := svc.Machines.TakeBack(tx, act, machines.Who{Name: who, At: now.Unix()}); err != nil {
			return err
		}
		return tx.Note(now, who, "took back what machines are one", fmt.Sprintf("decision %d", act), "")
	})
}

// JoinRules is what joins without anybody, where nothing speaks against it and nobody else is like it.
type JoinRules struct {
	Names     bool  // machines that are alike by name
	Addresses bool  // machines that are alike by hardware address
	Revision  int64 // that was seen; a save on an older one is refused
}

// JoinRules returns what joins without anybody.
func (svc *Service) JoinRules(ctx context.Context) (out JoinRules, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = joinRules(tx)
		return err
	})
	return out, err
}

func joinRules(tx *sqlite.Tx) (out JoinRules, err error) {
	names, err := tx.Setting("join_names")
	if err != nil {
		return out, err
	}
	addresses, err := tx.Setting("join_addresses")
	if err != nil {
		return out, err
	}
	out.Names, out.Addresses = names == "true", addresses == "true"
	out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.Joining})
	return out, err
}

// SetJoinRules says what joins without anybody, and joins or parts what does by it.
func (svc *Service) SetJoinRules(ctx context.Context, r JoinRules, who string) error {
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, err := joinRules(tx)
		if err != nil {
			return err
		}
		for key, on := range map[string]bool{"join_names": r.Names, "join_addresses": r.Addresses} {
			if err := tx.SetSetting(key, fmt.Sprint(on)); err != nil {
				return err
			}
		}
		if _, err := edits.Save(tx, edits.Change{Thing: edits.Thing{Kind: edits.Joining}, Seen: r.Revision, Who: who,
			At: svc.Clock.Now(), Was: was, Is: r}); err != nil {
			return err
		}
		detail, err := json.Marshal(r)
		if err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "said what joins by itself", "", string(detail))
	})
	if err != nil {
		return err
	}
	return svc.Machines.Again(ctx, svc.DB)
}
