package directory

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/schedule"
	"ensomet/internal/directory/directorydb"
	"ensomet/internal/directory/ldapread"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/progress"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Importer takes in files of any form.
type Importer interface {
	ImportWatched(
		ctx context.Context,
		f formats.File,
		size int64,
		req intake.ImportRequest,
	) (intake.ImportResult, error)
}

// Reader reads directories over LDAP: when somebody asks, and on a schedule.
type Reader struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Secret   secret.File
	Progress *progress.Board
	Importer Importer

	reading, due sync.Mutex
}

// Draft of a directory as somebody wants it.
type DirectoryDraft struct {
	ID         int64 // 0 for a new one
	Name       string
	Address    string // ldaps://host or ldap://host
	StartTLS   bool
	CA         string // certificates that are trusted, as PEM; empty is those of the machine
	User       string
	Password   string // empty keeps the one that is kept
	Base       string
	Filter     string            // empty is people and machines
	Attributes map[string]string // of theirs, each with what it is read as
	Calendar   schedule.Calendar
	Paused     bool
	Revision   int64 // that was seen; a save on an older one is refused
}

// DirectoryView is a directory with what became of it. Times are in seconds since 1970.
type DirectoryView struct {
	DirectoryDraft
	HasPassword bool
	Words       string // when it is read
	Next        int64
	TriedAt     int64
	ReadAt      int64
	Failed      bool
	Says        string
	People      int64 // whom it has
	GoneCount   int64
	Gone        []Gone
	Author      string
}

// Gone is somebody whom a directory has no more.
type Gone = directorydb.Gone

// Reading is what a directory has, and what taking it in does.
type Reading struct {
	Entries  int64
	People   int64
	Machines int64
	Samples  []Sample
	Added    int64 // lines of users and devices
	Changed  int64
	Same     int64
	Aside    int64
	Gone     []string // user_ids that it had, and has no more
	Held     bool     // so many are gone that nobody is taken for a leaver
	Says     string
}

// Sample is how an entry is read.
type Sample struct{ DN, UserID, Name, Mail, Unit, Status string }

// What of a directory must not be lost by a mistake: where more than one of so many are gone at once, and more than a
// few, the filter or the rights are more likely to be wrong than that all have left.
const (
	goneShare  = 5
	goneFew    = 10
	mostSample = 8
)

func directoryThing(id int64) edits.Thing { return edits.Of(edits.Directory, id) }

// server is a directory as it is asked. The password of the draft goes before the one that is kept.
func (svc *Reader) server(d DirectoryDraft, kept directorydb.Directory) (ldapread.Server, error) {
	s := ldapread.Server{Address: strings.TrimSpace(d.Address), StartTLS: d.StartTLS, CA: strings.TrimSpace(d.CA),
		User: strings.TrimSpace(d.User), Password: d.Password, Base: strings.TrimSpace(d.Base),
		Filter: strings.TrimSpace(d.Filter), Attributes: d.Attributes}
	if s.Password == "" && kept.Password != nil {
		if kept.Address != s.Address || kept.User != s.User { // who else may ask for it, at another address
			return s, refuse.New("the address or the name is another: give the password again")
		}
		text, err := svc.Secret.Open(kept.Password)
		if err != nil {
			return s, err
		}
		s.Password = string(text)
	}
	return s, s.Check()
}

