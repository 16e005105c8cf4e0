package standin

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
)

// EarlierDevices is the file with an earlier list of devices.
const EarlierDevices = "earlier-devices.csv"

// write writes the raw files.
func (w *world) write(dir string) error {
	files := map[*formats.Kind][][]string{
		formats.Users:         w.users,
		formats.Entitlements:  w.rights,
		formats.Keys:          bookedKeys,
		formats.Assignments:   w.assigned,
		formats.Policies:      w.policies,
		formats.Publishers:    w.publishers,
		formats.Usage:         w.sessions,
		formats.ProcessEvents: w.processes,
		formats.Pools:         w.pools,
		formats.PoolEvents:    w.poolEvents,
		formats.Transactions:  w.transactions,
		formats.Rates: {
			{"NOK", "2025-01-01", "11.70"},
			{"NOK", "2026-01-01", "11.45"},
			{"ISK", "2025-01-01", "149.5"},
		},
	}
	for _, p := range w.products {
		editions := p.editions
		if editions == nil {
			editions = []string{""}
		}
		for rank, ed := range editions {
			for i, v := range p.versions {
				released, rankText, aliases := "", "", ""
				if i < len(p.released) {
					released = p.released[i]
				}
				if ed != "" {
					rankText = strconv.Itoa(rank + 1)
				}
				if i == 0 && rank == 0 {
					aliases = strings.Trim(p.aliases+"|"+p.file, "|")
				}
				var ends [3]string
				if i < len(p.ends) {
					ends = p.ends[i]
				}
				price := p.price
				if n, err := strconv.Atoi(p.price); err == nil && rank > 0 {
					price = strconv.Itoa(n * (1 + rank))
				}
				files[formats.Titles] = append(
					files[formats.Titles],
					[]string{
						p.publisher,
						p.name,
						ed,
						rankText,
						v,
						p.category,
						p.model,
						price,
						map[bool]string{true: p.currency}[price != ""],
						p.metric,
						p.suite,
						released,
						ends[0],
						ends[1],
						ends[2],
						aliases,
					},
				)
			}
		}
	}
	for _, d := range w.devices {
		os, osVersion := "Varde Desktop", "11.2"
		if d.kind != "client" {
			os, osVersion = "Varde Server", "9.4"
		}
		if d.os != "" {
			os, osVersion = d.os, d.osVersion
		}
		row := make([]string, len(formats.Devices.Columns), len(formats.Devices.Columns)+2)
		copy(row, []string{
			d.id,
			d.name,
			d.kind,
			d.env,
			d.unit,
			d.site,
			d.country,
			d.address(),
			"halvorsund.example/" + d.unit,
			d.user,
			os,
			osVersion,
			zero(d.processors),
			zero(d.cores),
			zero(d.vcores),
			d.factor,
			d.host,
			d.cluster,
			d.pinned,
			d.portable,
			d.status,
		})
		files[formats.Devices] = append(files[formats.Devices], append(row, d.hosting, d.lease()))
		files[formats.Installs] = append(files[formats.Installs], d.report()...)
	}
	files[formats.Installs] = append(files[formats.Installs], w.lists...)
	// A list of some weeks ago, of the machines that stood elsewhere then.
	var earlier [][]string
	for _, m := range w.earlier {
		for _, row := range files[formats.Devices] {
			if row[0] == m.guest.id {
				row = slices.Clone(row)
				row[slices.Index(formats.Devices.Columns, "host_id")] = m.host
				earlier = append(earlier, row)
			}
		}
	}
	columns := append(slices.Clone(formats.Devices.Columns), "hosting", "lease")
	if err := writeCSV(filepath.Join(dir, EarlierDevices), columns, earlier); err != nil {
		return err
	}
	for kind, rows := range files {
		columns := kind.Columns
		if kind == formats.Devices {
			columns = append(slices.Clone(columns), "hosting", "lease")
		} else if own := ownColumns[kind]; own.name != "" {
			columns = append(slices.Clone(columns), own.name)
			for i, row := range rows {
				full := make([]string, len(columns))
				copy(full, row)
				full[len(columns)-1] = own.of(row)
				rows[i] = full
			}
		}
		if err := writeCSV(filepath.Join(dir, kind.Name+".csv"), columns, rows); err != nil {
			return err
		}
	}
	return nil
}

