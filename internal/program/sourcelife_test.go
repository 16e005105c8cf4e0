package program

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/evidence"
	evidencesvc "ensomet/internal/evidence"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// whyGone says of the installs of a device that are there no more why not, by "name source".
func whyGone(t *testing.T, prog *Program, code string) map[string]string {
	t.Helper()
	v, err := prog.Evidence.Device(context.Background(), code)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	for _, i := range v.Software {
		if i.Until != 0 {
			out[i.Name+" "+i.Source] = i.Ended
		}
	}
	return out
}

// A list that was imported once keeps nothing alive for ever: a source that fell silent is superseded by another one's
// newer complete list, and counts again when it speaks; one that is retired ends, and is in use again.
func TestASourceHasALife(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
		"Ostwick,Skerrymap,commercial,100,EUR")
	take(t, prog, formats.Devices, "device_id,kind", "D1,client", "D2,client", "D3,client",
		"D4,client")
	const header = "device_id,name,version,source,seen_at"
	day := func(ago int) string { return clock.now.AddDate(0, 0, -ago).Format(time.RFC3339) }
	needs := func(want int64) {
		t.Helper()
		renew(t, prog)
		if f := figure(t, prog, "Skerrymap"); f.Needed != want {
			t.Fatalf("%d needed, not %d", f.Needed, want)
		}
		if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
			t.Fatal(wrong, err)
		}
	}
	take(t, prog, formats.Installs, header, "D1,Skerrymap,6,list,"+day(90), "D2,Skerrymap,6,list,"+day(90),
		"D3,Skerrymap,6,list,"+day(90))
	needs(3)
	// on D1 a newer complete list has it no more; on D2 it has it; D3 nobody else has seen
	take(t, prog, formats.Installs, header, "D1,Brush,1,collector,"+day(1), "D2,Skerrymap,6,collector,"+day(1),
		"D4,Skerrymap,6,collector,"+day(1))
	needs(3)
	words := evidence.Superseded.Words()
	if got := whyGone(t, prog, "D1"); got["Skerrymap list"] != words || len(got) != 1 {
		t.Errorf("%q", got)
	}
	// within the limit both count: a fresh list of a part of the machines ends nothing
	take(t, prog, formats.Installs, header, "D1,Skerrymap,6,list,"+day(3))
	needs(4)
	if got := whyGone(t, prog, "D1"); len(got) != 0 {
		t.Errorf("%q", got)
	}
	// time alone ends it, when the other still reports
	take(t, prog, formats.Installs, header, "D1,Brush,1,collector,"+day(0))
	needs(4)
	clock.now = clock.now.AddDate(0, 0, 28)
	needs(3)
	// a limit of its own; then the source is retired, with what that does shown before
	sources, err := prog.Sources.Sources(ctx)
	if err != nil || len(sources) != 2 || sources[1].SourceRow.Name != "list" || !sources[1].Silent {
		t.Fatalf("%+v, %v", sources, err)
	}
	save := func(d evidencesvc.SourceDraft) {
		t.Helper()
		effect, err := prog.Sources.Preview(ctx, d)
		if err != nil {
			t.Fatal(err)
		}
		before := figure(t, prog, "Skerrymap").Needed
		if err := prog.Sources.Save(ctx, d, "ada"); err != nil {
			t.Fatal(err)
		}
		renew(t, prog)
		after := figure(t, prog, "Skerrymap").Needed
		said := before
		for _, m := range effect.Moves {
			if m.Product == "Skerrymap" {
				said = m.NeededAfter
			}
		}
		if said != after {
			t.Errorf("the effect says %d, and then it is %d: %+v", said, after, effect)
		}
	}
	save(evidencesvc.SourceDraft{Name: "list", SilentDays: 400})
	needs(4)
	save(evidencesvc.SourceDraft{Name: "list", SilentDays: 400, Revision: 1, Reason: "the tool is gone",
		RetiredOn: clock.now.AddDate(0, 0, -2).Format(time.DateOnly)})
	needs(2) // on D2 and D4 the collector still has it
	if got := whyGone(t, prog, "D3"); got["Skerrymap list"] != evidence.SourceRetired.Words() {
		t.Errorf("%q", got)
	}
	// what it sends all the same does not count, and nothing of it is lost
	take(t, prog, formats.Installs, header, "D3,Skerrymap,6,list,"+day(0))
	needs(2)
	save(evidencesvc.SourceDraft{Name: "list", Revision: 2})
	needs(3)
	// three weeks ago it counted, whatever holds today
	p, err := prog.Position.ProductPosition(ctx, mustProduct(t, prog, "Skerrymap"),
		prog.Snapshots.Today()-10, 0)
	if err != nil || p.Metrics[0].Needed != 4 {
		t.Errorf("%+v, %v", p.Metrics, err)
	}
}

