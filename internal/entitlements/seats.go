package entitlements

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Seats reads a page of the list of seats.
func (svc *Service) Seats(*sqlite.ListQuery) (*sqlite.List[entitlementsdb.SeatRow], error) {
	return entitlementsdb.SeatList(svc.Snapshots.Today()), nil
}

// FreeSeats is a line with seats that can be assigned.
type FreeSeats struct {
	Line      string
	Terms     string
	Effective int64
	Held      int64
	Free      int64
}

// seatBook is what is known of the seats of a product while some of them are given, read once.
type seatBook struct {
	free []FreeSeats // the lines, those with free seats first
	ids  map[string]int64
	held []stored.Assigned
}

// sort puts the lines with free seats first.
func (b *seatBook) sort() {
	slices.SortStableFunc(b.free, func(x, y FreeSeats) int { return int(min(y.Free, 1) - min(x.Free, 1)) })
}

// holds returns the line of which somebody holds a seat today, or nothing.
func (b *seatBook) holds(person, device int64) string {
	for _, line := range slices.Sorted(maps.Keys(b.ids)) {
		for _, s := range b.held {
			if s.Line == b.ids[line] && s.Person == person && s.Device == device {
				return line
			}
		}
	}
	return ""
}

// seatsOf reads the lines of a product whose seats somebody can hold, today. A line is held by users or by devices.
func (svc *Service) seatsOf(tx *sqlite.Tx, product int64, device bool) (*seatBook, error) {
	kept, err := stored.EntitlementsOf(tx, []int64{product})
	if err != nil {
		return nil, err
	}
	b := &seatBook{ids: map[string]int64{}}
	if b.held, err = stored.AssignmentsOf(tx, []int64{product}, svc.Snapshots.Today()); err != nil {
		return nil, err
	}
	held := map[int64]int64{}
	for _, s := range b.held {
		held[s.Line]++
	}
	var lines []entitle.Line
	for _, s := range kept {
		lines = append(lines, s.Line)
		b.ids[s.Code] = s.ID
	}
	effects := entitle.Effective(lines, svc.Snapshots.Today())
	for i := range lines {
		l := &lines[i]
		byUser := l.Metric == entitle.NamedUser
		e := effects[l.Code]
		if e.Quantity == 0 || byUser == device {
			continue
		}
		b.free = append(b.free, FreeSeats{
			Line:      l.Code,
			Terms:     snapshot.Terms(l),
			Effective: e.Quantity,
			Held:      held[l.ID],
			Free:      max(0, e.Quantity-held[l.ID]),
		})
	}
	b.sort()
	return b, nil
}

// SeatsOf lists the lines of a product with the seats that users can hold.
func (svc *Service) SeatsOf(ctx context.Context, product int64) ([]FreeSeats, error) {
	out := []FreeSeats{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedProduct(tx, product); err != nil {
			return err
		}
		book, err := svc.seatsOf(tx, product, false)
		if err == nil {
			out = append(out, book.free...)
		}
		return err
	})
	return out, err
}

// SeatDraft asks for a seat: of a line, or of any line of a product that has one free.
type SeatDraft struct {
	Product int64
	Line    string // empty is any line of the product with a free seat
	User    string // user_id
	Device  string // device_id, where a device holds it
}

// ErrNoSeat says that no seat is free.
var ErrNoSeat = refuse.New("no seat of it is free")

// assign gives a seat and returns the line's code. Who gets one no longer waits for it.
func (svc *Service) assign(tx *sqlite.Tx, d SeatDraft, who string) (string, error) {
	book, err := svc.seatsOf(tx, d.Product, d.Device != "")
	if err != nil {
		return "", err
	}
	return svc.assignFrom(tx, book, d, who)
}

