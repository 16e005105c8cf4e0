package program

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// keyRows reads the list of licence keys: state, devices, bought and lines by their last signs.
func keyRows(t *testing.T, prog *Program) map[string]string {
	t.Helper()
	out := map[string]string{}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := entitlements.KeyList().Page(tx, sqlite.ListQuery{})
		for _, r := range page.Rows {
			out[r.Hint] = fmt.Sprintf("%s: %d of %d (%s) %s", r.State, r.Devices, r.Bought, r.Lines, r.Product)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// sameKeys compares the list of licence keys with what it should be.
func sameKeys(t *testing.T, prog *Program, when string, want map[string]string) {
	t.Helper()
	got := keyRows(t, prog)
	for hint, w := range want {
		if got[hint] != w {
			t.Errorf("%s: …%s is %q, want %q", when, hint, got[hint], w)
		}
	}
	if len(got) != len(want) {
		t.Errorf("%s: %d keys, want %d: %v", when, len(got), len(want), got)
	}
}

const (
	keyA = "KELP7-WRACK-9DUNE-4TERN-AAAA1"
	keyB = "KELP7-WRACK-9DUNE-4TERN-BBBB2"
	keyC = "KELP7-WRACK-9DUNE-4TERN-CCCC3"
	keyD = "KELP7-WRACK-9DUNE-4TERN-DDDD4"
)

// keyedHouse is a house with three machines that have keys, and lines of which two are booked.
func keyedHouse(t *testing.T) (*Program, *movable) {
	t.Helper()
	prog, clock := desk(t)
	take(t, prog, formats.Titles, "publisher,product,category,licence_model", "Ostwick,Chart,tool,commercial")
	take(t, prog, formats.Devices, "device_id,name,kind", "D1,dev-1,client", "D2,dev-2,client", "D3,dev-3,client")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,kind,purchased",
		"E-1,Ostwick,Chart,device,2,perpetual,2026-01-01", "E-2,Ostwick,Chart,device,5,perpetual,2026-01-01",
		"E-3,Ostwick,Chart,core,8,perpetual,2026-01-01")
	take(t, prog, formats.Keys, "entitlement_id,key", "E-1,"+keyA, "E-2,"+strings.ToLower(keyD))
	return prog, clock
}

// A key that scans find is set against the lines on which it was booked: on more devices than there are licences, in
// use, nowhere, or booked by nobody. It follows the evidence and the booking.
func TestLicenceKeys(t *testing.T) {
	ctx := context.Background()
	prog, clock := keyedHouse(t)
	take(t, prog, formats.Installs, installHeader+",Product Key",
		"D1,Ostwick,Chart,1,,scan,2026-06-29T11:00:00Z,"+keyA,
		"D2,Ostwick,Chart,1,,scan,2026-06-29T11:00:00Z,kelp7 wrack 9dune 4tern aaaa1",
		"D3,Ostwick,Chart,1,,scan,2026-06-29T11:00:00Z,"+keyB)
	renew(t, prog)
	sameKeys(t, prog, "two of two", map[string]string{"AAAA1": "in use: 2 of 2 (E-1) Chart",
		"BBBB2": "unbought: 1 of 0 () Chart", "DDDD4": "nowhere: 0 of 5 (E-2) Chart"})
	cases := func() map[casework.Kind]casework.Case {
		out := map[casework.Kind]casework.Case{}
		for _, c := range casesOf(t, prog) {
			if c.Kind == casework.OverusedKey || c.Kind == casework.UnboughtKey {
				out[c.Kind] = c
			}
		}
		return out
	}
	if c := cases()[casework.UnboughtKey]; c.State != casework.Open || c.Quantity != 1 ||
		c.Proof[0] != "Licence keys of Chart that nobody has booked: 1, on 1 devices." ||
		c.Proof[1] != "…BBBB2: On dev-3." {
		t.Errorf("%+v", c)
	}

	// a scan over HTTP says so too; an older one that comes later changes nothing of today
	clock.now = clock.now.Add(24 * time.Hour)
	scan := func(device, at, key string) {
		t.Helper()
		s := &formats.Scan{Format: formats.ScanFormat, Source: "scan", Device: formats.ScanDevice{ID: device},
			Installs: []formats.ScanInstall{{Publisher: "Ostwick", Name: "Chart", Version: "1", Key: key}}}
		var err error
		if s.At, err = time.Parse(time.RFC3339, at); err != nil {
			t.Fatal(err)
		}
		if _, err := prog.Evidence.TakeScan(ctx, "scan", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	scan("D3", "2026-06-30T10:00:00Z", keyA)
	scan("D3", "2026-06-29T18:00:00Z", keyC)
	renew(t, prog)
	sameKeys(t, prog, "three of two", map[string]string{"AAAA1": "over: 3 of 2 (E-1) Chart",
		"DDDD4": "nowhere: 0 of 5 (E-2) Chart"})
	if c := cases(); c[casework.UnboughtKey].State != casework.Gone ||
		c[casework.OverusedKey].State != casework.Open ||
		c[casework.OverusedKey].Quantity != 1 ||
		c[casework.OverusedKey].Proof[0] != "The key …AAAA1 is on 3 devices, and E-1 has 2 licences." {
		t.Errorf("%+v", c)
	}

	// the same key on a second line, and two keys of one line
	if err := prog.Keys.AddKey(ctx, "E-2", keyA, "", "Oddny"); err != nil {
		t.Fatal(err)
	}
	scan("D2", "2026-06-30T10:00:00Z", keyD)
	renew(t, prog)
	sameKeys(t, prog, "seven licences together", map[string]string{"AAAA1": "in use: 2 of 7 (E-1, E-2) Chart",
		"DDDD4": "in use: 1 of 7 (E-2) Chart"})
	if c := cases()[casework.OverusedKey]; c.State != casework.Gone {
		t.Errorf("%+v", c)
	}

	// a machine that no longer reports its key, a retired one, and a line that counts cores
	scan("D1", "2026-07-01T07:00:00Z", "")
	take(t, prog, formats.Devices, "device_id,name,kind,status", "D3,dev-3,client,retired")
	if err := prog.Keys.AddKey(ctx, "E-3", keyC, "", "Oddny"); err != nil {
		t.Fatal(err)
	}
	scan("D2", "2026-07-01T07:00:00Z", keyC)
	renew(t, prog)
	sameKeys(t, prog, "cores", map[string]string{"AAAA1": "nowhere: 0 of 7 (E-1, E-2) Chart",
		"DDDD4": "nowhere: 0 of 7 (E-2) Chart", "CCCC3": "in use: 1 of -1 (E-3) Chart"})
}

// Of a key nothing but a hash under the secret and its last signs is in the data file, wherever it came from: a file, a
// line that was put aside and mended, a scan, keys.csv, or the page.
func TestNoKeyIsKeptAsItCame(t *testing.T) {
	ctx := context.Background()
	prog, _ := keyedHouse(t)
	take(t, prog, formats.Installs, installHeader+",key",
		"D1,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyA,
		"nobody,,,1,,scan,2026-06-29T10:00:00Z,"+keyB,
		"D2,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyC+",one field more",
		`D2,Ostwick,"Chart,1,,scan,2026-06-29T10:00:00Z,`+keyC)
	res := take(t, prog, formats.Keys, "entitlement_id,key", "E-1,"+keyB, "E-9,"+keyC, "E-2,"+keyD)
	if res.Added != 1 || res.Same != 1 || len(res.Aside) != 1 || strings.Contains(res.Aside[0].Content, "WRACK") ||
		!strings.Contains(res.Aside[0].Content, "…CCCC3") {
		t.Errorf("%+v", res)
	}
	for _, key := range []string{keyA, keyB, keyC, keyD} {
		for _, s := range res.Samples {
			if strings.Contains(fmt.Sprint(s), key) {
				t.Errorf("a sample shows a key: %v", s)
			}
		}
	}
	var id int64
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRowContext(ctx, "SELECT id FROM set_aside WHERE kind = 'keys'").Scan(&id)
	}); err != nil {
		t.Fatal(err)
	}
	if err := prog.Evidence.Mend(ctx, id, "E-3,…CCCC3", "Oddny"); err == nil {
		t.Error("the last signs alone are taken for a key")
	}
	if err := prog.Evidence.Mend(ctx, id, "E-3,"+keyC, "Oddny"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Keys.AddKey(ctx, "E-1", keyC, "", "Oddny"); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error { return nil }); err != nil {
		t.Fatal(err)
	}
	for _, end := range []string{"", "-wal"} {
		text, err := os.ReadFile(prog.DB.Path + end)
		if err != nil && !os.IsNotExist(err) {
			t.Fatal(err)
		}
		for _, part := range []string{keyA, keyB, keyC, keyD, "KELP7WRACK9DUNE4TERN", "WRACK", "wrack"} {
			if bytes.Contains(text, []byte(part)) {
				i := bytes.Index(text, []byte(part))
				t.Errorf("%q is in the file%s: %q", part, end, text[max(0, i-60):min(len(text), i+40)])
			}
		}
	}
	var out strings.Builder
	if err := prog.Reports.Export(ctx, formats.Installs.Name, 0, func([]string) error { return nil },
		func(values []string) error {
			_, err := fmt.Fprintln(&out, values)
			return err
		}); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(out.String(), "…AAAA1") || strings.Contains(out.String(), "WRACK") {
		t.Error(out.String())
	}
}

// Keys that were kept before they were compared become comparable when the program starts.
func TestOlderKeysBecomeComparable(t *testing.T) {
	ctx := context.Background()
	prog, _ := keyedHouse(t)
	take(t, prog, formats.Installs, installHeader+",key", "D1,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyA)
	if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
		_, err := tx.Exec("UPDATE licence_key SET hash = ''")
		return err
	}); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	sameKeys(t, prog, "before", map[string]string{"AAAA1": "unbought: 1 of 0 () Chart"})
	if err := prog.Keys.HashOlder(ctx); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	sameKeys(t, prog, "after", map[string]string{"AAAA1": "in use: 1 of 2 (E-1) Chart",
		"DDDD4": "nowhere: 0 of 5 (E-2) Chart"})
}

