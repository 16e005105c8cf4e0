package program

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/entitle"
	"ensomet/internal/formats"
	"ensomet/internal/pipeline"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// changing is a house that changes at random, in every way in which files, scans and people change one.
type changing struct {
	t        *testing.T
	prog     *Program
	clock    *movable
	r        *rand.Rand
	seen     time.Time // of the newest scan
	products []string
	acts     []int64 // joins of devices that hold
}

const changingDevices = "device_id,kind,primary_user,org_unit,processors,cores,virtual_cores,host_id,cluster,portable"

// newChanging makes the house by a seed.
func newChanging(t *testing.T, seed uint64) *changing {
	prog, clock := desk(t)
	c := &changing{t: t, prog: prog, clock: clock, r: rand.New(rand.NewPCG(2026, seed)),
		products: []string{"Skerrymap", "Suite", "Part", "Gannet", "Oyster", "Kelpline"}}
	var catalogue, devices, users []string
	for i := range c.products {
		catalogue = append(catalogue, c.title(i, 100*(i+1)))
	}
	take(t, prog, formats.Titles, append([]string{changingTitles}, catalogue...)...)
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2026-01-01,11.5")
	for i := range 20 {
		devices = append(devices, c.device(i))
		users = append(users, fmt.Sprintf("u%d,N%d,%s", i, i, []string{"A", "C"}[i%2]))
	}
	take(t, prog, formats.Devices, append([]string{changingDevices}, devices...)...)
	take(t, prog, formats.Users, append([]string{"user_id,name,org_unit"}, users...)...)
	c.seen = clock.now.Add(-400 * time.Hour)
	return c
}

const changingTitles = "publisher,product,version,licence_model,list_price,currency,suite"

// title is a line of titles.csv.
func (c *changing) title(i, price int) string {
	suite := ""
	if c.products[i] == "Part" {
		suite = "Suite"
	}
	return fmt.Sprintf("Ostwick,%s,6,commercial,%d,%s,%s", c.products[i], price, []string{"EUR", "NOK"}[i%2], suite)
}

// device is a line of devices.csv.
func (c *changing) device(i int) string {
	kind := []string{"client", "client", "server", "virtual_machine", "vm_host"}[i%5]
	host := ""
	if kind == "virtual_machine" {
		host = fmt.Sprintf("D%d", 4+5*c.r.IntN(4))
	}
	return fmt.Sprintf(
		"D%d,%s,u%d,%s,%d,%d,%d,%s,%s,%v",
		i,
		kind,
		c.r.IntN(8),
		[]string{"A", "A/B", "C"}[c.r.IntN(3)],
		1+c.r.IntN(2),
		2+c.r.IntN(12),
		1+c.r.IntN(4),
		host,
		[]string{"", "K"}[c.r.IntN(2)],
		c.r.IntN(2) == 0,
	)
}

// entitlement is a line of entitlements.csv.
func (c *changing) entitlement() string {
	metrics := []entitle.Metric{
		entitle.Device,
		entitle.NamedUser,
		entitle.Core,
		entitle.Installation,
		entitle.VirtualMachine,
		entitle.Processor,
		entitle.Concurrent,
		entitle.Site,
	}
	r := c.r
	return fmt.Sprintf(
		"E%d,Ostwick,%s,%s,%d,%s,%s,%s",
		r.IntN(14),
		c.products[r.IntN(6)],
		metrics[r.IntN(len(metrics))],
		r.IntN(9),
		[]string{"", "A", "C"}[r.IntN(3)],
		[]string{"", "2026-06-01", "2026-12-31"}[r.IntN(3)],
		[]string{"", "second_device", "virtual_use", "older_versions"}[r.IntN(4)],
	)
}

// scan are lines of installs.csv that a source says of one device.
func (c *changing) scan() []string {
	r := c.r
	c.seen = c.seen.Add(time.Duration(1+r.IntN(20)) * time.Minute)
	d := fmt.Sprintf("D%d", r.IntN(20))
	lines := []string{installHeader}
	for _, p := range c.products {
		if r.IntN(2) == 0 {
			lines = append(
				lines,
				fmt.Sprintf("%s,Ostwick,%s,%d.1,,,%s", d, p, 5+r.IntN(3), c.seen.Format(time.RFC3339)),
			)
		}
	}
	return lines
}