// assignFrom gives a seat of those in a book, and notes it there.
func (svc *Service) assignFrom(tx *sqlite.Tx, book *seatBook, d SeatDraft, who string) (string, error) {
	person, device, err := holder(tx, d)
	if err != nil {
		return "", err
	}
	if line := book.holds(person, device); line != "" {
		return line, refuse.Errorf("%s holds a seat of %s already", d.User+d.Device, line)
	}
	for i := range book.free {
		f := &book.free[i]
		if d.Line != "" && f.Line != d.Line {
			continue
		}
		if f.Free == 0 {
			return "", ErrNoSeat
		}
		line, today := f.Line, svc.Snapshots.Today()
		if _, err := entitlementsdb.PutAssignment(tx, book.ids[line], person, device,
			formats.Assignment{From: today}); err != nil {
			return line, err
		}
		f.Free, f.Held = f.Free-1, f.Held+1
		book.held = append(book.held,
			stored.Assigned{Line: book.ids[line], Person: person, Device: device, From: today})
		book.sort()
		if person == 0 {
			return line, nil
		}
		return line, entitlementsdb.EndWaitOf(tx, d.Product, person, svc.Clock.Now().Unix(), "got a seat", who)
	}
	if d.Line != "" {
		return "", refuse.Errorf("%s gives no seat that can be held today", d.Line)
	}
	return "", ErrNoSeat
}

// holder is who or what is to hold a seat.
func holder(tx *sqlite.Tx, d SeatDraft) (person, device int64, err error) {
	if d.Device != "" {
		if device, err = snapshot.FindDevice(tx, d.Device); err == nil && device == 0 {
			err = refuse.Errorf("there is no device %q", d.Device)
		}
		return 0, device, err
	}
	p, err := snapshot.UserNamed(tx, d.User)
	if err == nil && p.Status == evidence.Left {
		err = refuse.Errorf("%s has left: nobody who left gets a seat", p.Name)
	}
	return p.ID, 0, err
}

// Assign gives a seat to a user or a device, and returns the line that it is of.
func (svc *Service) Assign(ctx context.Context, d SeatDraft, who string) (line string, err error) {
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if line, err = svc.assign(tx, d, who); err != nil {
			return err
		}
		if person, err := snapshot.PersonByCode(tx, d.User); err == nil { // who was waiting waits no longer
			waiting, err := entitlementsdb.Waiting(tx, d.Product)
			if err != nil {
				return err
			}
			for _, w := range waiting {
				if w.PersonID == person.ID {
					if err := entitlementsdb.EndWait(tx, w.ID, svc.Clock.Now().Unix(), "got a seat", who); err != nil {
						return err
					}
				}
			}
		}
		if err := tx.Note(svc.Clock.Now(), who, "gave a seat", line, d.User+d.Device); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, d.Product)
	})
	return line, err
}

// HandedBack says what became of seats that were handed back.
type HandedBack struct {
	Seats int
	Given []SeatGift // seats that went to whoever waited first
}

// SeatGift is a seat that somebody got.
type SeatGift struct {
	User    string
	Name    string
	Product string
	Line    string
}

// HandBack ends seats as of yesterday; with give, each goes to whoever waits first for the product, if somebody does.
func (svc *Service) HandBack(ctx context.Context, ids []int64, give bool, who string) (HandedBack, error) {
	out := HandedBack{Given: []SeatGift{}}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		var products []int64
		for _, id := range ids {
			s, err := entitlementsdb.Seat(tx, id)
			if err != nil {
				return err
			}
			if s.Until.Known() && s.Until < svc.Snapshots.Today() {
				continue
			}
			if err := entitlementsdb.EndSeat(tx, id, svc.Snapshots.Today()-1); err != nil {
				return err
			}
			code, product, err := entitlementsdb.LineOf(tx, s.Line)
			if err != nil {
				return err
			}
			out.Seats++
			products = append(products, product)
			if err := tx.Note(svc.Clock.Now(), who, "took a seat back", code, fmt.Sprint("seat ", id)); err != nil {
				return err
			}
		}
		if give {
			for _, product := range stored.Distinct(slices.Clone(products)) {
				gifts, err := svc.giveWaiting(tx, product, who)
				if err != nil {
					return err
				}
				out.Given = append(out.Given, gifts...)
			}
		}
		return renewal.MarkProducts(tx, stored.Distinct(products)...)
	})
	return out, err
}

