package rest

import (
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"ensomet/internal/core/access"

	"github.com/danielgtaylor/huma/v2"
)

// A browser is told of what changes for so long, then asks anew, by which its session is looked at; it is looked for
// changes so often; and so often something is said where nothing changes, so that a line that broke is known.
const (
	newsLife  = 10 * time.Minute
	newsEvery = 200 * time.Millisecond
	newsQuiet = 20 * time.Second
)

// eventStream is the media type of server-sent events, as the HTML standard has them.
const eventStream = "text/event-stream"

type endingKey struct{}

// WithEnding lets streams of news end by themselves once the program is being stopped.
func WithEnding(ctx context.Context, ending <-chan struct{}) context.Context {
	return context.WithValue(ctx, endingKey{}, ending)
}

// Tell registers an operation that needs a role and tells what is, at once and each time it has become something else,
// as server-sent events. Whoever does not ask for a stream of events is told what is, once.
func Tell[T comparable](s *Server, role access.Role, op huma.Operation, now func() T) {
	op.Middlewares = append(op.Middlewares, s.needs(role))
	op.Responses = map[string]*huma.Response{"200": {
		Description: "Events, each of which has the state as JSON.",
		Content:     map[string]*huma.MediaType{eventStream: {Schema: &huma.Schema{Type: huma.TypeString}}},
	}}
	huma.Register(s.API, op, func(_ context.Context, in *struct {
		Accept string `header:"Accept"`
	}) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			ctx.SetHeader("Content-Type", eventStream)
			w, writes := ctx.BodyWriter().(http.ResponseWriter)
			if !writes {
				return
			}
			if err := tell(ctx.Context(), w, strings.Contains(in.Accept, eventStream), now); err != nil {
				slog.Debug("a browser could not be told", "error", err)
			}
		}}, nil
	})
}

func tell[T comparable](ctx context.Context, w http.ResponseWriter, stays bool, now func() T) error {
	line := http.NewResponseController(w)
	say := func(state T) error {
		text, err := json.Marshal(state)
		if err != nil {
			return err
		}
		if _, err := w.Write([]byte("data: " + string(text) + "\n\n")); err != nil {
			return err
		}
		return line.Flush()
	}
	said := now()
	if err := say(said); err != nil || !stays {
		return err
	}
	ending, _ := ctx.Value(endingKey{}).(<-chan struct{})
	look := time.NewTicker(newsEvery)
	defer look.Stop()
	ends, quiet := time.Now().Add(newsLife), time.Now()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-ending:
			return nil
		case at := <-look.C:
			state := now()
			if state == said && at.Sub(quiet) < newsQuiet {
				continue
			}
			said, quiet = state, at
			if err := say(state); err != nil || at.After(ends) {
				return err
			}
		}
	}
}
