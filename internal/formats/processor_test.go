package formats

import (
	"syscall"
	"testing"
	"time"
)

// processor is how long the processors have worked for these tests.
func processor(t *testing.T) time.Duration {
	t.Helper()
	var r syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &r); err != nil {
		t.Fatal(err)
	}
	return time.Duration(r.Utime.Nano() + r.Stime.Nano())
}
