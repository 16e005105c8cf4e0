package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
)

// choose picks an option of a select by its label.
func choose(t *testing.T, box *rod.Element, label, option string) {
	t.Helper()
	page := box.Page()
	for {
		box.MustElement(`[aria-label="` + label + `"]`).MustClick()
		err := tryPress(page.Timeout(8*time.Second), `[role="option"]`, "^"+regexp.QuoteMeta(option)+"$", []any{})
		if err == nil {
			break
		}
		if page.GetContext().Err() != nil {
			t.Fatalf("%s cannot be chosen for %s: %v", option, label, err)
		}
	}
	if err := page.Wait(rod.Eval(`() => !document.querySelector('[role="listbox"]')`)); err != nil {
		t.Fatalf("the choices of %s stay open: %v", label, err)
	}
}

func sendFile(t *testing.T, page *rod.Page, name, text string) {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	page.MustElement(`input[type="file"]`).MustSetFiles(path)
}

// A list under foreign headers: what they mean is proposed, corrected, looked at, taken in; and the next file with
// the same headers needs no answer.
func TestMapAForeignFile(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/files")
	sendFile(
		t,
		page,
		"old inventory.csv",
		"Computer;Vendor;Application;Rel.;Scan Date\nD0001;Fjordwright;Tide Abacus;3.1;2026-06-29\n"+
			"D0002;Fjordwright;Tide Abacus;3.2;2026-06-29\nD0002;Fjordwright\n",
	)
	says(t, page, "[data-map]", "a word for the device")
	says(t, page, `[data-column="rel."]`, "keep it as a custom field")
	choose(t, page.MustElement(`[data-column="rel."]`), "what rel. is here", "version")
	press(t, page, "[data-mapped]")
	says(t, page, `[data-file="old inventory.csv"]`, "not stored yet")
	says(t, page, ".drop", "it has 2 fields and the header has 5")
	press(t, page, "[data-take]")
	says(t, page, `[data-file="old inventory.csv"]`, "taken in")
	sendFile(
		t,
		page,
		"newer inventory.csv",
		"Vendor;Computer;Application;Rel.;Scan Date\nFjordwright;D0003;Tide Abacus;3.3;2026-06-29\n",
	)
	says(t, page, `[data-file="newer inventory.csv"]`, "not stored yet")
	page.MustNavigate(url + "/evidence/D0002")
	row(t, page, "Tide Abacus", "3.2")
}

// A document that does not say whose software it is asks for the device.
func TestADocumentAsksForItsDevice(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/files")
	sendFile(
		t,
		page,
		"bom.json",
		`{"bomFormat":"CycloneDX","specVersion":"1.6","components":[{"type":"application","name":"Tide Abacus","version":"3.1","publisher":"Fjordwright"}]}`,
	)
	says(t, page, "td", "It is the software of")
	pickOption(t, page, `[aria-label="the device"]`, "hal-lost-01", "hal-lost-01")
	says(t, page, `[data-file="bom.json"]`, "not stored yet")
	press(t, page, "[data-take]")
	says(t, page, `[data-file="bom.json"]`, "taken in")
	page.MustNavigate(url + "/evidence?q=hal-lost-01")
	pressIn(t, page, "a", "hal-lost-01")
	row(t, page, "Tide Abacus", "3.1")
}

// Two devices ticked in the list stand side by side, with a warning since one has been silent.
func TestCompareTwoDevices(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence?q=-00&sort=lastSeen")
	pressIn(t, page, "input", "hal-eider-00")
	page.MustNavigate(url + "/evidence?q=hal-eider-001")
	page.MustNavigate(url + "/evidence/compare?left=D0001")
	pickOption(t, page, `[aria-label="the right device"]`, "hal-eider-001", "hal-eider-001")
	says(t, page, "[data-warning]", "days apart")
	row(t, page, "unit", "Shore/Charting", "Sea/Eider", "differs")
	if n := len(page.MustElements(`[data-what="same"]`)); n != 0 {
		t.Errorf("%d programs that are the same stand among what differs", n)
	}
	press(t, page, ".p-toggleswitch")
	page.MustElement(`[data-what="same"]`)
	// ticking two in the list leads to the same page
	page.MustNavigate(url + "/evidence?q=hal-chart-00")
	for _, name := range []string{"hal-chart-001", "hal-chart-002"} {
		pressIn(t, page, `input[type="checkbox"]`, name)
	}
	press(t, page, "[data-compare]")
	says(t, page, "th", "hal-chart-002")
}

