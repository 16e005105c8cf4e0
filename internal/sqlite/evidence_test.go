package sqlite_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"testing"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// A number that was given in a transaction that failed is forgotten with it; one that was written is known without
// asking.
func TestNumbersOfWrittenTransactionsAlone(t *testing.T) {
	db := open(t)
	c := evidencedb.NewCache()
	number := func(fail bool, path string) (id int64) {
		t.Helper()
		stop := errors.New("stop")
		err := db.Update(context.Background(), func(tx *sqlite.Tx) (err error) {
			if id, err = evidencedb.Number(tx, c, "place", []string{"path", "custom"}, path, ""); err == nil &&
				fail {
				err = stop
			}
			return err
		})
		if err != nil && !errors.Is(err, stop) {
			t.Fatal(err)
		}
		return id
	}
	lost := number(true, "/a")
	other := number(false, "/b")
	if lost != other {
		t.Fatalf("the number %d of a transaction that failed was not given again (%d)", lost, other)
	}
	if id := number(false, "/a"); id == other {
		t.Error("a place has the number of another that was never written")
	}
	if a, b := number(false, "/a"), number(false, "/a"); a != b || c.Get("place\x1f/a\x1f") != a {
		t.Errorf("%d and %d, known as %d", a, b, c.Get("place\x1f/a\x1f"))
	}
}

