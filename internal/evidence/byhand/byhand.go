// Package byhand puts right what sources say of devices: a fact or a state that somebody says, from a day on, with a
// reason. What sources say stays beside it, and comes back when the word is taken away.
package byhand

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done by hand.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
}

// Said is a word, with what sources say beside it.
type Said struct {
	evidence.Word
	Holds   bool
	Sources string // what they say; empty for nothing
}

// Words is what was said of a device by hand.
type Words struct {
	Words    []Said
	Revision int64
}

func thing(code string) edits.Thing { return edits.Thing{Kind: edits.Device, Key: code} }

// Words returns what was said of a device by hand.
func (svc *Service) Words(ctx context.Context, code string) (Words, error) {
	out := Words{Words: []Said{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err := find(tx, code)
		if err != nil {
			return err
		}
		words, err := evidencedb.Words(tx, d.id, false)
		if err != nil {
			return err
		}
		if out.Revision, err = edits.Revision(tx, thing(d.code)); err != nil || len(words) == 0 {
			return err
		}
		sources, err := evidencedb.Sourced(tx, d.id)
		if err != nil {
			return err
		}
		own, err := sqlite.Fields(sources["custom"])
		if err != nil {
			return err
		}
		holding := evidence.Holding(words, svc.Snapshots.Today())
		for _, w := range words {
			s := Said{Word: w, Holds: holding[w.Field] == w, Sources: sources[w.Field]}
			if name, isOwn := strings.CutPrefix(w.Field, evidence.OwnField); isOwn {
				s.Sources = own[name]
			}
			out.Words = append(out.Words, s)
		}
		return nil
	})
	return out, err
}

// Draft is what somebody says of devices: a value of a field from a day on, or that what was said of it holds no more.
type Draft struct {
	Devices   []string // device_ids
	Field     string
	Value     string
	Drop      bool
	From      civil.Day // 0 is today
	Reason    string
	Revisions []int64 // of the devices, that were seen; a save on an older one is refused
}

// Effect is what that does.
type Effect struct {
	Devices   int64
	Changed   int64 // of which something changes today
	Moves     []snapshot.PositionChange
	Revisions []int64 // of the devices, as they are now
}

// mostAtOnce is of how many devices something can be said at once.
const mostAtOnce = 5000

type device struct {
	id   int64
	code string
}

func find(tx *sqlite.Tx, code string) (device, error) {
	id, err := snapshot.FindDevice(tx, code)
	if err != nil {
		return device{}, err
	}
	if id == 0 {
		return device{}, sqlite.ErrNotFound
	}
	code, err = evidencedb.DeviceCode(tx, id)
	return device{id, code}, err
}

// check completes a draft, and finds its devices.
func (svc *Service) check(tx *sqlite.Tx, d *Draft) (list []device, err error) {
	today := svc.Snapshots.Today()
	if !d.From.Known() {
		d.From = today
	}
	if d.From > today+3660 || d.From < today-36600 {
		return nil, refuse.Errorf("%s is too far away to mean it", d.From)
	}
	if d.Reason = strings.TrimSpace(d.Reason); d.Reason == "" {
		return nil, refuse.New("say why it is so: somebody will ask")
	}
	d.Field = strings.TrimSpace(d.Field)
	if d.Drop {
		d.Value = ""
	} else if d.Value, err = evidence.CheckWord(d.Field, d.Value); err != nil {
		return nil, err
	}
	if len(d.Devices) == 0 || len(d.Devices) > mostAtOnce {
		return nil, refuse.Errorf("name the devices that are meant, at most %d at once", mostAtOnce)
	}
	if d.Field == "primary_user" && d.Value != "" {
		known, err := snapshot.KnownPerson(tx, d.Value)
		if err != nil {
			return nil, err
		}
		if !known {
			return nil, refuse.Errorf("nobody is known as %q", d.Value)
		}
	}
	for _, code := range d.Devices {
		one, err := find(tx, code)
		if err == sqlite.ErrNotFound {
			err = refuse.Errorf("there is no device %q", code)
		}
		if err != nil {
			return nil, err
		}
		if d.Field == "host_id" && d.Value != "" {
			if _, err := find(tx, d.Value); err == sqlite.ErrNotFound {
				return nil, refuse.Errorf("there is no device %q to be a host", d.Value)
			} else if err != nil {
				return nil, err
			}
			if d.Value == one.code {
				return nil, refuse.Errorf("%s cannot run on itself", one.code)
			}
		}
		if !slices.Contains(list, one) {
			list = append(list, one)
		}
	}
	return list, nil
}

// apply says it of one device, and reports whether that changed what it is today.
func (svc *Service) apply(
	tx *sqlite.Tx,
	on device,
	d Draft,
	who string,
	settings *snapshot.Settings,
) (bool, error) {
	now, today := svc.Clock.Now().Unix(), svc.Snapshots.Today()
	if err := tx.LayRows("device_word", "device_id = ?", on.id); err != nil {
		return false, err
	}
	was, err := snapshot.StateOf(tx, on.id)
	if err != nil {
		return false, err
	}
	before, err := rowOf(tx, on.id)
	if err != nil {
		return false, err
	}
	if d.Drop {
		n, err := evidencedb.DropWords(tx, on.id, d.Field)
		if err != nil {
			return false, err
		}
		if n == 0 {
			return false, refuse.Errorf("nothing was said by hand about the %s of %s", d.Field, on.code)
		}
	} else {
		w := evidence.Word{Field: d.Field, Value: d.Value, From: d.From, Reason: d.Reason, Author: who, At: now}
		if err := evidencedb.PutWord(tx, on.id, w, today); err != nil {
			return false, err
		}
	}
	if err := evidencedb.ResolveWords(tx, on.id); err != nil {
		return false, err
	}
	after, err := rowOf(tx, on.id)
	if err != nil {
		return false, err
	}
	since := now
	if !d.Drop && d.From <= today {
		since = d.From.Start(settings.Zone).Unix()
		until, err := nextWord(tx, on.id, d, settings)
		if err != nil {
			return false, err
		}
		if err := evidencedb.PatchPast(tx, on.id, d.Field, d.Value, since, until); err != nil {
			return false, err
		}
	}
	changed := before != after
	if changed {
		if kept, err := evidencedb.KeptSince(tx, on.id, since); err != nil {
			return false, err
		} else if !kept {
			if err := snapshot.KeepState(tx, was, since); err != nil {
				return false, err
			}
		}
	}
	return changed, renewal.MarkDevice(tx, on.id, 0)
}

