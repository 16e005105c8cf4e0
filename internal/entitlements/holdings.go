package entitlements

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/outbox"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Held is all that somebody holds.
type Held struct {
	User    string
	Name    string
	Email   string
	Unit    string
	Site    string
	Status  evidence.PersonStatus
	LeftOn  string
	AsOf    string
	Seats   []entitlementsdb.SeatRow
	Devices []HeldDevice
	Waits   []entitlementsdb.WaitRow
}

// HeldDevice is a device that somebody is the main user of, with the titles on it that need a right.
type HeldDevice struct {
	Code   string
	Name   string
	Kind   string
	Status string
	Titles []string
}

// Held gathers all that a user holds: seats, devices with what is licensed on them, and what he waits for.
func (svc *Service) Held(ctx context.Context, user string) (Held, error) {
	var out Held
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		p, err := snapshot.PersonByCode(tx, user)
		if err != nil {
			return err
		}
		out = Held{
			User:    p.Code,
			Name:    p.Name,
			Email:   p.Email,
			Unit:    p.OrgUnit,
			Site:    p.Site,
			Status:  p.Status,
			LeftOn:  p.LeftOn.String(),
			AsOf:    svc.Snapshots.Today().String(),
			Seats:   []entitlementsdb.SeatRow{},
			Devices: []HeldDevice{},
			Waits:   []entitlementsdb.WaitRow{},
		}
		page, err := entitlementsdb.SeatList(svc.Snapshots.Today()).Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"user": p.Code, "state": "held|of a leaver"}, Limit: 1000})
		if err != nil {
			return err
		}
		out.Seats = append(out.Seats, page.Rows...)
		devices, err := entitlementsdb.DevicesOfUser(tx, p.Code)
		if err != nil {
			return err
		}
		for _, d := range devices {
			titles, err := entitlementsdb.LicensedOn(tx, d.ID)
			if err != nil {
				return err
			}
			out.Devices = append(
				out.Devices,
				HeldDevice{d.Code, d.Name, d.Kind, d.Status, append([]string{}, titles...)},
			)
		}
		waiting, err := entitlementsdb.Waiting(tx, 0)
		for _, w := range waiting {
			if w.PersonID == p.ID {
				out.Waits = append(out.Waits, w)
			}
		}
		return err
	})
	return out, err
}

// Words writes what somebody holds as a letter.
func (h *Held) Words() string {
	var b strings.Builder
	fmt.Fprintf(&b, "What %s (%s) of %s holds, as of %s\n", h.Name, h.User, h.Unit, h.AsOf)
	if h.Status == evidence.Left {
		fmt.Fprintf(&b, "Left on %s.\n", h.LeftOn)
	}
	fmt.Fprintf(&b, "\nSeats: %d\n", len(h.Seats))
	for _, s := range h.Seats {
		fmt.Fprintf(&b, "  %s %s %s, of %s, since %s\n", s.Publisher, s.Product, s.Edition, s.Line, s.From)
	}
	fmt.Fprintf(&b, "\nDevices: %d\n", len(h.Devices))
	for _, d := range h.Devices {
		fmt.Fprintf(&b, "  %s (%s, %s)\n", d.Name, d.Code, strings.ReplaceAll(d.Status, "_", " "))
		for _, t := range d.Titles {
			fmt.Fprintf(&b, "    %s\n", t)
		}
	}
	return b.String()
}

// MailHeld sends what somebody holds to an address.
func (svc *Service) MailHeld(ctx context.Context, user, address, who string) error {
	h, err := svc.Held(ctx, user)
	if err != nil {
		return err
	}
	if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := outbox.QueueMail(tx,
			outbox.Mail{
				Address:  address,
				Subject:  "What " + h.Name + " holds",
				Body:     h.Words(),
				QueuedAt: svc.Clock.Now().Unix(),
			}); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "mailed what somebody holds", user, address)
	}); err != nil {
		return err
	}
	return nil
}

