// Package standin is the simulated outside: it generates the demo's invented world as raw files, answers as a fleet
// of devices, and takes removals as a deployment tool.
package standin

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
)

// Now is the demo's fixed today.
var Now = time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)

// Zones are the time zones of the demo's sites.
var Zones = map[string]string{
	"Halvorsund":     "Europe/Oslo",
	"Kveldhamn":      "Europe/Oslo",
	"Reyksker":       "Atlantic/Reykjavik",
	"Computing hall": "Europe/Oslo",
	"Sea":            "UTC",
}

const seed = 20260630

// Truth is what the generator hid about one thing, and its right answer. It is never handed to the program.
type Truth struct {
	Story              string
	Publisher, Product string
	Metric             string
	// owned, needed, covered, short, surplus, low; cases; not_measured; gap:REASON
	Want     map[string]int64
	Exposure string            // amount and currency, where the story is about money
	Device   string            // its device_id, where the story is about evidence
	Seen     map[string]string // what must be seen of it
}

type device struct {
	id, name, kind, env, unit, site, country, user, status string
	portable, cluster, host, hosting, pinned, factor       string
	os, osVersion                                          string // where it is not that of most
	processors, cores, vcores                              int
	scans                                                  []time.Time // oldest first; none for a device never scanned
	metered                                                bool
	software                                               []*placed
}

// placed is a product on a device from one day on, until another where it was removed, in versions that change.
type placed struct {
	names    []string // raw names to report by version, in step with versions
	pub      string
	versions []string
	changes  []civil.Day // when the next version came
	from     civil.Day
	until    civil.Day // 0 is still there
	again    civil.Day // back again on this day, 0 never
	edition  string
	file     string
	lastUsed civil.Day
	product  *product // what it really is
	source2  string   // a second source that reports it too
	included bool     // its right comes with the place
}

type product struct {
	publisher, name, category, model, metric, suite, file string
	price, currency                                       string
	editions                                              []string // in order of rank; none is one without edition
	versions                                              []string
	released                                              []string
	// general support, extended support, end of life, by version
	ends    [][3]string
	aliases string
}

type world struct {
	r            *rand.Rand
	today        civil.Day
	devices      []*device
	users        [][]string
	products     []*product
	rights       [][]string
	assigned     [][]string
	policies     [][]string
	publishers   [][]string
	sessions     [][]string
	processes    [][]string
	pools        [][]string
	servers      []pool
	poolEvents   [][]string
	transactions [][]string
	earlier      []movedGuest
	lists        [][]string // installs that other sources than the collector list
	truths       []Truth
	unitsOf      map[string][]*device
	userOf       []string
	rightsMade   int
}

// Generate writes the demo's raw files into a folder and returns what it hid. The same seed gives the same files.
func Generate(dir string) ([]Truth, error) {
	w := build()
	return w.truths, w.write(dir)
}

func build() *world {
	w := &world{r: rand.New(rand.NewPCG(seed, 1)), today: civil.Of(Now), unitsOf: map[string][]*device{}}
	w.people()
	w.listed()
	w.fleet()
	w.stories()
	w.filler()
	w.meter()
	w.lives()
	w.rightsStories()
	w.useStories()
	w.places()
	w.whoIsWho()
	w.sourceStories()
	return w
}

// NamedRecord is a raw name of the demo with what it really is: Maker and Product are empty where the catalogue lacks
// it.
type NamedRecord struct {
	Publisher, Name, Version string
	Maker, Product           string
	Installs                 int
}

// Names lists the distinct raw names of the demo with the truth about each, in a fixed order.
func Names() []NamedRecord {
	w := build()
	listed := map[*product]bool{}
	for _, p := range w.products {
		listed[p] = true
	}
	count := map[NamedRecord]int{}
	for _, d := range w.devices {
		for _, s := range d.software {
			if s.product == nil {
				continue
			}
			n := NamedRecord{
				Publisher: s.pub,
				Name:      s.names[len(s.names)-1],
				Version:   s.versions[len(s.versions)-1],
			}
			if listed[s.product] {
				n.Maker, n.Product = s.product.publisher, s.product.name
			}
			count[n]++
		}
	}
	out := make([]NamedRecord, 0, len(count))
	for n, c := range count {
		n.Installs = c
		out = append(out, n)
	}
	slices.SortFunc(out, func(a, b NamedRecord) int {
		return cmp.Or(
			strings.Compare(a.Name, b.Name),
			strings.Compare(a.Publisher, b.Publisher),
			strings.Compare(a.Version, b.Version),
			strings.Compare(a.Product, b.Product),
			strings.Compare(a.Maker, b.Maker),
		)
	})
	return out
}