// List lists the directories.
func (svc *Reader) List(ctx context.Context) ([]DirectoryView, error) {
	out := []DirectoryView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		list, err := directorydb.Directories(tx)
		if err != nil {
			return err
		}
		for _, d := range list {
			v := DirectoryView{
				DirectoryDraft: draftOf(d),
				HasPassword:    d.Password != nil,
				Words:          d.Calendar.Words(),
				TriedAt:        d.TriedAt,
				ReadAt:         d.ReadAt,
				Failed:         d.Failed,
				Says:           d.Says,
				Author:         d.Author,
			}
			if v.People, v.GoneCount, err = directorydb.Counted(tx, d.ID); err != nil {
				return err
			}
			if v.Gone, err = directorydb.GoneFrom(tx, d.ID); err != nil {
				return err
			}
			if v.Revision, err = edits.Revision(tx, directoryThing(d.ID)); err != nil {
				return err
			}
			if !d.Paused {
				next, err := d.Calendar.Next(svc.Clock.Now(), settings.Zone)
				if err != nil {
					return err
				}
				v.Next = next.Unix()
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

func draftOf(d directorydb.Directory) DirectoryDraft {
	return DirectoryDraft{ID: d.ID, Name: d.Name, Address: d.Address, StartTLS: d.StartTLS, CA: d.CA, User: d.User,
		Base: d.Base, Filter: d.Filter, Attributes: d.Attributes, Calendar: d.Calendar, Paused: d.Paused}
}

// Save stores a directory, and returns its number.
func (svc *Reader) Save(ctx context.Context, d DirectoryDraft, who string) (id int64, err error) {
	if d.Name = strings.TrimSpace(d.Name); d.Name == "" || len(d.Name) > 100 {
		return 0, refuse.New("give the directory a name of at most 100 characters")
	}
	if err := d.Calendar.Check(); err != nil {
		return 0, err
	}
	if d.Attributes == nil {
		d.Attributes = map[string]string{}
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		var kept directorydb.Directory
		if d.ID != 0 {
			if kept, err = directorydb.OneDirectory(tx, d.ID); err != nil {
				return err
			}
		}
		server, err := svc.server(d, kept)
		if err != nil {
			return err
		}
		list, err := directorydb.Directories(tx)
		if err != nil {
			return err
		}
		for _, other := range list {
			if other.ID != d.ID && strings.EqualFold(other.Name, d.Name) {
				return refuse.Errorf("there is a directory %s already", other.Name)
			}
		}
		row := directorydb.Directory{
			ID:         d.ID,
			Name:       d.Name,
			Address:    server.Address,
			StartTLS:   d.StartTLS,
			CA:         server.CA,
			User:       server.User,
			Base:       server.Base,
			Filter:     server.Filter,
			Attributes: d.Attributes,
			Calendar:   d.Calendar,
			Paused:     d.Paused,
			Author:     who,
			At:         svc.Clock.Now().Unix(),
		}
		if server.Password != "" {
			if row.Password, err = svc.Secret.Seal([]byte(server.Password)); err != nil {
				return err
			}
		}
		if d.ID != 0 {
			if _, err := edits.Save(tx, edits.Change{Thing: directoryThing(d.ID), Seen: d.Revision, Who: who,
				At: svc.Clock.Now(), Was: withoutPassword(draftOf(kept)),
				Is: withoutPassword(draftOf(row))}); err != nil {
				return err
			}
		}
		if id, err = directorydb.PutDirectory(tx, row); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "said how a directory is read", d.Name, server.Address)
	})
	return id, err
}

// withoutPassword is what revisions keep of a draft.
func withoutPassword(d DirectoryDraft) DirectoryDraft {
	d.ID, d.Password, d.Revision = 0, "", 0
	return d
}

// Drop takes a directory away; the people and machines that came from it stay.
func (svc *Reader) Drop(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		d, err := directorydb.OneDirectory(tx, id)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{Thing: directoryThing(id), Seen: revision, Who: who, At: svc.Clock.Now(),
			Was: withoutPassword(draftOf(d))}); err != nil {
			return err
		}
		if err := directorydb.DropDirectory(tx, id); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "reads a directory no more", d.Name, d.Address)
	})
}

// Look reads a directory as a draft has it, and says what taking it in would do. Nothing is kept.
func (svc *Reader) Look(ctx context.Context, d DirectoryDraft) (Reading, error) {
	var kept directorydb.Directory
	if d.ID != 0 {
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			kept, err = directorydb.OneDirectory(tx, d.ID)
			return err
		}); err != nil {
			return Reading{}, err
		}
	}
	server, err := svc.server(d, kept)
	if err != nil {
		return Reading{}, err
	}
	return svc.read(ctx, kept, d.Name, server, "", true)
}

// Read reads a directory now and takes in what it has.
func (svc *Reader) Read(ctx context.Context, id int64, who string) (Reading, error) {
	var kept directorydb.Directory
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		kept, err = directorydb.OneDirectory(tx, id)
		return err
	}); err != nil {
		return Reading{}, err
	}
	server, err := svc.server(draftOf(kept), kept)
	var out Reading
	if err == nil {
		out, err = svc.read(ctx, kept, kept.Name, server, who, false)
	}
	says := out.Says
	if err != nil {
		says = err.Error()
	}
	noted := svc.DB.Update(context.WithoutCancel(ctx), func(tx *sqlite.Tx) error {
		return directorydb.Tried(tx, id, svc.Clock.Now().Unix(), err != nil, says)
	})
	return out, errors.Join(err, noted)
}

