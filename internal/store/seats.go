package store

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/civil"
)

// SeatRow is a line of the list of seats: who holds which right.
type SeatRow struct {
	ID         int64     `json:"id"`
	Line       string    `json:"line"`
	LineID     int64     `json:"lineId"`
	ProductID  int64     `json:"productId"`
	Publisher  string    `json:"publisher"`
	Product    string    `json:"product"`
	Edition    string    `json:"edition"`
	User       string    `json:"user"`
	UserName   string    `json:"userName"`
	Status     string    `json:"status" doc:"of the user: active or left"`
	Device     string    `json:"device"`
	DeviceName string    `json:"deviceName"`
	Unit       string    `json:"unit"`
	From       civil.Day `json:"from"`
	Until      civil.Day `json:"until"`
	State      string    `json:"state" enum:"held,handed back,ended,of a leaver"`
}

// SeatPage reads a page of seats. A seat whose entitlement has ended is ended.
func (tx *Tx) SeatPage(q ListQuery, today civil.Day) (Page[SeatRow], error) {
	day := itoa(int64(today))
	l := list[SeatRow]{from: `assignment a JOIN entitlement e ON e.id = a.entitlement_id AND e.withdrawn_at = 0 JOIN product p ON p.id = e.product_id LEFT JOIN person u ON u.id = a.person_id LEFT JOIN device d ON d.id = a.device_id`,
		key: "a.id", sort: "product", columns: []column[SeatRow]{
			{"id", "a.id", func(r *SeatRow) any { return &r.ID }, false}, {"line", "e.code", func(r *SeatRow) any { return &r.Line }, true}, {"lineId", "e.id", func(r *SeatRow) any { return &r.LineID }, false},
			{"productId", "p.id", func(r *SeatRow) any { return &r.ProductID }, false}, {"publisher", "p.publisher", func(r *SeatRow) any { return &r.Publisher }, true}, {"product", "p.name", func(r *SeatRow) any { return &r.Product }, true},
			{"edition", "e.edition", func(r *SeatRow) any { return &r.Edition }, false}, {"user", "coalesce(u.code, '')", func(r *SeatRow) any { return &r.User }, true}, {"userName", "coalesce(u.name, '')", func(r *SeatRow) any { return &r.UserName }, true},
			{"status", "coalesce(u.status, '')", func(r *SeatRow) any { return &r.Status }, false}, {"device", "coalesce(d.code, '')", func(r *SeatRow) any { return &r.Device }, true}, {"deviceName", "coalesce(d.name, '')", func(r *SeatRow) any { return &r.DeviceName }, true},
			{"unit", "coalesce(u.org_unit, d.org_unit, '')", func(r *SeatRow) any { return &r.Unit }, true}, {"from", "a.from_day", func(r *SeatRow) any { return &r.From }, false}, {"until", "a.until_day", func(r *SeatRow) any { return &r.Until }, false},
			{"state", "(CASE WHEN a.until_day <> 0 AND a.until_day < " + day + " THEN 'handed back' WHEN e.end <> 0 AND e.end < " + day + " THEN 'ended' WHEN coalesce(u.status, '') = 'left' THEN 'of a leaver' ELSE 'held' END)", func(r *SeatRow) any { return &r.State }, false},
		}}
	return l.page(tx, q)
}

// Seat reads one seat.
func (tx *Tx) Seat(id int64) (Assigned, error) {
	list, err := query(tx, func(r *sql.Rows, v *Assigned) error { return r.Scan(&v.Line, &v.Person, &v.Device, &v.From, &v.Until) },
		"SELECT entitlement_id, coalesce(person_id, 0), coalesce(device_id, 0), from_day, until_day FROM assignment WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Assigned{}, err
	}
	return list[0], nil
}

// EndSeat says the last day on which a seat is held; one that would end before it began is taken away.
func (tx *Tx) EndSeat(id int64, last civil.Day) error {
	s, err := tx.Seat(id)
	if err != nil {
		return err
	}
	if s.From > last {
		_, err = tx.exec("DELETE FROM assignment WHERE id = ?", id)
	} else {
		_, err = tx.exec("UPDATE assignment SET until_day = ? WHERE id = ?", last, id)
	}
	if err != nil {
		return err
	}
	return tx.touchLine(s.Line)
}

