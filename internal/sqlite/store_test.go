package sqlite_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"

	"github.com/shopspring/decimal"
)

// device is a line of devices.csv.
func device(code, name string, is evidence.Stated) formats.Device {
	return formats.Device{Device: evidence.Device{Code: code, Name: name, Stated: is}}
}

func open(t *testing.T) *sqlite.DB {
	t.Helper()
	db, err := sqlite.Open(
		context.Background(),
		filepath.Join(t.TempDir(), "folder that is missing", "with % and ? and #.db"),
	)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := db.Close(); err != nil {
			t.Error(err)
		}
	})
	return db
}

func update(t *testing.T, db *sqlite.DB, fn func(tx *sqlite.Tx) error) {
	t.Helper()
	if err := db.Update(context.Background(), fn); err != nil {
		t.Fatal(err)
	}
}

func view(t *testing.T, db *sqlite.DB, fn func(tx *sqlite.Tx) error) {
	t.Helper()
	if err := db.View(context.Background(), fn); err != nil {
		t.Fatal(err)
	}
}

func TestAnErrorRollsBack(t *testing.T) {
	db := open(t)
	stop := errors.New("stop")
	if err := db.Update(context.Background(), func(tx *sqlite.Tx) error {
		if err := tx.SetSetting("a", "1"); err != nil {
			return err
		}
		return stop
	}); !errors.Is(err, stop) {
		t.Fatal(err)
	}
	if err := db.Preview(context.Background(),
		func(tx *sqlite.Tx) error { return tx.SetSetting("b", "1") }); err != nil {
		t.Fatal(err)
	}
	view(t, db, func(tx *sqlite.Tx) error {
		for _, key := range []string{"a", "b"} {
			if v, err := tx.Setting(key); v != "" || err != nil {
				t.Errorf("%s is %q, %v", key, v, err)
			}
		}
		return nil
	})
	if err := db.View(context.Background(), func(tx *sqlite.Tx) error { return tx.SetSetting("c", "1") }); err == nil {
		t.Error("a reader has written")
	}
}

// Readers go on while a long write runs, and see the state before it until it ends.
// What somebody stops ends as stopped, not as a fault of the file, whatever it was doing.
func TestWhatIsStoppedIsNoFault(t *testing.T) {
	db := open(t)
	ways := map[string]func(context.Context, func(*sqlite.Tx) error) error{
		"update": db.Update, "view": db.View, "preview": db.Preview,
	}
	for name, way := range ways {
		ctx, stop := context.WithCancel(context.Background())
		err := way(ctx, func(tx *sqlite.Tx) error {
			stop()
			for {
				if _, err := tx.Exec("SELECT 1"); err != nil {
					return fmt.Errorf("reading: %w", err)
				}
			}
		})
		if !errors.Is(err, context.Canceled) || sqlite.Fault(err) {
			t.Errorf("%s says %v", name, err)
		}
		// the rolled back transaction may be met after the work, too
		ctx, stop = context.WithCancel(context.Background())
		err = way(ctx, func(*sqlite.Tx) error {
			stop()
			return sql.ErrTxDone
		})
		if !errors.Is(err, context.Canceled) {
			t.Errorf("%s ends as %v", name, err)
		}
	}
}

func TestReadersDoNotWaitForAWriter(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error { return tx.SetSetting("n", "before") })
	inside, seen, done := make(chan struct{}), make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		_ = db.Update(context.Background(), func(tx *sqlite.Tx) error {
			if err := tx.SetSetting("n", "after"); err != nil {
				return err
			}
			close(inside)
			<-seen // the write stays open until every reader has read
			return nil
		})
	}()
	<-inside
	var wg sync.WaitGroup
	for range 6 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			_ = db.View(context.Background(), func(tx *sqlite.Tx) error {
				if v, err := tx.Setting("n"); v != "before" || err != nil {
					t.Errorf("in the middle of a write a reader sees %q, %v", v, err)
				}
				return nil
			})
		}()
	}
	wg.Wait()
	close(seen)
	<-done
	view(t, db, func(tx *sqlite.Tx) error {
		if v, _ := tx.Setting("n"); v != "after" {
			t.Errorf("after it, %q", v)
		}
		return nil
	})
}

