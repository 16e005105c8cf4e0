package program

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// say says something of devices as the page does: it looks first.
func say(t *testing.T, prog *Program, d byhand.Draft) byhand.Effect {
	t.Helper()
	ctx := context.Background()
	if d.Reason == "" {
		d.Reason = "ada looked"
	}
	seen, err := prog.ByHand.Preview(ctx, d)
	if err != nil {
		t.Fatal(err)
	}
	d.Revisions = seen.Revisions
	done, err := prog.ByHand.Say(ctx, d, "ada")
	if err != nil {
		t.Fatal(err)
	}
	if done.Changed != seen.Changed || done.Devices != seen.Devices {
		t.Errorf(
			"%d of %d changed, and before it was %d of %d",
			done.Changed,
			done.Devices,
			seen.Changed,
			seen.Devices,
		)
	}
	return seen
}

// wordsDesk has a title on three devices: one of a list, one of a list and scans, one of scans alone.
func wordsDesk(t *testing.T) (*Program, *movable) {
	t.Helper()
	prog, clock := desk(t)
	base(t, prog)
	scanThem(t, prog, clock)
	return prog, clock
}

func scanThem(t *testing.T, prog *Program, clock *movable) {
	t.Helper()
	take(t, prog, formats.Installs, "device_id,publisher,name,version,source,seen_at",
		"D1,Ostwick,Skerrymap,6,disc,2026-02-01T08:00:00Z")
	for _, d := range []string{"D2", "X9"} {
		for _, at := range []time.Time{time.Date(2026, 2, 1, 8, 0, 0, 0, time.UTC), clock.now.Add(-time.Hour)} {
			s := &formats.Scan{Format: formats.ScanFormat, At: at,
				Device: formats.ScanDevice{
					ID:         d,
					Name:       strings.ToLower(d),
					Kind:       "client",
					Processors: 1,
					Cores:      4,
				},
				Installs: []formats.ScanInstall{{Publisher: "Ostwick", Name: "Skerrymap", Version: "6"}}}
			if _, err := prog.Evidence.TakeScan(context.Background(), "disc", "id", s); err != nil {
				t.Fatal(err)
			}
		}
	}
}

