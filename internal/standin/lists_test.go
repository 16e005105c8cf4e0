package standin

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ensomet/internal/api"
)

// listReader asks the program's lists over HTTP, as somebody who may look.
type listReader struct {
	t      *testing.T
	server http.Handler
	cookie string
}

func (l *listReader) ask(path string, query url.Values) (int, []byte) {
	r := httptest.NewRequest(http.MethodGet, "http://localhost"+path+"?"+query.Encode(), nil)
	r.Header.Set("Cookie", l.cookie)
	w := httptest.NewRecorder()
	l.server.ServeHTTP(w, r)
	return w.Code, w.Body.Bytes()
}

type listPage struct {
	Rows  []map[string]any `json:"rows"`
	Next  string           `json:"next"`
	Total int              `json:"total"`
}

func (l *listReader) page(path string, query url.Values) (p listPage) {
	l.t.Helper()
	status, body := l.ask(path, query)
	if err := json.Unmarshal(body, &p); status != http.StatusOK || err != nil {
		l.t.Fatalf("%s?%s: %d %s", path, query.Encode(), status, body)
	}
	return p
}

// everyList walks every list of the program over the demo: page by page it is, in the order of each of its columns up
// and down, the list as a whole; what it counts is what it gives; a file of it has the same rows; and what it does
// not have is refused.
func everyList(t *testing.T, server *api.Server) {
	l := signedIn(t, server)
	var description struct {
		Paths map[string]map[string]struct {
			Parameters []struct {
				Name string `json:"name"`
			} `json:"parameters"`
		} `json:"paths"`
	}
	text, err := server.Description()
	if err == nil {
		err = json.Unmarshal(text, &description)
	}
	if err != nil {
		t.Fatal(err)
	}
	lists, orders, filters := 0, 0, 0
	for path, methods := range description.Paths {
		has := func(name string) bool {
			for _, p := range methods["get"].Parameters {
				if p.Name == name {
					return true
				}
			}
			return false
		}
		if strings.Contains(path, "{") || !has("cursor") || !has("sort") || strings.Count(path, "/") > 2 {
			continue
		}
		lists++
		first := l.page(path, url.Values{"limit": {"1000"}})
		if first.Total < len(first.Rows) || first.Next == "" && first.Total != len(first.Rows) {
			t.Errorf("%s counts %d rows and gives %d", path, first.Total, len(first.Rows))
		}
		for _, bad := range []url.Values{{"sort": {"nothing of the kind"}}, {"f": {"nothing of the kind=1"}},
			{"f": {"no equals sign"}}, {"cursor": {"!"}}, {"split": {"nothing of the kind"}}, {"limit": {"0"}}} {
			if status, body := l.ask(path, bad); status < 400 || status >= 500 {
				t.Errorf("%s?%s: %d %.200s", path, bad.Encode(), status, body)
			}
		}
		if len(first.Rows) == 0 {
			continue
		}
		if first.Total <= 1000 {
			l.file(path, first)
			filters += l.filter(path, first)
		}
		for column := range first.Rows[0] {
			if status, _ := l.ask(path, url.Values{"sort": {column}, "limit": {"1"}}); status != http.StatusOK {
				continue // it is no column of the list but something that hangs on a row
			}
			for _, down := range []string{"false", "true"} {
				orders++
				l.walk(path, column, down, first.Total)
			}
		}
	}
	if lists < 15 || orders < 250 || filters < 140 {
		t.Errorf("only %d lists in %d orders, by %d filters", lists, orders, filters)
	}
	t.Logf("%d lists in %d orders, by %d filters", lists, orders, filters)
}