func TestUpserterNoticesWhatChanged(t *testing.T) {
	db := open(t)
	put := func(d formats.Device) (c sqlite.Change) {
		t.Helper()
		update(t, db, func(tx *sqlite.Tx) error {
			u, err := evidencedb.Devices(tx)
			if err == nil {
				c, err = putDevice(u, d, 1000)
			}
			return err
		})
		return c
	}
	d := device("D1", "one", evidence.Stated{Kind: evidence.Client})
	d.LastScan = 100
	if put(d) != sqlite.Added || put(d) != sqlite.Same {
		t.Error("the same line twice is new once")
	}
	d.Name = "other"
	if put(d) != sqlite.Changed {
		t.Error("another name is no change")
	}
	d.LastScan = 50
	if put(d) != sqlite.Same {
		t.Error("an older scan time has replaced a newer one")
	}
	d.LastScan = 200
	if put(d) != sqlite.Changed {
		t.Error("a newer scan time is no change")
	}
}

func TestTitlesAndRightsComeBackAsTheyWent(t *testing.T) {
	db := open(t)
	day := civil.MustParse
	title := formats.Title{
		Publisher: "Ostwick Ltd",
		Product:   "Skerrymap",
		Title: recognise.Title{
			Edition:     "Pro",
			EditionRank: 2,
			Version:     "6",
			Category:    "charting",
			Model:       recognise.Commercial,
			ListPrice: decimal.NewNullDecimal(
				decimal.RequireFromString("99.90"),
			),
			Currency:      "NOK",
			DefaultMetric: "device",
			Suite:         "Big",
			Released:      day("2024-01-31"),
			EndOfLife:     day("2030-12-31"),
			Aliases:       []string{"a b", "swid:x"},
		},
	}
	right := formats.Entitlement{Line: entitle.Line{Order: "PO", Contract: "K"}}
	right.Code, right.Quantity, right.PackSize, right.Metric, right.Kind = "E1", 7, 2, "core", "subscription"
	right.Rights = []entitle.Right{"older_versions", "test_use"}
	right.Start, right.End, right.UnitPrice, right.Currency = day(
		"2025-01-01",
	), day(
		"2025-12-31",
	), decimal.NewNullDecimal(
		decimal.RequireFromString("0.10"),
	), "EUR"
	update(t, db, func(tx *sqlite.Tx) error {
		id, err := titlesdb.AddProduct(tx, title.Publisher, title.Product)
		if err != nil {
			return err
		}
		entry := title.Entry()
		if _, err := titlesdb.PutTitle(tx, id, nil, &catalogue.Known{Key: entry.Key, Says: entry.Says},
			titlesdb.By{Author: "me", At: 1}); err != nil {
			return err
		}
		e, err := entitlementsdb.Entitlements(tx)
		if err != nil {
			return err
		}
		_, err = entitlementsdb.PutEntitlement(e, id, right, 1, "me")
		return err
	})
	view(t, db, func(tx *sqlite.Tx) error {
		products, err := stored.Products(tx)
		if err != nil || len(products) != 1 || len(products[0].Titles) != 1 {
			t.Fatalf("%+v, %v", products, err)
		}
		got := products[0].Titles[0]
		got.ID, got.Product = 0, 0
		if fmt.Sprintf("%+v", got) != fmt.Sprintf("%+v", title.Title) {
			t.Errorf("%+v\n%+v", got, title.Title)
		}
		lines, err := entitlementsdb.AllEntitlements(tx)
		if err != nil || len(lines) != 1 {
			t.Fatal(lines, err)
		}
		l := lines[0]
		if l.Code != "E1" || l.Quantity != 7 || l.PackSize != 2 || !l.Has("test_use") ||
			l.UnitPrice.Decimal.String() != "0.1" ||
			l.End != right.End ||
			l.Author != "me" ||
			l.Entitlement.Product != "Skerrymap" {
			t.Errorf("%+v", l)
		}
		keys, err := stored.ProductKeys(tx)
		if keys[stored.ProductKey("OSTWICK", "skerrymap®")] == 0 {
			t.Errorf("%v", keys)
		}
		return err
	})
}