// Catalogue lists the products of the demo's catalogue as they are written to titles.csv: publisher, name, editions
// and other names.
func Catalogue() (out []struct {
	Publisher, Name   string
	Editions, Aliases []string
}) {
	for _, p := range build().products {
		out = append(out, struct {
			Publisher, Name   string
			Editions, Aliases []string
		}{p.publisher, p.name, p.editions, strings.Split(strings.Trim(p.aliases+"|"+p.file, "|"), "|")})
	}
	return out
}

var units = []struct {
	unit, site, country string
	clients, users      int
}{
	{"Shore/Charting", "Halvorsund", "NO", 330, 300}, {"Shore/Administration", "Halvorsund", "NO", 180, 170},
	{"Shore/Workshop", "Reyksker", "IS", 120, 110},
	{"Sea/Eider", "Sea", "NO", 32, 30}, {"Sea/Skarv", "Sea", "NO", 32, 30}, {"Sea/Lomvi", "Sea", "NO", 32, 30},
	{"Sea/Teist", "Sea", "NO", 32, 30}, {"Sea/Havsule", "Sea", "NO", 32, 30}, {"Sea/Tjeld", "Sea", "NO", 32, 30},
	{"School", "Kveldhamn", "NO", 90, 60},
}

func (w *world) people() {
	n := 0
	for _, u := range units {
		for range u.users {
			first, last := firstNames[n%len(firstNames)], lastNames[(n/len(firstNames)+n*7)%len(lastNames)]
			id := fmt.Sprintf("u%04d", n+1)
			status, left := "active", ""
			if n%15 == 14 {
				status, left = "left", (w.today - civil.Day(10+n%300)).String()
			}
			w.users = append(
				w.users,
				[]string{id, first + " " + last, id + "@halvorsund.example", u.unit, u.site, status, left},
			)
			w.userOf = append(w.userOf, id)
			n++
		}
	}
	for ; n < 900; n++ {
		id := fmt.Sprintf("u%04d", n+1)
		w.users = append(
			w.users,
			[]string{
				id,
				firstNames[n%len(firstNames)] + " " + lastNames[n%len(lastNames)],
				id + "@halvorsund.example",
				"Shore/Charting",
				"Halvorsund",
				"active",
				"",
			},
		)
		w.userOf = append(w.userOf, id)
	}
}

func (w *world) add(d *device) *device {
	d.id = fmt.Sprintf("D%04d", len(w.devices)+1)
	if d.status == "" {
		d.status = "in_service"
	}
	w.devices = append(w.devices, d)
	w.unitsOf[d.unit] = append(w.unitsOf[d.unit], d)
	return d
}

