package program

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"
	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/facts"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/use"
	"ensomet/internal/used"
)

// classes reads the class of use of every counted install, by device and product.
func classes(t *testing.T, prog *Program) map[string]string {
	t.Helper()
	out := map[string]string{}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		return facts.EachIdle(tx, func(f snapshot.IdleFact) error {
			out[fmt.Sprint(f.Device, "/", f.Product)] = f.Class
			return nil
		})
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// What a choice of what is metered would change is what it changes: whatever is chosen and ended in whatever order,
// as many installs are measured as was said before.
func TestTheEffectOfMeteringIsWhatHappens(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(6, 9))
	for round := range 6 {
		prog, clock := desk(t)
		clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
		var titles, devices, installs, sessions []string
		for p := range 5 {
			titles = append(titles, fmt.Sprintf("House %d,Prod %d,p%d.exe,commercial,cat%d", p%2, p, p, p%3))
		}
		for d := range 8 {
			devices = append(devices, fmt.Sprintf("D%d,dev%d,client,Unit%d", d, d, d%2))
			for p := range 5 {
				if r.IntN(3) > 0 {
					installs = append(installs,
						fmt.Sprintf("D%d,House %d,Prod %d,1,2026-06-29T10:00:00Z,s", d, p%2, p))
				}
			}
			if d > 0 { // D0 never reports use
				for day := range 12 {
					at := time.Date(2026, 3, 20, 9, 0, 0, 0, time.UTC).AddDate(0, 0, 10*day)
					if at.Before(clock.now) {
						sessions = append(
							sessions,
							fmt.Sprintf(
								"D%d,u%d,p%d.exe,%s,%s",
								d,
								d,
								r.IntN(5),
								at.Format(time.RFC3339),
								at.Add(time.Hour).Format(time.RFC3339),
							),
						)
					}
				}
			}
		}
		take(t, prog, formats.Titles,
			append([]string{"publisher,product,aliases,licence_model,category"}, titles...)...)
		take(t, prog, formats.Devices, append([]string{"device_id,name,kind,org_unit"}, devices...)...)
		take(
			t,
			prog,
			formats.Installs,
			append([]string{"device_id,publisher,name,version,seen_at,source"}, installs...)...)
		take(t, prog, formats.Usage,
			append([]string{"device_id,user_id,file_name,started_at,ended_at"}, sessions...)...)
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		judged := func(c map[string]string) (n int64) {
			for _, class := range c {
				if class != string(usage.NotMeasured) {
					n++
				}
			}
			return n
		}
		if n := judged(classes(t, prog)); n == 0 {
			t.Fatal("nothing is judged at first; the test would show nothing")
		}
		if _, err := prog.Use.PreviewMeter(ctx, use.MeteringDraft{Category: "cat1"}, 0); err == nil {
			t.Error("to leave out what was never chosen has no effect to show")
		}
		if _, err := prog.Use.PreviewMeter(ctx, use.MeteringDraft{On: true}, 0); err == nil {
			t.Error("a choice of nothing has an effect")
		}
		var last use.MeteringEffect
		for step := range 4 {
			d := use.MeteringDraft{On: step == 0 || r.IntN(3) > 0}
			switch r.IntN(3) {
			case 0:
				d.Category = fmt.Sprintf("cat%d", r.IntN(3))
			case 1:
				d.Publisher = fmt.Sprintf("House %d", r.IntN(2))
			default:
				ids, err := prog.Position.FindProducts(ctx, fmt.Sprintf("Prod %d", r.IntN(5)))
				if err != nil || len(ids) != 1 {
					t.Fatal(ids, err)
				}
				d.Product = ids[0]
			}
			if r.IntN(2) == 0 {
				d.Group = "Unit1"
			}
			if step > 1 { // one that is there is changed
				m, err := prog.Use.Metering(ctx)
				if err != nil || len(m.Choices) != 2 {
					t.Fatal(m.Choices, err)
				}
				is := m.Choices[r.IntN(2)].Says
				d.ID, d.Revision = is.ID, is.Revision
			}
			effect, err := prog.Use.PreviewMeter(ctx, d, 0)
			if err != nil {
				t.Fatal(d, err)
			}
			if effect.Then != effect.Now+effect.Starts-effect.Stops || effect.Judged > effect.Stops ||
				(effect.Starts+effect.Stops > 0) != (len(effect.Samples) > 0) {
				t.Errorf("round %d, %+v: %+v does not add up", round, d, effect)
			}
			if step > 0 && effect.Now != last.Then {
				t.Errorf("round %d: %d are measured now, %d were to be", round, effect.Now, last.Then)
			}
			last = effect
			if err := prog.Use.Meter(ctx, d, "w"); err != nil {
				t.Fatal(err)
			}
		}
		m, err := prog.Use.Metering(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for len(m.Choices) > 0 {
			id := m.Choices[r.IntN(len(m.Choices))].ID
			effect, err := prog.Use.PreviewMeter(ctx, use.MeteringDraft{}, id)
			if err != nil || effect.Now != last.Then {
				t.Fatalf("round %d: the end of %d: %+v, %v; %d were to be measured", round, id, effect, err, last.Then)
			}
			last = effect
			if err := prog.Use.EndMeter(ctx, id, seen(t, prog, edits.Metering, id), "w"); err != nil {
				t.Fatal(err)
			}
			m.Choices = slices.DeleteFunc(m.Choices, func(c use.MeteringView) bool { return c.ID == id })
		}
		all := int64(0)
		for pair := range classes(t, prog) {
			if !strings.HasPrefix(pair, "1/") { // D0 never reports use
				all++
			}
		}
		if last.Then != all || all == 0 {
			t.Errorf("round %d: without a choice %d of %d are measured", round, last.Then, all)
		}
	}
}

// A choice that changes is another one from today on: what was measured until today stays so. Its note alone changes
// nothing of what is measured.
func TestAChoiceOfWhatIsMeasuredChanges(t *testing.T) {
	ctx := t.Context()
	prog, clock := desk(t)
	base(t, prog)
	if err := prog.Use.Meter(ctx, use.MeteringDraft{Publisher: "Ostwick", On: true}, "me"); err != nil {
		t.Fatal(err)
	}
	clock.now = clock.now.AddDate(0, 0, 20)
	says := func() use.MeteringView {
		t.Helper()
		m, err := prog.Use.Metering(ctx)
		if err != nil || len(m.Choices) != 1 {
			t.Fatal(m.Choices, err)
		}
		return m.Choices[0]
	}
	ever := func() (list []used.Metering) {
		t.Helper()
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			list, err = used.MeteringsEver(tx)
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return list
	}
	was := says()
	d := was.Says
	d.Note = "asked for by the house"
	if err := prog.Use.Meter(ctx, d, "you"); err != nil {
		t.Fatal(err)
	}
	if is := says(); is.From != was.From || is.Says.Revision != 1 || is.Note != d.Note || len(ever()) != 1 {
		t.Errorf("its note makes of %+v %+v", was, is)
	}
	d = says().Says
	d.Publisher, d.Category = "", "cat1"
	if err := prog.Use.Meter(ctx, d, "you"); err != nil {
		t.Fatal(err)
	}
	today := clock.now.Format("2006-01-02")
	if is := says(); is.From != today || is.ID != was.ID || is.What != "category cat1" {
		t.Errorf("%+v", is)
	}
	if list := ever(); len(list) != 2 || list[1].PublisherName != "Ostwick" || list[1].From.String() != was.From ||
		list[1].EndedAt != clock.now.Unix() {
		t.Errorf("what it was is not on record: %+v", list)
	}
	if err := prog.Use.EndMeter(ctx, was.ID, 1, "me"); !errors.Is(err, sqlite.ErrChangedMeanwhile) {
		t.Errorf("ended as it is no more: %v", err)
	}
}

// A day counts as measured for a title on a device if the choices of that day said so, whatever was chosen before and
// after: against a walk over all days.
func TestMeteredDaysAgainstAWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 10))
	const first, last = civil.Day(100), civil.Day(160)
	at := func(d civil.Day) int64 { return d.Start(time.UTC).Unix() + r.Int64N(86400) }
	for round := range 400 {
		var list []used.Metering
		for i := range r.IntN(6) {
			m := used.Metering{
				Policy: policy.Policy{ID: int64(i + 1), Stance: policy.Metered},
				At:     at(first + civil.Day(r.IntN(60))),
			}
			if r.IntN(3) == 0 {
				m.Stance = policy.NotMetered
			}
			switch r.IntN(3) {
			case 0:
				m.Product = int64(1 + r.IntN(2))
			case 1:
				m.Category = "sonar"
			default:
				m.Publisher = "ostwick"
			}
			if r.IntN(2) == 0 {
				m.EndedAt = m.At + r.Int64N(30*86400)
			}
			list = append(list, m)
		}
		slices.SortFunc(list, func(x, y used.Metering) int { return cmp.Compare(x.At, y.At) })
		m := &snapshot.Meter{
			Spells:     snapshot.SpellsOf(list),
			Of:         map[policy.Title][]snapshot.Period{},
			Conditions: &snapshot.ConditionFacts{Sets: map[string]*condition.Set{}},
		}
		title := policy.Title{Product: 1, Publisher: "ostwick", Category: []string{"sonar", "office"}[r.IntN(2)]}
		day := func(unix int64) civil.Day { return civil.Of(time.Unix(unix, 0).UTC()) }
		walk := func(d civil.Day) bool {
			var now []policy.Policy
			for _, x := range list {
				if day(x.At) <= d && (x.EndedAt == 0 || day(x.EndedAt) > d) {
					now = append(now, x.Policy)
				}
			}
			if len(now) == 0 {
				return true
			}
			p := policy.Decide(now, title, m.Conditions.Of(&snapshot.DeviceFacts{}))
			return p != nil && p.Stance == policy.Metered
		}
		want := map[civil.Day]bool{}
		for d := first; d <= last; d++ {
			if m.On(title, &snapshot.DeviceFacts{}, d) != walk(d) {
				t.Fatalf("round %d, day %d: %v by periods, %v by a walk over %+v", round, d, !walk(d), walk(d), list)
			}
			if walk(d) && walk(d-1) {
				want[d] = true
			}
		}
		got := map[civil.Day]bool{}
		for _, s := range m.Spans(title, &snapshot.DeviceFacts{}, []usage.Span{{From: first, To: first + 30},
			{From: first + 40, To: last}}) {
			for d := s.From; d <= s.To; d++ {
				if got[d] {
					t.Fatalf("round %d: day %d is measured twice", round, d)
				}
				got[d] = true
			}
		}
		for d := first; d <= last; d++ {
			measured := d <= first+30 || d >= first+40
			if got[d] != (want[d] && measured) {
				t.Fatalf(
					"round %d, day %d: measured %v, by the walk %v: %+v",
					round,
					d,
					got[d],
					want[d] && measured,
					list,
				)
			}
		}
	}
}

