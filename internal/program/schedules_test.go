package program

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/schedule"
	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
)

func orders(t *testing.T, prog *Program) string {
	t.Helper()
	var out []string
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := evidencedb.OrderList().Page(tx, sqlite.ListQuery{Sort: "id"})
		for _, o := range page.Rows {
			out = append(out, fmt.Sprintf("%s %s %s %s %d", o.Code, o.State, o.Why, o.Reason, o.Tries))
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return strings.Join(out, "; ")
}

func plan(t *testing.T, prog *Program) int {
	t.Helper()
	n, err := prog.Collecting.Plan(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return n
}

// A vessel that is at sea for five weeks has one order when it is back, not five, and its scans fulfil it.
func TestMissedStartsAreCaughtUpOnce(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,name,org_unit,site,status",
		"D1,eider-1,Sea/Eider,Sea,in_service",
		"D2,eider-2,Sea/Eider,Sea,retired",
		"D3,shore-1,Shore,Halvorsund,in_service",
	)
	secret, _, err := prog.Collecting.NewToken(ctx, "gateway", "id", "me")
	if err != nil {
		t.Fatal(err)
	}
	from, err := prog.Collecting.Sender(ctx, secret, "")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Collecting.SaveSchedule(ctx,
		evidence.ScheduleDraft{Name: "weekly", Basis: "calendar",
			Calendar: schedule.Calendar{At: "02:00", Weekdays: []time.Weekday{time.Monday}}, Group: "Sea"},
		"me"); err != nil {
		t.Fatal(err)
	}
	for range 5 {
		clock.now = clock.now.AddDate(0, 0, 7)
		plan(t, prog)
	}
	if got := orders(t, prog); !strings.HasPrefix(got, "D1 waiting start of 2026-07-06 02:00") ||
		strings.Contains(got, ";") {
		t.Fatalf("after five weeks: %s", got)
	}
	// back in port: the gateway asks, takes the order, and the scan comes
	tasks, err := prog.Collecting.Tasks(ctx, from, []string{"D1", "D3", "no such"})
	if err != nil || len(tasks) != 1 || tasks[0].Device != "D1" {
		t.Fatalf("%+v %v", tasks, err)
	}
	if again, err := prog.Collecting.Tasks(ctx, from, []string{"D1"}); err != nil || len(again) != 0 {
		t.Errorf("a running order was given twice: %+v %v", again, err)
	}
	old := scanOf("D1", "eider-1", clock.now.AddDate(0, 0, -40))
	if _, err := prog.Collecting.Deliver(ctx, from, old, 1); err != nil {
		t.Fatal(err)
	}
	if got := orders(t, prog); !strings.HasPrefix(got, "D1 running") {
		t.Errorf("a scan from before it was asked for fulfilled it: %s", got)
	}
	if _, err := prog.Collecting.Deliver(ctx, from, scanOf("D1", "eider-1", clock.now), 1); err != nil {
		t.Fatal(err)
	}
	if got := orders(t, prog); !strings.HasPrefix(got, "D1 done") {
		t.Errorf("after the scan: %s", got)
	}
	if n := plan(t, prog); n != 0 {
		t.Errorf("%d orders for starts that were made up for", n)
	}
}

func TestByAgeQuietAndFailure(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,name,site,last_scan",
		"D1,a,North,2026-06-20T08:00:00Z",
		"D2,b,North,2026-06-28T08:00:00Z",
		"D3,c,North,",
	)
	if err := prog.Evidence.SetSiteZone(ctx, "North", "Europe/Oslo"); err != nil {
		t.Fatal(err)
	}
	id, err := prog.Collecting.SaveSchedule(
		ctx,
		evidence.ScheduleDraft{
			Name:    "old",
			Basis:   "age",
			AgeDays: 7,
			Quiet:   []schedule.Quiet{{From: "08:00", Until: "18:00"}},
		},
		"me",
	)
	if err != nil {
		t.Fatal(err)
	}
	if n := plan(t, prog); n != 2 {
		t.Fatalf("%d orders: %s", n, orders(t, prog))
	}
	if got := orders(t, prog); got != "D1 waiting last scan 10 days old  0; D3 waiting never scanned  0" {
		t.Errorf("%s", got)
	}
	view, err := prog.Collecting.Schedules(ctx)
	if err != nil || view[0].Due != 2 || view[0].Open != 2 || view[0].Devices != 3 {
		t.Errorf("%+v %v", view, err)
	}
	from := access.Sender{Source: "x", FindsBy: "id"}
	if from.Token, err = firstToken(ctx, prog); err != nil {
		t.Fatal(err)
	}
	// ten in the morning by the site's clock: nothing may start; it is shifted, not dropped
	if tasks, err := prog.Collecting.Tasks(ctx, from, []string{"D1", "D2", "D3"}); err != nil || len(tasks) != 0 {
		t.Fatalf("started in a quiet span: %+v %v", tasks, err)
	}
	clock.now = clock.now.Add(8 * time.Hour)
	tasks, err := prog.Collecting.Tasks(ctx, from, []string{"D1", "D2", "D3"})
	if err != nil || len(tasks) != 2 {
		t.Fatalf("at six in the evening: %+v %v", tasks, err)
	}
	for try := 1; ; try++ {
		if err := prog.Collecting.TaskFailed(ctx, from, tasks[0].Order, "no route", "pinged thrice"); err != nil {
			t.Fatal(err)
		}
		if strings.HasPrefix(orders(t, prog), "D1 failed") {
			if try != schedule.MaxTries {
				t.Errorf("failed for good after %d tries", try)
			}
			break
		}
		clock.now = clock.now.Add(schedule.RetryAfter)
		if tasks, err = prog.Collecting.Tasks(ctx, from, []string{"D1"}); err != nil || len(tasks) != 1 {
			t.Fatalf("try %d: %+v %v: %s", try, tasks, err, orders(t, prog))
		}
	}
	if err := prog.Collecting.TaskFailed(ctx, from, 999, "no route", ""); err == nil {
		t.Error("an order that is not there failed")
	}
	if err := prog.Collecting.TaskFailed(ctx, from, 1, "the dog ate it", ""); err == nil {
		t.Error("a reason that is none was taken")
	}
	clock.now = clock.now.Add(3 * time.Hour)
	plan(t, prog) // D3 has not answered
	if got := orders(t, prog); !strings.Contains(got, "D3 waiting never scanned timed out 1") {
		t.Errorf("%s", got)
	}
	if n, err := prog.Collecting.OrderAct(ctx, []int64{1}, "again"); err != nil || n != 0 && n != 1 {
		t.Errorf("%d %v", n, err)
	}
	if err := prog.Collecting.DropSchedule(ctx, id, seen(t, prog, edits.Schedule, id), "me"); err != nil {
		t.Fatal(err)
	}
	if got := orders(t, prog); strings.Contains(got, "D3 waiting") {
		t.Errorf("an order of a schedule that is gone waits: %s", got)
	}
	if n, err := prog.Collecting.AskScans(ctx, []string{"D2", "D2"}, "me"); err != nil || n != 1 {
		t.Errorf("asked for %d scans, %v", n, err)
	}
}

