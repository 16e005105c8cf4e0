package standin

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
)

// The devices of the stories about which machine a record is. No other story uses them.
const (
	sameSerial  = "D0171" // another source knows it by a number of its own, and by the serial number
	fullName    = "D0172" // another source knows its full host name alone
	cloneA      = "D0173" // one disk, copied: two machines with one machine id
	cloneB      = "D0174"
	reinstalled = "D0175" // got a new machine id
	dockA       = "D0176" // one dock, at three desks
	dockB       = "D0177"
	dockC       = "D0178"
	noSerialA   = "D0179" // the maker left the serial number as it came
	noSerialB   = "D0180"
	longName    = "D0181" // another source cuts its name at 15 characters
	scrapped    = "D0197" // somebody saw it go to the scrap; the list says that it is in service
	application = "D0183" // two documents about one application, and one about another
)

// The sources of these stories.
const (
	hardwareCount = "hardware count" // knows machines by numbers of its own
	springList    = "spring list"    // was sent once, in March
	oldInventory  = "old inventory"  // is retired
	onceList      = "summer list"    // was sent once, lately
)

// oddities changes what a machine says of itself at a time.
func oddities(code string, at time.Time, d *formats.ScanDevice) {
	switch code {
	case cloneA, cloneB:
		d.Maker, d.MachineID = "Halvard", "6f1e02c4a9b84d0d9a55c2d1f0b7e301"
	case reinstalled:
		d.Maker, d.MachineID = "Halvard", "0b8d61f2c7e14aa09f2e55d3b1c60a11"
		if at.After(Now.AddDate(0, 0, -firstDays-4)) {
			d.MachineID = "e2c94f70a1d34b6c8b07f9a6d2e51c22"
		}
	case dockA, dockB, dockC:
		d.HardwareAddresses = []string{"02:48:61:6c:76:01"}
	case noSerialA, noSerialB:
		d.Maker, d.Serial = "Halvard", "To be filled by O.E.M."
	case sameSerial:
		d.Maker = "Halvard"
	}
}

// sourceStories are products that sources report otherwise than the collector does.
func (w *world) sourceStories() {
	list := func(p *product, source, seen string, devices ...*device) {
		for _, d := range devices {
			row := make([]string, len(formats.Installs.Columns))
			row[0], row[1], row[2], row[3] = d.id, p.publisher, p.name, "3"
			row[slices.Index(formats.Installs.Columns, "source")] = source
			row[slices.Index(formats.Installs.Columns, "seen_at")] = seen
			w.lists = append(w.lists, row)
		}
	}
	staff := w.unitsOf["Shore/Charting"]
	level := w.newProduct(product{publisher: vest, name: "Turnstone Level", category: "drawing", price: "95",
		versions: []string{"3"}})
	list(level, springList, "2026-03-20T08:00:00Z", staff[183:187]...)
	list(level, onceList, "2026-06-22T08:00:00Z", staff[187])
	w.hide(
		"a list of March keeps nothing alive where newer scans are there; one of last week does",
		level,
		"device",
		map[string]int64{"owned": 0, "needed": 1, "short": 1},
	)

	gauge := w.newProduct(product{publisher: vest, name: "Turnstone Gauge", category: "drawing", price: "120",
		versions: []string{"3"}})
	list(gauge, oldInventory, "2026-06-20T08:00:00Z", staff[188:193]...)
	w.hide("a source that is retired keeps nothing alive", gauge, "device",
		map[string]int64{"owned": 0, "needed": 0, "short": 0})

	plumb := w.newProduct(product{publisher: vest, name: "Turnstone Plumb", category: "drawing", price: "80",
		versions: []string{"3"}})
	for _, d := range []*device{staff[196], staff[193], staff[194]} {
		w.put(d, plumb, "", "3")
	}
	w.hide("a machine that somebody saw go to the scrap needs nothing", plumb, "device",
		map[string]int64{"owned": 0, "needed": 2, "short": 2})

	tape := w.newProduct(product{publisher: vest, name: "Turnstone Tape", category: "drawing", price: "65",
		versions: []string{"3"}})
	for _, d := range []*device{staff[170], staff[195]} {
		w.put(d, tape, "", "3")
	}
	w.hide("what two sources report of one machine under two names counts once", tape, "device",
		map[string]int64{"owned": 0, "needed": 2, "short": 2})
	for _, d := range w.devices {
		if d.id == longName {
			d.name = "hal-chart-drawings-181"
		}
	}
}

// documents are bills of materials of the application device: of one application in two forms, and of another one.
func documents() map[string]string {
	cycloneDX := func(app, version string, parts ...string) string {
		var list []string
		for _, p := range parts {
			list = append(
				list,
				fmt.Sprintf(`{"type":"library","name":%q,"version":"1.4.2","purl":"pkg:npm/%s@1.4.2"}`, p, p),
			)
		}
		return fmt.Sprintf(`{"bomFormat":"CycloneDX","specVersion":"1.5","version":1,"metadata":{
			"timestamp":"2026-06-20T08:00:00Z","component":{"type":"application","name":%q,"version":%q}},
			"components":[%s]}`, app, version, strings.Join(list, ","))
	}
	return map[string]string{
		"tide-desk.cdx.json":  cycloneDX("Tide Desk", "2.1", "harbour-grid", "harbour-chart"),
		"quay-board.cdx.json": cycloneDX("Quay Board", "1.0", "harbour-lamp"),
		"tide-desk.spdx.json": `{"spdxVersion":"SPDX-2.3","dataLicense":"CC0-1.0","SPDXID":"SPDXRef-DOCUMENT",
			"name":"Tide Desk","documentNamespace":"https://halvorsund.example/tide-desk",
			"creationInfo":{"created":"2026-06-21T08:00:00Z","creators":["Tool: house"]},
			"documentDescribes":["SPDXRef-app"],"packages":[
			{"SPDXID":"SPDXRef-app","name":"Tide Desk","versionInfo":"2.1","downloadLocation":"NOASSERTION"},
			{"SPDXID":"SPDXRef-g","name":"harbour-grid","versionInfo":"1.4.2","downloadLocation":"NOASSERTION",
			"externalRefs":[{"referenceCategory":"PACKAGE-MANAGER","referenceType":"purl",
			"referenceLocator":"pkg:npm/harbour-grid@1.4.2"}]}],
			"relationships":[{"spdxElementId":"SPDXRef-DOCUMENT","relationshipType":"DESCRIBES",
			"relatedSpdxElement":"SPDXRef-app"}]}`,
	}
}

