package refuse

import (
	"errors"
	"fmt"
	"io"
	"testing"
)

// A refusal stays one when it is wrapped, and nothing else becomes one.
func TestIs(t *testing.T) {
	no := Errorf("there is no device %q", "D1")
	for err, want := range map[error]bool{
		no:                                 true,
		New("give a reason"):               true,
		fmt.Errorf("line 3: %w", no):       true,
		errors.Join(io.EOF, no):            true,
		io.EOF:                             false,
		fmt.Errorf("the file: %w", io.EOF): false,
		errors.New("give a reason"):        false,
	} {
		if Is(err) != want {
			t.Errorf("%v: %v", err, !want)
		}
	}
	if Is(nil) {
		t.Error("nothing is a refusal")
	}
	if text := no.Error(); text != `there is no device "D1"` {
		t.Error(text)
	}
}