// Filters, search and order against the same done by hand on random rows, page by page.
func TestListsAgainstANaiveList(t *testing.T) {
	db := open(t)
	r := rand.New(rand.NewPCG(8, 8))
	kinds := []evidence.DeviceKind{"client", "server", "vm_host"}
	units := []string{"A", "A/B", "A/B/C", "AB", "x_y", "x%y", ""}
	type dev struct {
		formats.Device
		n int
	}
	var all []dev
	update(t, db, func(tx *sqlite.Tx) error {
		u, err := evidencedb.Devices(tx)
		if err != nil {
			return err
		}
		for i := range 240 {
			d := device(fmt.Sprintf("D%03d", i), fmt.Sprintf("box-%03d", r.IntN(60)), evidence.Stated{
				Kind:        kinds[r.IntN(3)],
				OrgUnit:     units[r.IntN(len(units))],
				Environment: evidence.Production,
				Status:      evidence.InService,
			})
			all = append(all, dev{d, i})
			if _, err := putDevice(u, d, 1000); err != nil {
				return err
			}
		}
		return nil
	})
	under := func(unit, top string) bool { return unit == top || strings.HasPrefix(unit, top+"/") }
	for _, c := range []struct {
		q    sqlite.ListQuery
		fits func(d dev) bool
	}{
		{sqlite.ListQuery{}, func(dev) bool { return true }},
		{sqlite.ListQuery{Filters: map[string]string{"kind": "server"}},
			func(d dev) bool { return d.Kind == "server" }},
		{sqlite.ListQuery{Filters: map[string]string{"kind": "server|client"}},
			func(d dev) bool { return d.Kind != "vm_host" }},
		{sqlite.ListQuery{Filters: map[string]string{"unit": "A/*"}},
			func(d dev) bool { return under(d.OrgUnit, "A") }},
		{sqlite.ListQuery{Filters: map[string]string{"unit": "*x_y"}}, func(d dev) bool { return d.OrgUnit == "x_y" }},
		{sqlite.ListQuery{Filters: map[string]string{"unit": "x%y"}}, func(d dev) bool { return d.OrgUnit == "x%y" }},
		{sqlite.ListQuery{Search: "box-01 D1"},
			func(d dev) bool { return strings.Contains(d.Name, "box-01") && strings.Contains(d.Code, "D1") }},
		{sqlite.ListQuery{Search: "%"}, func(d dev) bool { return d.OrgUnit == "x%y" }},
		{sqlite.ListQuery{Search: "nothing like this"}, func(dev) bool { return false }},
	} {
		want := 0
		for _, d := range all {
			if c.fits(d) {
				want++
			}
		}
		for _, sort := range []string{"name", "kind", "unit", "code", "lastSeen"} {
			for _, desc := range []bool{false, true} {
				q := c.q
				q.Sort, q.Descending, q.Limit = sort, desc, 1+r.IntN(50)
				seen := map[string]bool{}
				last := ""
				view(t, db, func(tx *sqlite.Tx) error {
					for {
						page, err := lists.DeviceList().Page(tx, q)
						if err != nil {
							return err
						}
						if page.Total != want {
							t.Fatalf("%+v: the total is %d, want %d", q, page.Total, want)
						}
						for _, row := range page.Rows {
							if seen[row.Code] {
								t.Fatalf("%+v: %s comes twice", q, row.Code)
							}
							seen[row.Code] = true
							v := map[string]string{"name": row.Name, "kind": row.Kind, "unit": row.Unit,
								"code": row.Code, "lastSeen": ""}[sort]
							if len(seen) > 1 && (!desc && v < last || desc && v > last) {
								t.Fatalf("%+v: %q comes after %q", q, v, last)
							}
							last = v
						}
						if page.Next == "" {
							return nil
						}
						q.Cursor = page.Next
					}
				})
				if len(seen) != want {
					t.Fatalf("%+v: %d rows, want %d", q, len(seen), want)
				}
			}
		}
	}
}