func (w *world) fleet() {
	next := 0
	for _, u := range units {
		short := strings.ToLower(u.unit[strings.LastIndexByte(u.unit, '/')+1:])
		first := next
		for i := range u.clients {
			d := w.add(
				&device{
					name:       fmt.Sprintf("hal-%s-%03d", short[:min(5, len(short))], i+1),
					kind:       "client",
					env:        "production",
					unit:       u.unit,
					site:       u.site,
					country:    u.country,
					processors: 1,
					cores:      4,
				},
			)
			if u.unit == "School" {
				d.env = "training"
			} else if i < u.users {
				d.user = w.userOf[first+i]
			}
			w.scans(d)
		}
		next += u.users
	}
	for _, code := range []string{twinA, twinB} { // somebody gave two machines one name
		for _, d := range w.devices {
			if d.id == code {
				d.name = "hal-chart-twin"
			}
		}
	}
	for i := range 60 { // second devices
		owner := w.unitsOf["Shore/Charting"][i*3]
		d := w.add(
			&device{
				name:       fmt.Sprintf("hal-lap-%03d", i+1),
				kind:       "client",
				env:        "production",
				unit:       owner.unit,
				site:       owner.site,
				country:    owner.country,
				user:       owner.user,
				portable:   "true",
				processors: 1,
				cores:      8,
			},
		)
		w.scans(d)
	}
	for i := range 20 {
		d := w.add(
			&device{
				name:       fmt.Sprintf("hall-host-%02d", i+1),
				kind:       "vm_host",
				env:        "production",
				unit:       "Hall",
				site:       "Computing hall",
				country:    "NO",
				cluster:    "cluster-" + string(rune('a'+i/5)),
				processors: 2,
				cores:      16 + 8*(i%3),
			},
		)
		w.scans(d)
	}
	for i := range 130 {
		host := i % 20
		d := w.add(
			&device{
				name:    fmt.Sprintf("hall-vm-%03d", i+1),
				kind:    "virtual_machine",
				env:     []string{"production", "production", "production", "test", "development", "standby"}[i%6],
				unit:    "Hall",
				site:    "Computing hall",
				country: "NO",
				host:    hostOf(w, host),
				vcores:  2 + 2*(i%4),
			},
		)
		w.scans(d)
	}
	for i := range 10 {
		w.scans(
			w.add(
				&device{
					name:       fmt.Sprintf("hall-box-%02d", i+1),
					kind:       "container_host",
					env:        "production",
					unit:       "Hall",
					site:       "Computing hall",
					country:    "NO",
					processors: 1,
					cores:      32,
				},
			),
		)
	}
	for i := range 40 {
		w.scans(
			w.add(
				&device{
					name:       fmt.Sprintf("bench-%02d", i+1),
					kind:       "client",
					env:        "test",
					unit:       "Shore/Workshop/Bench",
					site:       "Reyksker",
					country:    "IS",
					processors: 1,
					cores:      4,
				},
			),
		)
	}
	for i := range 30 {
		w.scans(
			w.add(
				&device{
					name:       fmt.Sprintf("cloud-%02d", i+1),
					kind:       "server",
					env:        "production",
					unit:       "Cloud",
					site:       "Computing hall",
					country:    "NO",
					processors: 1,
					cores:      8,
					hosting:    "cloud",
				},
			),
		)
	}
	for i := range 12 { // in the directory, never seen by a scan
		w.add(
			&device{
				name:    fmt.Sprintf("hal-lost-%02d", i+1),
				kind:    "client",
				env:     "production",
				unit:    "Shore/Administration",
				site:    "Halvorsund",
				country: "NO",
			},
		)
	}
	for i := range 10 {
		d := w.add(
			&device{
				name:    fmt.Sprintf("hal-spare-%02d", i+1),
				kind:    "client",
				env:     "production",
				unit:    "Store",
				site:    "Halvorsund",
				country: "NO",
				status:  []string{"in_store", "retired"}[i%2],
			},
		)
		w.scans(d)
	}
}

// scans sets when a device was scanned: six times in eighteen months, the last within days; vessels report late, and
// Eider has been silent since the middle of May.
func (w *world) scans(d *device) {
	last := Now.Add(-time.Duration(2+w.r.IntN(60)) * time.Hour)
	if d.unit == "Sea/Eider" {
		last = time.Date(2026, 5, 18, 3, w.r.IntN(60), 0, 0, time.UTC)
	} else if strings.HasPrefix(d.unit, "Sea/") {
		last = Now.Add(-time.Duration(4+w.r.IntN(14)) * 24 * time.Hour)
	}
	for _, back := range []int{540, 400, 260, 130, 45, 0} {
		d.scans = append(
			d.scans,
			last.Add(-time.Duration(back*24+w.r.IntN(36)*min(1, back))*time.Hour).Truncate(time.Second),
		)
	}
}

