package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/intake"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

func TestFilesOverHTTP(t *testing.T) {
	s, _ := house(t)
	p := enter(t, s.URL, "runer")
	text := "device_id,name,shelf\nD90,new one,4\nD91,\"broken\n"
	send := func(dry bool, text string) (int, intake.ImportResult, string) {
		status, answer := p.do("POST", fmt.Sprintf("/api/import/devices?file=more.csv&dry=%v", dry), text, nil)
		var res intake.ImportResult
		_ = json.Unmarshal([]byte(answer), &res)
		return status, res, answer
	}
	devices := func() int {
		_, answer := p.do("GET", "/api/devices?limit=1", "", nil)
		var page sqlite.Page[lists.DeviceRow]
		if err := json.Unmarshal([]byte(answer), &page); err != nil {
			t.Fatal(err)
		}
		return page.Total
	}
	for _, dry := range []bool{true, true, false} {
		status, res, answer := send(dry, text)
		if status != 200 || res.Added != 1 || len(res.Aside) != 1 || res.Aside[0].Line != 3 ||
			strings.Join(res.Columns, "") != "shelf" {
			t.Fatalf("dry %v: %d %s", dry, status, answer)
		}
	}
	if n := devices(); n != 58 {
		t.Errorf("%d devices after looking twice and taking in once", n)
	}
	for text, want := range map[string]string{"": "empty", "a,b\n1,2\n": "lacks the column device_id",
		"device_id,name\nD1,x\nD2": "cut off"} {
		if status, _, answer := send(false, text); status != 422 || !strings.Contains(answer, want) {
			t.Errorf("%q: %d %s", text, status, answer)
		}
	}
	if status, answer := p.do("POST", "/api/import/gadgets", "x", nil); status != 422 ||
		!strings.Contains(answer, "no kind of file") {
		t.Errorf("%d %s", status, answer)
	}
	_, answer := p.do("GET", "/api/asides?f=state%3Dwaiting", "", nil)
	var page sqlite.Page[evidencedb.AsideRow]
	if err := json.Unmarshal([]byte(answer), &page); err != nil || page.Total != 1 {
		t.Fatal(answer)
	}
	mend := func(content string) (int, string) {
		body, _ := json.Marshal(map[string]string{"content": content})
		return p.do("POST", fmt.Sprintf("/api/asides/%d/mend", page.Rows[0].ID), string(body), nil)
	}
	if status, answer := mend("D91,two,fields,too many"); status != 422 ||
		!strings.Contains(answer, "4 fields and the header has 3") {
		t.Errorf("%d %s", status, answer)
	}
	if status, answer := mend("D91,mended,5"); status != 200 {
		t.Errorf("%d %s", status, answer)
	}
	if n := devices(); n != 59 {
		t.Errorf("%d devices after mending", n)
	}
}

// An upload that is stopped in the middle leaves nothing behind.
func TestAStoppedUploadStoresNothing(t *testing.T) {
	s, prog := house(t)
	p := enter(t, s.URL, "runer")
	ctx, stop := context.WithCancel(context.Background())
	reader, writer := io.Pipe()
	req, err := http.NewRequestWithContext(ctx, "POST", s.URL+"/api/import/devices?file=long.csv", reader)
	if err != nil {
		t.Fatal(err)
	}
	done := make(chan error, 1)
	go func() {
		res, err := p.client.Do(req)
		if err == nil {
			res.Body.Close()
		}
		done <- err
	}()
	if _, err := io.WriteString(writer, "device_id,name\n"); err != nil {
		t.Fatal(err)
	}
	for i := range 30_000 {
		if _, err := fmt.Fprintf(writer, "X%d,never\n", i); err != nil {
			t.Fatal(err)
		}
	}
	stop()
	writer.CloseWithError(io.ErrUnexpectedEOF) // the client waits for its body, stopped or not
	select {
	case err := <-done:
		if err == nil {
			t.Error("the upload came to an end")
		}
	case <-time.After(20 * time.Second):
		t.Fatal("the upload neither stops nor ends")
	}
	deadline := time.Now().Add(10 * time.Second)
	for prog.DB.Update(context.Background(), func(tx *sqlite.Tx) error { return nil }) != nil &&
		time.Now().Before(deadline) {
		time.Sleep(20 * time.Millisecond)
	}
	if _, answer := p.do("GET", "/api/devices?q=never&limit=1", "", nil); !strings.Contains(answer, `"total":0`) {
		t.Error(answer)
	}
}

// The description names every address under /api that the pages call, and refuses bodies that do not fit.
func TestDescription(t *testing.T) {
	s, prog := house(t)
	text, err := New(prog, nil).Description()
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		OpenAPI string                    `json:"openapi"`
		Paths   map[string]map[string]any `json:"paths"`
	}
	if err := json.Unmarshal(text, &doc); err != nil || !strings.HasPrefix(doc.OpenAPI, "3.1") {
		t.Fatalf("%s, %v", doc.OpenAPI, err)
	}
	if len(doc.Paths) < 30 {
		t.Errorf("only %d addresses are described", len(doc.Paths))
	}
	p := enter(t, s.URL, "worker")
	for _, body := range []string{`{"ids":[],"act":"agree"}`, `{"ids":[1],"act":"burn"}`, `{"ids":"all"}`, `not json`,
		`{"ids":[1],"act":"keep","until":"tomorrow"}`} {
		if status, answer := p.do("POST", "/api/cases/act", body, nil); status != 422 && status != 400 ||
			!strings.Contains(answer, `"detail"`) {
			t.Errorf("%s: %d %s", body, status, answer)
		}
	}
	for _, path := range []string{"/api/devices/D999", "/api/products/999/position", "/api/products/999",
		"/api/records/99999", "/api/cases/99", "/api/names/one?key=x"} {
		if status, answer := p.do("GET", path, "", nil); status != 404 || !strings.Contains(answer, "no such thing") {
			t.Errorf("%s: %d %s", path, status, answer)
		}
	}
	if status, _ := p.do("GET", "/api/nothing/here", "", nil); status != 404 {
		t.Errorf("an address that is none answers %d", status)
	}
}

func TestRulesOverHTTP(t *testing.T) {
	s, _ := house(t)
	worker, looker := enter(t, s.URL, "worker"), enter(t, s.URL, "looker")
	body := `{"revision":0,"freshDays":20,"useWindow":60,"graceDays":10}`
	if status, _ := looker.do("PUT", "/api/rules", body, nil); status != 403 {
		t.Errorf("who may only look sets the rules: %d", status)
	}
	if status, answer := worker.do("PUT", "/api/rules", body, nil); status != 200 {
		t.Errorf("%d %s", status, answer)
	}
	if status, _ := worker.do("PUT", "/api/rules", `{"revision":0,"freshDays":0,"useWindow":60,"graceDays":10}`,
		nil); status != 422 {
		t.Errorf("evidence that is never fresh is allowed: %d", status)
	}
	if _, answer := looker.do("GET", "/api/rules", "", nil); !strings.Contains(answer, `"useWindow":60`) {
		t.Error(answer)
	}
}
