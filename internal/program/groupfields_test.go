package program

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ensomet/internal/core/condition"
	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// machine is a device as its line of devices.csv says, by column.
type machine map[string]string

// fits says whether a machine fits a question, from the line alone: the second way to an answer.
func (m machine) fits(c condition.Condition) bool {
	column := map[string]string{
		"unit":    "org_unit",
		"network": "ip_address",
		"user":    "primary_user",
	}[c.Field]
	if column == "" {
		column = c.Field
	}
	has := m[column]
	if c.Field == "os" {
		has = strings.TrimSpace(m["os_name"] + " " + m["os_version"])
	}
	switch c.Op {
	case "is":
		return strings.EqualFold(has, c.Value)
	case "like":
		pattern := strings.NewReplacer(`\*`, ".*", `\?`, ".").Replace(regexp.QuoteMeta(c.Value))
		return regexp.MustCompile("(?i)^" + pattern + "$").MatchString(has)
	case "under":
		return has == c.Value || strings.HasPrefix(has, c.Value+"/")
	case "within":
		at, err := netip.ParseAddr(has)
		return err == nil && netip.MustParsePrefix(c.Value).Contains(at)
	}
	n, err := strconv.Atoi(has)
	if err != nil {
		n = 0
	}
	bound, err := strconv.Atoi(c.Value)
	if err != nil {
		return false
	}
	if c.Op == "at_least" {
		return n >= bound
	}
	return n <= bound
}

// A group asks for any field of a device in any way that the field may be asked for: who is in it is what the lines
// themselves say.
func TestGroupsByEveryField(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	r := rand.New(rand.NewPCG(3, 4))
	values := map[string][]string{
		"name":           {"hal-1", "hal-2", "quay-1"},
		"org_unit":       {"A", "A/B", "AB", "C"},
		"directory_path": {"OU=x", "OU=x/OU=y"},
		"ip_address":     {"10.1.2.3", "10.2.0.1", "192.0.2.7", ""},
		"primary_user":   {"u1", "u2", ""},
		"environment":    {"production", "test"},
		"kind":           {"client", "server", "virtual_machine"},
		"site":           {"Quay", "Yard"},
		"country":        {"NO", "DK"},
		"hosting":        {"", "rented"},
		"status":         {"in_service", "in_store"},
		"os_name":        {"Varde", "Lyng"},
		"os_version":     {"", "11"},
		"portable":       {"true", "false", ""},
		"processors":     {"1", "2", ""},
		"cores":          {"4", "8", ""},
		"virtual_cores":  {"2", ""},
		"cluster":        {"K1", ""},
	}
	columns := []string{"device_id", "name", "org_unit", "directory_path", "ip_address", "primary_user", "environment",
		"kind", "site", "country", "hosting", "status", "os_name", "os_version", "portable", "processors", "cores",
		"virtual_cores", "cluster"}
	machines := map[string]machine{}
	lines := []string{strings.Join(columns, ",")}
	for i := range 40 {
		m := machine{"device_id": fmt.Sprintf("D%02d", i)}
		var line []string
		for _, c := range columns {
			if of := values[c]; of != nil {
				m[c] = of[r.IntN(len(of))]
			}
			line = append(line, m[c])
		}
		if m["hosting"] == "" {
			m["hosting"] = "own site"
		}
		machines[m["device_id"]] = m
		lines = append(lines, strings.Join(line, ","))
	}
	if res := take(t, prog, formats.Devices, lines...); res.Added != len(machines) {
		t.Fatalf("%+v", res)
	}
	asked := 0
	for _, field := range condition.Fields {
		column := map[string]string{"unit": "org_unit", "network": "ip_address", "user": "primary_user",
			"os": "os_name"}[field.Name]
		if column == "" {
			column = field.Name
		}
		for _, op := range condition.Operators[field.Type] {
			if field.Name == "age" || field.Type == condition.Title || field.Type == condition.Group {
				continue // of what is found, not of what lines say; asked for in other tests
			}
			for _, value := range questions(values[column], op) {
				c := condition.Condition{Field: field.Name, Op: op, Value: value}
				var want []string
				for code, m := range machines {
					if m.fits(c) {
						want = append(want, code)
					}
				}
				slices.Sort(want)
				if got := membersOf(t, prog, ctx, c); !slices.Equal(got, want) {
					t.Errorf("%s %s %q: %v, want %v", field.Name, op, value, got, want)
				}
				asked++
			}
		}
	}
	if asked < 60 {
		t.Errorf("only %d questions were asked", asked)
	}
}