// What is no longer metered goes out of sight as its measured days leave the window, and what was not kept meanwhile
// is never read as not used.
func TestPausedMeteringIsNotDisuse(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	take(
		t,
		prog,
		formats.Installs,
		"device_id,publisher,name,version,seen_at,source",
		"D1,Dunlaw,Gauge,1,2026-01-01T10:00:00Z,s",
		"D1,Dunlaw,Other,1,2026-01-01T10:00:00Z,s",
	)
	report := func(file string, from, to time.Time) {
		t.Helper()
		lines := []string{"device_id,user_id,file_name,started_at,ended_at"}
		for day := from; day.Before(to); day = day.AddDate(0, 0, 5) {
			lines = append(
				lines,
				fmt.Sprintf("D1,u1,%s,%s,%s", file, day.Format(time.RFC3339), day.Add(time.Hour).Format(time.RFC3339)),
			)
		}
		take(t, prog, formats.Usage, lines...)
	}
	class := func(product int64) string {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		return classes(t, prog)[fmt.Sprint("1/", product)]
	}
	// then no more
	report("gauge.exe", time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC), time.Date(2026, 4, 1, 0, 0, 0, 0, time.UTC))
	report("other.exe", time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC), clock.now)
	if got := class(1); got != string(usage.Unused) {
		t.Fatalf("before any choice: %s", got)
	}
	if err := prog.Use.Meter(ctx, use.MeteringDraft{Product: 2, On: true}, "w"); err != nil { // the other alone
		t.Fatal(err)
	}
	move := func(days int) {
		t.Helper()
		from := clock.now
		clock.now = clock.now.AddDate(0, 0, days)
		report("other.exe", from, clock.now)
	}
	if got := class(1); got != string(usage.Unused) {
		t.Errorf("on the day of the choice: %s", got)
	}
	move(10)
	report("gauge.exe", clock.now.AddDate(0, 0, -4), clock.now) // used, but nobody asked for it any more
	if got := class(1); got != string(usage.Unused) {
		t.Errorf("ten days on, the window is still measured for the most part: %s", got)
	}
	move(20)
	if got := class(1); got != string(usage.NotMeasured) {
		t.Errorf("thirty days on: %s", got)
	}
	if got := class(2); got != string(usage.Regular) {
		t.Errorf("the other, chosen on its own after it was metered with everything: %s", got)
	}
	m, err := prog.Use.Metering(ctx)
	if err != nil || len(m.Choices) != 1 {
		t.Fatal(m.Choices, err)
	}
	if err := prog.Use.EndMeter(ctx, m.Choices[0].ID, seen(t, prog, edits.Metering, m.Choices[0].ID),
		"w"); err != nil {
		t.Fatal(err)
	}
	move(5)
	if got := class(1); got != string(usage.NotMeasured) {
		t.Errorf("everything is metered again, but the thirty days that were not are no disuse: %s", got)
	}
	move(90)
	if got := class(1); got != string(usage.Unused) {
		t.Errorf("a whole window later: %s", got)
	}
}

