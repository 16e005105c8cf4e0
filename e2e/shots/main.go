// Command shots takes pictures of a running demo: of the main views for the documents, or of one address.
//
//	shots -url http://127.0.0.1:8321 -out docs/screenshots
//	shots -url http://127.0.0.1:8321 -path /position -out x.png -dark -width 700
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"ensomet/e2e/browser"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
)

var views = []struct{ name, path, wait string }{
	{"first-page", "/", ".four"},
	{"position", "/position?trail=p1/gdevice%3A%3Aall%20used", "[data-unit]"},
	{"devices", "/evidence", "tbody tr"},
	{"device", "/evidence/D0101", "tbody tr"},
	{
		"names",
		"/titles/names?f=state%3Dunrecognised&f=installs%3D%3E0&key=qstone%7Clgecho+workstation",
		"[data-choice]",
	},
	{"same-machine", "/evidence/same", "[data-pairs] td"},
	{"sources", "/evidence/sources", "tbody td"},
	{"splits", "/use/splits?by=unit", "[data-split-table]"},
	{"title", "/titles/347", "[data-version-spread] svg"},
	{"use", "/use?f=class%3Dunused%7Cnever+used%7Clight%7Cregular", "tbody tr"},
	{"person", "/evidence/people/u0241", "[data-names] td"},
	{"shared-licences", "/use/pools?pool=2", "[data-sizing-curve] circle"},
	{"worklist", "/worklist?f=kind%3Drestricted%7Chours%7Cmissing%7Cidle%7Cpool&q=&case=1", "[data-case-state]"},
	{"decide-together", "/worklist/together", "[data-lots] td"},
	{"what-it-saves", "/worklist/saved", "section.list tbody tr"},
	{"measures-to-try", "/position/try?scenario=1", "[data-tried] svg"},
	{"position-of-cores", "/position/352?trail=p352%2Fgcore%253A%253Aall%2520used", "[data-calc]"},
	{"between-two-days", "/position/changes?from=2025-12-31", "[data-moved] td"},
	{"what-ends", "/entitlements/ends", "[data-ends] td"},
}

func main() {
	url := flag.String("url", "http://127.0.0.1:8321", "a running demo")
	out := flag.String("out", "docs/screenshots", "a folder, or a file with -path")
	path := flag.String("path", "", "one address instead of the main views")
	wait := flag.String("wait", "main", "what must be there before the picture")
	click := flag.String("click", "", "what is clicked before the picture")
	role := flag.String("role", "run", "look, work or run")
	dark := flag.Bool("dark", false, "in the dark colours")
	width := flag.Int("width", 1280, "of the window")
	height := flag.Int("height", 800, "of the window")
	zoom := flag.Float64("zoom", 1, "2 is 200 %")
	flag.Parse()
	b, end, err := browser.Start()
	if err != nil {
		log.Fatal(err)
	}
	defer end()
	page := b.MustPage(*url + "/").Timeout(3 * time.Minute)
	if err := browser.Size(page, int(float64(*width)/(*zoom)), int(float64(*height)/(*zoom))); err != nil {
		log.Fatal(err)
	}
	page.MustElement("main, header")
	if enter, err := page.Timeout(3 * time.Second).Element(`[data-enter="` + *role + `"]`); err == nil {
		enter.CancelTimeout().MustClick()
	}
	page.MustElement("header")
	page.MustEval(`(d) => { localStorage.setItem('ensomet-dark', d) }`, *dark)
	shot := func(address, wait, file string) {
		page.MustNavigate(*url + address)
		page.MustWaitLoad()
		if _, err := page.Timeout(15 * time.Second).Element(wait); err != nil {
			log.Printf("%s: %q did not come", address, wait)
		}
		if *click != "" {
			page.MustElement(*click).MustClick()
		}
		time.Sleep(900 * time.Millisecond)
		save(page, file)
	}
	if *path != "" {
		shot(*path, *wait, *out)
		return
	}
	for _, v := range views {
		shot(v.path, v.wait, filepath.Join(*out, v.name+".png"))
		fmt.Println(v.name)
	}
}

func save(page *rod.Page, file string) {
	img, err := page.Screenshot(false, &proto.PageCaptureScreenshot{Format: proto.PageCaptureScreenshotFormatPng})
	if err != nil {
		log.Fatal(err)
	}
	if err := write(file, img); err != nil {
		log.Fatal(err)
	}
}

func write(file string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o644)
}
