package standin

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/program"
	"ensomet/internal/titles"
)

// The devices of the stories about evidence, by their device_id. No story about figures uses them.
const (
	renamed  = "D0310"
	twinA    = "D0311"
	twinB    = "D0312"
	doubtful = "D0313" // its sources disagree
	tangled  = "D0314" // its scans come late, twice and in the wrong order
	grown    = "D0315" // got more memory and cores
	never    = "D1203"
)

// reportStories lets the fleet report what the stories about evidence need, and says what must be seen of it.
func (o *Outside) reportStories(ctx context.Context, prog *program.Program) ([]Truth, error) {
	g := &gateway{o.fleet.client, o.state.Token}
	fleet, err := machines(ctx, prog)
	if err != nil {
		return nil, err
	}
	at := map[string]machine{}
	for _, m := range fleet {
		at[m.code] = m
	}
	begin := Now.AddDate(0, 0, -firstDays-6)
	report := func(code string, when time.Time, change func(*formats.Scan)) error {
		s, err := look(ctx, prog, at[code], when, nil)
		if err != nil {
			return err
		}
		if change != nil {
			change(s)
		}
		if _, err = g.send(ctx, s); err != nil {
			return fmt.Errorf("%s: %w", code, err)
		}
		return nil
	}
	day := func(n int) time.Time { return begin.Add(time.Duration(n) * 24 * time.Hour) }
	extra := func(s *formats.Scan) {
		s.Installs = append(
			s.Installs,
			formats.ScanInstall{Publisher: "Ostwick Foundry Ltd", Name: "Skerrymap Viewer Tools", Version: "2.0"},
		)
	}
	steps := []func() error{
		func() error { return report(renamed, day(0), nil) },
		func() error {
			return report(renamed, day(2), func(s *formats.Scan) { s.Device.Name = "hal-survey-07" })
		},
		// the newest first, then an older one, then the newest again, then the one between
		func() error { return report(tangled, day(5), extra) },
		func() error { return report(tangled, day(1), nil) },
		func() error { return report(tangled, day(5), extra) },
		func() error { return report(tangled, day(3), extra) },
		func() error { return report(grown, day(1), nil) },
		func() error {
			return report(grown, day(4), func(s *formats.Scan) { s.Device.Cores, s.Device.MemoryMB = 12, 65536 })
		},
		func() error {
			return report(doubtful, day(4), func(s *formats.Scan) { s.Device.Cores = 8 })
		},
		func() error {
			s, err := look(ctx, prog, at[doubtful], day(4).Add(time.Hour), nil)
			if err != nil {
				return err
			}
			first := slices.IndexFunc(
				s.Installs,
				func(i formats.ScanInstall) bool {
					return i.Version != "" &&
						!strings.ContainsAny(i.Name, "0123456789")
				},
			)
			s.Installs[first].Version = "9.9"
			s.Installs, s.Files = s.Installs[:len(s.Installs)-1], nil
			_, err = prog.Evidence.TakeScan(ctx, "deployment tool", "id", s)
			return err
		},
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return nil, err
		}
	}
	seen := func(story, device string, want map[string]string) Truth {
		return Truth{Story: story, Device: device, Seen: want}
	}
	return []Truth{
		seen("a vessel's machine whose evidence is stale", "D0655", map[string]string{"age": "stale"}),
		seen(
			"a machine that the directory lists and no scan ever saw: its operating system is all that is known",
			never,
			map[string]string{"age": "never", "installs": "1", "directoryAge": "fresh"},
		),
		seen(
			"a machine renamed is one machine, and its log says so",
			renamed,
			map[string]string{"name": "hal-survey-07", "change": "hardware name hal-chart-310>hal-survey-07"},
		),
		seen(
			"two machines with one name stay two",
			twinA,
			map[string]string{"namesakes": "1", "name": "hal-chart-twin"},
		),
		seen("the other of the two", twinB, map[string]string{"namesakes": "1", "name": "hal-chart-twin"}),
		seen(
			"two sources disagree on hardware and on software",
			doubtful,
			map[string]string{"differs": "cores", "software": "2"},
		),
		seen(
			"scans that come late, twice and in the wrong order",
			tangled,
			map[string]string{"change": "installed Skerrymap Viewer Tools >2.0",
				"changeAt": fmt.Sprint(day(3).Unix())},
		),
		seen("a machine that grew", grown, map[string]string{"change": "hardware cores 4>12"}),
	}, nil
}

// makeRules makes the demo's rules for names, and lets who keeps the licences be told of its pools. The first says
// more than was meant: Voemender has the letters, too.
func makeRules(ctx context.Context, prog *program.Program) error {
	tally, err := prog.Position.FindProducts(ctx, "Yawltally")
	if err != nil || len(tally) != 1 {
		return fmt.Errorf("the demo's catalogue has %d products named Yawltally: %w", len(tally), err)
	}
	for _, r := range []titles.RuleDraft{
		{
			Name:    "copies that came with the machine",
			Outcome: "nothing",
			Records: condition.Condition{Field: "name", Op: "like", Value: "*oem*"},
			Reason:  "licensed with the hardware",
		},
		{
			Name:    "the bench is no production",
			Outcome: "leave_out",
			Reason:  "the maker lets test benches run it freely",
			Records: condition.Condition{Field: "title", Op: "has", Value: fmt.Sprint(tally[0])},
			Devices: condition.Condition{Field: "environment", Op: "is", Value: "test"},
		},
		{
			Name:    "kiosks of the bench",
			Outcome: "included",
			Reason:  "their maker sold them with it",
			Records: kioskRule.Records,
			Devices: kioskRule.Devices,
		},
	} {
		if _, err := prog.Titles.PutRule(ctx, r, "Worker"); err != nil {
			return err
		}
	}
	return prog.Use.WatchPool(ctx, 0, "licences@halvorsund.example", "demo")
}

// makeGroups makes the demo's groups.
func makeGroups(ctx context.Context, prog *program.Program) error {
	q := func(field, op, value string) condition.Condition {
		return condition.Condition{Field: field, Op: op, Value: value}
	}
	for _, g := range []evidence.GroupDraft{
		{Name: "vessels", Note: "what is at sea", Condition: q("unit", "under", "Sea")},
		{
			Name: "not in production",
			Note: "the bench, training and standby",
			Condition: condition.Condition{Not: &condition.Condition{
				Field: "environment",
				Op:    "is",
				Value: "production",
			}},
		},
		{
			Name: "large machines ashore",
			Condition: condition.Condition{All: []condition.Condition{q("cores", "at_least", "8"),
				{Not: &condition.Condition{Field: "group", Op: "in", Value: "vessels"}}}},
		},
		{
			Name:   "on loan",
			Note:   "kept by hand",
			ByHand: true,
			Picked: []evidence.GroupPick{{Device: "D0020", Inside: true}, {Device: "D0021", Inside: true}},
		},
	} {
		if _, err := prog.Evidence.SaveGroup(ctx, g, "demo"); err != nil {
			return err
		}
	}
	_, err := prog.Evidence.PutChangeRule(
		ctx,
		evidence.ChangeRuleDraft{What: "quiet", Kinds: []string{"hardware"}, Name: "ip address"},
		"demo",
	)
	return err
}
