package snapshot

import (
	"database/sql"
	"encoding/json"
	"slices"
	"strings"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// GroupByName finds a group that people made or that is there by itself, as a condition; the empty name is every
// device.
func GroupByName(tx *sqlite.Tx, name string) (condition.Condition, error) {
	if name == "" {
		return condition.Condition{}, nil
	}
	var own bool
	if err := tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM device_group WHERE name = ?)", name).
		Scan(&own); err != nil {
		return condition.Condition{}, err
	}
	if own {
		return condition.Condition{Field: "group", Op: "in", Value: name}, nil
	}
	for _, g := range slices.Backward(automaticGroups) {
		c := condition.Condition{Field: g.field, Op: g.op, Value: name}
		var is bool
		if err := tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM device WHERE "+g.column+" = ?1 OR ?2 AND "+
			g.column+" > ?1 || '/' AND "+g.column+" < ?1 || '0')", name, g.op == "under").Scan(&is); err != nil {
			return condition.Condition{}, err
		}
		if is {
			return c, nil
		}
	}
	return condition.Condition{}, refuse.Errorf(
		"there is no group %q: it must be one that you made, or a unit, an environment, a kind of device or a site "+
			"that devices have",
		name,
	)
}

// GroupNames lists every group that may be named.
func GroupNames(tx *sqlite.Tx) ([]string, error) {
	out := []string{}
	groups, err := DeviceGroups(tx)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		out = append(out, g.Name)
	}
	automatic, err := AutomaticGroups(tx)
	if err != nil {
		return nil, err
	}
	var rest []string
	for name := range automatic {
		rest = append(rest, name)
	}
	slices.Sort(rest)
	return append(out, rest...), nil
}

// DeviceGroup is a group that people made.
type DeviceGroup struct {
	ID           int64
	Note, Author string
	At           int64
	condition.Set
}

// DeviceGroups lists the groups that people made, by name.
func DeviceGroups(tx *sqlite.Tx) ([]DeviceGroup, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, g *DeviceGroup) error {
		var cond string
		if err := r.Scan(&g.ID, &g.Name, &g.Note, &cond, &g.ByHand, &g.Author, &g.At); err != nil {
			return err
		}
		g.Picked = map[int64]bool{}
		return json.Unmarshal([]byte(cond), &g.Condition)
	}, "SELECT id, name, note, condition, by_hand, author, at FROM device_group ORDER BY name")
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i := range list {
		at[list[i].ID] = i
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT group_id, device_id, inside FROM group_pick")
	if err != nil {
		return nil, err
	}
	return list, sqlite.Each(rows, func() error {
		var group, device int64
		var inside bool
		err := rows.Scan(&group, &device, &inside)
		if i, ok := at[group]; ok {
			list[i].Picked[device] = inside
		}
		return err
	})
}

// Member says that a device is in a group.
type Member struct{ Group, Device int64 }

// DevicesWith lists the devices, of some or where that is nil of all, on which a product is installed at a time.
func DevicesWith(tx *sqlite.Tx, product, at int64, of []int64) (map[int64]bool, error) {
	text, args := `SELECT DISTINCT i.device_id FROM recognition n JOIN install i ON i.record_id = n.record_id
		WHERE n.product_id = ?1 AND n.whole AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2)`, []any{product, at}
	if of != nil {
		some, err := json.Marshal(of)
		if err != nil {
			return nil, err
		}
		text, args = text+" AND i.device_id IN (SELECT value FROM json_each(?3))", append(args, string(some))
	}
	list, err := sqlite.Select[int64](tx, text, args...)
	out := map[int64]bool{}
	for _, id := range list {
		out[id] = true
	}
	return out, err
}

// ProductNames names every product with its publisher.
func ProductNames(tx *sqlite.Tx) (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, name FROM product")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, sqlite.Each(rows, func() error {
		var id int64
		var name string
		err := rows.Scan(&id, &name)
		out[id] = name
		return err
	})
}

// automaticGroups are the columns of devices whose values are groups. Where two have a name, the later one counts.
var automaticGroups = []struct{ field, column, op string }{{"site", "site", "is"}, {"kind", "kind", "is"},
	{"environment", "environment", "is"}, {"unit", "org_unit", "under"}}

// AutomaticGroups lists the groups that exist by themselves: units, with those above them, environments, kinds and
// sites. Each is a condition.
func AutomaticGroups(tx *sqlite.Tx) (map[string]condition.Condition, error) {
	out := map[string]condition.Condition{}
	for _, g := range automaticGroups {
		values, err := sqlite.Select[string](
			tx,
			"SELECT DISTINCT "+g.column+" FROM device WHERE "+g.column+" <> ''",
		)
		if err != nil {
			return nil, err
		}
		for _, v := range values {
			for v != "" {
				out[v] = condition.Condition{Field: g.field, Op: g.op, Value: v}
				cut := strings.LastIndexByte(v, '/')
				if g.field != "unit" || cut < 0 {
					break
				}
				v = v[:cut]
			}
		}
	}
	return out, nil
}