// HandBackSeats ends the seats that users hold of a product after a day, and returns how many there were.
func (tx *Tx) HandBackSeats(product int64, persons []int64, last civil.Day) (int, error) {
	list, err := json.Marshal(persons)
	if err != nil {
		return 0, err
	}
	ids, err := query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, `SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id WHERE e.product_id = ? AND a.person_id IN (SELECT value FROM json_each(?)) AND (a.until_day = 0 OR a.until_day > ?)`, product, string(list), last)
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		if err := tx.EndSeat(id, last); err != nil {
			return 0, err
		}
	}
	return len(ids), nil
}

// SeatsFreedBy lists the seats of a product that nobody needs once it is off a device: the device's own, and that of its user where none of his devices has it.
func (tx *Tx) SeatsFreedBy(device, product int64, today civil.Day) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, `SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id AND e.withdrawn_at = 0
		WHERE e.product_id = ?2 AND a.from_day <= ?3 AND (a.until_day = 0 OR a.until_day >= ?3) AND (a.device_id = ?1 OR a.person_id = (SELECT u.id FROM device d JOIN person u ON u.code = d.primary_user WHERE d.id = ?1)
			AND NOT EXISTS (SELECT 1 FROM device o JOIN install i ON i.device_id = o.id AND i.until IS NULL JOIN recognition n ON n.record_id = i.record_id AND n.product_id = ?2
				WHERE o.primary_user = (SELECT primary_user FROM device WHERE id = ?1) AND o.status <> 'retired')) ORDER BY a.id`, device, product, today)
}

