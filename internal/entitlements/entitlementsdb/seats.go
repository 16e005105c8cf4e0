package entitlementsdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// SeatRow is a line of the list of seats: who holds which right.
type SeatRow struct {
	ID         int64     `column:"id"`
	Line       string    `column:"line"`
	LineID     int64     `column:"lineId"`
	ProductID  int64     `column:"productId"`
	Publisher  string    `column:"publisher"`
	Product    string    `column:"product"`
	Edition    string    `column:"edition"`
	User       string    `column:"user"`
	UserName   string    `column:"userName"`
	Status     string    `column:"status"` // of the user: active or left
	Device     string    `column:"device"`
	DeviceName string    `column:"deviceName"`
	Unit       string    `column:"unit"`
	From       civil.Day `column:"from"`
	Until      civil.Day `column:"until"`
	State      string    `column:"state"` // held, handed back, ended, of a leaver
}

// SeatList is the list of seats. A seat whose entitlement has ended is ended.
func SeatList(today civil.Day) *sqlite.List[SeatRow] {
	day := sqlite.Itoa(int64(today))
	holder := " LEFT JOIN person u ON u.id = a.person_id LEFT JOIN device d ON d.id = a.device_id"
	l := &sqlite.List[SeatRow]{
		From: `assignment a JOIN entitlement e ON e.id = a.entitlement_id AND e.withdrawn_at = 0
			JOIN product p ON p.id = e.product_id` + holder,
		Key: "a.id",
		Leads: map[string]sqlite.Lead{
			"e": {
				From: "entitlement e JOIN assignment a ON a.entitlement_id = e.id AND e.withdrawn_at = 0 JOIN " +
					"product " +
					"p ON p.id = e.product_id" + holder,
				Key: "e.id, a.id",
			},
			"p": {
				From: "product p JOIN entitlement e ON e.product_id = p.id AND e.withdrawn_at = 0 JOIN assignment a " +
					"ON a.entitlement_id = e.id" + holder,
				Key: "p.id, e.id, a.id",
			},
		},
		Sort: "product",
		Columns: []sqlite.Column{
			sqlite.Plain("id", "a.id"),
			sqlite.Searched("line", "e.code"),
			sqlite.Plain("lineId", "e.id"),
			sqlite.Plain("productId", "p.id"),
			sqlite.Searched("publisher", "p.publisher"),
			sqlite.Searched("product", "p.name"),
			sqlite.Plain("edition", "e.edition"),
			sqlite.Searched("user", "coalesce(u.code, '')"),
			sqlite.Searched("userName", "coalesce(u.name, '')"),
			sqlite.Plain("status", "coalesce(u.status, '')"),
			sqlite.Searched("device", "coalesce(d.code, '')"),
			sqlite.Searched("deviceName", "coalesce(d.name, '')"),
			sqlite.Searched("unit", "coalesce(u.org_unit, d.org_unit, '')"),
			sqlite.Plain("from", "a.from_day"),
			sqlite.Plain("until", "a.until_day"),
			sqlite.Plain(
				"state",
				"(CASE WHEN a.until_day <> 0 AND a.until_day < "+day+
					" THEN 'handed back' WHEN e.end <> 0 AND e.end < "+day+
					" THEN 'ended' WHEN coalesce(u.status, '') = 'left' THEN 'of a leaver' ELSE 'held' END)"),
		},
	}
	return l
}

// Seat reads one seat.
func Seat(tx *sqlite.Tx, id int64) (stored.Assigned, error) {
	list, err := sqlite.Select[stored.Assigned](tx, `SELECT entitlement_id AS line,
		coalesce(person_id, 0) AS person, coalesce(device_id, 0) AS device, from_day AS "from", until_day AS
		until FROM assignment WHERE id = ?`,
		id,
	)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return stored.Assigned{}, err
	}
	return list[0], nil
}

// EndSeat says the last day on which a seat is held; one that would end before it began is taken away.
func EndSeat(tx *sqlite.Tx, id int64, last civil.Day) error {
	s, err := Seat(tx, id)
	if err != nil {
		return err
	}
	if s.From > last {
		_, err = tx.Exec("DELETE FROM assignment WHERE id = ?", id)
	} else {
		_, err = tx.Exec("UPDATE assignment SET until_day = ? WHERE id = ?", last, id)
	}
	if err != nil {
		return err
	}
	return stored.TouchLine(tx, s.Line)
}

// HandBackSeats ends the seats that users hold of a product after a day, and returns how many there were.
func HandBackSeats(tx *sqlite.Tx, product int64, persons []int64, last civil.Day) (int, error) {
	list, err := json.Marshal(persons)
	if err != nil {
		return 0, err
	}
	ids, err := sqlite.Select[int64](tx, `SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id
		WHERE e.product_id = ?
			AND a.person_id IN (SELECT value FROM json_each(?)) AND (a.until_day = 0 OR a.until_day > ?)`,
		product,
		string(list),
		last,
	)
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		if err := EndSeat(tx, id, last); err != nil {
			return 0, err
		}
	}
	return len(ids), nil
}