// Several keys of one product that are used too often are one case, and none is left once nothing has a key.
func TestTwoOverusedKeysOfOneProduct(t *testing.T) {
	ctx := context.Background()
	prog, clock := keyedHouse(t)
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,kind,purchased",
		"E-1,Ostwick,Chart,device,1,perpetual,2026-01-01", "E-2,Ostwick,Chart,device,1,perpetual,2026-01-01")
	take(t, prog, formats.Installs, installHeader+",key",
		"D1,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyA, "D2,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyA,
		"D2,Ostwick,Chart,1,,other,2026-06-29T10:00:00Z,"+keyD, "D3,Ostwick,Chart,1,,scan,2026-06-29T10:00:00Z,"+keyD)
	renew(t, prog)
	sameKeys(t, prog, "both", map[string]string{"AAAA1": "over: 2 of 1 (E-1) Chart",
		"DDDD4": "over: 2 of 1 (E-2) Chart"})
	var over []casework.Case
	for _, c := range casesOf(t, prog) {
		if c.Kind == casework.OverusedKey {
			over = append(over, c)
		}
	}
	if len(over) != 1 || over[0].Quantity != 2 || len(over[0].Proof) != 4 {
		t.Fatalf("%+v", over)
	}
	clock.now = clock.now.Add(24 * time.Hour)
	for _, source := range []string{"scan", "other"} {
		take(t, prog, formats.Installs, installHeader,
			"D1,Ostwick,Chart,1,,"+source+",2026-06-30T10:00:00Z",
			"D2,Ostwick,Chart,1,,"+source+",2026-06-30T10:00:00Z",
			"D3,Ostwick,Chart,1,,"+source+",2026-06-30T10:00:00Z")
	}
	for id := range int64(2) {
		if err := prog.Keys.DropKey(ctx, id+1, "Oddny"); err != nil {
			t.Fatal(err)
		}
	}
	renew(t, prog)
	sameKeys(t, prog, "none", nil)
	for _, c := range casesOf(t, prog) {
		if c.Kind == casework.OverusedKey && c.State != casework.Gone {
			t.Errorf("%+v", c)
		}
	}
}
