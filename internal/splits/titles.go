package splits

import (
	"cmp"
	"database/sql"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/counts"
	"ensomet/internal/sqlite"
)

// onDevice is the device that something is on, and what that falls to.
type onDevice struct {
	device     int64
	value, age string
}

// sums counts what falls to each value, and to each part of it. All that falls to one on a device is added before
// anything on another.
type sums map[[2]string]*sum

type sum struct {
	Row
	last   int64  // the device that was counted last
	titles []bool // by product, those that were counted
}

// title counts a title once.
func (s *sum) title(product int64) {
	if product >= int64(len(s.titles)) {
		s.titles = append(s.titles, make([]bool, product+1-int64(len(s.titles)))...)
	}
	if !s.titles[product] {
		s.titles[product] = true
		s.Count++
	}
}

// of is the sum of a part of a value, with a device counted in it.
func (s sums) of(on onDevice, part string) *sum {
	to := s[[2]string{on.value, part}]
	if to == nil {
		to = &sum{Row: Row{Value: on.value, Part: part}}
		s[[2]string{on.value, part}] = to
	}
	if to.last != on.device {
		to.last = on.device
		to.Devices++
		switch on.age {
		case "stale":
			to.Stale++
		case "never":
			to.Never++
		}
	}
	return to
}

func (s sums) rows() []Row {
	out := make([]Row, 0, len(s))
	for one := range maps.Values(s) {
		out = append(out, one.Row)
	}
	slices.SortFunc(out, func(a, b Row) int {
		return cmp.Or(cmp.Compare(a.Value, b.Value), cmp.Compare(a.Part, b.Part))
	})
	return out
}

// oneSource is the sources of each device that reports all it has by the same, as a table of device_id and sources.
const oneSource = `(SELECT device_id, replace(min(sources), char(31), ' and ') AS sources FROM sourced
	GROUP BY device_id HAVING min(sources) = max(sources))`

// Titles splits what is installed by titles: what is counted are different titles. It goes by what figures counted of
// each device; the installs of devices that some sources report in part are read.
func Titles(tx *sqlite.Tx, by string, n Narrow) ([]Row, error) {
	wanted, err := n.products(tx)
	if err != nil {
		return nil, err
	}
	products, err := counts.ReadProducts(tx)
	if err != nil {
		return nil, err
	}
	what, join, out := label(by), "", sums{}
	if by == BySource {
		what, join = "x.sources", " JOIN "+oneSource+" x ON x.device_id = c.device_id"
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT c.device_id, "+what+`, f.age, c.installs FROM counted c
		JOIN device d ON d.id = c.device_id JOIN device_fact f ON f.device_id = c.device_id`+join)
	if err != nil {
		return nil, err
	}
	if err := sqlite.Each(rows, func() error {
		var on onDevice
		var installs sql.RawBytes
		err := rows.Scan(&on.device, &on.value, &on.age, &installs)
		var to *sum
		for product := range products.On(installs) {
			if wanted == nil || wanted[product] {
				if to == nil {
					to = out.of(on, "")
				}
				to.title(product)
			}
		}
		return err
	}); err != nil {
		return nil, err
	}
	if by == BySource {
		err = out.reported(tx, n)
	}
	return out.rows(), err
}

// allUse splits all that is counted by what is kept of each device; what is only concluded is reported by none.
func allUse(tx *sqlite.Tx, by string) ([]Row, error) {
	what := label(by)
	if by == BySource {
		what = "''"
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT u.device_id, "+what+`, f.age, u.uses FROM sourced_use u
		CROSS JOIN device d ON d.id = u.device_id CROSS JOIN device_fact f ON f.device_id = u.device_id
		ORDER BY u.device_id`)
	if err != nil {
		return nil, err
	}
	out := sums{}
	read := map[string][]counts.SourcedUse{} // many devices have the same
	err = sqlite.Each(rows, func() error {
		var on onDevice
		var text sql.RawBytes
		if err := rows.Scan(&on.device, &on.value, &on.age, &text); err != nil {
			return err
		}
		uses, known := read[string(text)]
		if !known {
			if err := json.Unmarshal(text, &uses); err != nil {
				return err
			}
			read[string(text)] = uses
		}
		for _, u := range uses {
			if by == BySource {
				on.value = strings.ReplaceAll(u.Sources, counts.SourceSeparator, " and ")
			}
			out.of(on, "").Count += u.Installs
			out.of(on, u.Class).Count += u.Installs
		}
		return nil
	})
	return out.rows(), err
}

// useBySource splits counted titles by the sources that report them; what is only concluded falls to none.
func useBySource(tx *sqlite.Tx, n Narrow) ([]Row, error) {
	where, args := n.where("i.product_id")
	join := beside("i", &args, n)
	rows, err := tx.QueryContext(tx.Ctx, "SELECT i.device_id, coalesce(r.sources, ''), f.age, i.class FROM idle_fact i"+
		" JOIN device_fact f ON f.device_id = i.device_id"+join+" WHERE 1"+where+" ORDER BY 1", args...)
	if err != nil {
		return nil, err
	}
	out := sums{}
	err = sqlite.Each(rows, func() error {
		var on onDevice
		var class string
		err := rows.Scan(&on.device, &on.value, &on.age, &class)
		out.of(on, "").Count++
		out.of(on, class).Count++
		return err
	})
	return out.rows(), err
}

// installsOfSeveral are the installs of devices that some sources report in part.
const installsOfSeveral = `(SELECT device_id FROM sourced GROUP BY device_id HAVING min(sources) <> max(sources)) t
	CROSS JOIN install i ON i.device_id = t.device_id`

// reported adds the titles of devices that some sources report in part.
func (s sums) reported(tx *sqlite.Tx, n Narrow) error {
	where, args := n.where("k.product_id")
	rows, err := tx.QueryContext(tx.Ctx, "SELECT r.device_id, r.sources, f.age, r.product_id FROM "+
		reportingOf(installsOfSeveral, where)+" r JOIN device_fact f ON f.device_id = r.device_id ORDER BY 1", args...)
	if err != nil {
		return err
	}
	return sqlite.Each(rows, func() error {
		var on onDevice
		var product int64
		err := rows.Scan(&on.device, &on.value, &on.age, &product)
		s.of(on, "").title(product)
		return err
	})
}

// products are the products of what a split is about; nil is all.
func (n Narrow) products(tx *sqlite.Tx) (map[int64]bool, error) {
	if n == (Narrow{}) {
		return nil, nil
	}
	where, args := n.where("id")
	list, err := sqlite.Select[int64](tx, "SELECT id FROM product WHERE 1"+where, args...)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}
