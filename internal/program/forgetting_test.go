package program

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// year is a house in which machines are scanned for months, by two sources, in whole and in parts, late at times.
type year struct {
	t       *testing.T
	prog    *Program
	clock   *movable
	r       *rand.Rand
	devices int
}

var yearProducts = []string{"Skerrymap", "Gannet", "Oyster", "Kelpline"}

func newYear(t *testing.T, seed uint64) *year {
	prog, clock := desk(t)
	y := &year{t: t, prog: prog, clock: clock, r: rand.New(rand.NewPCG(seed, 17)), devices: 6}
	lines := []string{changingTitles}
	for i, p := range yearProducts {
		lines = append(lines, fmt.Sprintf("Ostwick,%s,6,commercial,%d,EUR,", p, 100*(i+1)))
	}
	take(t, prog, formats.Titles, lines...)
	users := []string{"user_id,name"}
	for i := range 6 {
		users = append(users, fmt.Sprintf("u%d,N%d", i, i))
	}
	take(t, prog, formats.Users, users...)
	lines = []string{changingDevices}
	for i := range y.devices {
		lines = append(lines, fmt.Sprintf("D%d,%s,u%d,A,1,4,0,,,", i, []string{"client", "server"}[i%2], i))
	}
	take(t, prog, formats.Devices, lines...)
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"E1,Ostwick,Skerrymap,device,2", "E2,Ostwick,Gannet,core,8", "E3,Ostwick,Oyster,named_user,2",
		"E4,Ostwick,Kelpline,installation,3")
	return y
}