// ownColumns are columns of the house's own in its files of users, titles and entitlements.
var ownColumns = map[*formats.Kind]struct {
	name string
	of   func(row []string) string
}{
	formats.Users: {"building", func(row []string) string {
		switch unit := row[userUnit]; {
		case strings.HasPrefix(unit, "Sea"):
			return "aboard"
		case strings.HasPrefix(unit, "School"):
			return "school house"
		case strings.HasPrefix(unit, "Shore"):
			return []string{"quay house", "north shed"}[len(row[0])%2^int(row[0][len(row[0])-1])%2]
		}
		return ""
	}},
	formats.Titles: {"steward", func(row []string) string {
		return []string{"Dagne Laverud", "Kettil Pilskog", ""}[len(row[0])%3]
	}},
	formats.Entitlements: {"budget", func(row []string) string {
		n, _ := strconv.Atoi(strings.TrimPrefix(row[0], "L-"))
		return []string{"operations", "projects", "operations", "education", ""}[n%5]
	}},
}

// lease is a field of the house's own: until when a machine is leased.
func (d *device) lease() string {
	n, err := strconv.Atoi(d.id[1:])
	if err != nil || d.kind != "client" {
		return ""
	}
	return []string{"owned", "leased to 2027", "leased to 2028"}[n%3]
}

// address is where a device is in the network: each unit has a range of its own, the cloud one of IPv6.
func (d *device) address() string {
	n, err := strconv.Atoi(d.id[1:])
	if err != nil {
		return ""
	}
	if d.hosting == "cloud" {
		return fmt.Sprintf("2001:db8:c10d::%x", n)
	}
	i := slices.IndexFunc(units, func(u struct {
		unit, site, country string
		clients, users      int
	}) bool {
		return strings.HasPrefix(d.unit, u.unit)
	})
	return fmt.Sprintf("10.%d.%d.%d", 24+max(i, 0), n/250, 1+n%250)
}

func zero(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// report lists what each scan of a device found.
func (d *device) report() [][]string {
	var out [][]string
	for _, at := range d.scans {
		day := civil.Of(at)
		for _, s := range d.software {
			there := day >= s.from && (s.until == 0 || day < s.until) || s.again != 0 && day >= s.again
			if !there {
				continue
			}
			v := 0
			for v < len(s.changes) && day >= s.changes[v] {
				v++
			}
			last := ""
			if s.lastUsed.Known() && s.lastUsed <= day {
				last = s.lastUsed.String()
			}
			installed := ""
			if s.from > civil.Of(Now)-590 {
				installed = s.from.String()
			}
			row := []string{
				d.id,
				s.pub,
				s.names[v],
				s.versions[v],
				"",
				"",
				"",
				installed,
				"",
				"",
				"",
				"",
				"",
				last,
				"collector",
				at.Format(time.RFC3339),
				keyOn(d.id, s.names[v]),
				map[bool]string{true: "included"}[s.included],
			}
			out = append(out, row)
			if s.source2 != "" {
				other := slices.Clone(row)
				other[14], other[15] = s.source2, at.Add(3*time.Hour).Format(time.RFC3339)
				out = append(out, other)
			}
		}
	}
	return out
}

func writeCSV(path string, columns []string, rows [][]string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	c := csv.NewWriter(f)
	if err := c.Write(columns); err != nil {
		return err
	}
	if err := c.WriteAll(rows); err != nil {
		return err
	}
	return f.Close()
}