// change changes something, and says of what sort it was; nothing where it came to nothing.
func (c *changing) change(n int) string {
	t, prog, r, products := c.t, c.prog, c.r, c.products
	ctx := context.Background()
	what := ""
	switch r.IntN(12) {
	case 0, 1, 2:
		what = "rights"
		take(
			t,
			prog,
			formats.Entitlements,
			"entitlement_id,publisher,product,metric,quantity,scope_unit,end,rights",
			c.entitlement(),
		)
	case 3:
		what = "transactions"
		take(
			t,
			prog,
			formats.Transactions,
			"entitlement_id,type,on,quantity,note",
			fmt.Sprintf(
				"E%d,%s,2026-0%d-01,%d,%d",
				r.IntN(14),
				[]string{"buy", "true_up", "retire", "transfer_out"}[r.IntN(4)],
				1+r.IntN(6),
				r.IntN(5),
				n,
			),
		)
	case 4:
		what = "seats"
		take(
			t,
			prog,
			formats.Assignments,
			"entitlement_id,user_id,from,until",
			fmt.Sprintf("E%d,u%d,2026-01-01,%s", r.IntN(14), r.IntN(20), []string{"", "2026-05-01"}[r.IntN(2)]),
		)
	case 5, 6:
		if lines := c.scan(); len(lines) > 1 {
			what = "a file of installs"
			take(t, prog, formats.Installs, lines...)
		}
	case 7, 8:
		what = "a scan"
		c.seen = c.seen.Add(time.Minute)
		s := scanOf(
			fmt.Sprintf("D%d", r.IntN(20)),
			"",
			c.seen,
			products[r.IntN(6)]+" 6.1",
			products[r.IntN(6)]+" 7.0",
		)
		for i := range s.Installs {
			s.Installs[i].Publisher = "Ostwick"
		}
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	case 9:
		what = "a device"
		take(t, prog, formats.Devices, changingDevices, c.device(r.IntN(20)))
	case 10:
		what = "use"
		take(
			t,
			prog,
			formats.Usage,
			"device_id,user_id,product,started_at,ended_at",
			fmt.Sprintf(
				"D%d,u%d,%s,%s,%s",
				r.IntN(20),
				r.IntN(8),
				products[r.IntN(6)],
				c.seen.Format(time.RFC3339),
				c.seen.Add(time.Hour).Format(time.RFC3339),
			),
		)
	case 11:
		what = "left out"
		id := mustProduct(t, prog, products[r.IntN(6)])
		if _, err := prog.Titles.Exclude(ctx,
			titles.ExclusionDraft{Product: id, Devices: []string{fmt.Sprintf("D%d", r.IntN(20))}, Reason: "test",
				Again: r.IntN(2) == 0}, "test"); err != nil {
			what = ""
		}
	}
	return what
}

// derivedTables are those that figures and lists stand in, which are computed from all others.
var derivedTables = []string{"device_fact", "name_fact", "product_fact", "version_fact", "release_fact", "position",
	"way", "idle_fact", "group_member", "worklist_case", "case_step", "key_fact", "person_fact", "counted",
	"sourced_use", "fleet", "queue_day", "change_log", "saving"}

// derived reads everything that is derived, a line for each row, by table.
func derived(t *testing.T, prog *Program) map[string][]string {
	t.Helper()
	out := map[string][]string{}
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		for _, table := range derivedTables {
			columns, err := sqlite.Select[string](tx, "SELECT name FROM pragma_table_info(?) ORDER BY cid", table)
			if err != nil || len(columns) == 0 {
				return fmt.Errorf("%s: %w", table, err)
			}
			list, err := sqlite.Select[string](tx, "SELECT json_array(hex("+strings.Join(columns, "), hex(")+")) FROM "+
				table+" ORDER BY 1")
			if err != nil {
				return fmt.Errorf("%s: %w", table, err)
			}
			out[table] = list
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// sameDerived fails where renewing everything from the start gives other rows than are stored.
func sameDerived(t *testing.T, prog *Program, what string) {
	t.Helper()
	before := derived(t, prog)
	if err := prog.DB.Update(t.Context(), func(tx *sqlite.Tx) error { // changes between scans of every device, too
		_, err := tx.Exec("INSERT INTO dirty_device(device_id, change) SELECT id, 0 FROM device WHERE true " +
			"ON CONFLICT DO UPDATE SET since = 0")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.RenewAll(t.Context()); err != nil {
		t.Fatal(err)
	}
	after := derived(t, prog)
	wrong := false
	for _, table := range derivedTables {
		had, has := map[string]bool{}, map[string]bool{}
		for _, row := range before[table] {
			had[row] = true
		}
		for _, row := range after[table] {
			if has[row] = true; !had[row] {
				wrong = true
				t.Errorf("%s: %s lacks %s", what, table, unhex(row))
			}
		}
		for row := range had {
			if !has[row] {
				wrong = true
				t.Errorf("%s: %s has   %s", what, table, unhex(row))
			}
		}
	}
	if wrong {
		t.FailNow()
	}
}

// unhex makes a row of derived readable.
func unhex(row string) string {
	var list []string
	if err := json.Unmarshal([]byte(row), &list); err != nil {
		return row
	}
	for i, s := range list {
		if b, err := hex.DecodeString(s); err == nil {
			list[i] = string(b)
		}
	}
	return fmt.Sprintf("%q", list)
}

// Over a long random sequence of changes of every sort, working out just the positions that each touches gives what a
// full recomputation gives.
func TestTouchedPositionsEqualAFullRecomputation(t *testing.T) {
	ctx := context.Background()
	c := newChanging(t, 5)
	prog := c.prog
	kindsOfChange := map[string]int{}
	changes := 400
	if testing.Short() {
		changes = 100
	}
	for n := range changes {
		what := c.change(n)
		if what == "" {
			continue
		}
		kindsOfChange[what]++
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			kept, err := snapshot.StoredFigures(tx)
			if err != nil {
				return err
			}
			ways, err := snapshot.Ways(tx, 0)
			if err != nil {
				return err
			}
			again, err := prog.Position.ComputeFigures(tx, prog.Snapshots.Today(), ways)
			if wrong := pipeline.Differences(kept, again); len(wrong) > 0 {
				t.Fatalf("change %d, %s: %v\n%+v\n%+v", n, what, wrong, kept, again)
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		if n%50 == 0 {
			sameDerived(t, prog, fmt.Sprintf("change %d, %s", n, what))
		}
	}
	for _, what := range []string{"rights", "transactions", "seats", "a file of installs", "a scan", "a device",
		"use"} {
		if kindsOfChange[what] < 2*changes/100 {
			t.Errorf("only %d changes were of the sort %q: %v", kindsOfChange[what], what, kindsOfChange)
		}
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Errorf("at the end: %v, %v", wrong, err)
	}
}
