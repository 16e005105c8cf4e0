package opendata

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// categories are the registered main categories of desktop entries (freedesktop.org, Desktop Menu Specification,
// appendix A), in our words, the telling ones first.
var categories = [][2]string{
	{"Game", "games"}, {"Education", "education"}, {"Science", "science"}, {"Development", "development"},
	{"Graphics", "graphics"}, {"AudioVideo", "audio and video"}, {"Audio", "audio and video"},
	{"Video", "audio and video"},
	{"Office", "office"}, {"Network", "network"}, {"Settings", "system"}, {"System", "system"}, {"Utility", "tools"},
}

// StarterEntries makes a catalogue of titles out of components: programs whose maker is known, with their names in
// other languages where those mean nothing else, their category and their licence model.
func StarterEntries(components []Component) []formats.Entry {
	byKey := map[string]*formats.Entry{}
	owner := map[string]string{} // of a cleaned name: the key of its title, "" for several
	claim := func(name, key string) {
		name = recognise.Clean(name)
		if before, taken := owner[name]; taken && before != key {
			owner[name] = ""
		} else if !taken {
			owner[name] = key
		}
	}
	names := map[string][]string{}
	for i := range components {
		c := &components[i]
		maker := strings.TrimSpace(c.Maker())
		if maker == "" ||
			!slices.Contains([]string{"desktop-application", "console-application", "desktop", "service"}, c.Type) ||
			recognise.CleanPublisher(maker) == "" ||
			recognise.Clean(c.Names["C"]) == "" {
			continue
		}
		e := formats.Entry{
			Key:  catalogue.Key{Publisher: maker, Product: strings.Join(strings.Fields(c.Names["C"]), " ")},
			Says: catalogue.Says{},
		}
		key := e.Key.ID()
		if known := byKey[key]; known != nil {
			e = *known
		} else {
			byKey[key] = &e
		}
		if m := formats.ModelOfLicence(c.Licence); m != "" {
			e.Says["licence_model"] = string(m)
		}
		for _, category := range categories {
			if e.Says["category"] == "" && slices.Contains(c.Category, category[0]) {
				e.Says["category"] = category[1]
			}
		}
		claim(e.Product, key)
		for _, language := range slices.Sorted(maps.Keys(c.Names)) {
			name := strings.Join(strings.Fields(strings.ReplaceAll(c.Names[language], "|", " ")), " ")
			if recognise.Clean(name) == "" || recognise.Clean(name) == recognise.Clean(e.Product) {
				continue
			}
			claim(name, key)
			names[key] = append(names[key], name)
		}
	}
	var out []formats.Entry
	for key, e := range byKey {
		var aliases []string
		for _, name := range names[key] {
			if owner[recognise.Clean(name)] == key &&
				!slices.ContainsFunc(
					aliases,
					func(a string) bool { return recognise.Clean(a) == recognise.Clean(name) },
				) {
				aliases = append(aliases, name)
			}
		}
		if aliases != nil {
			e.Says[catalogue.Aliases] = strings.Join(aliases, "|")
		}
		out = append(out, *e)
	}
	slices.SortFunc(out, func(x, y formats.Entry) int { return cmp.Compare(x.Key.ID(), y.Key.ID()) })
	return out
}