// A group by conditions: who is in is seen while it is made; the list of devices can be narrowed to it.
func TestMakeAGroupByConditions(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/groups")
	row(t, page, "vessels", "192")
	press(t, page, "[data-new-group]")
	page.MustElement("[data-group-name]").MustInput("wide machines of the hall")
	says(t, page, "[data-preview] h2", "1\u202f226 devices")
	press(t, page, "[data-add-line]")
	line := page.MustElement("[data-line]")
	choose(t, line, "what is asked about", "address")
	page.MustElement(`[data-line] [data-value]`).MustInput("10.24.0.0/13")
	press(t, page, "[data-add-box]")
	says(t, page, "[data-box] [data-box]", "any of these holds")
	inner := page.MustElement("[data-box] [data-box] [data-line]")
	choose(t, inner, "what is asked about", "virtual cores")
	page.MustElement("[data-box] [data-box] [data-line] [data-value]").MustInput("8")
	says(t, page, "[data-preview] h2", "32 devices")
	says(t, page, "[data-preview]", "lies in 10.24.0.0/13; virtual cores 8")
	press(t, page, "[data-effect]")
	says(t, page, "[data-says]", "The group is set")
	pressIn(t, page, ".num a", "wide machines of the hall", "32")
	says(t, page, "[data-total]", "32 devices")
	row(t, page, "hall-vm-004")
}

func TestFindAFile(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence/find")
	page.MustElement("[data-file-name]").MustInput("jettytal??.exe")
	says(t, page, "[data-found]", "have a file of that name")
	says(t, page, "[data-found]", "no file is known at all")
	count := row(t, page, "jettytally.exe").MustElement("a").MustText()
	pressIn(t, page, "a", "jettytally.exe")
	says(t, page, "[data-total]", count+" device")
	says(t, page, "[data-having]", "have the file jettytally.exe 1.")
	press(t, page, "[data-having] button")
	says(t, page, "[data-total]", "1\u202f22")
}

// From the publisher down to the record and its files, and back to the same row.
func TestDownToTheRecordAndBack(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence/where")
	pressIn(t, page, "button", "Ostwick Foundry")
	pressIn(t, page, "button", "Skerrymap Viewer")
	says(t, page, "[aria-current=step]", "Skerrymap Viewer")
	press(t, page, "[data-levels] tbody tr button")
	press(t, page, "[data-holders] tbody tr")
	says(t, page, "[data-record]", "As the source wrote it")
	says(t, page, "[data-record] h3", "file")
	page.MustNavigateBack()
	says(t, page, "[aria-current=step]", "Skerrymap Viewer")
	says(t, page, "nav[aria-label='the way down']", "All publishers")
}

// A vessel at sea is asked for scans by its plan; when it comes into port, its machines answer what they missed, and
// the list says what went wrong with some.
func TestAPlanCatchesUpAVesselInPort(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence/scans?q=eider&f=state%3Dwaiting")
	row(t, page, "hal-eider-001", "waiting", "start of 2026-06-29 02:00")
	stale := func() bool {
		return strings.Contains(page.MustElement("[data-total]").MustText(), "stale")
	}
	page.MustNavigate(url + "/evidence?q=eider")
	row(t, page, "hal-eider-001")
	if !stale() {
		t.Error("the vessel's machines are not stale to begin with")
	}
	for range 3 { // Eider comes in on the third day
		press(t, page, "[data-move-on]:not([disabled])")
		page.MustElement("[data-move-on][disabled]")
		page.MustElement("[data-move-on]:not([disabled])")
	}
	page.MustNavigate(url + "/evidence/scans?q=eider&f=state%3Ddone")
	row(t, page, "hal-eider-0", "done", "2026-07-03")
	page.MustNavigate(url + "/evidence?q=eider&f=age%3Dfresh")
	row(t, page, "hal-eider-0", "2026-07-03")
}

