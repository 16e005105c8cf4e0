package standin

import (
	"context"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
)

// filledEnds gives the versions of an ordinary product their ends of support: every fourth product tells none, every
// third goes on for a year of extended support.
func filledEnds(i int, released []string) [][3]string {
	if i%4 == 3 {
		return nil
	}
	var out [][3]string
	for _, r := range released {
		general := civil.MustParse(r).AddMonths(30 + (i*5)%21)
		ends := [3]string{general.String(), "", general.String()}
		if i%3 == 0 {
			ends[1], ends[2] = general.AddMonths(12).String(), general.AddMonths(12).String()
		}
		out = append(out, ends)
	}
	return out
}

// lives plants what the life cycle and the publishers of the catalogue must get right. It comes last, so that the
// rest of the world stays as it was.
func (w *world) lives() {
	watch := w.newProduct(
		product{
			publisher: "Grimholm Instruments",
			name:      "Sillwatch Relay",
			category:  "sonar",
			model:     "free",
			versions:  []string{"3", "4"},
			released:  []string{"2021-10-01", "2024-10-15"},
			ends:      [][3]string{{"2025-03-31", "2026-03-31", "2026-03-31"}, {"2027-09-30", "", ""}},
		},
	)
	staff := w.unitsOf["Shore/Workshop"]
	for i, d := range staff[60:92] {
		s := w.put(d, watch, "", "3.2")
		if i >= 14 && i < 22 {
			s.versions, s.changes, s.names = []string{
				"3.2",
				"4.1",
			}, []civil.Day{
				w.today - civil.Day(150+i),
			}, []string{
				s.names[0],
				w.spell(watch, "", "4.1"),
			}
		} else if i >= 22 {
			s.versions, s.names = []string{"4.1"}, []string{w.spell(watch, "", "4.1")}
		}
	}
	w.truths = append(
		w.truths,
		Truth{
			Story: "a release that lost its last support in the spring is still on fourteen machines; eight have " +
				"moved in a year",
			Publisher: watch.publisher,
			Product:   watch.name,
			Want:      map[string]int64{"release 3": 14, "release 3 before": 22, "release 3 ended": 1},
		},
		Truth{
			Story:     "a point release joins its release by itself",
			Publisher: watch.publisher,
			Product:   watch.name,
			Want:      map[string]int64{"release 4": 18, "release 4 general": 1},
		},
	)

	ledger := w.newProduct(
		product{
			publisher: "Tollevik Data AS",
			name:      "Vikbok Ledger",
			category:  "office",
			price:     "260",
			versions:  []string{"2"},
			released:  []string{"2023-06-01"},
		},
	)
	for i, d := range staff[60:70] {
		s := w.put(d, ledger, "", "2.4")
		s.pub = "Tollevik Hydrosoft"
		if i >= 6 {
			s.pub = "Bjarkvik Soft AB"
		}
	}
	w.buy(right{p: ledger, quantity: 8})
	w.publishers = append(
		w.publishers,
		[]string{"Tollevik Data AS", "Tollevik Hydrosoft", ""},
		[]string{"Bjarkvik Soft AB", "", "Tollevik Data AS"},
	)
	w.hide(
		"installs under a former name of the publisher, and under one that it took over",
		ledger,
		"device",
		map[string]int64{"owned": 8, "needed": 10, "short": 2},
	)

	w.newProduct(
		product{
			publisher: "Vardelaget",
			name:      "Varde Desktop",
			category:  "operating system",
			model:     "open_source",
			versions:  []string{"10", "11"},
			released:  []string{"2020-04-20", "2024-04-22"},
			ends: [][3]string{
				{"2024-10-31", "2025-10-31", "2025-10-31"},
				{"2027-04-30", "2028-10-31", "2028-10-31"},
			},
		},
	)
	server := w.newProduct(
		product{
			publisher: "Vardelaget",
			name:      "Varde Server",
			category:  "operating system",
			model:     "open_source",
			versions:  []string{"8", "9"},
			released:  []string{"2018-05-02", "2021-11-10"},
			ends: [][3]string{
				{"2023-05-31", "2025-05-31", "2025-05-31"},
				{"2026-11-30", "2029-11-30", "2029-11-30"},
			},
		},
	)
	w.truths = append(
		w.truths,
		Truth{
			Story:     "an operating system is a release with a life too",
			Publisher: server.publisher,
			Product:   server.name,
			Want:      map[string]int64{"release 9": 190},
		},
	)
}