// nextWord is from when on another word about the field holds, in seconds since 1970.
func nextWord(tx *sqlite.Tx, device int64, d Draft, settings *snapshot.Settings) (int64, error) {
	words, err := evidencedb.Words(tx, device, false)
	until := int64(evidence.Forever)
	for _, w := range words {
		if w.Field == d.Field && w.From > d.From {
			until = min(until, w.From.Start(settings.Zone).Unix())
		}
	}
	return until, err
}

// rowOf is a device as it stands, to see whether something of it changed.
func rowOf(tx *sqlite.Tx, id int64) (string, error) {
	state, err := snapshot.StateOf(tx, id)
	if err != nil {
		return "", err
	}
	custom, err := evidencedb.CustomOfDevice(tx, id)
	return fmt.Sprint(state, custom), err
}

func (svc *Service) say(tx *sqlite.Tx, d Draft, list []device, who string) (out Effect, err error) {
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return out, err
	}
	out.Revisions = []int64{}
	for i, one := range list {
		if len(d.Revisions) > i {
			was := struct{ Field, Value string }{d.Field, ""}
			is := struct{ Field, Value string }{d.Field, d.Value}
			if _, err := edits.Save(tx, edits.Change{Thing: thing(one.code), Seen: d.Revisions[i], Who: who,
				At: svc.Clock.Now(), Was: was, Is: is}); err != nil {
				return out, err
			}
		}
		changed, err := svc.apply(tx, one, d, who, &settings)
		if err != nil {
			return out, err
		}
		if out.Devices++; changed {
			out.Changed++
		}
	}
	return out, renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
}

// Preview says what a draft would do.
func (svc *Service) Preview(ctx context.Context, d Draft) (Effect, error) {
	var out Effect
	d.Revisions = nil
	if strings.TrimSpace(d.Reason) == "" {
		d.Reason = "to see what it would do"
	}
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		list, err := svc.check(tx, &d)
		if err != nil {
			return err
		}
		products, err := productsOf(tx, list)
		if err != nil {
			return err
		}
		before, err := svc.Snapshots.FiguresAround(tx, products)
		if err != nil {
			return err
		}
		if out, err = svc.say(tx, d, list, ""); err != nil {
			return err
		}
		for _, one := range list {
			n, err := edits.Revision(tx, thing(one.code))
			if err != nil {
				return err
			}
			out.Revisions = append(out.Revisions, n)
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

// productsOf lists the products whose positions go by what devices are: those on them, on what runs on them, and on
// what shares their cluster or runs there.
func productsOf(tx *sqlite.Tx, list []device) ([]int64, error) {
	var codes []string
	for _, d := range list {
		codes = append(codes, d.code)
	}
	around, err := evidencedb.Around(tx, codes)
	if err != nil {
		return nil, err
	}
	return evidencedb.ProductsOn(tx, append(codes, around...))
}

// Say says something of devices.
func (svc *Service) Say(ctx context.Context, d Draft, who string) (Effect, error) {
	var out Effect
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := svc.check(tx, &d)
		if err != nil {
			return err
		}
		if len(d.Revisions) != len(list) {
			return refuse.New("look at what it does before it is done")
		}
		if out, err = svc.say(tx, d, list, who); err != nil {
			return err
		}
		what := fmt.Sprintf("said that %s is %s from %s on", d.Field, d.Value, d.From)
		if d.Drop {
			what = "took back what was said about " + d.Field
		}
		var codes []string
		for _, one := range list {
			codes = append(codes, one.code)
		}
		return tx.Note(svc.Clock.Now(), who, what, strings.Join(codes, ", "), d.Reason)
	})
	out.Moves = []snapshot.PositionChange{}
	return out, err
}

// HoldDue lets words hold whose day has come.
func (svc *Service) HoldDue(ctx context.Context) error {
	today := svc.Snapshots.Today()
	var due []int64
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		due, err = evidencedb.WordsDue(tx, today)
		return err
	}); err != nil || len(due) == 0 {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		for _, home := range due {
			id, err := evidencedb.CountsAs(tx, home)
			if err != nil {
				return err
			}
			was, err := snapshot.StateOf(tx, id)
			if err != nil {
				return err
			}
			if err := evidencedb.HoldDue(tx, home, today); err != nil {
				return err
			}
			if err := evidencedb.ResolveWords(tx, id); err != nil {
				return err
			}
			if err := snapshot.KeepState(tx, was, today.Start(settings.Zone).Unix()); err != nil {
				return err
			}
			if err := renewal.MarkDevice(tx, id, 0); err != nil {
				return err
			}
		}
		return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
	})
}