// Days on which a choice spoke of a group that is gone since are measured for nobody: nobody can say who was in it.
func TestAPastChoiceOfAGroupThatIsGone(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 1, 20, 0, 0, 0, time.UTC)
	draft := evidence.GroupDraft{
		Name:   "spared",
		ByHand: true,
		Picked: []evidence.GroupPick{{Device: "D2", Inside: true}},
	}
	var err error
	if draft.ID, err = prog.Evidence.SaveGroup(ctx, draft, "w"); err != nil {
		t.Fatal(err)
	}
	for _, d := range []use.MeteringDraft{{Publisher: "Dunlaw", On: true}, {Product: 1, Group: "spared"}} {
		if err := prog.Use.Meter(ctx, d, "w"); err != nil {
			t.Fatal(err)
		}
	}
	measured := func(device int64) (days int) {
		t.Helper()
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			s, err := snapshot.LoadSettings(tx)
			if err != nil {
				return err
			}
			m, err := snapshot.LoadMeter(tx, &s, clock.now.Unix())
			if err != nil {
				return err
			}
			d, err := snapshot.OneDevice(tx, device, clock.now.Unix())
			if err != nil {
				return err
			}
			for _, span := range m.Spans(policy.Title{Product: 1, Publisher: "dunlaw"}, d,
				[]usage.Span{{From: prog.Snapshots.Today() - 40, To: prog.Snapshots.Today()}}) {
				days += int(span.To - span.From + 1)
			}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		return days
	}
	clock.now = clock.now.AddDate(0, 0, 20)
	m, err := prog.Use.Metering(ctx)
	if err != nil || len(m.Choices) != 2 {
		t.Fatal(m.Choices, err)
	}
	if err := prog.Use.EndMeter(ctx, m.Choices[1].ID, seen(t, prog, edits.Metering, m.Choices[1].ID),
		"w"); err != nil {
		t.Fatal(err)
	}
	clock.now = clock.now.AddDate(0, 0, 10)
	// of 41 days, 20 were spared and the day on which that ended was not whole
	if one, two := measured(1), measured(2); one != 41 || two != 20 {
		t.Errorf("%d days of the one, %d of the spared", one, two)
	}
	if err := prog.Evidence.DropGroup(ctx, draft.ID, seen(t, prog, edits.Group, draft.ID), "w"); err != nil {
		t.Fatal(err)
	}
	if one, two := measured(1), measured(2); one != 20 || two != 20 {
		t.Errorf("once the group is gone: %d and %d", one, two)
	}
}