// makePlans makes the demo's plans about releases, its tags, and its watch list.
func makePlans(ctx context.Context, prog *program.Program) error {
	release := func(product, version string) (titlesdb.ReleaseRow, error) {
		q := sqlite.ListQuery{Filters: map[string]string{"product": product, "version": version}}
		var page sqlite.Page[titlesdb.ReleaseRow]
		list, err := prog.Catalogue.Releases(&q)
		if err == nil {
			err = prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
				page, err = list.Page(tx, q)
				return err
			})
		}
		if err == nil && len(page.Rows) != 1 {
			err = fmt.Errorf("the demo's catalogue has %d releases %s %s", len(page.Rows), product, version)
		}
		if err != nil {
			return titlesdb.ReleaseRow{}, err
		}
		return page.Rows[0], nil
	}
	for _, p := range []struct {
		product, version string
		draft            titles.PlanDraft
	}{
		{"Sillwatch Relay", "3",
			titles.PlanDraft{
				What:      "move",
				ToVersion: "4",
				Since:     civil.MustParse("2025-12-01"),
				Due:       civil.MustParse("2026-05-31"),
				Owner:     "Workshop",
				Note:      "with the yearly overhaul",
			}},
		{"Brineweft", "1",
			titles.PlanDraft{
				What:      "move",
				ToVersion: "2",
				Since:     civil.MustParse("2026-06-01"),
				Due:       civil.MustParse("2026-12-31"),
				Owner:     "Desktop engineers",
			}},
		{"Gyrelatch", "1",
			titles.PlanDraft{
				What:  "remove",
				Since: civil.MustParse("2026-06-01"),
				Due:   civil.MustParse("2026-09-30"),
				Owner: "Desktop engineers",
			}},
		{"Knollmortise", "1",
			titles.PlanDraft{
				What:  "keep",
				Owner: "Computing hall",
				Note:  "reads files of instruments that nothing newer reads; the machines have no network",
			}},
	} {
		r, err := release(p.product, p.version)
		if err != nil {
			return err
		}
		if p.draft.Title = r.ID; p.draft.What == "move" {
			p.draft.ToProduct = r.ProductID
		}
		if _, err := prog.Catalogue.PutPlan(ctx, p.draft, "Worker"); err != nil {
			return err
		}
		if p.product == "Sillwatch Relay" {
			if err := prog.Catalogue.SetTags(ctx, r.ProductID, 0, []string{"vessel critical", "overhaul 2026"},
				"Worker"); err != nil {
				return err
			}
			if err := prog.Catalogue.Watch(ctx, r.ProductID, true, "Worker"); err != nil {
				return err
			}
			if _, err := prog.Catalogue.AddRemark(ctx, r.ProductID, "",
				"Version 4 needs the new antenna cable; the workshop has the list.", "Worker"); err != nil {
				return err
			}
		}
	}
	return nil
}

// makeUpdate changes two titles by hand and brings a newer catalogue, which waits to be looked through: it says
// otherwise of them, has dates that ours lacks, and knows names that nobody has recognised.
func makeUpdate(ctx context.Context, prog *program.Program) error {
	for _, c := range []struct {
		product string
		says    map[string]string
	}{{"Brineweft", map[string]string{"category": "chart work"}},
		{"Skerrymap Plotter", map[string]string{"list_price": "255 EUR"}}} {
		ids, err := prog.Position.FindProducts(ctx, c.product)
		if err != nil || len(ids) != 1 {
			return fmt.Errorf("the demo's catalogue has %d products %s: %w", len(ids), c.product, err)
		}
		p, err := prog.Catalogue.Product(ctx, ids[0])
		if err != nil {
			return err
		}
		l := p.Lines[0]
		if _, err := prog.Catalogue.EditTitle(ctx,
			titles.TitleEdit{
				Product:  ids[0],
				Title:    l.ID,
				Edition:  l.Edition,
				Version:  l.Version,
				Says:     c.says,
				Revision: l.Revision,
			}, "Worker"); err != nil {
			return err
		}
	}
	text := `publisher,product,version,category,licence_model,list_price,currency,released,general_support_end,extended_support_end,end_of_life,aliases
Aldercombe Ltd,Brineweft,1,charting and tides,free,,,,,,,
Aldercombe Ltd,Brineweft,4,charting,free,,,2026-05-11,2029-05-31,,2029-05-31,
Ostwick Foundry Ltd,Skerrymap Plotter,6,charting,commercial,270,EUR,2024-09-01,2027-09-30,2028-09-30,2028-09-30,
Ostwick Foundry Ltd,Skerrymap Viewer,6,charting,commercial,310,EUR,2024-09-01,2027-09-30,2028-09-30,2028-09-30,
Ostwick Foundry Ltd,Skerrymap Suite,6,charting,commercial,1250,EUR,2024-09-01,2027-09-30,2028-09-30,2028-09-30,
Ostwick Foundry Ltd,Skerrymap Suite,7,charting,commercial,1400,EUR,2026-06-15,2029-06-30,2030-06-30,2030-06-30,
Grimholm Instruments,Sillwatch Relay,4,sonar,free,,,2024-10-15,2027-12-31,,2027-12-31,
Grimholm Instruments,Sillwatch Beacon,1,sonar,commercial,90,EUR,2026-04-01,,,,
Aldercombe AS,Vaneburrow LE,1,drawing,free,,,,,,,
Tollevik Data AS,Vikbok Ledger,2,office,commercial,275,EUR,2023-06-01,2026-12-31,,2026-12-31,Tollevik Ledger
`
	_, err := prog.Catalogue.AddUpdate(ctx, strings.NewReader(text), int64(len(text)), "autumn-catalogue.csv",
		"Worker")
	return err
}