// WaitRow is somebody who waits for a seat.
type WaitRow struct {
	ID        int64  `json:"id"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	PersonID  int64  `json:"-"`
	User      string `json:"user"`
	UserName  string `json:"userName"`
	Unit      string `json:"unit"`
	Status    string `json:"status"`
	Since     int64  `json:"since"`
	Note      string `json:"note"`
	Author    string `json:"author"`
}

// Waiting reads who waits for a seat, the first first, of one product or of all where product is 0.
func (tx *Tx) Waiting(product int64) ([]WaitRow, error) {
	return query(tx, func(r *sql.Rows, v *WaitRow) error {
		return r.Scan(&v.ID, &v.ProductID, &v.Publisher, &v.Product, &v.PersonID, &v.User, &v.UserName, &v.Unit, &v.Status, &v.Since, &v.Note, &v.Author)
	}, `SELECT w.id, p.id, p.publisher, p.name, u.id, u.code, u.name, u.org_unit, u.status, w.since, w.note, w.author FROM seat_wait w JOIN product p ON p.id = w.product_id JOIN person u ON u.id = w.person_id
		WHERE w.ended_at = 0 AND (?1 = 0 OR w.product_id = ?1) ORDER BY p.name, w.since, w.id`, product)
}

// Wait puts somebody on the list. It reports false where he is on it.
func (tx *Tx) Wait(product, person, at int64, note, author string) (bool, error) {
	res, err := tx.exec("INSERT INTO seat_wait(product_id, person_id, since, note, author) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING", product, person, at, note, author)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 1, err
}

// EndWaitOf takes a user off the list of a product, where he is on it.
func (tx *Tx) EndWaitOf(product, person, at int64, how, by string) error {
	_, err := tx.exec("UPDATE seat_wait SET ended_at = ?, ended_how = ?, ended_by = ? WHERE product_id = ? AND person_id = ? AND ended_at = 0", at, how, by, product, person)
	return err
}

// EndWait takes somebody off the list.
func (tx *Tx) EndWait(id, at int64, how, by string) error {
	res, err := tx.exec("UPDATE seat_wait SET ended_at = ?, ended_how = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, how, by, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// StarterSet is the products that somebody new in a role gets.
type StarterSet struct {
	ID       int64   `json:"id"`
	Name     string  `json:"name"`
	Note     string  `json:"note"`
	Products []int64 `json:"products"`
	Author   string  `json:"author"`
	At       int64   `json:"at"`
}

// StarterSets reads all sets by name.
func (tx *Tx) StarterSets() ([]StarterSet, error) {
	return query(tx, func(r *sql.Rows, v *StarterSet) error {
		var products string
		if err := r.Scan(&v.ID, &v.Name, &v.Note, &products, &v.Author, &v.At); err != nil {
			return err
		}
		return json.Unmarshal([]byte(products), &v.Products)
	}, "SELECT id, name, note, products, author, at FROM starter_set ORDER BY name")
}

// PutStarterSet writes a set; one without number is new.
func (tx *Tx) PutStarterSet(s StarterSet) (int64, error) {
	products, err := json.Marshal(s.Products)
	if err != nil {
		return 0, err
	}
	if s.ID == 0 {
		res, err := tx.exec("INSERT INTO starter_set(name, note, products, author, at) VALUES (?, ?, ?, ?, ?)", s.Name, s.Note, string(products), s.Author, s.At)
		if err != nil {
			return 0, err
		}
		return res.LastInsertId()
	}
	_, err = tx.exec("UPDATE starter_set SET name = ?, note = ?, products = ?, author = ?, at = ? WHERE id = ?", s.Name, s.Note, string(products), s.Author, s.At, s.ID)
	return s.ID, err
}

// DropStarterSet takes a set away.
func (tx *Tx) DropStarterSet(id int64) error {
	_, err := tx.exec("DELETE FROM starter_set WHERE id = ?", id)
	return err
}

// PersonRow is a user with what a page about him needs.
type PersonRow struct {
	ID                                    int64
	Code, Name, Email, Unit, Site, Status string
	LeftOn                                civil.Day
}

// PersonByCode finds a user.
func (tx *Tx) PersonByCode(code string) (PersonRow, error) { return tx.person("code = ?", code) }

// Person reads one user.
func (tx *Tx) Person(id int64) (PersonRow, error) { return tx.person("id = ?", id) }

func (tx *Tx) person(where string, arg any) (PersonRow, error) {
	list, err := query(tx, func(r *sql.Rows, v *PersonRow) error {
		return r.Scan(&v.ID, &v.Code, &v.Name, &v.Email, &v.Unit, &v.Site, &v.Status, &v.LeftOn)
	}, "SELECT id, code, name, email, org_unit, site, status, left_on FROM person WHERE "+where, arg)
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return PersonRow{}, err
	}
	return list[0], nil
}

// UserOfDevice is the main user of a device with the mail address, empty where nobody is known or the user has left.
func (tx *Tx) UserOfDevice(device int64) (person int64, address, name string, err error) {
	p, err := tx.person("status <> 'left' AND code = (SELECT primary_user FROM device WHERE id = ?)", device)
	if errors.Is(err, ErrNotFound) {
		err = nil
	}
	return p.ID, p.Email, p.Name, err
}

// LineOf returns the code and the product of an entitlement.
func (tx *Tx) LineOf(id int64) (code string, product int64, err error) {
	err = tx.QueryRowContext(tx.ctx, "SELECT code, product_id FROM entitlement WHERE id = ?", id).Scan(&code, &product)
	return code, product, err
}

// OwnDevice is a device of a user.
type OwnDevice struct {
	ID                       int64
	Code, Name, Kind, Status string
}

// DevicesOfUser reads the devices that somebody is the main user of.
func (tx *Tx) DevicesOfUser(code string) ([]OwnDevice, error) {
	return query(tx, func(r *sql.Rows, v *OwnDevice) error { return r.Scan(&v.ID, &v.Code, &v.Name, &v.Kind, &v.Status) }, "SELECT id, code, name, kind, status FROM device WHERE primary_user = ? ORDER BY name", code)
}

// LicensedOn names the products on a device that somebody owns or that cost something.
func (tx *Tx) LicensedOn(device int64) ([]string, error) {
	return query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) }, `SELECT DISTINCT p.publisher || ' ' || p.name FROM install i JOIN recognition n ON n.record_id = i.record_id JOIN product p ON p.id = n.product_id
		WHERE i.device_id = ? AND i.until IS NULL AND n.why_not = '' AND EXISTS (SELECT 1 FROM position q WHERE q.product_id = p.id) ORDER BY 1`, device)
}
