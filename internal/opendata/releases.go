package opendata

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
)

// ReadDistroInfo reads debian.csv or ubuntu.csv of the Debian package distro-info-data as titles of that
// distribution. For Debian, general support is that of the security team (eol) and extended support the project's
// long-term support (eol-lts); what others sell beyond that is not taken as support. For Ubuntu, general support
// lasts to the later of eol and eol-server, and extended support is eol-esm. Series that have no release day yet are
// left out.
func ReadDistroInfo(in io.Reader) ([]formats.Entry, error) {
	rows := csv.NewReader(in)
	rows.FieldsPerRecord = -1
	all, err := rows.ReadAll()
	if err != nil {
		return nil, fmt.Errorf("the releases cannot be read: %w", err)
	}
	if len(all) == 0 || !slices.Contains(all[0], "codename") || !slices.Contains(all[0], "eol") {
		return nil, fmt.Errorf("this is no file of distro-info-data: its first line has no codename and eol")
	}
	header := all[0]
	key := catalogue.Key{Publisher: "Debian Project", Product: "Debian"}
	if slices.Contains(header, "eol-esm") {
		key = catalogue.Key{Publisher: "Canonical", Product: "Ubuntu"}
	}
	// versions that the file does not list
	every := formats.Entry{
		Key:  key,
		Says: catalogue.Says{"licence_model": "open_source", "category": "operating system"},
	}
	if key.Product == "Debian" {
		every.Says[catalogue.Aliases] = "Debian GNU/Linux"
	}
	out := []formats.Entry{every}
	for _, row := range all[1:] {
		col := func(name string) string {
			if i := slices.Index(header, name); i >= 0 && i < len(row) {
				return row[i]
			}
			return ""
		}
		if col("version") == "" || col("release") == "" {
			continue
		}
		e := formats.Entry{
			Key: key,
			Says: catalogue.Says{
				"released":             col("release"),
				"general_support_end":  max(col("eol"), col("eol-server")),
				"extended_support_end": max(col("eol-lts"), col("eol-esm")),
				"licence_model":        "open_source",
				"category":             "operating system",
				"codename":             col("codename"),
			},
		}
		e.Version, _, _ = strings.Cut(col("version"), " ")
		for name, v := range e.Says {
			if v == "" {
				delete(e.Says, name)
			}
			if strings.HasSuffix(name, "_end") || name == "released" {
				if _, err := civil.Parse(v); err != nil {
					return nil, fmt.Errorf("%s %s: %w", key.Product, e.Version, err)
				}
			}
		}
		out = append(out, e)
	}
	return out, nil
}

// ReadNodeReleases reads release-schedule.json of the npm package node-releases as titles of Node.js. General support
// lasts until maintenance begins, extended support is the maintenance, to the end.
func ReadNodeReleases(in io.Reader) ([]formats.Entry, error) {
	var all map[string]struct{ Start, Maintenance, End, Codename string }
	if err := json.NewDecoder(in).Decode(&all); err != nil {
		return nil, fmt.Errorf("the release schedule cannot be read: %w", err)
	}
	var out []formats.Entry
	for _, name := range slices.Sorted(maps.Keys(all)) {
		r := all[name]
		e := formats.Entry{
			Key: catalogue.Key{
				Publisher: "OpenJS Foundation",
				Product:   "Node.js",
				Version:   strings.TrimPrefix(name, "v"),
			},
			Says: catalogue.Says{"released": r.Start, "end_of_life": r.End,
				"licence_model": "open_source", "category": "runtime"},
		}
		if r.Start == "" || r.End == "" {
			return nil, fmt.Errorf(
				"%s of Node.js has no start or no end: is this release-schedule.json of node-releases?",
				name,
			)
		}
		if e.Says["general_support_end"] = r.End; r.Maintenance != "" {
			day, err := civil.Parse(r.Maintenance)
			if err != nil {
				return nil, fmt.Errorf("%s of Node.js: %w", name, err)
			}
			e.Says["general_support_end"], e.Says["extended_support_end"] = (day - 1).String(), r.End
		}
		if r.Codename != "" {
			e.Says["codename"] = r.Codename
		}
		out = append(out, e)
	}
	return out, nil
}
