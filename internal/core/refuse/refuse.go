// Package refuse has the errors that are answers: what somebody asked for cannot be, and a plain sentence says why and
// what to do. Every other error is a fault of the program, of its file or of its surroundings.
package refuse

import (
	"errors"
	"fmt"
)

// Error is a refusal. Its text is a sentence for whoever asked.
type Error struct{ text string }

// Error returns the sentence.
func (e *Error) Error() string { return e.text }

// New makes a refusal of a sentence.
func New(text string) error { return &Error{text} }

// Errorf makes a refusal of a sentence with its particulars. It wraps nothing: a fault below is not for whoever asked.
func Errorf(format string, args ...any) error { return &Error{fmt.Sprintf(format, args...)} }

// Is reports whether an error is a refusal, or rests on one.
func Is(err error) bool {
	var e *Error
	return errors.As(err, &e)
}