// Use of a title whose program nobody knows cannot be seen: to ask for it does not make it unused.
func TestATitleWhoseProgramNobodyKnows(t *testing.T) {
	ctx := context.Background()
	prog, clock := meterDesk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,aliases,licence_model",
		"Dunlaw,Mute,Mute Tool,commercial",
		"Dunlaw,Shelf,shelf.exe,commercial",
	)
	take(
		t,
		prog,
		formats.Installs,
		"device_id,publisher,name,version,seen_at,source",
		"D1,Dunlaw,Mute,1,2026-01-01T10:00:00Z,s",
		"D1,Dunlaw,Shelf,1,2026-01-01T10:00:00Z,s",
	)
	lines := []string{"device_id,user_id,file_name,started_at,ended_at"}
	for day := clock.now.AddDate(0, 0, -120); day.Before(clock.now); day = day.AddDate(0, 0, 5) {
		lines = append(
			lines,
			fmt.Sprintf("D1,u1,gauge.exe,%s,%s", day.Format(time.RFC3339), day.Add(time.Hour).Format(time.RFC3339)),
		)
	}
	take(t, prog, formats.Usage, lines...)
	for name, unknown := range map[string]bool{"Dunlaw Mute": true, "Dunlaw Shelf": false} {
		ids, err := prog.Position.FindProducts(ctx, name)
		if err != nil || len(ids) != 1 {
			t.Fatal(ids, err)
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		key := fmt.Sprint("1/", ids[0])
		if got := classes(t, prog)[key]; got != string(usage.NotMeasured) {
			t.Errorf("%s, of which no program was ever seen, before anybody asked: %s", name, got)
		}
		e, err := prog.Use.PreviewMeter(ctx, use.MeteringDraft{Product: ids[0], On: true}, 0)
		if err != nil || e.Unknown != unknown {
			t.Errorf("%s: %+v, %v", name, e, err)
		}
		if err := prog.Use.Meter(ctx, use.MeteringDraft{Product: ids[0], On: true}, "w"); err != nil {
			t.Fatal(err)
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		want := usage.NeverUsed // its program is known, everything was metered, and nobody ran it
		if unknown {
			want = usage.NotMeasured
		}
		if got := classes(t, prog)[key]; got != string(want) {
			t.Errorf("%s, once asked for: %s, want %s", name, got, want)
		}
		m, err := prog.Use.Metering(ctx)
		if err != nil || len(m.Choices) != 1 {
			t.Fatal(m.Choices, err)
		}
		if err := prog.Use.EndMeter(ctx, m.Choices[0].ID, seen(t, prog, edits.Metering, m.Choices[0].ID),
			"w"); err != nil {
			t.Fatal(err)
		}
	}
}