// questions are values to ask for in a way.
func questions(values []string, op string) (out []string) {
	switch op {
	case "like":
		return []string{"*1", "?a*", "*"}
	case "within":
		return []string{"10.0.0.0/8", "192.0.2.0/24", "10.1.2.3/32"}
	}
	for _, v := range values {
		if v != "" {
			out = append(out, v)
		}
	}
	return out
}

// membersOf are the device_ids of a group that asks one question.
func membersOf(t *testing.T, prog *Program, ctx context.Context, c condition.Condition) []string {
	t.Helper()
	id, err := prog.Evidence.SaveGroup(ctx, evidence.GroupDraft{Name: "asked", Condition: c}, "me")
	if err != nil {
		t.Fatalf("%+v: %v", c, err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	out := []string{}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		members, err := evidencedb.MembersOf(tx, id)
		if err != nil {
			return err
		}
		list, err := snapshot.AllDevices(tx, prog.Clock.Now().Unix())
		for i := range list {
			if members[list[i].ID] {
				out = append(out, list[i].Code)
			}
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	slices.Sort(out)
	if err := prog.Evidence.DropGroup(ctx, id, seen(t, prog, edits.Group, id), "me"); err != nil {
		t.Fatal(err)
	}
	return out
}

// A rule about changes may speak of devices that are a group by themselves: a unit and all below it.
func TestChangesAreQuietInAUnit(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	clock.now = morning.AddDate(0, 0, 2)
	take(t, prog, formats.Devices, "device_id,name,org_unit", "D1,hal-1,Shore", "D2,hal-2,Shore/Yard",
		"D3,hal-3,Shored")
	for i, device := range []string{"D1", "D2", "D3"} {
		for day, software := range []string{"tide 1", "tide 2"} {
			if _, err := prog.Evidence.TakeScan(ctx, "collector", "id",
				scanOf(device, fmt.Sprint("hal-", i+1), morning.AddDate(0, 0, day), software)); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	draft := evidence.ChangeRuleDraft{What: "quiet", Kinds: []string{"upgraded"}, Group: "Shore"}
	if n, err := prog.Evidence.PreviewChangeRule(ctx, draft); err != nil || n != 2 {
		t.Errorf("would be quiet: %d, %v", n, err)
	}
	if n, err := prog.Evidence.PutChangeRule(ctx, draft, "me"); err != nil || n != 2 {
		t.Errorf("quiet: %d, %v", n, err)
	}
	loud, err := listed(prog, func(*sqlite.ListQuery) (*sqlite.List[evidencedb.ChangeRow], error) {
		return evidencedb.ChangeList(), nil
	}, sqlite.ListQuery{Filters: map[string]string{"quiet": "0", "kind": "upgraded"}})
	if err != nil || len(loud.Rows) != 1 || loud.Rows[0].Code != "D3" {
		t.Errorf("%+v, %v", loud.Rows, err)
	}
}

// A group on which nothing rests changes nothing but who is in it; one of which something speaks has everything looked
// at, and keeps its name, whatever it is that speaks of it.
func TestWhatRestsOnAGroup(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	renew(t, prog)
	all := func() (is bool) {
		t.Helper()
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			is, err = renewal.AllTouched(tx)
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return is
	}
	draft := evidence.GroupDraft{Name: "clients", Condition: asks("kind", "is", "client")}
	id, err := prog.Evidence.SaveGroup(ctx, draft, "me")
	if err != nil {
		t.Fatal(err)
	}
	if all() {
		t.Error("everything is looked at for a group that nobody asks for")
	}
	if got := textsOf(t, prog, "SELECT count(*) > 0 FROM group_member WHERE group_id = ?", id); got[0] != "1" {
		t.Error("nobody is in it")
	}
	if _, err := prog.Titles.PutRule(ctx, titles.RuleDraft{Name: "no clients", Outcome: "leave_out",
		Records: asks("name", "like", "*"), Devices: asks("group", "in", "clients"), Reason: "tried"},
		"me"); err != nil {
		t.Fatal(err)
	}
	renew(t, prog)
	draft.ID, draft.Revision = id, seen(t, prog, edits.Group, id)
	draft.Condition = asks("kind", "is", "server")
	if _, err := prog.Evidence.SaveGroup(ctx, draft, "me"); err != nil {
		t.Fatal(err)
	}
	if !all() {
		t.Error("a rule leaves out what is on its devices, and nothing is looked at")
	}
	draft.Revision, draft.Name = seen(t, prog, edits.Group, id), "others"
	_, err = prog.Evidence.SaveGroup(ctx, draft, "me")
	if err == nil || !strings.Contains(err.Error(), "no clients") {
		t.Errorf("it has another name, under a rule that asks for it: %v", err)
	}
}