// WaitRow is somebody who waits for a seat.
type WaitRow struct {
	ID        int64
	ProductID int64
	Publisher string
	Product   string
	PersonID  int64
	User      string
	UserName  string
	Unit      string
	Status    string
	Since     int64
	Note      string
	Author    string
}

// Waiting reads who waits for a seat, the first first, of one product or of all where product is 0.
func Waiting(tx *sqlite.Tx, product int64) ([]WaitRow, error) {
	return sqlite.Select[WaitRow](tx, `SELECT w.id, p.id AS product_id, p.publisher,
		p.name AS product, u.id AS person_id, u.code AS user, u.name AS user_name, u.org_unit AS unit,
		u.status, w.since, w.note, w.author FROM seat_wait w JOIN product p ON p.id = w.product_id JOIN
		person u ON u.id = w.person_id WHERE w.ended_at = 0 AND (?1 = 0 OR w.product_id = ?1) ORDER BY
		p.name, w.since, w.id`, product)
}

// Wait puts somebody on the list. It reports false where he is on it.
func Wait(tx *sqlite.Tx, product, person, at int64, note, author string) (bool, error) {
	n, err := tx.Touched(
		"INSERT INTO seat_wait(product_id, person_id, since, note, author) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO "+
			"NOTHING",
		product,
		person,
		at,
		note,
		author,
	)
	return n == 1, err
}

// EndWaitOf takes a user off the list of a product, where he is on it.
func EndWaitOf(tx *sqlite.Tx, product, person, at int64, how, by string) error {
	_, err := tx.Exec(
		"UPDATE seat_wait SET ended_at = ?, ended_how = ?, ended_by = ? WHERE product_id = ? AND person_id = ? AND "+
			"ended_at = 0",
		at,
		how,
		by,
		product,
		person,
	)
	return err
}

// EndWait takes somebody off the list.
func EndWait(tx *sqlite.Tx, id, at int64, how, by string) error {
	return tx.One(
		"UPDATE seat_wait SET ended_at = ?, ended_how = ?, ended_by = ? WHERE id = ? AND ended_at = 0",
		at,
		how,
		by,
		id,
	)
}

// StarterSet is the products that somebody new in a role gets.
type StarterSet struct {
	ID       int64
	Name     string
	Note     string
	Products []int64
	Author   string
	At       int64
	Revision int64 `db:"-"` // that was seen; a save on an older one is refused
}

// StarterSets reads all sets by name.
func StarterSets(tx *sqlite.Tx) ([]StarterSet, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *StarterSet) error {
		var products string
		if err := r.Scan(&v.ID, &v.Name, &v.Note, &products, &v.Author, &v.At); err != nil {
			return err
		}
		return json.Unmarshal([]byte(products), &v.Products)
	}, "SELECT id, name, note, products, author, at FROM starter_set ORDER BY name")
}

// PutStarterSet writes a set; one without number is new.
func PutStarterSet(tx *sqlite.Tx, s StarterSet) (int64, error) {
	products, err := json.Marshal(s.Products)
	if err != nil {
		return 0, err
	}
	if s.ID == 0 {
		res, err := tx.Exec(
			"INSERT INTO starter_set(name, note, products, author, at) VALUES (?, ?, ?, ?, ?)",
			s.Name,
			s.Note,
			string(products),
			s.Author,
			s.At,
		)
		if err != nil {
			return 0, err
		}
		return res.LastInsertId()
	}
	_, err = tx.Exec(
		"UPDATE starter_set SET name = ?, note = ?, products = ?, author = ?, at = ? WHERE id = ?",
		s.Name,
		s.Note,
		string(products),
		s.Author,
		s.At,
		s.ID,
	)
	return s.ID, err
}

// DropStarterSet takes a set away.
func DropStarterSet(tx *sqlite.Tx, id int64) error {
	_, err := tx.Exec("DELETE FROM starter_set WHERE id = ?", id)
	return err
}

// LineOf returns the code and the product of an entitlement.
func LineOf(tx *sqlite.Tx, id int64) (code string, product int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT code, product_id FROM entitlement WHERE id = ?", id).Scan(&code, &product)
	return code, product, err
}

// OwnDevice is a device of a user.
type OwnDevice struct {
	ID                       int64
	Code, Name, Kind, Status string
}

// DevicesOfUser reads the devices that somebody is the main user of.
func DevicesOfUser(tx *sqlite.Tx, code string) ([]OwnDevice, error) {
	return sqlite.Select[OwnDevice](tx, `SELECT id, code, name, kind, status FROM
		device WHERE primary_user = ? ORDER BY name`,
		code,
	)
}

// LicensedOn names the products on a device that somebody owns or that cost something.
func LicensedOn(tx *sqlite.Tx, device int64) ([]string, error) {
	return sqlite.Select[string](tx, `SELECT DISTINCT p.publisher || ' ' || p.name FROM install i
		JOIN recognition n ON n.record_id = i.record_id
			JOIN product p ON p.id = n.product_id
		WHERE i.device_id = ? AND i.until IS NULL AND n.why_not = '' AND EXISTS (SELECT 1 FROM position q
		WHERE q.product_id = p.id) ORDER BY 1`,
		device,
	)
}