func TestIntervalsAndSightings(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error {
		u, err := evidencedb.Devices(tx)
		if err != nil {
			return err
		}
		if _, err := putDevice(u, device("D1", "one", evidence.Stated{}), 1000); err != nil {
			return err
		}
		records, err := evidencedb.Records(tx, tx)
		if err != nil {
			return err
		}
		for i, name := range []string{"a", "b", "a"} {
			id, err := evidencedb.Record(records, recognise.Record{Name: name})
			if want := int64(1 + i%2); err != nil || id != want {
				t.Errorf("%s has number %d, want %d, %v", name, id, want, err)
			}
		}
		for _, part := range []string{"", "packages", "packages"} {
			if _, err := evidencedb.Source(tx, "one", part); err != nil {
				return err
			}
		}
		wholes, err := sqlite.Select[string](tx, "SELECT name FROM source WHERE part = ''")
		if err != nil || len(wholes) != 1 || wholes[0] != "one" {
			t.Errorf("sources %v, %v", wholes, err)
		}
		places, err := evidencedb.Places(tx, tx)
		if err != nil {
			return err
		}
		if _, err := evidencedb.Place(places, "/opt", map[string]string{"shelf": "4"}, false); err != nil {
			return err
		}
		b, err := evidencedb.NewInstalls(tx)
		if err != nil {
			return err
		}
		for record := range int64(2) {
			iv := evidencedb.StoredInterval{
				Interval: evidence.Interval{
					Item:  evidence.Item{Record: record + 1, Place: 1},
					Since: 100,
					Until: evidence.Forever,
				},
				InstallDate: civil.MustParse("2026-01-01"),
			}
			if record == 1 {
				iv.Until = 200
			}
			if err := evidencedb.AddInstall(b, 1, 1, iv); err != nil {
				return err
			}
		}
		return b.Flush()
	})
	view(t, db, func(tx *sqlite.Tx) error {
		for at, want := range map[int64]int{99: 0, 100: 2, 199: 2, 200: 1, 5000: 1} {
			n := 0
			if err := snapshot.EachDevice(tx, at, nil, func(device int64, records []int64) error {
				n += len(records)
				return nil
			}); err != nil || n != want {
				t.Errorf("at %d: %d installs, want %d, %v", at, n, want, err)
			}
		}
		is, err := snapshot.InstalledSince(tx, map[int64][]int64{1: {1, 2}, 2: {7}}, 150)
		if err != nil || len(is) != 1 || is[1].Since != 100 || is[1].On.String() != "2026-01-01" {
			t.Error(is, err)
		}
		seen, err := titlesdb.Sightings(tx, 2, 0, 10)
		if err != nil || len(seen) != 1 || seen[0].Until != 200 || seen[0].Path != "/opt" {
			t.Errorf("%+v, %v", seen, err)
		}
		return nil
	})
}

