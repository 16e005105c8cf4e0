package rest

import (
	"io"
	"net/http"
	"time"
)

// How long the program waits for somebody who is connected: for the next piece of a request's body, and for a next
// request. A large file on a slow line takes as long as it takes, as long as something of it comes.
const (
	HeaderPatience = 10 * time.Second
	BodyPatience   = time.Minute
	IdlePatience   = 2 * time.Minute
)

// patient gives up on a body of which nothing comes for a while.
func patient(wait time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			r.Body = &patientBody{r.Body, http.NewResponseController(w), wait}
			next.ServeHTTP(w, r)
		})
	}
}

type patientBody struct {
	io.ReadCloser
	line *http.ResponseController
	wait time.Duration
}

func (b *patientBody) Read(p []byte) (int, error) {
	_ = b.line.SetReadDeadline(time.Now().Add(b.wait)) // a line that knows no deadlines is one of a test
	return b.ReadCloser.Read(p)
}