// Devices ticked in the list are asked for scans; a plan is made with a time at which nothing starts.
func TestAskForScansAndPlan(t *testing.T) {
	page, url := open(t, "work", false)
	page.MustNavigate(url + "/evidence?q=bench-0")
	pressIn(t, page, `input[type="checkbox"]`, "bench-01")
	press(t, page, "[data-ask]")
	says(t, page, ".p-toast", "1 scan asked for")
	page.MustNavigate(url + "/evidence/scans?q=bench-01")
	row(t, page, "bench-01", "waiting", "asked for")
	press(t, page, "[data-new-plan]")
	page.MustElement("[data-plan-name]").MustInput("the bench")
	press(t, page, "[data-save-plan]")
	says(t, page, "[data-says]", "is set")
	row(t, page, "the bench", "every device in service", "14 days old")
}

// A token is shown once; what is noise goes quiet.
func TestGiveATokenAndQuietenNoise(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/senders")
	page.MustElement("[data-source]").MustInput("harbour gateway")
	press(t, page, "[data-give]")
	says(t, page, "[data-secret]", "ensomet_")
	says(t, page, `[data-token="harbour gateway"]`, "never")
	page.MustReload()
	says(t, page, `[data-token="harbour gateway"]`, "ensomet_")
	if len(page.MustElements("[data-secret]")) > 0 {
		t.Error("the token is shown again")
	}
	page.MustNavigate(url + "/evidence/changes?q=Jettytally&rules=yes")
	first := row(t, page, "Jettytally")
	before := page.MustElement("[data-total]").MustText()
	first.MustHover()
	pressIn(t, page, ".hush", "Jettytally")
	says(t, page, "[data-add-rule]", "Quieten")
	if err := page.Wait(rod.Eval(`() => /Quieten \d/.test(document.querySelector('[data-add-rule]').textContent)`)); err != nil {
		t.Fatal("the effect of the rule is not shown")
	}
	press(t, page, "[data-add-rule]")
	says(t, page, "[role=status]", "went quiet")
	if err := page.Wait(rod.Eval(`(b) => document.querySelector('[data-total]').textContent !== b`,
		before)); err != nil {
		t.Error("the list still has what is noise")
	}
}

// The ways into the evidence work without a mouse.
func TestEvidenceFromTheKeyboard(t *testing.T) {
	page, url := open(t, "look", false)
	page.MustNavigate(url + "/evidence/where")
	page.MustElement("[data-levels] tbody tr").MustFocus()
	page.Keyboard.MustType(input.Enter)
	says(t, page, "nav[aria-label='the way down']", "All publishers")
	page.MustElement("[data-levels] tbody tr")
}