// What somebody says of a device goes before its sources from its day on, also in figures of the past, whatever comes
// after it; and taken back, all is as the sources have it.
func TestADeviceIsPutRight(t *testing.T) {
	ctx := context.Background()
	prog, clock := wordsDesk(t)
	needed := func(want int64, where string) {
		t.Helper()
		if f := figure(t, prog, "Skerrymap"); f.Needed != want {
			t.Errorf("%s: %d needed, not %d", where, f.Needed, want)
		}
	}
	on := func(day string, want int64) {
		t.Helper()
		d := civil.MustParse(day)
		id := mustProduct(t, prog, "Skerrymap")
		figures, err := prog.Position.FiguresOn(ctx, d, prog.Snapshots.Today())
		if err != nil {
			t.Fatal(err)
		}
		got := int64(-1)
		for _, f := range figures {
			if f.Product == id {
				got = f.Needed
			}
		}
		if got != want {
			t.Errorf("on %s %d are needed, not %d", day, got, want)
		}
	}
	stands := func(device, want string) {
		t.Helper()
		if got := textsOf(t, prog, `SELECT status || ' ' || site || ' ' || cores || ' ' || primary_user || ' ' || custom
			FROM device WHERE code = ?`, device); got[0] != want {
			t.Errorf("%s is %q, not %q", device, got[0], want)
		}
	}
	needed(3, "before")
	on("2026-05-31", 3)
	seen := say(t, prog, byhand.Draft{Devices: []string{"D2", "X9"}, Field: "status", Value: "retired",
		From: civil.MustParse("2026-06-01")})
	if len(seen.Moves) != 1 || seen.Moves[0].NeededBefore != 3 || seen.Moves[0].NeededAfter != 1 {
		t.Errorf("the effect: %+v", seen.Moves)
	}
	needed(1, "two retired")
	if d, err := prog.Evidence.Device(ctx, "D2"); err != nil || d.Software[0].WhyNot != "the device is retired" {
		t.Errorf("what is on it: %+v, %v", d.Software, err)
	}
	on("2026-05-31", 3)
	on("2026-06-01", 1)
	scanThem(t, prog, clock) // what comes later does not change it
	take(
		t,
		prog,
		formats.Devices,
		"device_id,kind,primary_user,org_unit,site,status",
		"D2,client,u2,A/B,Quay,in_service",
	)
	needed(1, "scanned and listed again")
	stands("D2", "retired Quay 4 u2 ")
	words, err := prog.ByHand.Words(ctx, "D2")
	if err != nil || len(words.Words) != 1 || words.Words[0].Sources != "in_service" || !words.Words[0].Holds {
		t.Errorf("%+v, %v", words, err)
	}
	// a later day, and one that comes
	say(t, prog, byhand.Draft{Devices: []string{"D2"}, Field: "status", Value: "in_service",
		From: civil.MustParse("2026-06-10")})
	needed(2, "back in service")
	on("2026-06-05", 1)
	on("2026-06-10", 2)
	say(t, prog, byhand.Draft{Devices: []string{"D2"}, Field: "status", Value: "in_store",
		From: civil.MustParse("2026-07-02")})
	needed(2, "before its day")
	clock.now = clock.now.AddDate(0, 0, 3)
	needed(1, "on its day")
	on("2026-07-01", 2)
	// other facts, and a field of the house's own
	for _, d := range []byhand.Draft{{Field: "site", Value: "Isle"}, {Field: "cores", Value: "16"},
		{Field: "primary_user", Value: "u1"}, {Field: "own:asset number", Value: "77"}} {
		d.Devices = []string{"D2", "X9"}
		say(t, prog, d)
	}
	stands("D2", `in_store Isle 16 u1 {"asset number":"77"}`)
	stands("X9", `retired Isle 16 u1 {"asset number":"77"}`)
	scanThem(t, prog, clock)
	stands("X9", `retired Isle 16 u1 {"asset number":"77"}`)
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
	for _, field := range []string{"site", "cores", "primary_user", "own:asset number", "status"} {
		say(t, prog, byhand.Draft{Devices: []string{"D2", "X9"}, Field: field, Drop: true})
	}
	stands("D2", "in_service Quay 4 u2 ")
	stands("X9", "in_service  4  ")
	needed(3, "all taken back")
}

// What is said of a device goes with it when it is joined, and comes back with it.
func TestWordsFollowADevice(t *testing.T) {
	prog, _ := wordsDesk(t)
	say(t, prog, byhand.Draft{Devices: []string{"D2"}, Field: "site", Value: "Isle"})
	act := join(t, prog, "D1", "D2")
	site := func(device, want string) {
		t.Helper()
		if got := textsOf(t, prog, "SELECT site FROM device WHERE code = ?", device); len(got) != 1 ||
			got[0] != want {
			t.Errorf("%s is at %q, not %q", device, got, want)
		}
	}
	site("D1", "Isle")
	takeBack(t, prog, act)
	site("D1", "")
	site("D2", "Isle")
}

