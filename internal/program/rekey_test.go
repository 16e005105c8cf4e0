package program

import (
	"context"
	"errors"
	"testing"

	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// Decisions that a program took which made keys otherwise hold on: their keys are made anew from the records that they
// were taken on. One whose new key somebody has decided since stays as it was.
func TestKeysOfDecisionsAreMadeAnew(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader,
		"D1,Nobody,Odd Thing,1,,,2026-06-29T10:00:00Z",
		"D2,Nobody,Other Thing,1,,,2026-06-29T10:00:00Z",
	)
	id := mustProduct(t, prog, "Skerrymap")
	keys := map[string]string{}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	names, err := listed(prog, func(*sqlite.ListQuery) (*sqlite.List[lists.NameRow], error) {
		return titles.NameList(), nil
	}, sqlite.ListQuery{})
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range names.Rows {
		keys[n.Name] = n.Key
	}
	for _, name := range []string{"Odd Thing", "Other Thing"} {
		if keys[name] == "" {
			t.Fatalf("%s waits for nobody: %v", name, keys)
		}
		if _, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{keys[name]}, Product: id},
			"me"); err != nil {
			t.Fatal(err)
		}
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Fatalf("%+v", f)
	}
	old := func(name, key string) {
		t.Helper()
		if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
			if _, err := tx.Exec("UPDATE decision SET key = ? WHERE key = ?", key, keys[name]); err != nil {
				return err
			}
			// as an older program leaves it: another form of keys, and all recognised for that
			return errors.Join(tx.SetSetting("key_form", "old"), tx.SetSetting(renewal.RecognisedFor, "old"))
		}); err != nil {
			t.Fatal(err)
		}
	}
	old("Odd Thing", "odd/thing")
	if _, err := prog.Titles.Recognise(ctx); err != nil {
		t.Fatal(err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Errorf("a decision is lost: %+v", f)
	}
	kept := map[string]int{}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := sqlite.Select[string](tx, "SELECT key FROM decision")
		for _, key := range list {
			kept[key]++
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if kept[keys["Odd Thing"]] != 1 || kept[keys["Other Thing"]] != 1 || kept["odd/thing"] != 0 {
		t.Errorf("%v, want the keys of %v", kept, keys)
	}
}
