package program

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/schedule"
	"ensomet/internal/directory"
	"ensomet/internal/directory/ldaptest"
	"ensomet/internal/sqlite"
)

func draftOf(s *ldaptest.Slapd) directory.DirectoryDraft {
	return directory.DirectoryDraft{Name: "halv", Address: s.Plain, StartTLS: true, CA: s.CA, User: ldaptest.Reader,
		Password: ldaptest.Password, Base: ldaptest.Base, Filter: "(objectClass=inetOrgPerson)",
		Attributes: map[string]string{"houseCentre": "departmentNumber"}, Calendar: schedule.Calendar{At: "03:00"}}
}

// A real directory: looked at first, read, read again with nothing new, and by its schedule; who is gone from it has
// left, but not where so many are gone that the filter is more likely to be wrong; and a server that went away takes
// nothing with it.
func TestADirectoryIsRead(t *testing.T) {
	ctx := context.Background()
	const people = 240
	s := ldaptest.Start(t, people)
	prog, clock := desk(t)
	draft := draftOf(s)
	seen, err := prog.Directories.Look(ctx, draft)
	if err != nil || seen.People != people || seen.Added != people || len(seen.Samples) == 0 ||
		seen.Samples[0].Unit != "Kartlegging" {
		t.Fatalf("%+v, %v", seen, err)
	}
	if n := textsOf(t, prog, "SELECT code FROM person"); len(n) != 0 {
		t.Errorf("a look took in %d people", len(n))
	}
	id, err := prog.Directories.Save(ctx, draft, "ada")
	if err != nil {
		t.Fatal(err)
	}
	if kept := textsOf(t, prog, "SELECT hex(password) FROM directory"); strings.Contains(kept[0],
		fmt.Sprintf("%X", ldaptest.Password)) {
		t.Error("the password lies in the file as it is")
	}
	read := func() directory.Reading {
		t.Helper()
		r, err := prog.Directories.Read(ctx, id, "ada")
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	if r := read(); r.Added != people || r.Aside != 0 {
		t.Errorf("%+v", r)
	}
	if got := textsOf(t, prog, `SELECT code || '|' || name || '|' || email || '|' || org_unit || '|' || cost_centre ||
		'|' || manager || '|' || status FROM person WHERE code = 'p0003'`); !slices.Equal(
		got,
		[]string{"p0003|Ægir Blåskjær|p0003@halv.example|Kartlegging|4003|p0004|active"},
	) {
		t.Errorf("%q", got)
	}
	if r := read(); r.Same != people || r.Added+r.Changed != 0 {
		t.Errorf("again: %+v", r)
	}
	refreshAll(t, prog)
	// some leave, and one comes back
	s.Remove(t, "p0001", "p0002", "p0003")
	if seen, err = prog.Directories.Look(ctx, directory.DirectoryDraft{ID: id, Name: "halv", Address: draft.Address,
		StartTLS: true, CA: draft.CA, User: draft.User, Base: draft.Base, Filter: draft.Filter,
		Calendar: draft.Calendar}); err != nil || !slices.Equal(seen.Gone, []string{"p0001", "p0002", "p0003"}) {
		t.Errorf("a look with the kept password: %+v, %v", seen, err)
	}
	clock.now = clock.now.AddDate(0, 0, 1)
	if err := prog.Directories.ReadDue(ctx); err != nil {
		t.Fatal(err)
	}
	left := func() []string {
		return textsOf(t, prog, "SELECT code FROM person WHERE status = 'left' ORDER BY code")
	}
	if got := left(); !slices.Equal(got, []string{"p0001", "p0002", "p0003"}) {
		t.Errorf("%v have left", got)
	}
	s.Add(t, "p0002")
	read()
	if got := left(); !slices.Equal(got, []string{"p0001", "p0003"}) {
		t.Errorf("%v have left, and one is back", got)
	}
	list, err := prog.Directories.List(ctx)
	if err != nil || len(list) != 1 || list[0].Password != "" || !list[0].HasPassword || list[0].People != people-2 ||
		len(list[0].Gone) != 2 ||
		list[0].Failed {
		t.Errorf("%+v, %v", list, err)
	}
	// a filter that hides most of them makes no leavers
	narrow := list[0].DirectoryDraft
	narrow.Filter = "(uid=p00*)"
	if _, err := prog.Directories.Save(ctx, narrow, "ada"); err != nil {
		t.Fatal(err)
	}
	if r := read(); !r.Held || !strings.Contains(r.Says, "nobody is taken for a leaver") {
		t.Errorf("%+v", r)
	}
	if got := left(); len(got) != 2 {
		t.Errorf("%d have left", len(got))
	}
	// with another address the kept password goes nowhere
	other := list[0].DirectoryDraft
	other.Address, other.Revision = "ldap://elsewhere.example", 2
	if _, err := prog.Directories.Save(ctx, other, "bo"); err == nil ||
		!strings.Contains(err.Error(), "password again") {
		t.Error(err)
	}
	other.Password, other.Revision = "x", 0
	if _, err := prog.Directories.Save(ctx, other, "bo"); !errors.Is(err, sqlite.ErrChangedMeanwhile) {
		t.Error(err)
	}
	// the server goes away: a sentence, and all is still there
	s.Stop()
	if _, err := prog.Directories.Read(ctx, id, "ada"); err == nil ||
		!strings.Contains(err.Error(), "cannot be reached") {
		t.Error(err)
	}
	list, err = prog.Directories.List(ctx)
	if err != nil || !list[0].Failed || !strings.Contains(list[0].Says, "cannot be reached") ||
		list[0].ReadAt == 0 {
		t.Errorf("%+v, %v", list, err)
	}
	if n := textsOf(t, prog, "SELECT code FROM person"); len(n) != people {
		t.Errorf("%d people are left", len(n))
	}
	if err := prog.Directories.Drop(ctx, id, list[0].Revision, "ada"); err != nil {
		t.Error(err)
	}
	if _, err := prog.Directories.Save(ctx, draft, "ada"); err != nil { // another one, which may get its number
		t.Error(err)
	}
}
