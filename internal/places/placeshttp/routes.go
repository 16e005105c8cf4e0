// Package placeshttp has the routes of folders and addresses that are looked at on a schedule.
package placeshttp

import (
	"context"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/schedule"
	"ensomet/internal/places"
	"ensomet/internal/rest"
)

// PlacePlan is when a place is looked at: every day, on weekdays, or on days of the month.
type PlacePlan struct {
	Weekdays  []time.Weekday `json:"weekdays,omitempty" doc:"none is every one"`
	MonthDays []int          `json:"monthDays,omitempty" doc:"1 to 31; none is every one"`
	At        string         `json:"at" doc:"hh:mm"`
}

// PlaceDraft is a place as somebody wants it.
type PlaceDraft struct {
	ID       int64     `json:"id" doc:"0 for a new one"`
	Name     string    `json:"name"`
	Place    string    `json:"place" doc:"a folder, or an https address"`
	Pattern  string    `json:"pattern" doc:"of the names of files in a folder, with * and ?; empty is all"`
	Kind     string    `json:"kind" doc:"what tables there are; empty goes by the files' names"`
	Calendar PlacePlan `json:"calendar" doc:"when it is looked at, in the house's time"`
	Paused   bool      `json:"paused"`
	Revision int64     `json:"revision"`
}

func fromPlaceDraft(v PlaceDraft) places.Draft {
	return places.Draft{
		ID:       v.ID,
		Name:     v.Name,
		Place:    v.Place,
		Pattern:  v.Pattern,
		Kind:     v.Kind,
		Calendar: schedule.Calendar(v.Calendar),
		Paused:   v.Paused,
		Revision: v.Revision,
	}
}

func toPlaceDraft(v places.Draft) PlaceDraft {
	return PlaceDraft{
		ID:       v.ID,
		Name:     v.Name,
		Place:    v.Place,
		Pattern:  v.Pattern,
		Kind:     v.Kind,
		Calendar: PlacePlan(v.Calendar),
		Paused:   v.Paused,
		Revision: v.Revision,
	}
}

// PlaceFile is what was there.
type PlaceFile struct {
	ID         int64  `json:"id"`
	Name       string `json:"name"`
	Size       int64  `json:"size" doc:"in bytes"`
	ModifiedAt int64  `json:"modifiedAt" unit:"unix"`
	Hash       string `json:"hash" doc:"SHA-256 of the content"`
	TakenAt    int64  `json:"takenAt" unit:"unix"`
	Refused    bool   `json:"refused"`
	Aside      int64  `json:"aside" doc:"lines that wait for somebody"`
	Says       string `json:"says"`
}

func toPlaceFile(v places.File) PlaceFile { return PlaceFile(v) }

// PlaceView is a place with what became of it.
type PlaceView struct {
	Draft   PlaceDraft  `json:"draft"`
	Words   string      `json:"words" doc:"when it is looked at"`
	Next    int64       `json:"next" unit:"unix" doc:"0 where it is paused"`
	TriedAt int64       `json:"triedAt" unit:"unix"`
	CameAt  int64       `json:"cameAt" unit:"unix" doc:"when something new was there last"`
	State   string      `json:"state" enum:",came,nothing,failed"`
	Says    string      `json:"says"`
	Files   []PlaceFile `json:"files" doc:"the newest first"`
	Author  string      `json:"author"`
}

func toPlaceView(v places.View) PlaceView {
	return PlaceView{
		Draft:   toPlaceDraft(v.Draft),
		Words:   v.Words,
		Next:    v.Next,
		TriedAt: v.TriedAt,
		CameAt:  v.CameAt,
		State:   v.State,
		Says:    v.Says,
		Files:   rest.Each(v.Files, toPlaceFile),
		Author:  v.Author,
	}
}

// PlaceSaved is the number of a place that was stored.
type PlaceSaved struct {
	ID int64 `json:"id"`
}

// Register registers the routes.
func Register(s *rest.Server, svc *places.Service) {
	rest.Handle(s, access.Viewer, rest.Get("places", "/api/places"), rest.Plain(svc.List, rest.All(toPlaceView)))
	rest.Handle(s, access.Admin, rest.Post("savePlace", "/api/places"),
		func(ctx context.Context, me rest.Account, in *rest.Body[PlaceDraft]) (PlaceSaved, error) {
			id, err := svc.Save(ctx, fromPlaceDraft(in.Body), me.Name)
			return PlaceSaved{id}, err
		})
	rest.Handle(s, access.Admin, rest.Post("lookAtPlace", "/api/places/{id}/look"),
		func(ctx context.Context, me rest.Account, in *struct {
			ID    int64  `path:"id"`
			Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
		}) (PlaceView, error) {
			ctx, end := svc.Progress.Follow(ctx, in.Watch)
			defer end()
			return rest.One(toPlaceView)(svc.Look(ctx, in.ID, me.Name))
		})
	rest.Handle(s, access.Admin, rest.Post("dropPlace", "/api/places/{id}/drop"), rest.OnRevision(svc.Drop))
}
