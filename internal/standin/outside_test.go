package standin

import (
	"bytes"
	"context"
	"encoding/csv"
	"slices"
	"strconv"
	"testing"
	"time"

	"ensomet/internal/app"
	"ensomet/internal/core/casework"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

func caseOf(t *testing.T, a *app.App, id int64) store.Case {
	t.Helper()
	var c store.Case
	if err := a.DB.View(context.Background(), func(tx *store.Tx) (err error) {
		c, err = tx.Case(id)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return c
}

// removeGame takes one restricted install through to gone by a later scan, and back again by a scan after that.
func removeGame(t *testing.T, a *app.App, o *Outside) {
	ctx := context.Background()
	var first store.CaseRow
	if err := a.DB.View(ctx, func(tx *store.Tx) error {
		page, err := tx.CasePage(store.ListQuery{Filters: map[string]string{"kind": "restricted"}, Sort: "id", Limit: 1})
		if err == nil {
			first = page.Rows[0]
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	act := func(what casework.Act) error {
		_, err := a.CaseAct(ctx, []int64{first.ID}, what, "tester", "", 0)
		return err
	}
	if act(casework.Send) == nil {
		t.Error("sent before anybody agreed")
	}
	for _, what := range []casework.Act{casework.Agree, casework.Send} {
		if err := act(what); err != nil {
			t.Fatal(err)
		}
	}
	var before [][]string
	device := caseDevice(t, a, first.DeviceID)
	if err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		before, err = tx.DeviceLines(device, Now)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if err := a.Refresh(ctx); err != nil || caseOf(t, a, first.ID).State != casework.Sent {
		t.Fatalf("without later evidence the case is %s, %v", caseOf(t, a, first.ID).State, err)
	}
	if n, err := o.MoveOn(ctx, a, 1); err != nil || n != 1 {
		t.Fatalf("%d devices reported, %v", n, err)
	}
	if err := a.Refresh(ctx); err != nil || caseOf(t, a, first.ID).State != casework.Gone {
		t.Fatalf("after the scan the case is %s, %v", caseOf(t, a, first.ID).State, err)
	}
	// A later scan finds it again: somebody has put it back.
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	w.Write(formats.Installs.Columns)
	for _, line := range before {
		line = slices.Clone(line)
		line[15] = o.Now().Add(30 * time.Minute).Format(time.RFC3339)
		w.Write(line)
	}
	w.Flush()
	if _, err := a.Import(ctx, app.ImportRequest{Kind: formats.Installs, File: "late", In: &buf, Author: "tester"}); err != nil {
		t.Fatal(err)
	}
	if _, err := o.MoveOn(ctx, a, 1); err != nil {
		t.Fatal(err)
	}
	if err := a.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	if c := caseOf(t, a, first.ID); c.State != casework.Open || c.CameBack != 1 {
		t.Errorf("back again, the case is %s and came back %d times", c.State, c.CameBack)
	}
	var steps []store.CaseStep
	if err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		steps, err = tx.Steps(first.ID)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	var path []string
	for _, s := range steps {
		path = append(path, s.To)
	}
	if !slices.Equal(path, []string{"open", "agreed", "sent", "gone", "open"}) {
		t.Errorf("the case went %v", path)
	}
}

func caseDevice(t *testing.T, a *app.App, id int64) string {
	t.Helper()
	code := ""
	if err := a.DB.View(context.Background(), func(tx *store.Tx) error {
		page, err := tx.DevicePage(store.ListQuery{Filters: map[string]string{"id": strconv.FormatInt(id, 10)}})
		if err == nil {
			code = page.Rows[0].Code
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return code
}
