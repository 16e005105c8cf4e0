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

// Piece is how much of a body must come within BodyPatience, in bytes: a line of 2 kbit/s is fast enough.
const Piece = 16 << 10

// patient gives up on a body of which nothing comes for a while, and on somebody who takes nothing of an answer.
func patient(wait time.Duration) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			line := http.NewResponseController(w)
			_ = line.SetWriteDeadline(time.Time{}) // a line that knows no deadlines is one of a test
			r.Body = &patientBody{ReadCloser: r.Body, line: line, wait: wait}
			next.ServeHTTP(&patientWriter{w, line, wait}, r)
		})
	}
}

type patientWriter struct {
	http.ResponseWriter
	line *http.ResponseController
	wait time.Duration
}

func (w *patientWriter) Write(p []byte) (int, error) {
	_ = w.line.SetWriteDeadline(time.Now().Add(w.wait))
	return w.ResponseWriter.Write(p)
}

// Flush sends what was written.
func (w *patientWriter) Flush() { _ = w.line.Flush() }

// Unwrap lets a controller reach the line.
func (w *patientWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

type patientBody struct {
	io.ReadCloser
	line *http.ResponseController
	wait time.Duration
	came int // since the last piece was waited for
	due  time.Time
}

// Read waits for the next piece. Time begins anew only when enough has come, so that nobody holds a connection with a
// byte now and then. Once all has come there is no more hurry: what is done with it may take longer.
func (b *patientBody) Read(p []byte) (int, error) {
	if b.due.IsZero() || b.came >= Piece {
		b.came, b.due = 0, time.Now().Add(b.wait)
		_ = b.line.SetReadDeadline(b.due)
	}
	n, err := b.ReadCloser.Read(p)
	if b.came += n; err == io.EOF {
		b.due = time.Time{}
		_ = b.line.SetReadDeadline(b.due)
	}
	return n, err
}