// day lets a day pass in which some machines are scanned, and files come.
func (y *year) day() {
	t, r := y.t, y.r
	y.clock.now = y.clock.now.Add(24 * time.Hour)
	for range 3 {
		d := r.IntN(y.devices)
		at := y.clock.now.Add(-time.Duration(r.IntN(600)) * time.Minute)
		if r.IntN(5) == 0 {
			at = at.Add(-time.Duration(r.IntN(20*24)) * time.Hour)
		}
		s := &formats.Scan{Format: formats.ScanFormat, At: at, Device: formats.ScanDevice{ID: fmt.Sprintf("D%d", d)}}
		if r.IntN(2) == 0 {
			s.Device.Cores, s.Device.OSName = int64(2+2*r.IntN(3)), []string{"Varde", "Holm"}[r.IntN(2)]
		}
		if r.IntN(3) == 0 {
			s.Device.MemoryMB = int64(4096 << r.IntN(2))
		}
		if r.IntN(3) == 0 {
			s.Covers = [][]string{{"dpkg"}, {"desk"}, {"dpkg", "desk"}}[r.IntN(3)]
		}
		for _, p := range yearProducts {
			part := []string{"dpkg", "desk"}[r.IntN(2)]
			if r.IntN(2) == 0 || len(s.Covers) > 0 && !slices.Contains(s.Covers, part) {
				continue
			}
			in := formats.ScanInstall{Part: part, Publisher: "Ostwick", Name: p, Version: fmt.Sprint(5 + r.IntN(2))}
			if r.IntN(3) == 0 {
				in.LastUsed = at.AddDate(0, 0, -r.IntN(5)).Format(time.DateOnly)
			}
			s.Installs = append(s.Installs, in)
		}
		if r.IntN(4) == 0 {
			s.Logons = []formats.ScanLogon{{User: fmt.Sprintf("u%d", r.IntN(6)), At: at}}
		}
		if _, err := y.prog.Evidence.TakeScan(context.Background(), "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	if r.IntN(3) == 0 {
		at := y.clock.now.Add(-time.Duration(r.IntN(24*10)) * time.Hour).Format(time.RFC3339)
		lines := []string{installHeader}
		for _, p := range yearProducts {
			if r.IntN(2) == 0 {
				lines = append(lines, fmt.Sprintf("D%d,Ostwick,%s,%d,,,%s", r.IntN(y.devices), p, 5+r.IntN(2), at))
			}
		}
		if len(lines) > 1 {
			take(t, y.prog, formats.Installs, lines...)
		}
	}
}

// onDay is what every product's position says of a day, in words, as it was known at the end of another or is now.
func (y *year) onDay(day, known civil.Day) (out []string, err error) {
	for _, p := range yearProducts {
		is, err := y.prog.Position.ProductPosition(context.Background(), mustProduct(y.t, y.prog, p), day, known)
		if err != nil {
			return nil, err
		}
		text, err := json.Marshal(is)
		if err != nil {
			y.t.Fatal(err)
		}
		out = append(out, string(text))
	}
	return out, nil
}

// rows reads rows as texts.
func rows(t *testing.T, prog *Program, query string, args ...any) (out []string) {
	t.Helper()
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = sqlite.Select[string](tx, query, args...)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// A house that forgets its past answers every day that it keeps as one that keeps all of it, now and as it was known
// then, and goes on as that one does, whatever comes late; days before are refused, and what they rest on is gone.
// ENSOMET_SEED says which houses.
func TestWhatIsForgottenIsMissedByNoDayThatIsKept(t *testing.T) {
	ctx := context.Background()
	const kept = 45
	seed := uint64(1)
	if n, err := strconv.ParseUint(os.Getenv("ENSOMET_SEED"), 10, 64); err == nil {
		seed = n
	}
	a, b := newYear(t, seed), newYear(t, seed)
	for n := range 121 {
		a.day()
		b.day()
		if n < 100 || n%20 != 0 {
			continue
		}
		for _, y := range []*year{a, b} {
			if err := y.prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
		}
		if n == 100 {
			if err := a.prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Days: kept}, "me"); err != nil {
				t.Fatal(err)
			}
		}
		gone, err := a.prog.Evidence.ForgetHistory(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if n == 100 && (gone.Installs == 0 || gone.Scans == 0 || gone.Changes == 0 || gone.Others == 0) {
			t.Errorf("seed %d: at first only %+v is forgotten", seed, gone)
		}
		sameYears(t, a, b, kept, fmt.Sprintf("seed %d, day %d", seed, n))
	}
	if err := a.prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	sameDerived(t, a.prog, fmt.Sprintf("seed %d", seed))
}

func sameYears(t *testing.T, a, b *year, kept int, when string) {
	t.Helper()
	today := a.prog.Snapshots.Today()
	first := today - civil.Day(kept)
	from := (first - 1).EndUnix()
	r := rand.New(rand.NewPCG(uint64(today), 1)) // both houses go on alike
	for day := first; day <= today; day += 9 {
		for _, known := range []civil.Day{today, min(today, day+civil.Day(r.IntN(6)))} {
			is, err := a.onDay(day, known)
			if err != nil {
				t.Fatalf("%s: %s as known on %s: %v", when, day, known, err)
			}
			want, err := b.onDay(day, known)
			if err != nil {
				t.Fatal(err)
			}
			for i := range want {
				if is[i] != want[i] {
					t.Fatalf("%s: %s as known on %s:\n%s\nwith all of the past\n%s", when, day, known, is[i], want[i])
				}
			}
		}
	}
	if _, err := a.onDay(first-1, today); !refuse.Is(err) {
		t.Errorf("%s: %s is answered: %v", when, first-1, err)
	}
	for what, query := range map[string]string{
		"changes": `SELECT json_array(device_id, at, kind, key, from_value, to_value) FROM change_log WHERE at >= ?
			ORDER BY 1`,
		"use": `SELECT json_array(device_id, product_id, class, used, measured, last_use) FROM idle_fact WHERE ?1
			ORDER BY 1`,
		"devices": `SELECT json_array(device_id, last_seen, age, installs, counted) FROM device_fact WHERE ?1
			ORDER BY 1`,
		"main user": "SELECT json_array(id, primary_user, os_name, cores, memory_mb) FROM device WHERE ?1 ORDER BY 1",
		"installs": `SELECT json_array(i.device_id, i.source_id, i.record_id, i.place_id, i.until, i.cut, CASE WHEN s.part
			<> '` + snapshot.SystemPart + `' THEN i.since END) FROM install i JOIN source s ON s.id = i.source_id
			WHERE i.until IS NULL OR i.cut OR i.until >= ? ORDER BY 1`,
	} {
		is, want := rows(t, a.prog, query, from), rows(t, b.prog, query, from)
		if !slices.Equal(is, want) {
			t.Fatalf("%s: %s\n%s\nwith all of the past\n%s", when, what, strings.Join(is, "\n"),
				strings.Join(want, "\n"))
		}
	}
	for what, query := range map[string]string{
		"installs that ended":  "SELECT device_id FROM install WHERE until < ? AND NOT cut",
		"changes":              "SELECT device_id FROM change_log WHERE at < ?",
		"devices as they were": "SELECT device_id FROM device_was WHERE until < ?",
		"what was known":       "SELECT key FROM past WHERE mark < (SELECT min(id) FROM mark) AND ?1",
		"what was of installs": `SELECT key FROM past WHERE tbl = 36 AND mark = (SELECT max(id) FROM mark)
			AND json_extract(image, '$.until') < ?1`,
	} {
		if left := rows(t, a.prog, query, from); len(left) > 0 {
			t.Errorf("%s: %d %s are left", when, len(left), what)
		}
	}
}

// What is older than the past that is kept is not taken in, and a past that is too short is refused.
func TestWhatComesFromBeforeThePast(t *testing.T) {
	ctx := context.Background()
	y := newYear(t, 9)
	for range 50 {
		y.day()
	}
	for days, refused := range map[int]bool{-1: true, 1: true, 30: true} {
		if err := y.prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Days: days}, "me"); refuse.Is(err) != refused {
			t.Errorf("%d days: %v", days, err)
		}
	}
	id, err := y.prog.Position.MakeStatement(ctx, 0, position.StatementScope{}, "the auditor", "", "me")
	if err != nil {
		t.Fatal(err)
	}
	for range 40 {
		y.day()
	}
	effect, err := y.prog.Evidence.HistoryEffect(ctx, 31)
	if err != nil || effect.Installs == 0 || effect.Changes == 0 || effect.Statements != 1 {
		t.Errorf("%+v %v", effect, err)
	}
	if _, err := y.prog.Position.CheckStatement(ctx, id); err != nil {
		t.Error(err)
	}
	if err := y.prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Days: 31}, "me"); err != nil {
		t.Fatal(err)
	}
	if err := y.prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Days: 60}, "you"); err == nil {
		t.Error("a choice that was made on an older one is taken")
	}
	if err := y.prog.Evidence.ForgetHistoryDaily(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := y.prog.Position.CheckStatement(ctx, id); !refuse.Is(err) ||
		!strings.Contains(err.Error(), "not kept") {
		t.Errorf("a statement of before is worked out again: %v", err)
	}
	old := y.clock.now.AddDate(0, 0, -40)
	if _, err := y.prog.Evidence.TakeScan(ctx, "collector", "id", scanOf("D1", "", old, "Gannet 5")); err == nil ||
		!strings.Contains(err.Error(), "not taken in") {
		t.Errorf("a scan of before: %v", err)
	}
	res := take(t, y.prog, formats.Installs, installHeader, "D1,Ostwick,Gannet,5,,,"+old.Format(time.RFC3339))
	if res.Scans != 0 || len(res.Aside) != 1 {
		t.Errorf("a line of before: %+v", res)
	}
	h, err := y.prog.Evidence.History(ctx)
	if err != nil || h.Days != 31 || h.From != (y.prog.Snapshots.Today()-31).String() {
		t.Errorf("%+v %v", h, err)
	}
	// longer than before does not bring back what went
	if err := y.prog.Evidence.KeepHistory(ctx, evidence.HistoryKept{Revision: h.Revision}, "me"); err != nil {
		t.Fatal(err)
	}
	y.clock.now = y.clock.now.AddDate(0, 0, 20)
	if err := y.prog.Evidence.ForgetHistoryDaily(ctx); err != nil {
		t.Fatal(err)
	}
	if now, err := y.prog.Evidence.History(ctx); err != nil || now.Days != 0 || now.From != h.From {
		t.Errorf("%+v %v", now, err)
	}
}