// Files and facts are merged like installs: the table ends as if every scan had come in order.
func TestSpansDoNotDependOnOrder(t *testing.T) {
	scans := []evidence.Scan{{At: 10, Items: []evidence.Item{{Record: 1, Place: 1}, {Record: 2, Place: 1}}},
		{At: 20, Items: []evidence.Item{{Record: 2, Place: 1}}},
		{At: 30, Items: []evidence.Item{{Record: 1, Place: 1}, {Record: 2, Place: 2}}}, {At: 40}}
	run := func(order ...int) []string {
		db := open(t)
		var out []string
		if err := db.Update(context.Background(), func(tx *sqlite.Tx) error {
			for _, i := range order {
				if _, err := evidencedb.Files(tx).Merge(7, 3, 3, scans[i:i+1]); err != nil {
					return err
				}
				if err := evidencedb.PutFactScan(tx, 7, 3, scans[i].At); err != nil {
					return err
				}
			}
			rows, err := tx.Query("SELECT file_id || ' at ' || place_id || ' from ' || since || ' to ' || " +
				"coalesce(until, 'now') FROM device_file ORDER BY 1")
			if err != nil {
				return err
			}
			return sqlite.Each(rows, func() error {
				var s string
				err := rows.Scan(&s)
				out = append(out, s)
				return err
			})
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	want := []string{"1 at 1 from 10 to 20", "1 at 1 from 30 to 40", "2 at 1 from 10 to 30", "2 at 2 from 30 to 40"}
	for _, order := range [][]int{{0, 1, 2, 3}, {3, 2, 1, 0}, {2, 0, 3, 1}, {1, 1, 0, 3, 2, 0, 2}} {
		if got := run(order...); !reflect.DeepEqual(got, want) {
			t.Errorf("in the order %v: %q", order, got)
		}
	}
}

// What holds of a device is the newest report of each fact; the list's values stay on record.
func TestResolveDevice(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error {
		u, err := evidencedb.Devices(tx)
		if err != nil {
			return err
		}
		if _, err := putDevice(u,
			device("D1", "listed", evidence.Stated{Kind: evidence.Server, Cores: 2, PrimaryUser: "boss"}),
			100); err != nil {
			return err
		}
		source, err := evidencedb.Source(tx, "collector", "#hardware")
		if err != nil {
			return err
		}
		set, err := evidencedb.Number(
			tx,
			evidencedb.NewCache(),
			"fact_set",
			[]string{"content"},
			`{"name":"seen","kind":"client","cores":"8"}`,
		)
		if err != nil {
			return err
		}
		if _, err := evidencedb.Hardware(tx).Merge(1, source, source,
			[]evidence.Scan{{At: 50, Items: []evidence.Item{{Record: set}}}}); err != nil {
			return err
		}
		if err := errors.Join(evidencedb.PutFactScan(tx, 1, source, 50), evidencedb.PutLogon(tx, 1, 0, "u2", 40),
			evidencedb.PutLogon(tx, 1, 0, "u2", 90_000), evidencedb.PutLogon(tx, 1, 0, "u1", 41),
			evidencedb.ResolveDevice(tx, 1)); err != nil {
			return err
		}
		d, err := snapshot.OneDevice(tx, 1, 1000)
		if err != nil {
			return err
		}
		if got := fmt.Sprint(d.Name, d.Kind, d.Cores, d.PrimaryUser, d.HardwareSeen, d.ListedAt,
			d.LastScan); got != fmt.Sprint(
			"seen",
			"server",
			8,
			"u2",
			50,
			100,
			0,
		) {
			t.Errorf("%s", got)
		}
		said, err := evidencedb.SaidOf(tx, []int64{1})
		if err != nil || len(said) != 2 || said[0].Facts["cores"] != "2" || said[1].Facts["cores"] != "8" {
			t.Errorf("%+v %v", said, err)
		}
		_, err = snapshot.OneDevice(tx, 9, 1000)
		if !errors.Is(err, sqlite.ErrNotFound) {
			t.Errorf("a device that is not there: %v", err)
		}
		return nil
	})
}

// Groups come back as they were stored, with what was picked by hand, and go with all that belongs to them.
func TestGroupsAreKept(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error {
		g := snapshot.DeviceGroup{
			Note:   "n",
			Author: "me",
			At:     5,
			Set: condition.Set{
				Name: "wide",
				Condition: condition.Condition{
					All: []condition.Condition{
						{Field: "cores", Op: "at_least", Value: "8"},
						{Not: &condition.Condition{Field: "unit", Op: "under", Value: "Sea"}},
					},
				},
				Picked: map[int64]bool{3: true, 4: false},
			},
		}
		id, err := evidencedb.PutGroup(tx, g)
		if err != nil {
			return err
		}
		g.ID = id
		list, err := snapshot.DeviceGroups(tx)
		if err != nil || len(list) != 1 || !reflect.DeepEqual(list[0], g) {
			t.Errorf("%+v, want %+v, %v", list, g, err)
		}
		if err := evidencedb.PutMembers(tx, []snapshot.Member{{Group: id, Device: 3},
			{Group: id, Device: 5}}); err != nil {
			return err
		}
		if in, err := evidencedb.MembersOf(tx, id); err != nil || !in[3] || !in[5] || in[4] {
			t.Errorf("%v %v", in, err)
		}
		g.Name, g.Picked = "wider", map[int64]bool{}
		if _, err := evidencedb.PutGroup(tx, g); err != nil {
			return err
		}
		if list, err = snapshot.DeviceGroups(tx); err != nil || list[0].Name != "wider" ||
			len(list[0].Picked) != 0 {
			t.Errorf("%+v %v", list, err)
		}
		if _, err := evidencedb.PutGroup(tx, snapshot.DeviceGroup{ID: 99, Set: condition.Set{Name: "x"}}); !errors.Is(
			err,
			sqlite.ErrNotFound,
		) {
			t.Errorf("a group that is not there was changed: %v", err)
		}
		if err := evidencedb.DropGroup(tx, id); err != nil {
			return err
		}
		members, err := evidencedb.AllMembers(tx)
		if len(members) != 0 {
			t.Errorf("members of a group that is gone: %v", members)
		}
		return err
	})
}

// A split counts every row once, gathers the small parts, and refuses a column that there is not.
func TestSplit(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error {
		u, err := evidencedb.Devices(tx)
		if err != nil {
			return err
		}
		for i := range 60 {
			if _, err := putDevice(u,
				device(fmt.Sprint("D", i), "x", evidence.Stated{Site: fmt.Sprint("site ", i%20)}), 1); err != nil {
				return err
			}
		}
		page, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Split: "site", Limit: 1})
		if err != nil {
			return err
		}
		sum := 0
		for _, p := range page.Parts {
			sum += p.Count
		}
		if last := page.Parts[len(page.Parts)-1]; len(page.Parts) != sqlite.MaxParts || sum != 60 ||
			last.Value != "…" ||
			last.Count != 27 ||
			last.Never != 27 {
			t.Errorf("%+v", page.Parts)
		}
		var bad *sqlite.ErrQuery
		if _, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Split: "colour"}); !errors.As(err, &bad) {
			t.Errorf("split by a column that there is not: %v", err)
		}
		return nil
	})
}
