package program

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/schedule"
	"ensomet/internal/places"
)

// drop writes a file as another program would that has been done for a while.
func drop(t *testing.T, folder, name, text string, ago time.Duration) {
	t.Helper()
	path := filepath.Join(folder, name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	at := time.Now().Add(-ago)
	if err := os.Chtimes(path, at, at); err != nil {
		t.Fatal(err)
	}
}

// A folder that an export is put into each night: what is new is taken in, once, the oldest first; what cannot be read
// waits with its reason, what is still being written waits for the next look, and that nothing came is said.
func TestAWatchedFolder(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	root := t.TempDir()
	folder := filepath.Join(root, "nightly")
	if err := os.Mkdir(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	prog.Places.Roots = []string{root}
	id, err := prog.Places.Save(ctx, places.Draft{Name: "exports", Place: folder, Pattern: "*.CSV",
		Calendar: schedule.Calendar{At: "03:00"}}, "ada")
	if err != nil {
		t.Fatal(err)
	}
	drop(t, folder, "users.csv", "user_id,name\nu1,Una\n", time.Hour)
	drop(t, folder, "devices.csv", "device_id,name,kind,primary_user\nD1,one,client,u1\n", time.Minute)
	drop(t, folder, "notes.txt", "nothing of ours", time.Hour)
	drop(t, folder, "broken.csv", "what is this", 2*time.Hour)
	drop(t, folder, "installs.csv", "device_id,na", 0) // half written
	look := func() places.View {
		t.Helper()
		v, err := prog.Places.Look(ctx, id, "ada")
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	v := look()
	if v.State != places.Came || len(v.Files) != 3 || v.Files[0].Name != "devices.csv" || !v.Files[2].Refused {
		t.Errorf("%+v", v)
	}
	if got := textsOf(t, prog, "SELECT code || ' ' || primary_user FROM device"); len(got) != 1 ||
		got[0] != "D1 u1" {
		t.Errorf("%v", got)
	}
	if v := look(); v.State != places.Nothing || len(v.Files) != 3 {
		t.Errorf("again: %+v", v)
	}
	// the same content under another name is none, another content under the same is
	drop(t, folder, "users-2.csv", "user_id,name\nu1,Una\n", time.Minute)
	drop(t, folder, "users.csv", "user_id,name\nu1,Una\nu2,Ulf\n", time.Minute)
	clock.now = clock.now.AddDate(0, 0, 1)
	if err := prog.Places.LookDue(ctx); err != nil {
		t.Fatal(err)
	}
	if got := textsOf(t, prog, "SELECT code FROM person ORDER BY 1"); strings.Join(got, " ") != "u1 u2" {
		t.Errorf("%v", got)
	}
	clock.now = clock.now.AddDate(0, 0, 1)
	if err := prog.Places.LookDue(ctx); err != nil {
		t.Fatal(err)
	}
	list, err := prog.Places.List(ctx)
	if err != nil || list[0].State != places.Nothing || list[0].CameAt != clock.now.AddDate(0, 0, -1).Unix() {
		t.Errorf("nothing came: %+v, %v", list, err)
	}
	if err := os.RemoveAll(folder); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Places.Look(ctx, id, "ada"); err == nil ||
		!strings.Contains(err.Error(), "cannot be read") {
		t.Error(err)
	}
}

// An address gives a file: it is fetched where it is another than before, and what breaks off is not taken in.
func TestAWatchedAddress(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	text, cut, asked := "user_id,name\nu1,Una\n", false, 0
	server := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		sum := sha256.Sum256([]byte(text))
		tag := `"` + hex.EncodeToString(sum[:4]) + `"`
		switch {
		case r.URL.Path == "/away.csv":
			http.Redirect(w, r, "https://elsewhere.example/users.csv", http.StatusFound)
			return
		case r.URL.Path == "/none.csv":
			http.NotFound(w, r)
			return
		case r.Header.Get("If-None-Match") == tag:
			w.WriteHeader(http.StatusNotModified)
			return
		}
		w.Header().Set("ETag", tag)
		if cut {
			w.Header().Set("Content-Length", "100000")
		}
		_, _ = w.Write([]byte(text))
	}))
	defer server.Close()
	host := strings.TrimPrefix(server.URL, "https://")
	prog.Places.Fetch.Hosts, prog.Places.Fetch.Client = []string{host}, server.Client()
	save := func(name, file string) int64 {
		t.Helper()
		id, err := prog.Places.Save(
			ctx,
			places.Draft{Name: name, Place: server.URL + file, Calendar: schedule.Calendar{
				At: "03:00"}},
			"ada",
		)
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	id := save("register", "/users.csv")
	for round, want := range []string{places.Came, places.Nothing} {
		if v, err := prog.Places.Look(ctx, id, "ada"); err != nil || v.State != want {
			t.Errorf("look %d: %+v, %v", round, v, err)
		}
	}
	text, cut = "user_id,name\nu2,Ulf\n", true
	if _, err := prog.Places.Look(ctx, id, "ada"); err == nil || !strings.Contains(err.Error(), "broke off") {
		t.Error(err)
	}
	cut = false
	if v, err := prog.Places.Look(ctx, id, "ada"); err != nil || v.State != places.Came {
		t.Errorf("%+v, %v", v, err)
	}
	if got := textsOf(t, prog, "SELECT code FROM person ORDER BY 1"); strings.Join(got, " ") != "u1 u2" {
		t.Errorf("%v", got)
	}
	for name, want := range map[string]string{"away": "was not told that it may fetch", "none": "404"} {
		if _, err := prog.Places.Look(ctx, save(name, "/"+name+".csv"), "ada"); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Nobody looks through this into places that whoever runs the program did not name.
func TestPlacesThatWereNotNamed(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	root, outside := t.TempDir(), t.TempDir()
	if err := os.Symlink(outside, filepath.Join(root, "link")); err != nil {
		t.Fatal(err)
	}
	prog.Places.Roots, prog.Places.Fetch.Hosts = []string{root}, []string{"files.halv.example"}
	for want, place := range map[string]string{
		"was not told that it may look into": outside,
		"not told that it may look":          filepath.Join(root, "link"),
		"may look into " + root + "/..":      root + "/..",
		"cannot be read":                     filepath.Join(root, "none"),
		"not the whole way":                  "exports",
		"may fetch from other.example":       "https://other.example/users.csv",
		"write https://host/file":            "http://files.halv.example/users.csv",
		"is not an address":                  "https://u:p@files.halv.example/users.csv",
	} {
		_, err := prog.Places.Save(
			ctx,
			places.Draft{Name: "x", Place: place, Calendar: schedule.Calendar{At: "03:00"}},
			"ada",
		)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", place, err)
		}
	}
}
