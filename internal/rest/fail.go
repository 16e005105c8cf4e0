package rest

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net/http"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"

	"github.com/danielgtaylor/huma/v2"
)

// Fail turns an error into an answer, by its kind: what is not there is 404, what somebody else changed meanwhile
// 409, what is refused 422 (400 for a list that does not exist in that form) with its sentence. Everything else is
// ours: it is logged with its cause, and answered as 500 with a number that finds the line.
func Fail(err error) error {
	var query *sqlite.ErrQuery
	var line *formats.LineError
	var file *formats.FileError
	var status huma.StatusError
	var other *edits.Conflict
	var large *http.MaxBytesError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &status):
		return status
	case errors.As(err, &large):
		return huma.NewError(http.StatusRequestEntityTooLarge, "What was sent is larger than "+size(large.Limit)+".")
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "Stopped; nothing was stored.")
	case sqlite.Fault(err): // whatever it was wrapped in on its way
		return fault(err)
	case errors.Is(err, sqlite.ErrNotFound):
		return huma.Error404NotFound("There is no such thing here (any more).")
	case errors.As(err, &other):
		return conflict(other)
	case errors.Is(err, sqlite.ErrRepeated):
		return huma.Error409Conflict("This was done when you asked before, though its answer did not reach you: " +
			"look at " +
			"what is there now, and ask anew if more is to be done.")
	case errors.Is(err, sqlite.ErrChangedMeanwhile):
		return huma.Error409Conflict(err.Error())
	case errors.As(err, &query):
		return huma.Error400BadRequest(query.Reason)
	case errors.As(err, &line):
		return huma.Error422UnprocessableEntity(line.Reason)
	case errors.As(err, &file):
		return huma.Error422UnprocessableEntity(file.Reason)
	case refuse.Is(err):
		return huma.Error422UnprocessableEntity(err.Error())
	}
	return fault(err)
}

// size writes a number of bytes.
func size(bytes int64) string {
	if bytes < 1<<20 {
		return fmt.Sprintf("%d kB", bytes>>10)
	}
	return fmt.Sprintf("%d MB", bytes>>20)
}

// fault logs what is ours and answers with the number of the line.
func fault(err error) error {
	var random [4]byte
	_, _ = rand.Read(random[:]) // it never fails
	number := hex.EncodeToString(random[:])
	slog.Error("a request failed", "number", number, "error", err)
	return huma.Error500InternalServerError(fmt.Sprintf(
		"This went wrong here, and it is not your doing. Nothing was changed. Try again; if it stays, tell whoever "+
			"runs "+
			"Ensomet here the number %s: the log has the cause under it.", number))
}