// Decisions replace one another and stay on record; a batch is undone as a whole, and what it took the place of holds
// again.
func TestDecisionsReplaceAndStayOnRecord(t *testing.T) {
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error {
		holds := func(want ...string) {
			t.Helper()
			list, err := snapshot.Decisions(tx)
			var got []string
			for _, d := range list {
				got = append(got, fmt.Sprintf("%s %d %s", d.Key, d.Product, d.State))
			}
			if err != nil || !slices.Equal(got, want) {
				t.Errorf("%q, %v; want %q", got, err, want)
			}
		}
		decide := func(what, state string, product int64, keys ...string) int64 {
			t.Helper()
			batch, err := titlesdb.NewBatch(tx, 5, "me", what)
			if err != nil {
				t.Fatal(err)
			}
			for _, k := range keys {
				if _, err := titlesdb.Decide(tx,
					snapshot.Decided{Decision: recognise.Decision{Key: k, Product: product}, State: state,
						Batch: batch, Author: "me", At: 5}); err != nil {
					t.Fatal(err)
				}
			}
			return batch
		}
		decide("first", "holds", 1, "k")
		decide("second", "holds", 2, "k", "l")
		holds("k 2 holds", "l 2 holds")
		waiting := decide("third", "waiting", 3, "k")
		holds("k 2 holds", "l 2 holds", "k 3 waiting")
		list, err := snapshot.Decisions(tx)
		if err != nil {
			return err
		}
		if _, err := titlesdb.SignDecision(tx, list[2].ID, 6, "you", true); err != nil {
			return err
		}
		holds("l 2 holds", "k 3 holds")
		if _, err := titlesdb.SignDecision(tx, list[2].ID, 6, "you", true); !errors.Is(err, sqlite.ErrNotFound) {
			t.Errorf("signed twice: %v", err)
		}
		last, err := titlesdb.LastBatch(tx, "me")
		if err != nil || last.ID != waiting || last.What != "third" {
			t.Errorf("%+v, %v", last, err)
		}
		for _, want := range [][]string{{"k 2 holds", "l 2 holds"}, {"k 1 holds"}, {}} {
			b, err := titlesdb.LastBatch(tx, "me")
			if err != nil {
				return err
			}
			if err := titlesdb.UndoBatch(tx, b.ID, 7, "me"); err != nil {
				return err
			}
			holds(want...)
		}
		if _, err := titlesdb.LastBatch(tx, "me"); !errors.Is(err, sqlite.ErrNotFound) {
			t.Errorf("nothing is left to undo: %v", err)
		}
		if _, err := titlesdb.LastBatch(tx, "you"); !errors.Is(err, sqlite.ErrNotFound) {
			t.Errorf("others undo their own: %v", err)
		}
		decide("again", "holds", 4, "k")
		if err := titlesdb.WithdrawDecision(tx, "k", 8, "you"); err != nil {
			return err
		}
		if err := titlesdb.WithdrawDecision(tx, "k", 8, "you"); !errors.Is(err, sqlite.ErrNotFound) {
			t.Errorf("twice: %v", err)
		}
		all, err := sqlite.Query(tx, snapshot.ScanDecided, snapshot.DecisionColumns+" ORDER BY id")
		if err != nil || len(all) != 5 {
			t.Errorf("%d decisions are on record, %v", len(all), err)
		}
		return nil
	})
}

func TestBackupIsWholeAndDoesNotOverwrite(t *testing.T) {
	ctx := context.Background()
	db := open(t)
	update(t, db, func(tx *sqlite.Tx) error { return tx.SetSetting("a", "kept") })
	to := filepath.Join(t.TempDir(), "copy.db")
	if err := db.Backup(ctx, to); err != nil {
		t.Fatal(err)
	}
	if db.Backup(ctx, to) == nil {
		t.Error("a copy was overwritten")
	}
	again, err := sqlite.Open(ctx, to)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	if wrong, err := again.Integrity(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
	view(t, again, func(tx *sqlite.Tx) error {
		if v, _ := tx.Setting("a"); v != "kept" {
			t.Errorf("the copy has %q", v)
		}
		return nil
	})
}

// What the file or its driver says is told apart from what is said to people, whatever words that has.
func TestFaults(t *testing.T) {
	db := open(t)
	tell := func(text string) error {
		return db.View(context.Background(), func(tx *sqlite.Tx) error {
			_, err := tx.ExecContext(tx.Context(), text)
			if err != nil {
				return fmt.Errorf("the lines could not be read: %w", err)
			}
			return nil
		})
	}
	for _, text := range []string{"no SQL at all", "INSERT INTO nowhere VALUES (1)",
		"INSERT INTO setting(key, value) VALUES ('a', 'b')"} {
		if err := tell(text); err == nil || !sqlite.Fault(err) {
			t.Errorf("%s: %v is no fault", text, err)
		}
	}
	closed := open(t)
	if err := closed.Close(); err != nil {
		t.Fatal(err)
	}
	if err := closed.View(context.Background(), func(*sqlite.Tx) error { return nil }); !sqlite.Fault(err) {
		t.Errorf("%v is no fault", err)
	}
	for _, err := range []error{nil, sqlite.ErrNotFound,
		errors.New("the catalogue has no publisher \"SQL & database house\": add it first")} {
		if sqlite.Fault(err) {
			t.Errorf("%v is a fault", err)
		}
	}
}
