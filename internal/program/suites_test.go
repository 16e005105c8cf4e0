package program

import (
	"context"
	"errors"
	"testing"
	"time"

	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/use"
)

// A suite whose definition is taken away folds nothing any more: its parts need rights of their own again.
func TestASuiteThatIsTakenAway(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,licence_model,list_price,currency",
		"Fjord,Bundle,commercial,400,EUR",
		"Fjord,Writer,commercial,90,EUR",
		"Fjord,Table,commercial,80,EUR",
	)
	take(t, prog, formats.Devices, "device_id", "D1", "D2")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Fjord,Writer,1,,,2026-06-29T10:00:00Z",
		"D1,Fjord,Table,1,,,2026-06-29T10:00:00Z",
		"D2,Fjord,Writer,1,,,2026-06-29T10:00:00Z",
	)
	id := map[string]int64{}
	for _, name := range []string{"Bundle", "Writer", "Table"} {
		ids, err := prog.Position.FindProducts(ctx, "Fjord "+name)
		if err != nil || len(ids) != 1 {
			t.Fatal(ids, err)
		}
		id[name] = ids[0]
	}
	needs := func(bundle, writer, table int64) {
		t.Helper()
		for name, want := range map[string]int64{"Fjord Bundle": bundle, "Fjord Writer": writer,
			"Fjord Table": table} {
			if f := figure(t, prog, name); f.Needed != want {
				t.Errorf("%s: needed %d, want %d", name, f.Needed, want)
			}
		}
	}
	needs(0, 2, 1)
	parts := []recognise.SuitePart{{Product: id["Writer"]}, {Product: id["Table"]}}
	for _, bad := range []titles.SuiteDraft{{Product: 99, Parts: parts},
		{Product: id["Bundle"], Parts: []recognise.SuitePart{{Product: 99}}}, {Product: id["Writer"], Parts: parts},
		{Product: id["Bundle"], Need: 3, Parts: parts}} {
		if _, err := prog.Catalogue.PutSuite(ctx, bad, "w"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	suite, err := prog.Catalogue.PutSuite(ctx, titles.SuiteDraft{Product: id["Bundle"], Need: 2, Parts: parts}, "w")
	if err != nil {
		t.Fatal(err)
	}
	needs(1, 1, 0)
	if err := prog.Catalogue.DropSuite(ctx, suite, seen(t, prog, edits.Suite, suite), "w"); err != nil {
		t.Fatal(err)
	}
	needs(0, 2, 1)
	if err := prog.Catalogue.DropSuite(ctx, suite, seen(t, prog, edits.Suite, suite), "w"); !errors.Is(err,
		sqlite.ErrNotFound) {
		t.Errorf("taken away twice: %v", err)
	}
}

// A line that is given up stays on record, is not tried again, and cannot be mended or given up once more.
func TestALineThatIsGivenUp(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	res := take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D9,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z",
		"D8,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z",
	)
	if len(res.Aside) != 2 {
		t.Fatalf("%+v", res)
	}
	asides := func(state string) []evidencedb.AsideRow {
		t.Helper()
		var page sqlite.Page[evidencedb.AsideRow]
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			page, err = evidencedb.AsideList().Page(tx,
				sqlite.ListQuery{Sort: "id", Filters: map[string]string{"state": state}})
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return page.Rows
	}
	first := asides("waiting")[0]
	if err := prog.Evidence.Drop(ctx, first.ID, "w"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Evidence.Drop(ctx, first.ID, "w"); err == nil {
		t.Error("given up twice")
	}
	if err := prog.Evidence.Mend(ctx, first.ID, first.Content, "w"); err == nil {
		t.Error("mended after it was given up")
	}
	if err := prog.Evidence.Drop(ctx, 999, "w"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("what is not there: %v", err)
	}
	take(t, prog, formats.Devices, "device_id,kind", "D8,client", "D9,client") // what waits is tried again
	if list := asides("dropped"); len(list) != 1 || list[0].ID != first.ID {
		t.Errorf("%+v", list)
	}
	if waiting, mended := asides("waiting"), asides("mended"); len(waiting) != 0 || len(mended) != 1 {
		t.Errorf("%d wait, %d were mended", len(waiting), len(mended))
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Errorf("needed %d", f.Needed)
	}
}

// Use is forgotten once a day, as long as it is kept; a day that failed tries again.
func TestUseIsForgottenOnceADay(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	if err := prog.Use.KeepUse(ctx, use.UseKept{EventDays: 2, SessionDays: 31, DayDays: 100}, "w"); err != nil {
		t.Fatal(err)
	}
	clock.now = time.Date(2026, 7, 1, 8, 0, 0, 0, time.UTC)
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D1,u1,gauge.exe,2026-06-29T10:00:00Z,2026-06-29T10:30:00Z",
	)
	kept := func() int64 {
		t.Helper()
		m, err := prog.Use.Metering(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return m.Sessions
	}
	if err := prog.Use.ForgetUseDaily(ctx); err != nil || kept() != 1 {
		t.Fatalf("%d are kept, %v", kept(), err)
	}
	clock.now = clock.now.AddDate(0, 0, 40)
	gone, end := context.WithCancel(ctx)
	end()
	if err := prog.Use.ForgetUseDaily(gone); err == nil {
		t.Error("a day whose forgetting is stopped says nothing")
	}
	if kept() != 1 {
		t.Error("it was forgotten all the same")
	}
	if err := prog.Use.ForgetUseDaily(ctx); err != nil || kept() != 0 {
		t.Errorf("%d are kept, %v", kept(), err)
	}
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,file_name,started_at,ended_at",
		"D1,u1,gauge.exe,2026-06-29T12:00:00Z,2026-06-29T12:30:00Z",
	)
	before := kept()
	if err := prog.Use.ForgetUseDaily(ctx); err != nil || kept() != before {
		t.Errorf("twice on a day: %d are kept, %d before, %v", kept(), before, err)
	}
}
