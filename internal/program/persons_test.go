package program

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/identity"
	"ensomet/internal/formats"
	"ensomet/internal/persons"
	"ensomet/internal/sqlite"
)

func refreshAll(t *testing.T, prog *Program) {
	t.Helper()
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
}

func personsDo[T any](t *testing.T, prog *Program, fn func(*persons.Room, *sqlite.Tx) (T, error)) T {
	t.Helper()
	var out T
	if err := prog.DB.Update(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = fn(prog.Evidence.Persons, tx)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

var ada = persons.Who{Name: "ada", Reason: "the same badge", At: 1}

// whoIsWho says whom every name counts as, who may be one besides, and the main users of devices.
func whoIsWho(t *testing.T, prog *Program) []string {
	t.Helper()
	out := textsOf(t, prog, `SELECT key || ' is ' || counts_as || ' ' || nobody FROM person_record ORDER BY key`)
	out = append(
		out,
		textsOf(t, prog, `SELECT min(a.counts_as, b.counts_as) || ' or ' || max(a.counts_as, b.counts_as)
		|| ' ' || p.waits FROM person_pair p JOIN person_record a ON a.id = p.a JOIN person_record b ON b.id = p.b
		ORDER BY 1`)...)
	return append(out, textsOf(t, prog, `SELECT code || ' of ' || primary_user FROM device ORDER BY code`)...)
}

// usersDesk has a title by named user that five devices have, used under three spellings of one log-on name, by a
// service account and by somebody whom no list has.
func usersDesk(t *testing.T) *Program {
	t.Helper()
	prog, _ := desk(t)
	take(t, prog, formats.Titles, "publisher,product,aliases,licence_model,default_metric,list_price,currency",
		"Dunlaw,Gauge,gauge.exe,commercial,named_user,100,EUR")
	take(t, prog, formats.Users, "user_id,name,email,log_on_names", `u1,Una Vik,una@halv.example,HALV\una`,
		"u2,Ulf Holm,ulf@halv.example,")
	take(t, prog, formats.Devices, "device_id,name,kind,primary_user", "D1,one,client,u1", "D2,two,client,",
		`D3,three,client,HALV\Una`, "D4,four,client,root", "D5,five,client,")
	for _, d := range []string{"D1", "D2", "D3", "D4", "D5"} {
		take(t, prog, formats.Installs, "device_id,publisher,name,version,source,seen_at",
			d+",Dunlaw,Gauge,1,disc,2026-06-29T08:00:00Z")
	}
	take(t, prog, formats.Usage, "device_id,user_id,file_name,started_at,ended_at,active_seconds",
		"D2,UNA@halv.example,gauge.exe,2026-06-28T08:00:00Z,2026-06-28T09:00:00Z,3000",
		"D4,HALV\\svc_backup,gauge.exe,2026-06-28T08:00:00Z,2026-06-28T09:00:00Z,3000",
		"D5,gro,gauge.exe,2026-06-28T08:00:00Z,2026-06-28T09:00:00Z,3000")
	return prog
}

// One person under three spellings of a log-on name needs one licence; a service account makes no named user, and what
// it runs on counts as a device whose user nobody knows.
func TestOnePersonUnderThreeNames(t *testing.T) {
	prog := usersDesk(t)
	got := figuresOf(t, prog, "Gauge")
	// u1, gro, and D2, D4 and D5, whose main users nobody knows
	if want := []string{"named_user 0 5 5 500"}; !slices.Equal(got, want) {
		t.Errorf("%v, not %v\n%s", got, want, strings.Join(whoIsWho(t, prog), "\n"))
	}
	if got := textsOf(t, prog, "SELECT primary_user FROM device WHERE code = 'D3'"); got[0] != "u1" {
		t.Errorf("the main user of D3 is %s", got[0])
	}
	if got := textsOf(t, prog, "SELECT person_code FROM use_session ORDER BY 1"); !slices.Contains(got,
		"UNA@halv.example") {
		t.Errorf("evidence was changed: %v", got)
	}
	// somebody says that gro is Ulf: the seat that Ulf holds is hers
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"L1,Dunlaw,Gauge,named_user,2",
	)
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from", "L1,u2,2026-01-01")
	if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 6 4 400"}; !slices.Equal(got, want) {
		t.Errorf("with a seat: %v, not %v", got, want)
	}
	act := personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (int64, error) {
		act, person, err := r.Join(tx, []string{"gro", "u2"}, ada)
		if person != "u2" {
			t.Errorf("they count as %q", person)
		}
		return act, err
	})
	if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 5 3 300"}; !slices.Equal(got, want) {
		t.Errorf("joined: %v, not %v", got, want)
	}
	personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (bool, error) { return true, r.TakeBack(tx, act, ada) })
	if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 6 4 400"}; !slices.Equal(got, want) {
		t.Errorf("taken back: %v, not %v", got, want)
	}
	// two lists name one person twice: what both hold is held by one
	personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (bool, error) {
		_, _, err := r.Join(tx, []string{"u1", "u2"}, ada)
		return true, err
	})
	if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 5 3 300"}; !slices.Equal(got, want) {
		t.Errorf("two of a list as one: %v, not %v", got, want)
	}
	// a later word goes before: they are two, and one again
	for k, want := range []string{"named_user 2 6 4 400", "named_user 2 5 3 300"} {
		personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (int64, error) {
			if k == 0 {
				act, other, err := r.Part(tx, "u1", []string{"u2"}, ada)
				if other != "u2" {
					t.Errorf("what was parted counts as %q", other)
				}
				return act, err
			}
			act, _, err := r.Join(tx, []string{"u1", "u2"}, ada)
			return act, err
		})
		if got := figuresOf(t, prog, "Gauge"); got[0] != want {
			t.Errorf("word %d: %v, not %v", k, got, want)
		}
	}
	// an account that somebody marks: a person uses it all the same
	personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (bool, error) {
		return true, r.SetMark(tx, `HALV\svc_backup`, persons.Somebody)
	})
	if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 6 4 400"}; !slices.Equal(got, want) {
		t.Errorf("marked as a person: %v, not %v", got, want)
	}
	for _, m := range []persons.Mark{persons.Nobody, persons.Unmarked} {
		personsDo(t, prog, func(r *persons.Room, tx *sqlite.Tx) (bool, error) {
			return true, r.SetMark(tx, `HALV\svc_backup`, m)
		})
		if got, want := figuresOf(t, prog, "Gauge"), []string{"named_user 2 5 3 300"}; !slices.Equal(got, want) {
			t.Errorf("marked %q: %v, not %v", m, got, want)
		}
	}
}