// A folder of files with two bad lines goes in; one line is mended.
func TestImportAFolderAndMendALine(t *testing.T) {
	page, url := open(t, "run", true)
	says(t, page, ".first", "Nothing is here yet")
	dir := t.TempDir()
	for name, text := range map[string]string{
		"titles.csv": "publisher,product,version,licence_model,list_price,currency\n" +
			"Ostwick,Skerrymap,6,commercial,100,EUR\n",
		"devices.csv": "device_id,name,kind,last_scan\nD1,alpha,client,2026-06-29\nD2,beta,client,2026-06-29\n",
		"entitlements.csv": "entitlement_id,publisher,product,metric,quantity,purchased\n" +
			"E1,Ostwick,Skerrymap,device,1,2025-01-01\nE2,Ostwick,Skerrymap,device,-3,2025-01-01\n",
		"installs.csv": "device_id,publisher,name,version,seen_at\nD1,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\n" +
			"D2,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\nD9,Ostwick,Skerrymap 6,6.1,2026-06-29T10:00:00Z\n",
		"pools.csv": "pool,publisher,product,server,quantity\nhall,Ostwick,Skerrymap,lic-1,2\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	page.MustNavigate(url + "/evidence/files")
	files := []string{}
	for _, n := range []string{"pools.csv", "installs.csv", "entitlements.csv", "devices.csv", "titles.csv"} {
		files = append(files, filepath.Join(dir, n))
	}
	page.MustElement(`input[type="file"]`).MustSetFiles(files...)
	says(t, page, `[data-file="pools.csv"]`, "not stored yet") // the last of them in their order
	press(t, page, "[data-take]")
	says(t, page, `[data-file="pools.csv"]`, "taken in")
	row(t, page, "entitlements.csv", "quantity is -3")
	row(t, page, "installs.csv", `no device "D9"`)
	pressIn(t, page, "", "entitlements.csv", "quantity is -3")
	page.MustElement("[data-mend-text]").MustSelectAllText().MustInput("E2,Ostwick,Skerrymap,device,x,2025-01-01")
	press(t, page, "[data-mend]")
	says(t, page, "[data-says]", "not a whole number")
	page.MustElement("[data-mend-text]").MustSelectAllText().MustInput("E2,Ostwick,Skerrymap,device,3,2025-01-01")
	press(t, page, "[data-mend]")
	says(t, page, "[data-says]", "The line went in")
	row(t, page, "entitlements.csv", "mended")
	page.MustNavigate(url + "/position")
	row(t, page, "Skerrymap", "4", "2 spare")
}

// Two devices that are one: the effect shows before, the page of either name is the one device then, and taken back
// both are there again.
func TestTwoDevicesAreJoinedAndComeApart(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/same")
	says(t, page, `[data-pair="D0311 D0312"]`, "likely: the same host name hal-chart-twin")
	press(t, page, `[data-pair="D0311 D0312"] input`)
	says(t, page, "[data-decide] .effect", "devices")
	says(t, page, "[data-decide] .effect", "say why, then press")
	page.MustElement("[data-reason]").MustInput("the label says so")
	press(t, page, "[data-decide] .effect:not(:disabled)")
	says(t, page, "[data-says]", "Decided")
	says(t, page, "[data-acts]", "the label says so")
	page.MustNavigate(url + "/evidence/D0312")
	says(t, page, "[data-known-as]", "D0311")
	says(t, page, `[data-called="D0312"]`, "device list")
	// one of the names is another machine after all
	press(t, page, `[data-called="D0312"] input`)
	page.MustElement("[data-part-why]").MustInput("it stands on the other desk")
	says(t, page, "[data-part] .effect", "devices")
	press(t, page, "[data-part] .effect:not(:disabled)")
	says(t, page, "[data-parted]", "is the device D0312 now")
	for _, code := range []string{"D0311", "D0312"} {
		page.MustNavigate(url + "/evidence/" + code)
		says(t, page, "aside", code)
	}
	// and that is taken back, then the first decision
	for range 2 {
		page.MustNavigate(url + "/evidence/same")
		press(t, page, `[data-acts] tbody tr:not(.soft) button`, "^take it back$")
		press(t, page, `[data-acts] tbody tr:not(.soft) button`, "^take it back$")
		says(t, page, "[data-taken-back]", "Taken back")
	}
	says(t, page, `[data-pair="D0311 D0312"]`, "hal-chart-twin")
}

// A source is retired: what that does shows before, its software is gone from the device with the reason, and in use
// again it counts again.
func TestASourceIsRetired(t *testing.T) {
	page, url := open(t, "run", false)
	page.MustNavigate(url + "/evidence/sources")
	press(t, page, `[data-of="deployment tool"] [data-open]`)
	page.MustElement("[data-retired]").MustInputTime(time.Date(2026, 6, 25, 0, 0, 0, 0, time.UTC))
	says(t, page, "[data-save-source]", "would count no more")
	page.MustElement("[data-why]").MustInput("the tool was switched off")
	says(t, page, "[data-save-source]", "Retire it")
	press(t, page, "[data-save-source]:not(:disabled)")
	says(t, page, "[data-says]", "holds now")
	says(t, page, `[data-of="deployment tool"]`, "retired 2026-06-25")
	says(t, page, `[data-of="deployment tool"]`, "45")
	page.MustNavigate(url + "/evidence/D0313")
	press(t, page, `[aria-label="also what is gone"], .p-toggleswitch input`)
	says(t, page, "section", "its source is retired")
	page.MustNavigate(url + "/evidence/sources?source=deployment+tool")
	page.MustElement("[data-retired]").MustEval(`() => { this.value = ''; this.dispatchEvent(new Event('input')) }`)
	says(t, page, "[data-save-source]", "would count again")
	press(t, page, "[data-save-source]:not(:disabled)")
	says(t, page, `[data-of="deployment tool"]`, "in use")
}
