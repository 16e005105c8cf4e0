package e2e

import (
	"os"
	"path/filepath"
	"testing"
	"time"
)

// A folder is watched: what lies there is taken in, what cannot be read says why, and that nothing came is said.
func TestAFolderIsWatched(t *testing.T) {
	page, url := open(t, "run", false)
	folder := t.TempDir()
	put := func(name, text string) {
		t.Helper()
		path, at := filepath.Join(folder, name), time.Now().Add(-time.Hour)
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.Chtimes(path, at, at); err != nil {
			t.Fatal(err)
		}
	}
	put("users.csv", "user_id,name\nw77,Wenche of the night\n")
	put("odd.csv", "no table of ours")
	page.MustNavigate(url + "/evidence/files")
	press(t, page, "[data-to-places]")
	says(t, page, ".page", "No place is watched yet")
	press(t, page, "[data-add]")
	page.MustElement("[data-name]").MustInput("exports of the night")
	page.MustElement("input[data-place]").MustInput("/etc")
	press(t, page, "[data-save]")
	says(t, page, "[data-says]", "was not told that it may look into /etc")
	page.MustElement("input[data-place]").MustSelectAllText().MustInput(folder)
	press(t, page, "[data-save]")
	says(t, page, "[data-says]", "Kept")
	press(t, page, `[data-of="exports of the night"] [data-look]`)
	says(t, page, "[data-look-says]", "2 new")
	row(t, page, "users.csv", "1 new")
	row(t, page, "odd.csv")
	look(t, page, "places")
	press(t, page, `[data-of="exports of the night"] [data-look]`)
	says(t, page, `[data-of="exports of the night"]`, "nothing new was there")
	page.MustNavigate(url + "/evidence/people/w77")
	says(t, page, "h1", "Wenche of the night")
}