// machineStories lets sources report machines in ways of their own, does what people did about sources and devices, and
// says what must be seen of it.
func (o *Outside) machineStories(ctx context.Context, prog *program.Program) ([]Truth, error) {
	g := &gateway{o.fleet.client, o.state.Token}
	begin := Now.AddDate(0, 0, -firstDays-6)
	fleet, err := machines(ctx, prog)
	if err != nil {
		return nil, err
	}
	at := map[string]machine{}
	for _, m := range fleet {
		at[m.code] = m
	}
	for n, code := range []string{sameSerial, cloneA, cloneB, reinstalled, reinstalled, dockA, dockB, dockC, noSerialA,
		noSerialB} {
		// a dock is seen at three desks within the hour; what was reinstalled reports four days apart
		when := begin.Add(time.Duration(10+n) * time.Minute)
		if n == 4 {
			when = begin.AddDate(0, 0, 4)
		}
		s, err := look(ctx, prog, at[code], when, nil)
		if err != nil {
			return nil, err
		}
		if _, err := g.send(ctx, s); err != nil {
			return nil, fmt.Errorf("%s: %w", code, err)
		}
	}
	changes := map[string]func(d *formats.ScanDevice){
		sameSerial: func(d *formats.ScanDevice) { d.Name = strings.ToUpper(d.Name) + ".halvorsund.example" },
		fullName:   func(d *formats.ScanDevice) { d.Name, d.Serial, d.Maker = d.Name+".halvorsund.example", "", "" },
		longName:   func(d *formats.ScanDevice) { d.Name, d.Serial, d.Maker = strings.ToUpper(d.Name[:15]), "", "" },
	}
	for _, code := range slices.Sorted(maps.Keys(changes)) { // in one order, so that each demo is the same
		change := changes[code]
		s, err := look(ctx, prog, at[code], begin.AddDate(0, 0, 3), nil)
		if err != nil {
			return nil, err
		}
		s.Device.ID, s.ID, s.Logons = "count-"+strings.ToLower(code), "", nil
		change(&s.Device)
		if code != sameSerial { // it saw little of these two
			s.Installs, s.Files = s.Installs[:1], nil
		}
		if _, err := prog.Evidence.TakeScan(ctx, hardwareCount, "id", s); err != nil {
			return nil, fmt.Errorf("%s: %w", code, err)
		}
	}
	texts := documents()
	for _, name := range slices.Sorted(maps.Keys(texts)) {
		text := texts[name]
		if _, err := prog.Evidence.ImportFile(ctx, strings.NewReader(text), int64(len(text)), intake.ImportRequest{
			File: name, Device: application, AsOf: Now.AddDate(0, 0, -8), Author: "demo"}); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
	}
	if err := prog.Sources.Save(ctx, evidence.SourceDraft{Name: oldInventory, RetiredOn: "2026-06-24",
		Reason: "its server was switched off"}, "Runner"); err != nil {
		return nil, err
	}
	if _, err := prog.ByHand.Say(ctx, byhand.Draft{Devices: []string{scrapped}, Field: "status", Value: "retired",
		From: civil.MustParse("2026-06-23"), Reason: "seen at the scrap yard", Revisions: []int64{0}},
		"Worker"); err != nil {
		return nil, err
	}
	seen := func(story, device string, want map[string]string) Truth {
		return Truth{Story: story, Device: device, Seen: want}
	}
	return []Truth{
		seen("another source's number and full name, and one serial number: one machine", sameSerial,
			map[string]string{"known as": "3", "alike": "0"}),
		seen(
			"a full host name alone is proposed, and waits",
			fullName,
			map[string]string{"known as": "1", "alike": "1"},
		),
		seen("a name that was cut at 15 characters is proposed, and waits", longName,
			map[string]string{"alike": "1"}),
		seen("a copied disk: two machines with one machine id and two serial numbers stay two", cloneA,
			map[string]string{"known as": "2", "alike": "1"}),
		seen("the other machine with the copied disk", cloneB, map[string]string{"known as": "2", "alike": "1"}),
		seen("a machine that was installed anew is the same machine, known by the list and by both machine ids",
			reinstalled, map[string]string{"known as": "3", "alike": "0"}),
		seen("a dock that stands at three desks joins nothing", dockA, map[string]string{"alike": "0"}),
		seen("serial numbers that the maker left as they come join nothing", noSerialA,
			map[string]string{"known as": "2", "alike": "0"}),
		seen(
			"one package in two documents of one application is one install; another application takes nothing away",
			application,
			map[string]string{"there:harbour-grid": "1", "there:harbour-chart": "0", "there:harbour-lamp": "1",
				"there:Tide Desk": "1", "there:Quay Board": "1"},
		),
		seen("what a silent list alone reports has ended, and says why", "D0184",
			map[string]string{"ended:Turnstone Level": "superseded"}),
		seen("what a retired source alone reports has ended, and says why", "D0189",
			map[string]string{"ended:Turnstone Gauge": "retired"}),
	}, nil
}