// put places a product on a device. The raw name is written in one of many ways.
func (w *world) put(d *device, p *product, edition string, versions ...string) *placed {
	s := &placed{
		product:  p,
		pub:      w.spellPublisher(p.publisher),
		versions: versions,
		edition:  "",
		file:     p.file,
		from:     w.today - 600,
	}
	for _, v := range versions {
		s.names = append(s.names, w.spell(p, edition, v))
	}
	for i := range len(versions) - 1 {
		s.changes = append(s.changes, w.today-civil.Day(60+200*(len(versions)-2-i)+w.r.IntN(120)))
	}
	d.software = append(d.software, s)
	return s
}

func (w *world) spellPublisher(p string) string {
	bare := p
	for _, f := range forms {
		if f != "" {
			bare = strings.TrimSuffix(bare, " "+f)
		}
	}
	switch w.r.IntN(5) {
	case 0:
		return strings.ToUpper(bare)
	case 1:
		return bare
	case 2:
		return bare + ", " + forms[w.r.IntN(3)]
	}
	return p
}

func (w *world) spell(p *product, edition, version string) string {
	name := p.name
	if edition != "" {
		name += " " + edition
		if w.r.IntN(3) == 0 {
			name += " Edition"
		}
	}
	major, _, _ := strings.Cut(version, ".")
	switch w.r.IntN(24) {
	case 0, 1:
		return name + " " + version
	case 2:
		return name + " " + major + " (64-bit)"
	case 3:
		return name + "® " + major
	case 4:
		return name + " (x64) en-GB"
	case 5:
		return strings.ToUpper(name) + " v" + version
	case 6:
		return name + " " + version + " x64 nb-NO"
	case 7:
		return name + " (norsk bokmål)"
	case 8:
		return name + " - íslenska " + version
	case 9:
		return p.publisher + " " + name
	case 10:
		return strings.ReplaceAll(name, " ", "_") + "_" + version + "_amd64"
	case 11:
		return name + "™ Version " + version + " (remove only)"
	case 12:
		return name + " " + version + " x86_64 [da]"
	case 13:
		return strings.ToLower(name) + " win64 setup"
	case 14:
		return name + " for Windows " + version + " (Deutsch)"
	}
	return name
}

func (w *world) newProduct(p product) *product {
	if p.model == "" {
		p.model = "commercial"
	}
	if p.currency == "" {
		p.currency = "EUR"
	}
	if p.versions == nil {
		p.versions = []string{""}
	}
	w.products = append(w.products, &p)
	return &p
}

type right struct {
	p                                           *product
	edition, version, metric, kind              string
	quantity                                    int
	start, end, maintenance, price, base, scope string
	rights, currency, country, capacity         string
	minProcessor, minServer, pack               int
}

// buy books an entitlement and returns its number.
func (w *world) buy(x right) string {
	w.rightsMade++
	id := fmt.Sprintf("L-%04d", w.rightsMade)
	if x.metric == "" {
		x.metric = "device"
	}
	if x.kind == "" {
		x.kind = "perpetual"
	}
	if x.start == "" {
		x.start = "2024-02-01"
	}
	if x.price == "" {
		x.price = x.p.price
	}
	if x.currency == "" {
		x.currency = x.p.currency
	}
	values := map[string]string{
		"entitlement_id":    id,
		"publisher":         x.p.publisher,
		"product":           x.p.name,
		"edition":           x.edition,
		"version":           x.version,
		"metric":            x.metric,
		"quantity":          strconv.Itoa(x.quantity),
		"kind":              x.kind,
		"start":             x.start,
		"end":               x.end,
		"maintenance_end":   x.maintenance,
		"unit_price":        x.price,
		"currency":          x.currency,
		"purchased":         x.start,
		"order":             fmt.Sprintf("PO-%05d", 41000+w.rightsMade*7),
		"contract":          fmt.Sprintf("K-%02d", 1+w.rightsMade%23),
		"scope_unit":        x.scope,
		"scope_country":     x.country,
		"rights":            x.rights,
		"min_per_processor": zero(x.minProcessor),
		"min_per_server":    zero(x.minServer),
		"pack_size":         zero(x.pack),
		"capacity":          x.capacity,
		"base":              x.base,
	}
	row := make([]string, len(formats.Entitlements.Columns))
	for i, column := range formats.Entitlements.Columns {
		row[i] = values[column]
	}
	w.rights = append(w.rights, row)
	return id
}