// sources.csv comes back as it went, and says what is wrong with a line.
func TestSourcesAsAFile(t *testing.T) {
	prog, _ := desk(t)
	res := take(t, prog, formats.Sources, "source,covers,trust,silent_after_days,state,retired_on",
		"collector,software|hardware,1,14,,", "old tool,,,,retired,2026-03-01", "list,air,,,,")
	if len(res.Aside) != 1 || !strings.Contains(res.Aside[0].Reason, `not "air"`) || res.Added != 2 {
		t.Errorf("%+v", res)
	}
	if again := take(t, prog, formats.Sources, "source,covers,trust,silent_after_days,state,retired_on",
		"collector,software|hardware,1,14,,", "old tool,,,,retired,2026-03-01"); again.Added+again.Changed > 0 {
		t.Errorf("%+v", again)
	}
	var lines []string
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		return export.File(tx, "sources", func(row []string) error {
			lines = append(lines, strings.Join(row, ","))
			return nil
		})
	}); err != nil {
		t.Fatal(err)
	}
	if want := []string{"collector,software|hardware,1,14,active,", "old tool,,,,retired,2026-03-01"}; !slices.Equal(
		lines,
		want,
	) {
		t.Errorf("%q", lines)
	}
}

// In any order of arrival, whatever was said of sources between, the same installs count, at the same times.
func TestListsEndTheSameInAnyOrder(t *testing.T) {
	ctx := context.Background()
	ended := map[string]int{}
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 23))
		_, clock := desk(t)
		var files []string
		for range 14 {
			text := "device_id,name,version,source,seen_at\n"
			source, at := []string{"a", "b", "c"}[r.IntN(3)], clock.now.AddDate(0, 0, -r.IntN(120)).
				Format(time.RFC3339)
			for d := range 3 {
				for p := range 4 {
					if r.IntN(2) == 0 {
						text += fmt.Sprintf("D%d,P%d,1,%s,%s\n", d, p, source, at)
					}
				}
			}
			files = append(files, text)
		}
		var want []string
		for round := range 4 {
			prog, _ := desk(t)
			take(t, prog, formats.Devices, "device_id,kind", "D0,client", "D1,client", "D2,server")
			saved := 0
			say := func() {
				if saved++; saved == 4 {
					if err := prog.Sources.Save(ctx, evidencesvc.SourceDraft{Name: "c", Reason: "gone",
						RetiredOn: clock.now.AddDate(0, 0, -50).Format(time.DateOnly)}, "ada"); err != nil {
						t.Fatal(err)
					}
				}
			}
			for _, k := range r.Perm(len(files)) {
				rows := strings.Split(strings.TrimSpace(files[k]), "\n")
				if len(rows) > 1 {
					take(t, prog, formats.Installs, rows...)
				}
				say()
			}
			if err := prog.Sources.EndDue(ctx); err != nil {
				t.Fatal(err)
			}
			var got []string
			if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
				got, err = sqlite.Select[string](tx, `SELECT d.code || ' ' || s.name || ' ' || r.name || ' ' || i.since ||
					' ' || coalesce(i.until, '-') || ' ' || i.cut FROM install i JOIN device d ON d.id = i.device_id
					JOIN source s ON s.id = i.source_id JOIN record r ON r.id = i.record_id ORDER BY 1`)
				return err
			}); err != nil {
				t.Fatal(err)
			}
			if round == 0 {
				want = got
			}
			if !slices.Equal(got, want) {
				t.Fatalf("seed %d:\n%s\nnot\n%s", seed, strings.Join(got, "\n"), strings.Join(want, "\n"))
			}
		}
		for _, s := range want {
			ended[s[len(s)-1:]]++
		}
	}
	if ended["2"] == 0 || ended["3"] == 0 {
		t.Errorf("nothing was superseded, or nothing retired: %v", ended)
	}
}

// What is exported and taken in again makes no new sources, and nothing counts otherwise than before: a collector's
// parts too, which were read at different times.
func TestAnExportTakenInAgain(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(t, prog, formats.Devices, "device_id,kind", "D1,client")
	scan := func(ago int, covers []string, installs ...formats.ScanInstall) {
		t.Helper()
		s := &formats.Scan{Format: formats.ScanFormat, At: clock.now.AddDate(0, 0, -ago), Covers: covers,
			Device: formats.ScanDevice{ID: "D1", Name: "D1"}, Installs: installs}
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	scan(9, nil, formats.ScanInstall{Name: "Whole"}, formats.ScanInstall{Part: "dpkg", Name: "Old package"})
	scan(5, []string{"dpkg"}, formats.ScanInstall{Part: "dpkg", Name: "Package"})
	scan(3, []string{"manual"}, formats.ScanInstall{Part: "manual", Name: "By hand"})
	read := func() (lines [][]string, names []string) {
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			return export.Installs(tx, clock.now.Unix(), "", func(e snapshot.ExportedInstall) error {
				row := slices.Clone(e.Values[:18])
				lines, names = append(lines, row), append(names, row[2])
				return nil
			})
		}); err != nil {
			t.Fatal(err)
		}
		return lines, names
	}
	before, names := read()
	if !slices.Equal(names, []string{"By hand", "Package", "Whole"}) {
		t.Fatalf("%q", names)
	}
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	if err := w.WriteAll(before); err != nil {
		t.Fatal(err)
	}
	rows := strings.Split(strings.TrimSpace(text.String()), "\n")
	take(t, prog, formats.Installs, append([]string{strings.Join(formats.Installs.Columns, ",")}, rows...)...)
	if _, after := read(); !slices.Equal(names, slices.Compact(after)) {
		t.Errorf("%q, not %q", after, names)
	}
	sources, err := prog.Sources.Sources(ctx)
	if err != nil || len(sources) != 1 || sources[0].SourceRow.Name != "collector" {
		t.Errorf("%+v, %v", sources, err)
	}
}
