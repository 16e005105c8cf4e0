package rest

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/scs/v2/memstore"
)

// heard are sessions of which it is not noted when they were in use.
type heard struct{ *memstore.MemStore }

func (heard) Touch(context.Context, string) error { return nil }

// somebody is the one account.
type somebody struct{}

func (somebody) ByNumber(context.Context, int64) (Account, error) {
	return Account{1, "somebody", access.Viewer}, nil
}

type countedRow struct {
	N    int64  `json:"n" column:"n"`
	Text string `json:"text" column:"text"`
}

// rows is a list of some rows, of which the one numbered bad cannot be read.
func rows(t *testing.T, n, bad int) *Server {
	t.Helper()
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	if err := db.Update(t.Context(), func(tx *sqlite.Tx) error {
		if _, err := tx.Exec("CREATE TABLE few (id INTEGER PRIMARY KEY, n INTEGER, text TEXT)"); err != nil {
			return err
		}
		_, err := tx.Exec("WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c WHERE n < ?1) INSERT INTO "+
			"few SELECT n, CASE WHEN n = ?2 THEN 'no number' ELSE n END, printf('%.200c', 'x') FROM c", n, bad)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	s := New(db, nil, Site{}, Guards{Sessions: heard{memstore.New()}, Accounts: somebody{}})
	s.Router.Get("/in", func(_ http.ResponseWriter, r *http.Request) {
		if err := s.Enter(r.Context(), 1, ""); err != nil {
			t.Error(err)
		}
	})
	List(s, "few", Of(func() *sqlite.List[countedRow] {
		return &sqlite.List[countedRow]{From: "few f", Key: "f.id", Sort: "n", Columns: []sqlite.Column{
			sqlite.Plain("n", "f.n"),
			sqlite.Plain("text", "f.text"),
		}}
	}), func(row countedRow) countedRow { return row })
	return s
}

// A file has all rows, and one without rows its columns; where a row cannot be read, in the midst of many or first of
// all, that is told, and no part of the file is sent.
func TestFilesOfLists(t *testing.T) {
	get := func(s *Server) (*http.Response, []byte, error) {
		server := httptest.NewServer(s.Router)
		defer server.Close()
		jar, err := cookiejar.New(nil)
		if err != nil {
			t.Fatal(err)
		}
		client := &http.Client{Jar: jar}
		if in, err := client.Get(server.URL + "/in"); err != nil || in.StatusCode != http.StatusOK {
			t.Fatal(in, err)
		}
		answer, err := client.Get(server.URL + "/api/few.csv")
		if err != nil {
			return nil, nil, err
		}
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		return answer, text, err
	}
	answer, text, err := get(rows(t, 5000, 0))
	if err != nil || answer.StatusCode != http.StatusOK {
		t.Fatal(answer, err)
	}
	if lines, err := csv.NewReader(strings.NewReader(string(text))).ReadAll(); err != nil || len(lines) != 5001 {
		t.Errorf("%d lines, %v", len(lines), err)
	}
	if _, text, err = get(rows(t, 0, 0)); err != nil || !strings.Contains(string(text), "n,text") {
		t.Errorf("a list without rows: %q, %v", text, err)
	}
	// numbers stand before texts, so that the bad row comes last
	if answer, text, err = get(rows(t, 5000, 17)); err != nil || answer.StatusCode != http.StatusInternalServerError ||
		strings.Contains(string(text), "xxx") {
		t.Errorf("a file that broke off after %d bytes looks whole: %v", len(text), err)
	}
	if answer, text, err = get(rows(t, 1, 1)); err != nil || answer.StatusCode != http.StatusInternalServerError ||
		answer.Header.Get("Content-Disposition") != "" {
		t.Errorf("a fault before the first row: %v %q %v", answer, text, err)
	}
}

// Those who ask for a file and do not take it hold nobody up: a list is answered while more of them wait than the data
// has readers.
func TestSlowLinesHoldNoReader(t *testing.T) {
	const slow = 10 // the data has eight readers
	s := rows(t, 60_000, 0)
	server := httptest.NewServer(s.Router)
	defer server.Close()
	in, err := http.Get(server.URL + "/in")
	if err != nil {
		t.Fatal(err)
	}
	in.Body.Close()
	cookie := in.Cookies()[0]
	var lines []net.Conn
	defer func() {
		for _, line := range lines {
			line.Close()
		}
	}()
	for range slow {
		line, err := net.Dial("tcp", strings.TrimPrefix(server.URL, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		lines = append(lines, line)
		if err := line.(*net.TCPConn).SetReadBuffer(4 << 10); err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(line, "GET /api/few.csv HTTP/1.1\r\nHost: x\r\nCookie: %s=%s\r\n\r\n", cookie.Name, cookie.Value)
	}
	for _, line := range lines { // each has begun to come, and is taken no further
		if err := line.SetReadDeadline(time.Now().Add(time.Minute)); err != nil {
			t.Fatal(err)
		}
		if n, err := line.Read(make([]byte, 12)); err != nil || n != 12 {
			t.Fatal("nothing comes:", n, err)
		}
	}
	asked, err := http.NewRequest(http.MethodGet, server.URL+"/api/few?limit=1", nil)
	if err != nil {
		t.Fatal(err)
	}
	asked.AddCookie(cookie)
	client := &http.Client{Timeout: time.Minute}
	answer, err := client.Do(asked)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK {
		t.Errorf("%d while %d lines stand still", answer.StatusCode, slow)
	}
}