// StarterSets lists the sets.
func (svc *Service) StarterSets(ctx context.Context) ([]entitlementsdb.StarterSet, error) {
	out := []entitlementsdb.StarterSet{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := entitlementsdb.StarterSets(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.StarterSet)
		for _, s := range list {
			s.Revision = revisions[sqlite.Itoa(s.ID)]
			out = append(out, s)
		}
		return err
	})
	return out, err
}

// PutStarterSet keeps a set of products for somebody new; one without products is taken away.
func (svc *Service) PutStarterSet(ctx context.Context, s entitlementsdb.StarterSet, who string) (int64, error) {
	if s.Name = strings.TrimSpace(s.Name); s.Name == "" {
		return 0, refuse.New("give the set the name of a role")
	}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if s.ID != 0 {
			if err := svc.keepSetEdit(tx, s, who); err != nil {
				return err
			}
		}
		s.Author, s.At = who, svc.Clock.Now().Unix()
		if len(s.Products) == 0 {
			err = entitlementsdb.DropStarterSet(tx, s.ID)
		} else {
			s.ID, err = entitlementsdb.PutStarterSet(tx, s)
		}
		if err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "kept a starter's set", s.Name, fmt.Sprint(len(s.Products), " products"))
	})
	return s.ID, err
}

// keepSetEdit keeps that a set is changed.
func (svc *Service) keepSetEdit(tx *sqlite.Tx, s entitlementsdb.StarterSet, who string) error {
	sets, err := entitlementsdb.StarterSets(tx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(sets, func(o entitlementsdb.StarterSet) bool { return o.ID == s.ID })
	if i < 0 {
		return sqlite.ErrNotFound
	}
	_, err = edits.Save(tx, edits.Change{
		Thing: edits.Of(edits.StarterSet, s.ID),
		Seen:  s.Revision,
		Who:   who,
		At:    svc.Clock.Now(),
		Was:   sets[i],
		Is:    s,
	})
	return err
}

// Started says what somebody new got and what is missing.
type Started struct {
	Given   []SeatGift
	Missing []StarterLacks
}

// StarterLacks is a product of a set that somebody did not get.
type StarterLacks struct {
	ProductID int64
	Product   string
	Why       string
	Waits     bool
}

// Start gives a new user all that a set has, at once: what is not free is said, and with wait he is put on its list.
// Dry only says what would happen.
func (svc *Service) Start(ctx context.Context, set int64, user string, wait, dry bool, who string) (Started, error) {
	out := Started{Given: []SeatGift{}, Missing: []StarterLacks{}}
	run := svc.DB.Update
	if dry {
		run = svc.DB.Preview
	}
	err := run(ctx, func(tx *sqlite.Tx) error {
		sets, err := entitlementsdb.StarterSets(tx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(sets, func(s entitlementsdb.StarterSet) bool { return s.ID == set })
		if i < 0 {
			return sqlite.ErrNotFound
		}
		p, err := snapshot.UserNamed(tx, user)
		if err != nil {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		for _, id := range sets[i].Products {
			product := c.Product(id)
			if product == nil {
				continue
			}
			line, err := svc.assign(tx, SeatDraft{Product: id, User: user}, who)
			if err == nil {
				out.Given = append(out.Given, SeatGift{p.Code, p.Name, product.Name, line})
				continue
			}
			lacks := StarterLacks{ProductID: id, Product: product.Name, Why: err.Error()}
			if wait && errors.Is(err, ErrNoSeat) {
				if lacks.Waits, err = entitlementsdb.Wait(tx, id, p.ID, svc.Clock.Now().Unix(), "new: "+sets[i].Name,
					who); err != nil {
					return err
				}
			}
			out.Missing = append(out.Missing, lacks)
		}
		if err := tx.Note(svc.Clock.Now(), who, "gave a starter's set", sets[i].Name, user); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, sets[i].Products...)
	})
	return out, err
}