// What comes from somebody else than was thought is refused with a sentence, and changes nothing.
func TestWhoIsWhoIsRefused(t *testing.T) {
	prog := usersDesk(t)
	refreshAll(t, prog)
	before := whoIsWho(t, prog)
	for want, fn := range map[string]func(*persons.Room, *sqlite.Tx) error{
		"two names or more": func(r *persons.Room, tx *sqlite.Tx) error {
			_, _, err := r.Join(tx, []string{"u1", "u1"}, ada)
			return err
		},
		"say why": func(r *persons.Room, tx *sqlite.Tx) error {
			_, _, err := r.Join(tx, []string{"u1", "gro"}, persons.Who{Name: "ada"})
			return err
		},
		`nobody is known as "nils"`: func(r *persons.Room, tx *sqlite.Tx) error {
			_, _, err := r.Join(tx, []string{"u1", "nils"}, ada)
			return err
		},
		"leave some": func(r *persons.Room, tx *sqlite.Tx) error {
			_, _, err := r.Part(tx, "u2", []string{"u2"}, ada)
			return err
		},
	} {
		err := prog.DB.Update(
			context.Background(),
			func(tx *sqlite.Tx) error { return fn(prog.Evidence.Persons, tx) },
		)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	differ(t, "after what was refused", whoIsWho(t, prog), before)
}

// In whatever order lists, log-ons, use and pools arrive, settled after each or at the end, with joins and partings
// between that are taken back, names end the same, as if all were settled at once by the rules alone.
func TestPeopleInAnyOrderEndTheSame(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed, 2929))
		var events []func(*Program)
		say := func(kind *formats.Kind, header, line string) {
			events = append(events, func(p *Program) { take(t, p, kind, header, line) })
		}
		locals := []string{"una", "ulf", "gro", "siv", "blåskjær"}
		spell := func(name string) string {
			switch r.IntN(5) {
			case 0:
				return `HALV\` + strings.ToUpper(name)
			case 1:
				return name + "@halv.example"
			case 2:
				return name + "@skole.example"
			case 3:
				return "svc_" + name
			}
			return name
		}
		for i := range 12 {
			name := locals[r.IntN(len(locals))]
			switch r.IntN(4) {
			case 0:
				say(formats.Users, "user_id,name,email,log_on_names,directory_id,status",
					fmt.Sprintf(
						"p%d,%s,%s@halv.example,%s,%s,%s",
						i,
						name,
						name,
						spell(name),
						[]string{"", "", fmt.Sprintf("d%d-abcd-%d", i%3, i%3)}[r.IntN(3)],
						[]string{"active", "left"}[r.IntN(2)],
					))
			case 1:
				say(
					formats.Devices,
					"device_id,name,kind,primary_user",
					fmt.Sprintf("D%d,d%d,client,%s", i, i, spell(name)),
				)
			default:
				s := &formats.Scan{Format: formats.ScanFormat, At: time.Date(2026, 6, 20+i%5, 8, 0, 0, 0, time.UTC),
					Device: formats.ScanDevice{ID: fmt.Sprintf("S%d", i%4), Name: fmt.Sprintf("s%d", i%4)}}
				for range 1 + r.IntN(3) {
					s.Logons = append(
						s.Logons,
						formats.ScanLogon{User: spell(locals[r.IntN(len(locals))]), At: s.At},
					)
				}
				events = append(events, func(p *Program) {
					if _, err := p.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
						t.Fatal(err)
					}
				})
			}
		}
		var want []string
		for round := range 4 {
			prog, _ := desk(t)
			if seed%2 == 0 {
				if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
					return tx.SetSetting(persons.JoinsNames, "true")
				}); err != nil {
					t.Fatal(err)
				}
			}
			for k, e := range r.Perm(len(events)) {
				events[e](prog)
				if round == 0 || r.IntN(2) == 0 {
					continue
				}
				personsDo(t, prog, func(room *persons.Room, tx *sqlite.Tx) (bool, error) {
					_, _, err := room.Settle(tx, 3)
					return true, err
				})
				keys := textsOf(t, prog, "SELECT key FROM person_record WHERE counts_as <> '' ORDER BY key")
				if k%3 == 2 && len(keys) > 1 {
					act := personsDo(t, prog, func(room *persons.Room, tx *sqlite.Tx) (int64, error) {
						act, _, err := room.Join(tx, []string{keys[0], keys[len(keys)-1]}, ada)
						return act, err
					})
					personsDo(t, prog, func(room *persons.Room, tx *sqlite.Tx) (bool, error) {
						return true, room.TakeBack(tx, act, ada)
					})
				}
			}
			refreshAll(t, prog)
			got := whoIsWho(t, prog)
			if round == 0 {
				want = got
			}
			differ(t, fmt.Sprintf("seed %d, round %d", seed, round), got, want)
			againstTheRules(t, prog, seed%2 == 0)
		}
	}
}

// againstTheRules compares what is stored with what the rules say of all names at once.
func againstTheRules(t *testing.T, prog *Program, names bool) {
	t.Helper()
	type row struct{ Key, Mail, Is, LogOns, Directory string }
	var rows []row
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		rows, err = sqlite.Select[row](tx, `SELECT r.key, coalesce(p.email, '') AS mail, r.counts_as AS "is",
			coalesce(p.log_ons, '') AS log_ons, coalesce(p.directory_id, '') AS directory
			FROM person_record r LEFT JOIN person p ON p.code = r.key`)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	var said []identity.Person
	for _, v := range rows {
		said = append(said, identity.Person{Key: v.Key, PersonSigns: identity.PersonSigns{Mail: v.Mail,
			DirectoryID: v.Directory, LogOns: persons.SplitNames(v.LogOns)}})
	}
	res := identity.People(said, nil, identity.Options{Names: names})
	for i := range rows {
		for k := range i {
			if (res.Group[i] == res.Group[k]) != (rows[i].Is == rows[k].Is) {
				t.Errorf("%s and %s: stored as %s and %s", rows[i].Key, rows[k].Key, rows[i].Is, rows[k].Is)
			}
		}
	}
}
