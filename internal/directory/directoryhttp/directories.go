package directoryhttp

import (
	"context"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/schedule"
	"ensomet/internal/directory"
	"ensomet/internal/rest"
)

// DirectoryDraft is a directory as somebody wants it.
type DirectoryDraft struct {
	ID         int64             `json:"id" doc:"0 for a new one"`
	Name       string            `json:"name"`
	Address    string            `json:"address" doc:"ldaps://host or ldap://host, with a port where it is another"`
	StartTLS   bool              `json:"startTls"`
	CA         string            `json:"ca" doc:"certificates that are trusted, as PEM; empty is those of the machine"`
	User       string            `json:"user" doc:"the name that it is asked under; empty asks as nobody"`
	Password   string            `json:"password" doc:"empty keeps the one that is kept; it is never sent back"`
	Base       string            `json:"base" doc:"the entry below which is read"`
	Filter     string            `json:"filter" doc:"RFC 4515; empty is people and machines"`
	Attributes map[string]string `json:"attributes" doc:"of theirs, each with what it is read as"`
	Calendar   ReadingPlan       `json:"calendar" doc:"when it is read, in the house's time"`
	Paused     bool              `json:"paused"`
	Revision   int64             `json:"revision"`
}

// ReadingPlan is when a directory is read: every day, on weekdays, or on days of the month.
type ReadingPlan struct {
	Weekdays  []time.Weekday `json:"weekdays,omitempty" doc:"none is every one"`
	MonthDays []int          `json:"monthDays,omitempty" doc:"1 to 31; none is every one"`
	At        string         `json:"at" doc:"hh:mm"`
}

func fromDirectoryDraft(v DirectoryDraft) directory.DirectoryDraft {
	return directory.DirectoryDraft{
		ID:         v.ID,
		Name:       v.Name,
		Address:    v.Address,
		StartTLS:   v.StartTLS,
		CA:         v.CA,
		User:       v.User,
		Password:   v.Password,
		Base:       v.Base,
		Filter:     v.Filter,
		Attributes: v.Attributes,
		Calendar:   schedule.Calendar(v.Calendar),
		Paused:     v.Paused,
		Revision:   v.Revision,
	}
}

func toDirectoryDraft(v directory.DirectoryDraft) DirectoryDraft {
	return DirectoryDraft{
		ID:         v.ID,
		Name:       v.Name,
		Address:    v.Address,
		StartTLS:   v.StartTLS,
		CA:         v.CA,
		User:       v.User,
		Password:   v.Password,
		Base:       v.Base,
		Filter:     v.Filter,
		Attributes: v.Attributes,
		Calendar:   ReadingPlan(v.Calendar),
		Paused:     v.Paused,
		Revision:   v.Revision,
	}
}

// GonePerson is somebody whom a directory has no more.
type GonePerson struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	At   int64  `json:"at" unit:"unix"`
}

func toGonePerson(v directory.Gone) GonePerson { return GonePerson(v) }

// DirectoryView is a directory with what became of it.
type DirectoryView struct {
	DirectoryDraft DirectoryDraft `json:"draft"`
	HasPassword    bool           `json:"hasPassword"`
	Words          string         `json:"words" doc:"when it is read"`
	Next           int64          `json:"next" unit:"unix" doc:"0 where it is paused"`
	TriedAt        int64          `json:"triedAt" unit:"unix"`
	ReadAt         int64          `json:"readAt" unit:"unix" doc:"when it was last read whole"`
	Failed         bool           `json:"failed"`
	Says           string         `json:"says"`
	People         int64          `json:"people"`
	GoneCount      int64          `json:"goneCount"`
	Gone           []GonePerson   `json:"gone" doc:"whom it has no more, the latest first"`
	Author         string         `json:"author"`
}

func toDirectoryView(v directory.DirectoryView) DirectoryView {
	return DirectoryView{
		DirectoryDraft: toDirectoryDraft(v.DirectoryDraft),
		HasPassword:    v.HasPassword,
		Words:          v.Words,
		Next:           v.Next,
		TriedAt:        v.TriedAt,
		ReadAt:         v.ReadAt,
		Failed:         v.Failed,
		Says:           v.Says,
		People:         v.People,
		GoneCount:      v.GoneCount,
		Gone:           rest.Each(v.Gone, toGonePerson),
		Author:         v.Author,
	}
}

// DirectorySample is how an entry is read.
type DirectorySample struct {
	DN     string `json:"dn"`
	UserID string `json:"userId"`
	Name   string `json:"name"`
	Mail   string `json:"mail"`
	Unit   string `json:"unit"`
	Status string `json:"status"`
}

func toDirectorySample(v directory.Sample) DirectorySample { return DirectorySample(v) }

// DirectoryReading is what a directory has, and what taking it in does.
type DirectoryReading struct {
	Entries  int64             `json:"entries"`
	People   int64             `json:"people"`
	Machines int64             `json:"machines"`
	Samples  []DirectorySample `json:"samples"`
	Added    int64             `json:"added"`
	Changed  int64             `json:"changed"`
	Same     int64             `json:"same"`
	Aside    int64             `json:"aside" doc:"lines that wait for somebody"`
	Gone     []string          `json:"gone" doc:"user_ids that it had, and has no more"`
	Held     bool              `json:"held" doc:"so many are gone that nobody is taken for a leaver"`
	Says     string            `json:"says"`
}

func toDirectoryReading(v directory.Reading) DirectoryReading {
	return DirectoryReading{
		Entries:  v.Entries,
		People:   v.People,
		Machines: v.Machines,
		Samples:  rest.Each(v.Samples, toDirectorySample),
		Added:    v.Added,
		Changed:  v.Changed,
		Same:     v.Same,
		Aside:    v.Aside,
		Gone:     v.Gone,
		Held:     v.Held,
		Says:     v.Says,
	}
}

// DirectorySaved is the number of a directory that was stored.
type DirectorySaved struct {
	ID int64 `json:"id"`
}

func directories(s *rest.Server, svc *directory.Reader) {
	rest.Handle(s, access.Viewer, rest.Get("directories", "/api/directories"),
		rest.Plain(svc.List, rest.All(toDirectoryView)))
	rest.Handle(s, access.Admin, rest.Post("saveDirectory", "/api/directories"),
		func(ctx context.Context, me rest.Account, in *rest.Body[DirectoryDraft]) (DirectorySaved, error) {
			id, err := svc.Save(ctx, fromDirectoryDraft(in.Body), me.Name)
			return DirectorySaved{id}, err
		})
	rest.Handle(s, access.Admin, rest.Post("lookAtDirectory", "/api/directories/look"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Watch string `query:"watch" doc:"a key of one's own, under which it is told how far it is"`
			Body  DirectoryDraft
		}) (DirectoryReading, error) {
			ctx, end := svc.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toDirectoryReading)(svc.Look(ctx, fromDirectoryDraft(in.Body)))
		})
	rest.Handle(s, access.Admin, rest.Post("readDirectory", "/api/directories/{id}/read"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID    int64  `path:"id"`
			Watch string `query:"watch" doc:"a key of one's own, under which it is told how far it is"`
		}) (DirectoryReading, error) {
			ctx, end := svc.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toDirectoryReading)(svc.Read(ctx, in.ID, me.Name))
		})
	rest.Handle(s, access.Admin, rest.Post("dropDirectory", "/api/directories/{id}/drop"),
		rest.OnRevision(svc.Drop))
}