func firstToken(ctx context.Context, prog *Program) (int64, error) {
	_, id, err := prog.Collecting.NewToken(ctx, "x", "id", "me")
	return id, err
}

func TestSchedulesThatCannotBe(t *testing.T) {
	prog, _ := desk(t)
	for _, d := range []evidence.ScheduleDraft{
		{Basis: "age", AgeDays: 1}, {Name: "x", Basis: "age"}, {Name: "x", Basis: "moon"},
		{Name: "x", Basis: "calendar", Calendar: schedule.Calendar{At: "25:00"}},
		{Name: "x", Basis: "age", AgeDays: 1, Group: "nobody"},
		{Name: "x", Basis: "age", AgeDays: 1, Quiet: []schedule.Quiet{{From: "00:00", Until: "00:00"}}},
	} {
		if _, err := prog.Collecting.SaveSchedule(context.Background(), d, "me"); err == nil {
			t.Errorf("%+v was taken", d)
		}
	}
}

func TestGroups(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,name,kind,org_unit,ip_address,cores",
		"D4,d,server,A,10.24.3.9,16",
		"D5,e,server,A,2001:db8::9,4",
		"D6,f,client,A,10.24.9.1,4",
	)
	take(t, prog, formats.Installs, "device_id,publisher,name,version", "D1,Ostwick,Skerrymap,6",
		"D4,Ostwick,Skerrymap,6")
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	ids, err := prog.Position.FindProducts(ctx, "Skerrymap")
	if err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	q := func(f, op, v string) condition.Condition { return condition.Condition{Field: f, Op: op, Value: v} }
	draft := evidence.GroupDraft{
		Name: "large or mapped",
		Condition: condition.Condition{
			All: []condition.Condition{
				q("unit", "under", "A"),
				{
					Any: []condition.Condition{
						q("cores", "at_least", "8"),
						q("title", "has", fmt.Sprint(ids[0])),
						q("network", "within", "2001:db8::/32"),
					},
				},
			},
		},
		Picked: []evidence.GroupPick{{Device: "D6", Inside: true}, {Device: "D5", Inside: false}},
	}
	p, err := prog.Evidence.PreviewGroup(ctx, draft)
	if err != nil {
		t.Fatal(err)
	}
	var in []string
	for _, m := range p.In {
		in = append(in, m.Device+": "+m.Why)
	}
	if got := strings.Join(in,
		" | "); got != "D1: unit A; has Skerrymap | D4: unit A; cores 16 | D6: put in by hand" ||
		p.Members != 3 ||
		p.Joins != 3 {
		t.Errorf("%s %+v", got, p)
	}
	id, err := prog.Evidence.SaveGroup(ctx, draft, "me")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Evidence.SaveGroup(ctx,
		evidence.GroupDraft{Name: "others",
			Condition: condition.Condition{All: []condition.Condition{{Not: &condition.Condition{Field: "group",
				Op: "in", Value: draft.Name}}, q("kind", "is", "client")}}}, "me"); err != nil {
		t.Fatal(err)
	}
	members := func(group string) string {
		var out []string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.DeviceList().Page(tx,
				sqlite.ListQuery{Filters: map[string]string{"group": group}, Sort: "code"})
			for _, d := range page.Rows {
				out = append(out, d.Code)
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return strings.Join(out, " ")
	}
	if got := members(draft.Name) + ", " + members("others"); got != "D1 D4 D6, D2 D3" {
		t.Errorf("members: %s", got)
	}
	// membership is live: a device that gets the title joins by itself
	take(t, prog, formats.Installs, "device_id,publisher,name,version", "D2,Ostwick,Skerrymap,6")
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	if got := members(draft.Name) + ", " + members("others"); got != "D1 D2 D4 D6, D3" {
		t.Errorf("members later: %s", got)
	}
	// the same group serves a stance
	if res := take(t, prog, formats.Policies, "publisher,product,stance,group,reason",
		"Ostwick,Skerrymap,restricted,large or mapped,no maps here", "Ostwick,Skerrymap,restricted,nobody,x"); len(
		res.Aside,
	) != 1 {
		t.Errorf("%+v", res)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	var found []string
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.CaseList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"kind": "restricted"}})
		for _, c := range page.Rows {
			found = append(found, c.Device)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	slices.Sort(found)
	if strings.Join(found, " ") != "D1 D2 d" {
		t.Errorf("restricted on %v", found)
	}
	if err := prog.Evidence.DropGroup(ctx, id, seen(t, prog, edits.Group, id), "me"); err == nil ||
		!strings.Contains(err.Error(), "the group others") ||
		!strings.Contains(err.Error(), "stance") {
		t.Errorf("a group that others rest on was deleted: %v", err)
	}
	draft.ID, draft.Name = id, "renamed"
	if _, err := prog.Evidence.SaveGroup(ctx, draft, "me"); err == nil {
		t.Error("a group that others ask for was renamed")
	}
	for _, bad := range []evidence.GroupDraft{{Name: ""}, {Name: "client"}, {Name: "others"}, {Name: "a|b"},
		{Name: "x", Condition: q("cores", "at_least", "many")}, {Name: "x", Condition: q("group", "in", "x")},
		{Name: "x", Picked: []evidence.GroupPick{{Device: "D99", Inside: true}}}} {
		if _, err := prog.Evidence.SaveGroup(ctx, bad, "me"); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

type letterbox struct {
	sent []string
	fail bool
	wait time.Duration
}

func (l *letterbox) Send(_ context.Context, letter outbox.Letter) error {
	to, subject, body := letter.To, letter.Subject, letter.Body
	time.Sleep(l.wait)
	if l.fail {
		return fmt.Errorf("the mail server is away")
	}
	l.sent = append(l.sent, to+": "+subject+"\n"+body)
	return nil
}

func TestChangesAreQuietenedAndSent(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	box := &letterbox{}
	prog.Outbox.Mail = box
	clock.now = morning.AddDate(0, 0, 2)
	for i, software := range [][]string{{"tide 1", "Updater 1"}, {"tide 2", "Updater 2", "draft 1"}} {
		s := scanOf("D1", "hal-1", morning.AddDate(0, 0, i), software...)
		s.Device.MemoryMB = int64(1000 * (i + 1))
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
	}
	list := func(quiet string) string {
		if err := errors.Join(prog.Pipeline.Refresh(ctx), prog.Outbox.Deliver(ctx)); err != nil {
			t.Fatal(err)
		}
		var out []string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := evidencedb.ChangeList().Page(tx,
				sqlite.ListQuery{Filters: map[string]string{"quiet": quiet}, Sort: "name"})
			for _, c := range page.Rows {
				out = append(out, fmt.Sprintf("%s %s %s>%s", c.Kind, c.Name, c.Was, c.Now))
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return strings.Join(out, ", ")
	}
	if got := list("0"); got != "upgraded Updater 1>2, installed draft >1, hardware memory mb 1000>2000, upgraded "+
		"tide 1>2" {
		t.Fatalf("%s", got)
	}
	noise := evidence.ChangeRuleDraft{What: "quiet", Kinds: []string{"upgraded"}, Name: "updat*"}
	if n, err := prog.Evidence.PreviewChangeRule(ctx, noise); err != nil || n != 1 {
		t.Errorf("would touch %d, %v", n, err)
	}
	if n, err := prog.Evidence.PutChangeRule(ctx, noise, "me"); err != nil || n != 1 {
		t.Errorf("touched %d, %v", n, err)
	}
	if _, err := prog.Evidence.PutChangeRule(ctx,
		evidence.ChangeRuleDraft{What: "mail", Kinds: []string{"installed", "upgraded"},
			Address: "desk@halvorsund.example"}, "me"); err != nil {
		t.Fatal(err)
	}
	if got := list("0"); strings.Contains(got, "Updater") || len(box.sent) != 0 {
		t.Errorf("%s; mail %q", got, box.sent)
	}
	// what comes from now on is quiet or sent by itself, a scan of yesterday too; and nothing twice
	box.fail = true
	if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
		scanOf("D1", "hal-1", morning.AddDate(0, 0, 2), "tide 3", "Updater 3", "draft 1")); err != nil {
		t.Fatal(err)
	}
	list("0")
	box.fail = false
	if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
		scanOf("D1", "hal-1", morning.Add(36*time.Hour), "tide 2", "Updater 2", "draft 1", "gauge 1")); err != nil {
		t.Fatal(err)
	}
	list("0")
	clock.now = clock.now.Add(5 * time.Minute) // until the next try
	list("0")
	all := strings.Join(box.sent, "\n---\n")
	if len(box.sent) != 2 || strings.Count(all, "upgraded tide 2 to 3") != 1 ||
		strings.Count(all, "installed gauge 1") != 1 ||
		strings.Contains(all, "Updater") ||
		strings.Contains(all, "draft") {
		t.Errorf("%d messages:\n%s", len(box.sent), all)
	}
	if left := textsOf(t, prog, "SELECT change_id FROM change_news"); len(left) > 0 {
		t.Errorf("changes that were looked at are news still: %v", left)
	}
	rules, err := prog.Evidence.ChangeRules(ctx)
	if err != nil || len(rules) != 2 || rules[0].Touches != 2 {
		t.Errorf("%+v %v", rules, err)
	}
	other := rules[0].ChangeRuleDraft
	other.Name = "gau*"
	if n, err := prog.Evidence.PutChangeRule(ctx, other, "you"); err != nil || n != 0 {
		t.Errorf("changed, it touches %d, %v", n, err)
	}
	if got := list("0"); !strings.Contains(got, "Updater") {
		t.Errorf("the rule speaks of something else now, and %s", got)
	}
	if _, err := prog.Evidence.PutChangeRule(ctx, rules[0].ChangeRuleDraft, "me"); !errors.Is(err,
		sqlite.ErrChangedMeanwhile) {
		t.Errorf("over a change that was not seen: %v", err)
	}
	noise.ID, noise.Revision = other.ID, 1
	if n, err := prog.Evidence.PutChangeRule(ctx, noise, "me"); err != nil || n != 2 {
		t.Errorf("changed back, it touches %d, %v", n, err)
	}
	if got := list("0"); strings.Contains(got, "Updater") {
		t.Errorf("quiet again, and %s", got)
	}
	if err := prog.Evidence.EndChangeRule(ctx, rules[0].ID, seen(t, prog, edits.ChangeRule, rules[0].ID),
		"me"); err != nil {
		t.Fatal(err)
	}
	if got := list("0"); !strings.Contains(got, "Updater") {
		t.Errorf("the rule has ended, and %s", got)
	}
	for _, bad := range []evidence.ChangeRuleDraft{{What: "quiet"}, {What: "mail", Address: "nobody"}, {What: "shout"},
		{What: "quiet", Kinds: []string{"moved"}}, {What: "quiet", Group: "no such group"}} {
		if _, err := prog.Evidence.PutChangeRule(ctx, bad, "me"); err == nil {
			t.Errorf("%+v was taken", bad)
		}
	}
}

// The check finds changes and members that are not what the evidence says.
func TestCheckOfEvidence(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.AddDate(0, 0, 3)
	for i, software := range [][]string{{"tide 1"}, {"tide 2"}} {
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
			scanOf("D1", "hal-1", morning.AddDate(0, 0, i), software...)); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := prog.Evidence.SaveGroup(ctx,
		evidence.GroupDraft{Name: "small", Condition: condition.Condition{Field: "cores", Op: "at_most", Value: "4"}},
		"me"); err != nil {
		t.Fatal(err)
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Fatal(wrong, err)
	}
	for _, spoil := range []string{"UPDATE change_log SET to_value = '9'", "DELETE FROM group_member"} {
		if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
			_, err := tx.Exec(spoil)
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) != 3 { // the members by two ways
		t.Errorf("%v %v", wrong, err)
	}
}