// What cannot be said is refused with a sentence, and whoever saw an older state is told.
func TestWordsAreRefused(t *testing.T) {
	ctx := context.Background()
	prog, _ := wordsDesk(t)
	for want, d := range map[string]byhand.Draft{
		"there is no device":     {Devices: []string{"none"}, Field: "site", Value: "x"},
		"name the devices":       {Field: "site", Value: "x"},
		"one of in_service":      {Devices: []string{"D1"}, Field: "status", Value: "lost"},
		"cannot be said":         {Devices: []string{"D1"}, Field: "hash", Value: "x"},
		`nobody is known as "n"`: {Devices: []string{"D1"}, Field: "primary_user", Value: "n"},
		"cannot run on itself":   {Devices: []string{"D1"}, Field: "host_id", Value: "D1"},
		"to be a host":           {Devices: []string{"D1"}, Field: "host_id", Value: "D77"},
		"nothing was said":       {Devices: []string{"D1"}, Field: "site", Drop: true},
		"too far away":           {Devices: []string{"D1"}, Field: "site", From: civil.MustParse("2999-01-01")},
	} {
		if _, err := prog.ByHand.Preview(ctx, d); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	d := byhand.Draft{Devices: []string{"D1"}, Field: "site", Value: "Isle", Reason: "seen"}
	if _, err := prog.ByHand.Say(ctx, d, "ada"); err == nil ||
		!strings.Contains(err.Error(), "look at what it does") {
		t.Error(err)
	}
	d.Revisions = []int64{0}
	if _, err := prog.ByHand.Say(ctx, d, "ada"); err != nil {
		t.Fatal(err)
	}
	d.Value = "Quay"
	if _, err := prog.ByHand.Say(ctx, d, "bo"); !errors.Is(err, sqlite.ErrChangedMeanwhile) {
		t.Error(err)
	}
	d.Reason, d.Revisions = "", []int64{1}
	if _, err := prog.ByHand.Say(ctx, d, "bo"); err == nil || !strings.Contains(err.Error(), "say why") {
		t.Error(err)
	}
}

// A field of the house's own, from a list or said by hand, filters and splits the list of devices and makes a group.
func TestAFieldOfTheHousesOwn(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Devices, "device_id,kind,cost_centre,it's", "D1,client,4100,x", "D2,client,4200,",
		"D3,client,,y")
	say(t, prog, byhand.Draft{Devices: []string{"D3"}, Field: "own:cost_centre", Value: "4100"})
	codes := func(q sqlite.ListQuery) (out []string, parts string) {
		t.Helper()
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.DeviceList().Page(tx, q)
			for _, r := range page.Rows {
				out = append(out, r.Code)
			}
			for _, p := range page.Parts {
				parts += fmt.Sprint(p.Value, ":", p.Count, " ")
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		slices.Sort(out)
		return out, parts
	}
	filter := func(value string) sqlite.ListQuery {
		return sqlite.ListQuery{Filters: map[string]string{"own:cost_centre": value}, Limit: 50}
	}
	for value, want := range map[string]string{"4100": "D1 D3", "4200": "D2", "41": "", "*41": "D1 D3",
		"4100|4200": "D1 D2 D3",
		"":          ""} {
		if got, _ := codes(filter(value)); strings.Join(got, " ") != want {
			t.Errorf("cost centre %q: %v, not %s", value, got, want)
		}
	}
	if _, parts := codes(sqlite.ListQuery{Split: "own:cost_centre", Limit: 50}); parts != "4100:2 4200:1 " {
		t.Errorf("split: %s", parts)
	}
	for _, name := range []string{"own:", `own:it's "odd"`, "own:a\x00"} {
		err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			_, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Split: name, Limit: 5})
			return err
		})
		if err == nil || !strings.Contains(err.Error(), "no column") {
			t.Errorf("%q: %v", name, err)
		}
	}
	if _, parts := codes(sqlite.ListQuery{Split: "own:it's", Limit: 5}); parts != ":1 x:1 y:1 " {
		t.Errorf("split by an odd name: %s", parts)
	}
	fields, err := prog.Evidence.ConditionFields(ctx)
	if err != nil || !slices.Equal(fields.Values["own:cost_centre"], []string{"4100", "4200"}) {
		t.Errorf("%v, %v", fields.Values, err)
	}
	for _, c := range []struct {
		condition condition.Condition
		want      string
	}{
		{condition.Condition{Field: "own:cost_centre", Op: "is", Value: "4100"}, "D1 D3"},
		{condition.Condition{Field: "own:cost_centre", Op: "like", Value: "42*"}, "D2"},
		{condition.Condition{Not: &condition.Condition{Field: "own:cost_centre", Op: "is", Value: "4100"}}, "D2"},
	} {
		name := strings.ReplaceAll(c.condition.Words(nil), "*", "")
		draft := evidence.GroupDraft{Name: name, Condition: c.condition}
		if _, err := prog.Evidence.SaveGroup(ctx, draft, "ada"); err != nil {
			t.Fatal(err)
		}
		refreshAll(t, prog)
		got, _ := codes(sqlite.ListQuery{Filters: map[string]string{"group": name}, Limit: 50})
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %v, not %s", name, got, c.want)
		}
	}
	bad := condition.Condition{Field: "own:", Op: "is", Value: "x"}
	if err := bad.Check(); err == nil {
		t.Error("a field without a name can be asked about")
	}
	if err := (condition.Condition{Field: "own:x", Op: "is"}).CheckRecord(true); err == nil {
		t.Error("records have fields of the house's own")
	}
}