// FreeSeats ends seats of a product, and gives what becomes free to whoever waits first. It returns the names of
// those who got one.
func (svc *Service) FreeSeats(tx *sqlite.Tx, product int64, seats []int64, who string) (gotOne []string, err error) {
	for _, id := range seats {
		if err := entitlementsdb.EndSeat(tx, id, svc.Snapshots.Today()-1); err != nil {
			return nil, err
		}
	}
	gifts, err := svc.giveWaiting(tx, product, who)
	for _, g := range gifts {
		gotOne = append(gotOne, g.Name)
	}
	return gotOne, err
}

// TakeBackSeats ends the seats of a product that people hold. It returns how many.
func (svc *Service) TakeBackSeats(tx *sqlite.Tx, product int64, users []int64) (int, error) {
	return entitlementsdb.HandBackSeats(tx, product, users, svc.Snapshots.Today()-1)
}

// giveWaiting gives free seats of a product to those who wait, the first first.
func (svc *Service) giveWaiting(tx *sqlite.Tx, product int64, who string) ([]SeatGift, error) {
	waiting, err := entitlementsdb.Waiting(tx, product)
	if err != nil {
		return nil, err
	}
	if len(waiting) == 0 {
		return nil, nil
	}
	book, err := svc.seatsOf(tx, product, false)
	if err != nil {
		return nil, err
	}
	var out []SeatGift
	for _, w := range waiting {
		line, err := svc.assignFrom(tx, book, SeatDraft{Product: product, User: w.User}, who)
		if errors.Is(err, ErrNoSeat) {
			break
		}
		if refuse.Is(err) { // somebody who left, or holds one: the next
			continue
		}
		if err != nil {
			return out, err
		}
		if err := tx.Note(svc.Clock.Now(), who, "gave a seat to who waited", line, w.User); err != nil {
			return out, err
		}
		out = append(out, SeatGift{w.User, w.UserName, w.Product, line})
	}
	return out, nil
}

// GiveWaiting gives the free seats of a product to those who wait.
func (svc *Service) GiveWaiting(ctx context.Context, product int64, who string) (HandedBack, error) {
	out := HandedBack{Given: []SeatGift{}}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := snapshot.NeedProduct(tx, product); err != nil {
			return err
		}
		gifts, err := svc.giveWaiting(tx, product, who)
		if err != nil {
			return err
		}
		if len(gifts) == 0 {
			return ErrNoSeat
		}
		out.Given = append(out.Given, gifts...)
		return renewal.MarkProducts(tx, product)
	})
	return out, err
}

// MoveSeat hands a seat from one user to another, without a day between.
func (svc *Service) MoveSeat(ctx context.Context, id int64, user, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		s, err := entitlementsdb.Seat(tx, id)
		if err != nil {
			return err
		}
		code, product, err := entitlementsdb.LineOf(tx, s.Line)
		if err != nil {
			return err
		}
		if err := entitlementsdb.EndSeat(tx, id, svc.Snapshots.Today()-1); err != nil {
			return err
		}
		if _, err := svc.assign(tx, SeatDraft{Product: product, Line: code, User: user}, who); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "moved a seat", code, user); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, product)
	})
}

// Waiting lists who waits for seats.
func (svc *Service) Waiting(ctx context.Context, product int64) ([]entitlementsdb.WaitRow, error) {
	out := []entitlementsdb.WaitRow{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := entitlementsdb.Waiting(tx, product)
		out = append(out, list...)
		return err
	})
	return out, err
}

// Wait puts a user on the list of those who wait for a seat of a product.
func (svc *Service) Wait(ctx context.Context, product int64, user, note, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		person, _, err := holder(tx, SeatDraft{User: user})
		if err != nil {
			return err
		}
		book, err := svc.seatsOf(tx, product, false)
		if err != nil {
			return err
		}
		if line := book.holds(person, 0); line != "" {
			return refuse.Errorf("%s holds a seat of %s already", user, line)
		}
		added, err := entitlementsdb.Wait(tx, product, person, svc.Clock.Now().Unix(), note, who)
		if err == nil && !added {
			err = refuse.Errorf("%s waits for it already", user)
		}
		if err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "put on the list for a seat", fmt.Sprint("product ", product), user)
	})
}

// EndWait takes somebody off the list.
func (svc *Service) EndWait(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := entitlementsdb.EndWait(tx, id, svc.Clock.Now().Unix(), "taken off", who); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "took off the list for a seat", fmt.Sprint(id), "")
	})
}
