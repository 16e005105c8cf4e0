package main

import (
	"hash/fnv"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"

	"ensomet/internal/core/recognise"
	"ensomet/internal/opendata"
)

// openData makes a catalogue of AppStream components with their names in all languages, and messy records of them.
// Each product belongs to one of two halves: choose, which weights and thresholds may be chosen on, and report. One
// product in ten is left out of the catalogue; which tenth is the fold.
func openData(path string, fold uint32) (products []recognise.Product, choose, report []named, err error) {
	list, err := opendata.ReadComponents(path)
	if err != nil {
		return nil, nil, nil, err
	}
	type software struct {
		maker, name, pkg string
		names            map[string]string // name -> language
	}
	byName := map[string][]*software{}
	var all []*software
	for i := range list {
		c := &list[i]
		if slices.Contains([]string{"addon", "codec", "firmware", "icon-theme", "localization"}, c.Type) {
			continue // pieces
		}
		var s *software
		for _, lang := range slices.Sorted(maps.Keys(c.Names)) {
			for _, o := range byName[recognise.Clean(c.Names[lang])] { // one program that two components describe
				oneMaker := o.maker == "" || c.Maker() == "" ||
					recognise.CleanPublisher(o.maker) == recognise.CleanPublisher(c.Maker())
				if o.pkg == c.Package && o.names[c.Names[lang]] == lang ||
					lang == "C" && oneMaker && recognise.Clean(o.name) == recognise.Clean(c.Names["C"]) {
					s = o
				}
			}
		}
		if s == nil {
			s = &software{c.Maker(), c.Names["C"], c.Package, map[string]string{}}
			all = append(all, s)
		}
		if s.maker == "" {
			s.maker = c.Maker()
		}
		for _, lang := range slices.Sorted(maps.Keys(c.Names)) {
			if name := strings.TrimSpace(c.Names[lang]); name != "" {
				s.names[name] = lang
				byName[recognise.Clean(name)] = append(byName[recognise.Clean(name)], s)
			}
		}
	}
	r := rand.New(rand.NewPCG(20260801, 4))
	for i, s := range all {
		key := s.maker + "|" + s.name
		id := int64(i + 1)
		h := fnv.New32a()
		h.Write([]byte(key))
		choosing := h.Sum32()/16%2 == 0
		stranger := h.Sum32()/32%10 == fold
		names := slices.Sorted(maps.Keys(s.names))
		if !stranger {
			p := recognise.Product{
				ID:        id,
				Publisher: s.maker,
				Name:      s.name,
				Titles:    []recognise.Title{{ID: id, Product: id}},
			}
			for _, n := range names {
				if n != s.name {
					p.Titles[0].Aliases = append(p.Titles[0].Aliases, n)
				}
			}
			products = append(products, p)
		}
		for k := range 16 {
			name := s.name
			if k >= 6 {
				name = names[r.IntN(len(names))]
			}
			n := named{
				distort(r, s.maker, name, strings.ReplaceAll(untranslated(s.names[name]), "_", "-")),
				id,
				1 + r.IntN(40),
			}
			if stranger {
				n.product = 0
			}
			if choosing {
				choose = append(choose, n)
			} else {
				report = append(report, n)
			}
		}
	}
	return products, choose, report, nil
}

// untranslated names are in English.
func untranslated(lang string) string {
	if lang == "C" {
		return "en"
	}
	return lang
}
