package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// Seats reads a page of the list of seats.
func (a *App) Seats(ctx context.Context, q store.ListQuery) (page store.Page[store.SeatRow], err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) (err error) {
		page, err = tx.SeatPage(q, a.Today())
		return err
	})
	return page, err
}

// FreeSeats is a line with seats that can be assigned.
type FreeSeats struct {
	Line      string `json:"line"`
	Terms     string `json:"terms"`
	Effective int64  `json:"effective"`
	Held      int64  `json:"held"`
	Free      int64  `json:"free"`
}

// seatsOf lists the lines of a product whose seats somebody can hold, today, the ones with free seats first. A line is held by users or by devices.
func (a *App) seatsOf(tx *store.Tx, product int64, device bool) ([]FreeSeats, map[string]int64, error) {
	stored, err := tx.EntitlementsOf([]int64{product})
	if err != nil {
		return nil, nil, err
	}
	held := map[int64]int64{}
	seats, err := tx.Assignments(a.Today())
	if err != nil {
		return nil, nil, err
	}
	for _, s := range seats {
		held[s.Line]++
	}
	var lines []entitle.Line
	ids := map[string]int64{}
	for _, s := range stored {
		lines = append(lines, s.Line)
		ids[s.Code] = s.ID
	}
	effects := entitle.Effective(lines, a.Today())
	var out []FreeSeats
	for i := range lines {
		l := &lines[i]
		byUser := l.Metric == entitle.NamedUser
		e := effects[l.Code]
		if e.Quantity == 0 || byUser == device {
			continue
		}
		out = append(out, FreeSeats{l.Code, terms(l), e.Quantity, held[l.ID], max(0, e.Quantity-held[l.ID])})
	}
	slices.SortStableFunc(out, func(x, y FreeSeats) int { return int(min(y.Free, 1) - min(x.Free, 1)) })
	return out, ids, nil
}

// SeatsOf lists the lines of a product with the seats that users can hold.
func (a *App) SeatsOf(ctx context.Context, product int64) ([]FreeSeats, error) {
	out := []FreeSeats{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, _, err := a.seatsOf(tx, product, false)
		out = append(out, list...)
		return err
	})
	return out, err
}

// SeatDraft asks for a seat: of a line, or of any line of a product that has one free.
type SeatDraft struct {
	Product int64  `json:"product"`
	Line    string `json:"line" doc:"empty is any line of the product with a free seat"`
	User    string `json:"user" doc:"user_id"`
	Device  string `json:"device" doc:"device_id, where a device holds it"`
}

// ErrNoSeat says that no seat is free.
var ErrNoSeat = errors.New("no seat of it is free")

// assign gives a seat and returns the line's code.
func (a *App) assign(tx *store.Tx, d SeatDraft) (string, error) {
	free, ids, err := a.seatsOf(tx, d.Product, d.Device != "")
	if err != nil {
		return "", err
	}
	var person, device int64
	if d.Device != "" {
		if device, err = tx.FindDevice(d.Device); err != nil || device == 0 {
			return "", errors.Join(err, fmt.Errorf("there is no device %q", d.Device))
		}
	} else {
		p, err := tx.PersonByCode(d.User)
		if err != nil {
			return "", fmt.Errorf("there is no user %q", d.User)
		}
		if p.Status == "left" {
			return "", fmt.Errorf("%s has left: nobody who left gets a seat", p.Name)
		}
		person = p.ID
	}
	seats, err := tx.Assignments(a.Today())
	if err != nil {
		return "", err
	}
	for _, s := range seats {
		for _, f := range free {
			if s.Line == ids[f.Line] && s.Person == person && s.Device == device {
				return f.Line, fmt.Errorf("%s holds a seat of %s already", d.User+d.Device, f.Line)
			}
		}
	}
	for _, f := range free {
		if d.Line != "" && f.Line != d.Line {
			continue
		}
		if f.Free == 0 {
			return "", ErrNoSeat
		}
		_, err := tx.PutAssignment(ids[f.Line], person, device, formats.Assignment{From: a.Today()})
		return f.Line, err
	}
	if d.Line != "" {
		return "", fmt.Errorf("%s gives no seat that can be held today", d.Line)
	}
	return "", ErrNoSeat
}