// walk reads the first rows of a list in one order in pages of an odd length, and holds them against one long page.
func (l *listReader) walk(path, column, down string, total int) {
	l.t.Helper()
	order := url.Values{"sort": {column}, "desc": {down}}
	ask := func(limit int, cursor string) listPage {
		q := url.Values{"limit": {fmt.Sprint(limit)}}
		for k, v := range order {
			q[k] = v
		}
		if cursor != "" {
			q.Set("cursor", cursor)
		}
		return l.page(path, q)
	}
	whole := ask(min(70, max(1, total)), "")
	var got []map[string]any
	for cursor := ""; len(got) < len(whole.Rows); {
		p := ask(33, cursor)
		got = append(got, p.Rows...)
		if cursor = p.Next; cursor == "" {
			break
		}
	}
	if len(got) < len(whole.Rows) {
		l.t.Errorf("%s by %s (down %s): %d rows in pages, %d as a whole", path, column, down, len(got),
			len(whole.Rows))
		return
	}
	for i := range whole.Rows {
		if fmt.Sprint(whole.Rows[i]) != fmt.Sprint(got[i]) {
			l.t.Errorf(
				"%s by %s (down %s): row %d is\n%v in pages and\n%v as a whole",
				path,
				column,
				down,
				i,
				got[i],
				whole.Rows[i],
			)
			return
		}
	}
	if column == "amount" { // its order is that of several currencies in one
		return
	}
	for i := 1; i < len(whole.Rows); i++ {
		x, xIs := whole.Rows[i-1][column].(float64)
		y, yIs := whole.Rows[i][column].(float64)
		if xIs && yIs && (down == "true" && x < y || down == "false" && x > y) {
			l.t.Errorf("%s by %s (down %s): %v stands before %v", path, column, down, x, y)
			return
		}
	}
}

// file holds a list's CSV file against its rows.
func (l *listReader) file(path string, want listPage) {
	l.t.Helper()
	status, body := l.ask(path+".csv", nil)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(string(body), "\ufeff"))).ReadAll()
	if status != http.StatusOK || err != nil || len(rows) == 0 {
		l.t.Errorf("%s.csv: %d, %v", path, status, err)
		return
	}
	if len(rows)-1 != want.Total {
		l.t.Errorf("%s.csv has %d rows, the list %d", path, len(rows)-1, want.Total)
	}
	for _, name := range rows[0] {
		if name == "" || strings.Contains(name, ",") {
			l.t.Errorf("%s.csv has a column without a name of its own: %q", path, rows[0])
		}
	}
	for i, name := range rows[0] { // a time is written as people read it
		if value, err := strconv.ParseInt(rows[1][i], 10, 64); err == nil && value > 1_000_000_000 {
			l.t.Errorf("%s.csv: %s is %d", path, name, value)
		}
	}
	for name := range want.Rows[0] {
		if name != "revision" && !slices.Contains(rows[0], name) { // that is for forms alone
			l.t.Errorf("%s.csv lacks %s", path, name)
		}
	}
}

// filter narrows a list to values that its rows have, column by column, and to a part of a text, and counts by hand
// what must be left. It returns how many filters were tried.
func (l *listReader) filter(path string, all listPage) (tried int) {
	l.t.Helper()
	for column := range all.Rows[0] {
		text := func(row map[string]any) string { // as the list's own column has it
			switch v := row[column].(type) {
			case string:
				return v
			case float64:
				if v == float64(int64(v)) {
					return strconv.FormatInt(int64(v), 10)
				}
			}
			return ""
		}
		value := text(all.Rows[len(all.Rows)/2])
		// words of the filter itself, and days, which are numbers inside
		if value == "" || strings.ContainsAny(value, "*|>/") || strings.Count(value, "-") == 2 {
			continue
		}
		count := func(fits func(string) bool) (n int) {
			for _, row := range all.Rows {
				if fits(text(row)) {
					n++
				}
			}
			return n
		}
		status, body := l.ask(path, url.Values{"f": {column + "=" + value}, "limit": {"1"}})
		if status != http.StatusOK {
			continue // no column of the list
		}
		var p listPage
		if err := json.Unmarshal(body, &p); err != nil {
			l.t.Fatal(err)
		}
		tried++
		if want := count(func(s string) bool { return s == value }); p.Total != want {
			l.t.Errorf("%s where %s is %s: %d rows, by hand %d", path, column, value, p.Total, want)
		}
		if _, isText := all.Rows[0][column].(string); !isText {
			continue
		}
		part := []rune(value)[len([]rune(value))/2:]
		p = l.page(path, url.Values{"f": {column + "=*" + string(part)}, "limit": {"1"}})
		if want := count(func(s string) bool {
			return strings.Contains(strings.ToLower(s),
				strings.ToLower(string(part)))
		}); p.Total != want {
			l.t.Errorf("%s where %s has %s: %d rows, by hand %d", path, column, string(part), p.Total, want)
		}
		if other := text(all.Rows[0]); other != value && other != "" && !strings.ContainsAny(other, "*|>/") {
			p = l.page(path, url.Values{"f": {column + "=" + value + "|" + other}, "limit": {"1"}})
			if want := count(func(s string) bool { return s == value || s == other }); p.Total != want {
				l.t.Errorf("%s where %s is %s or %s: %d rows, by hand %d", path, column, value, other, p.Total, want)
			}
		}
	}
	return tried
}
