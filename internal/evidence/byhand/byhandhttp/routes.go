// Package byhandhttp has the routes of what people say of devices by hand.
package byhandhttp

import (
	"context"

	"ensomet/internal/core/access"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// Word is what somebody says of a device by hand.
type Word struct {
	Field   string    `json:"field" doc:"a fact, or a field of the house's own after own:"`
	Value   string    `json:"value"`
	From    civil.Day `json:"from" doc:"the day from which on it holds"`
	Reason  string    `json:"reason"`
	Author  string    `json:"author"`
	At      int64     `json:"at" unit:"unix"`
	Holds   bool      `json:"holds" doc:"it holds today"`
	Sources string    `json:"sources" doc:"what sources say; empty for nothing"`
}

func toWord(v byhand.Said) Word {
	return Word{Field: v.Field, Value: v.Value, From: v.From, Reason: v.Reason, Author: v.Author, At: v.At,
		Holds: v.Holds, Sources: v.Sources}
}

// Words is what was said of a device by hand.
type Words struct {
	Words    []Word `json:"words"`
	Revision int64  `json:"revision"`
}

func toWords(v byhand.Words) Words {
	return Words{Words: rest.Each(v.Words, toWord), Revision: v.Revision}
}

// WordField is a fact that can be said by hand.
type WordField struct {
	Name    string   `json:"name"`
	Choices []string `json:"choices" doc:"the values that it takes; empty for any"`
	Number  bool     `json:"number"`
}

func fields() []WordField {
	out := []WordField{}
	for _, f := range evidence.WordFields {
		out = append(out, WordField{f.Name, append([]string{}, f.Choices...), f.Number})
	}
	return out
}

// WordDraft is what somebody says of devices.
type WordDraft struct {
	Devices   []string  `json:"devices" doc:"device_ids"`
	Field     string    `json:"field"`
	Value     string    `json:"value"`
	Drop      bool      `json:"drop" doc:"what was said of the field holds no more"`
	From      civil.Day `json:"from" doc:"the day from which on it holds; empty is today"`
	Reason    string    `json:"reason"`
	Revisions []int64   `json:"revisions" doc:"of the devices, as the preview gave them"`
}

func fromWordDraft(v WordDraft) byhand.Draft { return byhand.Draft(v) }

// WordEffect is what that does.
type WordEffect struct {
	Devices   int64                 `json:"devices"`
	Changed   int64                 `json:"changed" doc:"devices of which something is otherwise today"`
	Moves     []wire.PositionChange `json:"moves"`
	Revisions []int64               `json:"revisions" doc:"of the devices"`
}

func toWordEffect(v byhand.Effect) WordEffect {
	return WordEffect{Devices: v.Devices, Changed: v.Changed, Moves: rest.Each(v.Moves, wire.ToPositionChange),
		Revisions: v.Revisions}
}

// Register registers the routes.
func Register(s *rest.Server, svc *byhand.Service) {
	rest.Handle(s, access.Viewer, rest.Get("wordFields", "/api/words/fields"),
		func(context.Context, rest.Account, *rest.None) ([]WordField, error) { return fields(), nil })
	rest.Handle(s, access.Viewer, rest.Get("deviceWords", "/api/devices/{code}/words"),
		func(ctx context.Context, _ rest.Account, in *struct {
			Code string `path:"code"`
		}) (Words, error) {
			return rest.One(toWords)(svc.Words(ctx, in.Code))
		})
	rest.Handle(s, access.Editor, rest.Post("previewWord", "/api/words/preview"),
		func(ctx context.Context, _ rest.Account, in *rest.Body[WordDraft]) (WordEffect, error) {
			return rest.One(toWordEffect)(svc.Preview(ctx, fromWordDraft(in.Body)))
		})
	rest.Handle(s, access.Editor, rest.Post("sayWord", "/api/words"),
		func(ctx context.Context, me rest.Account, in *rest.Body[WordDraft]) (WordEffect, error) {
			return rest.One(toWordEffect)(svc.Say(ctx, fromWordDraft(in.Body), me.Name))
		})
}