// Assign gives a seat to a user or a device, and returns the line that it is of.
func (a *App) Assign(ctx context.Context, d SeatDraft, who string) (line string, err error) {
	err = a.DB.Update(ctx, func(tx *store.Tx) error {
		if line, err = a.assign(tx, d); err != nil {
			return err
		}
		if person, err := tx.PersonByCode(d.User); err == nil { // who was waiting waits no longer
			waiting, err := tx.Waiting(d.Product)
			if err != nil {
				return err
			}
			for _, w := range waiting {
				if w.PersonID == person.ID {
					if err := tx.EndWait(w.ID, a.Clock.Now().Unix(), "got a seat", who); err != nil {
						return err
					}
				}
			}
		}
		if err := tx.Note(a.Clock.Now(), who, "gave a seat", line, d.User+d.Device); err != nil {
			return err
		}
		return markTouched(tx, d.Product)
	})
	return line, err
}

// HandedBack says what became of seats that were handed back.
type HandedBack struct {
	Seats int        `json:"seats"`
	Given []SeatGift `json:"given" doc:"seats that went to whoever waited first"`
}

// SeatGift is a seat that somebody got.
type SeatGift struct {
	User    string `json:"user"`
	Name    string `json:"name"`
	Product string `json:"product"`
	Line    string `json:"line"`
}

// HandBack ends seats as of yesterday; with give, each goes to whoever waits first for the product, if somebody does.
func (a *App) HandBack(ctx context.Context, ids []int64, give bool, who string) (HandedBack, error) {
	out := HandedBack{Given: []SeatGift{}}
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		var products []int64
		for _, id := range ids {
			s, err := tx.Seat(id)
			if err != nil {
				return err
			}
			if s.Until.Known() && s.Until < a.Today() {
				continue
			}
			if err := tx.EndSeat(id, a.Today()-1); err != nil {
				return err
			}
			code, product, err := tx.LineOf(s.Line)
			if err != nil {
				return err
			}
			out.Seats++
			products = append(products, product)
			if err := tx.Note(a.Clock.Now(), who, "took a seat back", code, fmt.Sprint("seat ", id)); err != nil {
				return err
			}
		}
		if give {
			for _, product := range compact(slices.Clone(products)) {
				gifts, err := a.giveWaiting(tx, product, who)
				if err != nil {
					return err
				}
				out.Given = append(out.Given, gifts...)
			}
		}
		return markTouched(tx, compact(products)...)
	})
	return out, err
}

// giveWaiting gives free seats of a product to those who wait, the first first.
func (a *App) giveWaiting(tx *store.Tx, product int64, who string) ([]SeatGift, error) {
	waiting, err := tx.Waiting(product)
	if err != nil {
		return nil, err
	}
	var out []SeatGift
	for _, w := range waiting {
		line, err := a.assign(tx, SeatDraft{Product: product, User: w.User})
		if errors.Is(err, ErrNoSeat) {
			break
		}
		if err != nil { // somebody who left, or holds one: the next
			continue
		}
		if err := tx.EndWait(w.ID, a.Clock.Now().Unix(), "got a seat", who); err != nil {
			return out, err
		}
		if err := tx.Note(a.Clock.Now(), who, "gave a seat to who waited", line, w.User); err != nil {
			return out, err
		}
		out = append(out, SeatGift{w.User, w.UserName, w.Product, line})
	}
	return out, nil
}

// GiveWaiting gives the free seats of a product to those who wait.
func (a *App) GiveWaiting(ctx context.Context, product int64, who string) (HandedBack, error) {
	out := HandedBack{Given: []SeatGift{}}
	err := a.DB.Update(ctx, func(tx *store.Tx) error {
		gifts, err := a.giveWaiting(tx, product, who)
		if err != nil {
			return err
		}
		if len(gifts) == 0 {
			return ErrNoSeat
		}
		out.Given = append(out.Given, gifts...)
		return markTouched(tx, product)
	})
	return out, err
}

