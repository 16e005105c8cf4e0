package machines

import (
	"encoding/json"

	"ensomet/internal/core/identity"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Of lists what sources call a device, its own lists first.
func Of(tx *sqlite.Tx, device int64) ([]*Record, error) {
	return recordsWhere(tx, "r.device_id = ?", device)
}

// Pair is two devices that may be one, with what speaks for it and against it.
type Pair struct {
	A, B  int64 // devices
	Waits bool
	Signs []identity.Sign
}

// Pairs lists pairs of devices that may be one, those that wait for somebody first, and counts them.
func Pairs(tx *sqlite.Tx, most int) (list []Pair, total, waits int64, err error) {
	type row struct {
		A, B  int64
		Waits bool
		Signs string
	}
	const from = ` FROM machine_pair p JOIN machine_record x ON x.id = p.a JOIN machine_record y ON y.id = p.b
		WHERE x.device_id <> y.device_id`
	if err := tx.QueryRowContext(tx.Ctx, "SELECT count(*), coalesce(sum(p.waits), 0)"+from).Scan(&total,
		&waits); err != nil {
		return nil, 0, 0, err
	}
	rows, err := sqlite.Select[row](tx, "SELECT x.device_id AS a, y.device_id AS b, p.waits, p.signs"+from+
		" ORDER BY p.waits DESC, p.a, p.b LIMIT ?", most)
	for _, r := range rows {
		p := Pair{A: r.A, B: r.B, Waits: r.Waits}
		if err := json.Unmarshal([]byte(r.Signs), &p.Signs); err != nil {
			return nil, 0, 0, err
		}
		list = append(list, p)
	}
	return list, total, waits, err
}

// Acts lists the newest acts about a device, or about any where it is 0.
func Acts(tx *sqlite.Tx, device int64, most int) ([]Act, error) {
	type row struct {
		Act      int64
		Together bool
		Reason   string
		Author   string
		At       int64
		EndedAt  int64  `db:"ended_at"`
		EndedBy  string `db:"ended_by"`
	}
	rows, err := sqlite.Select[row](tx, `SELECT act, max(together) AS together, max(reason) AS reason,
		max(author) AS author, max(at) AS at, max(ended_at) AS ended_at, max(ended_by) AS ended_by FROM machine_decision
		WHERE ?1 = 0 OR act IN (SELECT d.act FROM machine_decision d JOIN machine_record r ON r.id IN (d.a, d.b)
			WHERE r.device_id = ?1) GROUP BY act ORDER BY act DESC LIMIT ?2`, device, most)
	var out []Act
	for _, r := range rows {
		a := Act{ID: r.Act, Together: r.Together, Reason: r.Reason, Author: r.Author, At: r.At, EndedAt: r.EndedAt,
			EndedBy: r.EndedBy}
		list, err := recordsWhere(tx, "r.id IN (SELECT a FROM machine_decision WHERE act = ?1 UNION SELECT b FROM "+
			"machine_decision WHERE act = ?1)", r.Act)
		if err != nil {
			return nil, err
		}
		for _, rec := range list {
			a.Records = append(a.Records, rec.Label())
		}
		out = append(out, a)
	}
	return out, err
}

// Apart decides that two devices are not one machine, though they are alike, and returns the number of the act.
func (r *Room) Apart(tx *sqlite.Tx, devices []int64, who Who) (act int64, err error) {
	if len(devices) != 2 || devices[0] == devices[1] {
		return 0, refuse.New("name the two devices that are two machines")
	}
	if who.Reason == "" {
		return 0, refuse.New("say why they are two machines: somebody will ask")
	}
	var sides [2][]*Record
	for i, d := range devices {
		if _, err := r.lead(tx, d); err != nil {
			return 0, err
		}
		if sides[i], err = Of(tx, d); err != nil {
			return 0, err
		}
	}
	if act, err = nextAct(tx); err != nil {
		return 0, err
	}
	for _, a := range sides[0] {
		for _, b := range sides[1] {
			if err := decide(tx, act, a.ID, b.ID, false, who); err != nil {
				return 0, err
			}
		}
	}
	_, err = r.settle(tx, "", sides[0][0].ID, sides[1][0].ID)
	return act, err
}
