package standin

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ensomet/internal/core/condition"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// contents sums up every row of every table.
func contents(t *testing.T, db *sqlite.DB) map[string]string {
	t.Helper()
	out := map[string]string{}
	err := db.View(context.Background(), func(tx *sqlite.Tx) error {
		tables, err := sqlite.Query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) },
			"SELECT name || ' ORDER BY 1' || CASE WHEN (SELECT count(*) FROM pragma_table_info(s.name)) > 1 "+
				"THEN ', 2' ELSE '' END FROM sqlite_schema s WHERE type = 'table'")
		if err != nil {
			return err
		}
		for _, text := range tables {
			table, _, _ := strings.Cut(text, " ")
			sum := sha256.New()
			rows, err := tx.QueryContext(tx.Ctx, "SELECT * FROM "+text)
			if err != nil {
				return err
			}
			columns, err := rows.Columns()
			if err != nil {
				return err
			}
			values, into := make([]any, len(columns)), make([]any, len(columns))
			for i := range values {
				into[i] = &values[i]
			}
			if err := sqlite.Each(rows, func() error {
				if err := rows.Scan(into...); err != nil {
					return err
				}
				_, err := fmt.Fprintf(sum, "%v\n", values)
				return err
			}); err != nil {
				return err
			}
			out[table] = fmt.Sprintf("%x", sum.Sum(nil))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// emptyDesk is a program on an empty file, beside the demo's raw files.
func emptyDesk(t *testing.T) (dir string, prog *program.Program, clock *Outside) {
	t.Helper()
	dir = t.TempDir()
	if _, err := Generate(dir); err != nil {
		t.Fatal(err)
	}
	db, err := sqlite.Open(context.Background(), filepath.Join(dir, "desk.db"))
	if err != nil {
		t.Fatal(err)
	}
	if clock, err = OpenOutside(db.Path); err != nil {
		t.Fatal(err)
	}
	prog = program.New(db, clock)
	t.Cleanup(func() {
		prog.Close()
		db.Close()
	})
	return dir, prog, clock
}

// lookOnly asks for the effect of a change while somebody else is writing, and fails where asking changed anything.
func lookOnly[T any](t *testing.T, db *sqlite.DB, look func() T) (said T) {
	t.Helper()
	before := contents(t, db)
	if err := db.Update(context.Background(), func(*sqlite.Tx) error {
		done := make(chan struct{})
		go func() {
			defer close(done)
			said = look()
		}()
		<-done
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	for table, sum := range contents(t, db) {
		if table == "mark" || table == "blank" { // of the one who writes, the first of the day
			continue
		}
		if before[table] != sum {
			t.Errorf("looking changed %s", table)
		}
	}
	return said
}

// A dry import of every kind of file says what the import then does, writes nothing, and goes through while somebody
// else writes. It is tried on nothing, and again on what is there, with lines that are gone, new and other.
func TestADryImportSaysWhatTheImportDoes(t *testing.T) {
	ctx := context.Background()
	dir, prog, clock := emptyDesk(t)
	tried := 0
	for round := range 3 {
		for _, kind := range formats.Kinds {
			content, err := os.ReadFile(filepath.Join(dir, kind.Name+".csv"))
			if errors.Is(err, fs.ErrNotExist) {
				continue
			}
			if err != nil {
				t.Fatal(err)
			}
			lines := strings.SplitAfter(string(content), "\n")
			lines = lines[:min(len(lines), 2500)]
			kept := lines[:1:1]
			for i, line := range lines[1:] {
				if (i+round)%7 == 0 {
					continue
				}
				if round > 0 && (i+round)%11 == 0 {
					line = strings.Replace(line, "client", "server", 1)
				}
				kept = append(kept, line)
			}
			request := intake.ImportRequest{
				Kind:   kind,
				File:   kind.Name + ".csv",
				Author: "test",
				AsOf:   clock.Now().AddDate(0, 0, round),
			}
			take := func(dry bool) string {
				request.DryRun, request.In = dry, strings.NewReader(strings.Join(kept, ""))
				res, err := prog.Evidence.Import(ctx, request)
				if err != nil {
					t.Fatalf("round %d, %s, dry %v: %v", round, kind.Name, dry, err)
				}
				res.Settled = 0 // lines that were put aside are tried again after an import alone
				var out bytes.Buffer
				fmt.Fprintf(&out, "%+v", res)
				return out.String()
			}
			said := lookOnly(t, prog.DB, func() string { return take(true) })
			if did := take(false); said != did {
				t.Errorf("round %d, %s:\nsaid %.1500s\ndid  %.1500s", round, kind.Name, said, did)
			}
			tried++
		}
	}
	if tried < 3*10 {
		t.Errorf("only %d files were tried", tried)
	}
}

// The effect of decisions, rules, exclusions and changes of the catalogue is what then happens; asking for it writes
// nothing and goes through while somebody else writes.
func TestPreviewsSayWhatHappens(t *testing.T) {
	ctx := context.Background()
	dir, prog, clock := emptyDesk(t)
	for _, kind := range formats.Kinds {
		content, err := os.ReadFile(filepath.Join(dir, kind.Name+".csv"))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		lines := strings.SplitAfter(string(content), "\n")
		request := intake.ImportRequest{
			Kind:   kind,
			File:   kind.Name + ".csv",
			In:     strings.NewReader(strings.Join(lines[:min(len(lines), 6000)], "")),
			Author: "test",
			AsOf:   clock.Now(),
		}
		if _, err := prog.Evidence.Import(ctx, request); err != nil {
			t.Fatal(err)
		}
	}
	renewed := func() {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
	}
	renewed()
	figures := func() map[string]int64 { // what is short or left by product and metric
		t.Helper()
		out := map[string]int64{}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			c, err := prog.Snapshots.Catalogue(tx)
			if err != nil {
				return err
			}
			list, err := snapshot.StoredFigures(tx)
			for _, f := range list {
				out[c.Product(f.Product).Name+" "+string(f.Metric)] = f.Surplus - f.Short
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	moved := func(what string, effect titles.Effect, change func() titles.Effect) {
		t.Helper()
		before := figures()
		did := change()
		did.Batch, did.Waits = effect.Batch, effect.Waits
		if fmt.Sprintf("%+v", did) != fmt.Sprintf("%+v", effect) {
			t.Errorf("%s:\nsaid %+v\ndid  %+v", what, effect, did)
		}
		renewed()
		after := figures()
		said := map[string]bool{}
		for _, m := range effect.Moves {
			key := m.Product + " " + m.Metric
			if said[key] = true; before[key] != m.Before || after[key] != m.After {
				t.Errorf("%s: %s goes from %d to %d, said %d to %d", what, key, before[key], after[key], m.Before,
					m.After)
			}
		}
		for key := range after {
			if before[key] != after[key] && !said[key] {
				t.Errorf("%s: %s goes from %d to %d, and nothing was said", what, key, before[key], after[key])
			}
		}
	}
	var keys []string
	var products []int64
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if keys, err = sqlite.Query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) },
			"SELECT key FROM name_fact WHERE state IN ('unrecognised', 'recognised') ORDER BY installs DESC, key "+
				"LIMIT 8"); err != nil {
			return err
		}
		products, err = sqlite.Query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) },
			"SELECT product_id FROM product_fact ORDER BY counted DESC, product_id LIMIT 8")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	moves := 0
	for i, key := range keys {
		d := titles.NameDecision{Keys: []string{key}, Product: products[(i+3)%len(products)]}
		if i%3 == 2 {
			d.Product = 0
		}
		effect := lookOnly(t, prog.DB, func() titles.Effect {
			out, err := prog.Titles.PreviewDecision(ctx, d, "w")
			if err != nil {
				t.Error(err)
			}
			return out
		})
		moves += len(effect.Moves)
		moved("deciding "+key, effect, func() titles.Effect {
			out, err := prog.Titles.Decide(ctx, d, "w")
			if err != nil {
				t.Fatal(err)
			}
			return out
		})
	}
	for i, outcome := range []string{"title", "nothing", "leave_out"} {
		d := titles.RuleDraft{
			Name:    outcome,
			Outcome: outcome,
			Records: condition.Condition{Field: "name", Op: "like", Value: []string{"*a*", "*er*", "*e*"}[i]},
			Product: products[i],
			Reason:  "a trial",
		}
		effect := lookOnly(t, prog.DB, func() titles.Effect {
			out, err := prog.Titles.PreviewRule(ctx, d, "w")
			if err != nil {
				t.Error(err)
			}
			return out
		})
		moves += len(effect.Moves)
		moved("a rule: "+outcome, effect, func() titles.Effect {
			out, err := prog.Titles.PutRule(ctx, d, "w")
			if err != nil {
				t.Fatal(err)
			}
			return out
		})
	}
	if moves == 0 {
		t.Error("nothing moved: the changes tried say nothing")
	}
	found := int64(0)
	for i, name := range []string{"Zwirbelkit", "Knubblimit"} {
		var code, publisher string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			c, err := prog.Snapshots.Catalogue(tx)
			if err != nil {
				return err
			}
			publisher = c.Product(products[i]).Publisher
			return tx.QueryRowContext(ctx, "SELECT code FROM device WHERE status = 'in_service' LIMIT 1 OFFSET ?",
				i).Scan(&code)
		}); err != nil {
			t.Fatal(err)
		}
		scan := "device_id,publisher,name,version,source\n" + code + "," + publisher + "," + name + ",1.0,hand\n"
		if _, err := prog.Evidence.Import(ctx, intake.ImportRequest{
			Kind:   formats.Installs,
			File:   "installs.csv",
			In:     strings.NewReader(scan),
			Author: "test",
			AsOf:   clock.Now(),
		}); err != nil {
			t.Fatal(err)
		}
		renewed()
		edit := titles.TitleEdit{
			Product: products[i],
			Version: fmt.Sprint(70 + i),
			Says:    map[string]string{"aliases": name, "licence_model": "commercial"},
			Dry:     true,
		}
		effect := lookOnly(t, prog.DB, func() titles.CatalogueEffect {
			out, err := prog.Catalogue.EditTitle(ctx, edit, "w")
			if err != nil {
				t.Error(err)
			}
			return out
		})
		found += effect.Found
		edit.Dry = false
		moved("a title for "+name, effect.Effect, func() titles.Effect {
			if _, err := prog.Catalogue.EditTitle(ctx, edit, "w"); err != nil {
				t.Fatal(err)
			}
			return effect.Effect
		})
	}
	if found != 2 {
		t.Errorf("%d names are recognised by what the catalogue was given", found)
	}
}
