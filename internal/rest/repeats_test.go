package rest

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// A request with a key may take longer to be done than whoever reads it lets its body take: it is not taken for one
// whose sender has gone, and neither is the next one on its connection.
func TestKeyedRequestsMayTakeLong(t *testing.T) {
	p := repeats{now: time.Now, known: map[string]*answered{}}
	me := func(context.Context) Account { return Account{ID: 1} }
	server := httptest.NewServer(patient(BodyPatience)(p.once(me)(http.HandlerFunc(
		func(w http.ResponseWriter, r *http.Request) {
			// as the reader of described operations does
			if err := http.NewResponseController(w).SetReadDeadline(time.Now().Add(50 * time.Millisecond)); err != nil {
				t.Error(err)
			}
			body, err := io.ReadAll(r.Body)
			if err != nil {
				t.Error(err)
			}
			select {
			case <-r.Context().Done():
				t.Errorf("%s: its sender is taken to have gone", body)
			case <-time.After(300 * time.Millisecond):
			}
		}))))
	defer server.Close()
	for _, key := range []string{"one", "", "two"} {
		req, err := http.NewRequest(http.MethodPost, server.URL, strings.NewReader(`{"key":"`+key+`"}`))
		if err != nil {
			t.Fatal(err)
		}
		if key != "" {
			req.Header.Set(RequestKey, key)
		}
		answer, err := server.Client().Do(req)
		if err != nil {
			t.Fatal(err)
		}
		_ = answer.Body.Close()
	}
	if len(p.known) != 0 {
		t.Errorf("what changed nothing is kept: %d", len(p.known))
	}
}
