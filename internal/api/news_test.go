package api

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"ensomet/internal/rest"
)

// A browser that asks for events is told at once what is, and of each renewal, until the program is stopped; who does
// not ask for events is told once, and nobody is told nothing.
func TestNews(t *testing.T) {
	_, prog := house(t)
	ending := make(chan struct{})
	server := New(prog, nil)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		server.ServeHTTP(w, r.WithContext(rest.WithEnding(r.Context(), ending)))
	}))
	t.Cleanup(s.Close)
	if status, _ := enter(t, s.URL, "").do("GET", "/api/news", "", nil); status != http.StatusUnauthorized {
		t.Errorf("nobody is told: %d", status)
	}
	look := enter(t, s.URL, "looker")
	status, once := look.do("GET", "/api/news", "", nil)
	if status != http.StatusOK || strings.Count(once, "data: {") != 1 {
		t.Errorf("asked once: %d %q", status, once)
	}
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/news", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Accept", "text/event-stream")
	req.Header.Set("Accept-Encoding", "gzip")
	res, err := look.client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if kind := res.Header.Get("Content-Type"); kind != "text/event-stream" || res.Header.Get("Content-Encoding") != "" {
		t.Fatalf("%s, %v", kind, res.Header)
	}
	lines := bufio.NewScanner(res.Body)
	told := func() (renewals int64) {
		t.Helper()
		for lines.Scan() {
			if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				var is struct{ Renewals int64 }
				if err := json.Unmarshal([]byte(text), &is); err != nil {
					t.Fatal(text, err)
				}
				return is.Renewals
			}
		}
		t.Fatal("the stream ended: ", lines.Err())
		return 0
	}
	before := told()
	prog.Renewal.Renewed()
	if now := told(); now != before+1 {
		t.Errorf("%d renewals after %d", now, before)
	}
	close(ending)
	if rest, err := io.ReadAll(res.Body); err != nil || strings.Contains(string(rest), "data:") {
		t.Errorf("stopped, it says %q, %v", rest, err)
	}
}
