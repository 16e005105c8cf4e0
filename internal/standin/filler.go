package standin

import (
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
)

// filler is the rest of the world: some three hundred products on all devices.
func (w *world) filler() {
	w.newProduct(
		product{
			publisher: "Halvorsund Hydrographic Office",
			name:      "Havbrowse",
			category:  "browser",
			model:     "in_house",
			file:      "hvbrowse.exe",
		},
	)
	var common, special []*product
	for i := range 318 {
		maker := makers[i%len(makers)]
		name := brandHeads[i%len(brandHeads)] + brandTails[(i/len(brandHeads)*7+i%len(brandHeads))%len(brandTails)]
		if i >= 160 {
			name += " " + []string{"Reader", "Console", "Tools", "Agent", "Planner", "Kit"}[i%6]
		}
		p := product{
			publisher: strings.TrimSpace(maker + " " + forms[i%len(makers)%len(forms)]),
			name:      name,
			category:  categories[i%len(categories)],
		}
		p.versions, p.released = []string{"1", "2", "3"}[:1+i%3], []string{"2022-05-01", "2024-01-15",
			"2025-11-01"}[:1+i%3]
		p.ends = filledEnds(i, p.released)
		switch {
		case i%20 < 9:
			p.model = []string{"free", "open_source"}[i%2]
		case i%20 == 19:
			p.model = "in_house"
		default:
			p.price = fmt.Sprint(40 + (i*37)%900)
		}
		x := w.newProduct(p)
		if i < 30 {
			common = append(common, x)
		} else {
			special = append(special, x)
		}
	}
	counts := map[*product]int{}
	for _, d := range w.devices {
		if len(d.scans) == 0 {
			continue
		}
		for i, p := range common {
			if (i+len(d.unit))%4 != 3 {
				w.ordinary(d, p, counts)
			}
		}
		group := len(d.unit)*13 + len(d.kind)*5
		for range 24 {
			w.ordinary(d, special[(group+w.r.IntN(60)+w.r.IntN(40))%len(special)], counts)
		}
	}
	for i, p := range w.products[len(w.products)-318:] {
		if p.price == "" || counts[p] == 0 {
			continue
		}
		q := counts[p]
		switch i % 7 {
		case 0:
			q = q * 108 / 100
		case 1, 2:
			q += 2 + i%5
		case 3:
			q = max(1, q*97/100)
		}
		kind, end := "perpetual", ""
		if i%5 == 2 {
			kind, end = "subscription", (w.today + civil.Day(20+(i*11)%330)).String()
		}
		w.buy(right{p: p, quantity: q, kind: kind, end: end, start: "2024-05-01"})
	}
	w.strangers(special)
	w.piecesOf(common)
}

// strangers are names that the catalogue does not know: a long tail, some of it the same thing under several names.
func (w *world) strangers(special []*product) {
	for i := range 96 {
		brand := brandHeads[(i*3+5)%len(brandHeads)] + brandTails[(i*7+3)%len(brandTails)]
		name := brand + []string{" LE", " Helper", " OEM", " Bridge"}[i%4]
		if i%5 == 4 {
			name = brand + " " + []string{"Øvingsutgave", "Field Notes", "Chart Converter", "Sounding Log"}[i/5%4]
		}
		p := &product{publisher: makers[(i*5)%len(makers)], name: name}
		really := p
		if i%2 == 1 { // what the catalogue has, written in a way that it has never seen
			really = special[(i*7)%len(special)]
			p = &product{publisher: really.publisher, name: mangled(really.name, i/2)}
		}
		for range 2 + max(0, 56-2*i) + (96-i)/12 {
			d := w.devices[w.r.IntN(1100)]
			if len(d.scans) > 0 {
				w.put(d, p, "", "1."+fmt.Sprint(i%4)).product = really
			}
		}
	}
}

// mangled writes a name as people and packagers do who never saw it written.
func mangled(name string, how int) string {
	at := len(name) / 3
	switch how % 4 {
	case 0: // a letter too few
		return name[:at] + name[at+1:]
	case 1: // two letters swapped
		return name[:at] + name[at+1:at+2] + name[at:at+1] + name[at+2:]
	case 2: // parted, with a word of the packager's own
		return name[:at+1] + " " + name[at+1:] + " Field Build"
	}
	return "Halvorsund " + name[:at] + "-" + name[at:] + " image"
}

// piecesOf puts updates, language packs and the like beside common products: they are no programs of their own.
func (w *world) piecesOf(common []*product) {
	for i, p := range common[:16] {
		name := []string{"Security Update for %s (KB4%03d1)", "%s Language Pack - norsk", "%s Hotfix %d",
			"Språkpakke for %s"}[i%4]
		if strings.Count(name, "%") == 2 {
			name = fmt.Sprintf(name, p.name, 3+i)
		} else {
			name = fmt.Sprintf(name, p.name)
		}
		for range 6 + i {
			d := w.devices[w.r.IntN(1100)]
			if len(d.scans) > 0 {
				d.software = append(
					d.software,
					&placed{
						product:  p,
						names:    []string{name},
						pub:      w.spellPublisher(p.publisher),
						versions: []string{""},
						from:     w.today - 600,
					},
				)
			}
		}
	}
}

// ordinary puts a product on a device once, with versions that move on over the months.
func (w *world) ordinary(d *device, p *product, counts map[*product]int) {
	for _, s := range d.software {
		if s.file == p.name {
			return
		}
	}
	versions := []string{}
	for _, v := range p.versions {
		versions = append(versions, v+"."+fmt.Sprint(w.r.IntN(3)))
	}
	if n := w.r.IntN(len(versions)); n > 0 {
		versions = versions[n:]
	}
	s := w.put(d, p, "", versions...)
	s.file = p.name // marks it as placed; raw files do not carry it
	if w.r.IntN(5) == 0 {
		s.from = w.today - civil.Day(40+w.r.IntN(500))
	}
	if p.price != "" && w.r.IntN(140) == 0 {
		s.lastUsed = w.today - civil.Day(100+w.r.IntN(150))
	}
	if d.status == "in_service" {
		counts[p]++
	}
}