// MoveSeat hands a seat from one user to another, without a day between.
func (a *App) MoveSeat(ctx context.Context, id int64, user, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		s, err := tx.Seat(id)
		if err != nil {
			return err
		}
		code, product, err := tx.LineOf(s.Line)
		if err != nil {
			return err
		}
		if err := tx.EndSeat(id, a.Today()-1); err != nil {
			return err
		}
		if _, err := a.assign(tx, SeatDraft{Product: product, Line: code, User: user}); err != nil {
			return err
		}
		if err := tx.Note(a.Clock.Now(), who, "moved a seat", code, user); err != nil {
			return err
		}
		return markTouched(tx, product)
	})
}

// Waiting lists who waits for seats.
func (a *App) Waiting(ctx context.Context, product int64) ([]store.WaitRow, error) {
	out := []store.WaitRow{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Waiting(product)
		out = append(out, list...)
		return err
	})
	return out, err
}

// Wait puts a user on the list of those who wait for a seat of a product.
func (a *App) Wait(ctx context.Context, product int64, user, note, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		p, err := tx.PersonByCode(user)
		if err != nil {
			return fmt.Errorf("there is no user %q", user)
		}
		if p.Status == "left" {
			return fmt.Errorf("%s has left", p.Name)
		}
		added, err := tx.Wait(product, p.ID, a.Clock.Now().Unix(), note, who)
		if err == nil && !added {
			err = fmt.Errorf("%s waits for it already", p.Name)
		}
		if err != nil {
			return err
		}
		return tx.Note(a.Clock.Now(), who, "put on the list for a seat", fmt.Sprint("product ", product), user)
	})
}

// EndWait takes somebody off the list.
func (a *App) EndWait(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		if err := tx.EndWait(id, a.Clock.Now().Unix(), "taken off", who); err != nil {
			return err
		}
		return tx.Note(a.Clock.Now(), who, "took off the list for a seat", fmt.Sprint(id), "")
	})
}

// Held is all that somebody holds.
type Held struct {
	User    string          `json:"user"`
	Name    string          `json:"name"`
	Email   string          `json:"email"`
	Unit    string          `json:"unit"`
	Site    string          `json:"site"`
	Status  string          `json:"status"`
	LeftOn  string          `json:"leftOn"`
	AsOf    string          `json:"asOf"`
	Seats   []store.SeatRow `json:"seats"`
	Devices []HeldDevice    `json:"devices"`
	Waits   []store.WaitRow `json:"waits"`
}

// HeldDevice is a device that somebody is the main user of, with the titles on it that need a right.
type HeldDevice struct {
	Code   string   `json:"code"`
	Name   string   `json:"name"`
	Kind   string   `json:"kind"`
	Status string   `json:"status"`
	Titles []string `json:"titles"`
}