// read reads a directory into a file of its own, and takes that in like any other: what cannot be read waits there.
func (svc *Reader) read(
	ctx context.Context,
	kept directorydb.Directory,
	name string,
	server ldapread.Server,
	who string,
	dry bool,
) (out Reading, err error) {
	if !svc.reading.TryLock() {
		return out, refuse.New("a directory is being read already: wait until it is done")
	}
	defer svc.reading.Unlock()
	defer svc.Progress.Step("")
	file, err := os.CreateTemp("", "directory-*.ldif") // readable by this account alone
	if err != nil {
		return out, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	now := svc.Clock.Now()
	out = Reading{Samples: []Sample{}, Gone: []string{}}
	if _, err := io.WriteString(file, "version: 1\n\n"); err != nil {
		return out, err
	}
	has := map[string]bool{}
	err = server.Read(ctx, func(e *formats.LDIFEntry) error {
		if out.Entries++; out.Entries%1000 == 0 {
			svc.Progress.Step(fmt.Sprintf("reading the directory %s: %d entries", name, out.Entries))
			svc.Progress.Say(ctx, "%d entries", out.Entries)
		}
		if u, is := formats.PersonOf(e, civil.Of(now)); is {
			out.People++
			has[u.Code] = true
			if len(out.Samples) < mostSample {
				out.Samples = append(
					out.Samples,
					Sample{e.DN, u.Code, u.Name, u.Email, u.OrgUnit, string(u.Status)},
				)
			}
		} else if formats.IsMachine(e) {
			out.Machines++
		}
		return formats.WriteLDIF(file, e)
	})
	if err != nil {
		return out, err
	}
	if out.Entries == 0 {
		return out, refuse.Errorf("the directory %s has nothing below %s that the filter finds: nothing was taken",
			server.Address, server.Base)
	}
	if err := svc.missing(ctx, kept.ID, has, &out); err != nil {
		return out, err
	}
	if !out.Held {
		for _, key := range out.Gone {
			if err := formats.WriteLDIF(file, &formats.LDIFEntry{DN: "uid=" + formats.EscapeDN(key),
				Change: "delete"}); err != nil {
				return out, err
			}
		}
	}
	size, err := file.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		return out, err
	}
	svc.Progress.Say(ctx, "%d entries, which are compared with what is known", out.Entries)
	res, err := svc.Importer.ImportWatched(ctx, file, size, intake.ImportRequest{File: name + ".ldif", AsOf: now,
		DryRun: dry, Author: who})
	if err != nil {
		return out, err
	}
	out.Added, out.Changed, out.Same = int64(res.Added), int64(res.Changed), int64(res.Same)
	out.Aside = int64(len(res.Aside))
	out.Says = out.words()
	if dry {
		return out, nil
	}
	gone := out.Gone
	if out.Held {
		gone = nil
	}
	return out, svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return directorydb.PutEntries(tx, kept.ID, slices.Sorted(maps.Keys(has)), gone, now.Unix())
	})
}

// missing says whom the directory had, and has no more.
func (svc *Reader) missing(ctx context.Context, id int64, has map[string]bool, out *Reading) error {
	if id == 0 {
		return nil
	}
	return svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		before, err := directorydb.EntriesOf(tx, id)
		for _, key := range before {
			if !has[key] {
				out.Gone = append(out.Gone, key)
			}
		}
		out.Held = len(out.Gone) > goneFew && len(out.Gone)*goneShare > len(before)
		return err
	})
}

// words say what was read.
func (r *Reading) words() string {
	out := fmt.Sprintf("%d people and %d machines; %d new, %d changed, %d as before", r.People, r.Machines, r.Added,
		r.Changed, r.Same)
	if r.Aside > 0 {
		out += fmt.Sprintf("; %d put aside", r.Aside)
	}
	switch {
	case r.Held:
		out += fmt.Sprintf(
			"; %d people are missing, more than one of %d: nobody is taken for a leaver, look at the "+
				"filter and at what the name may read",
			len(r.Gone),
			goneShare,
		)
	case len(r.Gone) > 0:
		out += fmt.Sprintf("; %d are no more there, and have left", len(r.Gone))
	}
	return out
}

// ReadDue reads the directories whose time has come. One that fails is tried again at its next time; what it says
// stands on its page.
func (svc *Reader) ReadDue(ctx context.Context) error {
	if !svc.due.TryLock() { // those of the last time are still being read
		return nil
	}
	defer svc.due.Unlock()
	var due []directorydb.Directory
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		list, err := directorydb.Directories(tx)
		for _, d := range list {
			_, missed, wrong := d.Calendar.Missed(time.Unix(max(d.TriedAt, d.At), 0), svc.Clock.Now(), settings.Zone)
			if wrong == nil && missed && !d.Paused {
				due = append(due, d)
			}
		}
		return err
	}); err != nil {
		return err
	}
	for _, d := range due {
		if _, err := svc.Read(ctx, d.ID, "directory "+d.Name); err != nil {
			slog.Warn("a directory could not be read", "directory", d.Name, "error", err)
		}
	}
	return nil
}