// Held gathers all that a user holds: seats, devices with what is licensed on them, and what he waits for.
func (a *App) Held(ctx context.Context, user string) (Held, error) {
	var out Held
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		p, err := tx.PersonByCode(user)
		if err != nil {
			return err
		}
		out = Held{User: p.Code, Name: p.Name, Email: p.Email, Unit: p.Unit, Site: p.Site, Status: p.Status, LeftOn: p.LeftOn.String(), AsOf: a.Today().String(), Seats: []store.SeatRow{}, Devices: []HeldDevice{}, Waits: []store.WaitRow{}}
		page, err := tx.SeatPage(store.ListQuery{Filters: map[string]string{"user": p.Code, "state": "held|of a leaver"}, Limit: 1000}, a.Today())
		if err != nil {
			return err
		}
		out.Seats = append(out.Seats, page.Rows...)
		devices, err := tx.DevicesOfUser(p.Code)
		if err != nil {
			return err
		}
		for _, d := range devices {
			titles, err := tx.LicensedOn(d.ID)
			if err != nil {
				return err
			}
			out.Devices = append(out.Devices, HeldDevice{d.Code, d.Name, d.Kind, d.Status, append([]string{}, titles...)})
		}
		waiting, err := tx.Waiting(0)
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
	if h.Status == "left" {
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
func (a *App) MailHeld(ctx context.Context, user, address, who string) error {
	if !strings.Contains(address, "@") {
		return fmt.Errorf("%q is no address", address)
	}
	h, err := a.Held(ctx, user)
	if err != nil {
		return err
	}
	if err := a.DB.Update(ctx, func(tx *store.Tx) error {
		if err := tx.QueueMail(store.Mail{Address: address, Subject: "What " + h.Name + " holds", Body: h.Words(), QueuedAt: a.Clock.Now().Unix()}); err != nil {
			return err
		}
		return tx.Note(a.Clock.Now(), who, "mailed what somebody holds", user, address)
	}); err != nil {
		return err
	}
	return a.SendMail(ctx)
}

// StarterSets lists the sets.
func (a *App) StarterSets(ctx context.Context) ([]store.StarterSet, error) {
	out := []store.StarterSet{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.StarterSets()
		out = append(out, list...)
		return err
	})
	return out, err
}

// PutStarterSet keeps a set of products for somebody new; one without products is taken away.
func (a *App) PutStarterSet(ctx context.Context, s store.StarterSet, who string) (int64, error) {
	if s.Name = strings.TrimSpace(s.Name); s.Name == "" {
		return 0, errors.New("give the set the name of a role")
	}
	err := a.DB.Update(ctx, func(tx *store.Tx) (err error) {
		s.Author, s.At = who, a.Clock.Now().Unix()
		if len(s.Products) == 0 {
			err = tx.DropStarterSet(s.ID)
		} else {
			s.ID, err = tx.PutStarterSet(s)
		}
		if err != nil {
			return err
		}
		return tx.Note(a.Clock.Now(), who, "kept a starter's set", s.Name, fmt.Sprint(len(s.Products), " products"))
	})
	return s.ID, err
}

// Started says what somebody new got and what is missing.
type Started struct {
	Given   []SeatGift     `json:"given"`
	Missing []StarterLacks `json:"missing"`
}

// StarterLacks is a product of a set that somebody did not get.
type StarterLacks struct {
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Why       string `json:"why"`
	Waits     bool   `json:"waits"`
}

// Start gives a new user all that a set has, at once: what is not free is said, and with wait he is put on its list. Dry only says what would happen.
func (a *App) Start(ctx context.Context, set int64, user string, wait, dry bool, who string) (Started, error) {
	out := Started{Given: []SeatGift{}, Missing: []StarterLacks{}}
	run := a.DB.Update
	if dry {
		run = a.DB.Rehearse
	}
	err := run(ctx, func(tx *store.Tx) error {
		p, err := tx.PersonByCode(user)
		if err != nil {
			return fmt.Errorf("there is no user %q", user)
		}
		sets, err := tx.StarterSets()
		if err != nil {
			return err
		}
		i := slices.IndexFunc(sets, func(s store.StarterSet) bool { return s.ID == set })
		if i < 0 {
			return store.ErrNotFound
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		for _, id := range sets[i].Products {
			product := c.Product(id)
			if product == nil {
				continue
			}
			line, err := a.assign(tx, SeatDraft{Product: id, User: user})
			if err == nil {
				out.Given = append(out.Given, SeatGift{p.Code, p.Name, product.Name, line})
				continue
			}
			lacks := StarterLacks{ProductID: id, Product: product.Name, Why: err.Error()}
			if wait && errors.Is(err, ErrNoSeat) {
				if lacks.Waits, err = tx.Wait(id, p.ID, a.Clock.Now().Unix(), "new: "+sets[i].Name, who); err != nil {
					return err
				}
			}
			out.Missing = append(out.Missing, lacks)
		}
		if err := tx.Note(a.Clock.Now(), who, "gave a starter's set", sets[i].Name, user); err != nil {
			return err
		}
		return markTouched(tx, sets[i].Products...)
	})
	return out, err
}
