package sqlite

import (
	"context"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// While somebody writes in steps for long, each of many others has his turn after one step at most; all that was
// written is there.
func TestStepsLetOthersWrite(t *testing.T) {
	ctx := context.Background()
	db, err := Open(ctx, filepath.Join(t.TempDir(), "steps.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	write := func(tx *Tx, key string) error { return tx.SetSetting(key, "1") }
	var steps atomic.Int64
	var others sync.WaitGroup
	begun, over := make(chan struct{}), make(chan struct{})
	others.Go(func() {
		defer close(over)
		err := db.UpdateInSteps(ctx, func(tx *Tx) error {
			b, err := tx.Bulk(2, "INSERT INTO setting(key, value)", "")
			if err != nil {
				return err
			}
			for i := range 400 {
				for j := range 3 {
					if err := b.Add("step "+Itoa(int64(3*i+j)), "1"); err != nil {
						return err
					}
				}
				if err := errors.Join(b.Flush(), tx.Step()); err != nil {
					return err
				}
				if steps.Add(1) == 1 {
					close(begun)
				}
			}
			return nil
		})
		if err != nil {
			t.Error(err)
		}
	})
	<-begun
	if !db.Stepping() {
		t.Error("nobody is said to write in steps")
	}
	var most atomic.Int64
	for who := range 8 {
		others.Go(func() {
			for i := range 20 {
				before := steps.Load()
				if err := db.Update(ctx, func(tx *Tx) error {
					most.Store(max(most.Load(), steps.Load()-before))
					return write(tx, "other "+Itoa(int64(100*who+i)))
				}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	others.Wait()
	<-over
	// each waits for those who came before him, with a step between any two of them at most
	if most.Load() > 20 {
		t.Errorf("somebody waited for %d steps", most.Load())
	}
	var n int
	if err := db.read.QueryRow("SELECT count(*) FROM setting WHERE key LIKE 'step %' OR key LIKE 'other %'").
		Scan(&n); err != nil || n != 3*400+8*20 {
		t.Errorf("%d settings are there: %v", n, err)
	}
	if db.Stepping() {
		t.Error("somebody is said to write in steps after all")
	}
}

// An error takes back what was done since the last step, and nothing before it; who writes at once has no steps.
func TestAStepThatFails(t *testing.T) {
	ctx := context.Background()
	db, err := Open(ctx, filepath.Join(t.TempDir(), "steps.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	bad := errors.New("bad")
	told := 0
	db.On("steps", func() { told++ })
	for _, run := range []func(context.Context, func(tx *Tx) error) error{db.UpdateInSteps, db.Update} {
		if err := run(ctx, func(tx *Tx) error {
			tx.Announce("steps")
			if err := errors.Join(tx.SetSetting("first", "1"), tx.Step(), tx.SetSetting("second", "1")); err != nil {
				return err
			}
			return bad
		}); !errors.Is(err, bad) {
			t.Errorf("it says %v", err)
		}
		_ = db.View(ctx, func(tx *Tx) error {
			first, _ := tx.Setting("first")
			second, _ := tx.Setting("second")
			if first != "1" || second != "" || told != 1 {
				t.Errorf("it kept %q and %q, and told %d times", first, second, told)
			}
			return nil
		})
	}
	// the turn is free again, also after one that nobody waited for any more
	gone, cancel := context.WithCancel(ctx)
	cancel()
	if err := db.Update(gone, func(*Tx) error { return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("it says %v", err)
	}
	if err := db.Update(ctx, func(tx *Tx) error { return tx.SetSetting("third", "1") }); err != nil {
		t.Error(err)
	}
}

// What several programs write at the same time keeps the same order: a program that writes in steps lets others in.
func TestStepsOfAnotherProgram(t *testing.T) {
	path := os.Getenv("ENSOMET_STEPS_OF")
	ctx := context.Background()
	if path != "" { // the other program
		db, err := Open(ctx, path)
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		if err := db.UpdateInSteps(ctx, func(tx *Tx) error {
			for i := 0; ; i++ {
				for j := range 200 {
					if err := tx.SetSetting("step "+Itoa(int64(j)), Itoa(int64(i))); err != nil {
						return err
					}
				}
				if err := tx.Step(); err != nil {
					return err
				}
				if stop, err := tx.Setting("stop"); err != nil || stop != "" {
					return err
				}
			}
		}); err != nil {
			t.Fatal(err)
		}
		return
	}
	path = filepath.Join(t.TempDir(), "steps.db")
	db, err := Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	other := exec.Command(os.Args[0], "-test.run", "^TestStepsOfAnotherProgram$")
	other.Env = append(os.Environ(), "ENSOMET_STEPS_OF="+path)
	if err := other.Start(); err != nil {
		t.Fatal(err)
	}
	at := func() (step string) {
		_ = db.View(ctx, func(tx *Tx) (err error) {
			step, err = tx.Setting("step 0")
			return err
		})
		return step
	}
	for at() == "" {
		time.Sleep(time.Millisecond)
	}
	if !db.Stepping() {
		t.Error("nobody is said to write in steps")
	}
	for i := range 50 {
		if err := db.Update(ctx, func(tx *Tx) error { return tx.SetSetting("here", Itoa(int64(i))) }); err != nil {
			t.Fatal(err)
		}
	}
	if err := db.Update(ctx, func(tx *Tx) error { return tx.SetSetting("stop", "1") }); err != nil {
		t.Fatal(err)
	}
	if err := other.Wait(); err != nil {
		t.Errorf("the other program: %v", err)
	}
}

// What reads for long lets go of its state, so that the log begins anew instead of growing with all that is written.
func TestALongReadingLetsTheLogBeginAnew(t *testing.T) {
	ctx := t.Context()
	path := filepath.Join(t.TempDir(), "long.db")
	db, err := Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	const rounds, each = 4, 100 << 20
	if err := db.ViewLong(ctx, func(tx *Tx) error {
		if _, err := tx.Setting("0"); err != nil { // it sees a state from its first question on
			return err
		}
		for round := range rounds {
			if err := db.Update(ctx, func(w *Tx) error {
				return w.SetSetting(Itoa(int64(round)), strings.Repeat("x", each))
			}); err != nil {
				return err
			}
			seen := func() string {
				text, err := tx.Setting(Itoa(int64(round)))
				if err != nil {
					t.Fatal(err)
				}
				return text
			}
			if seen() != "" {
				t.Error("it sees what came after its state")
			}
			if !tx.KeepsMuch() {
				t.Error("it is not known how long the log is")
			}
			if err := tx.Newer(); err != nil {
				return err
			}
			if len(seen()) != each {
				t.Error("it does not see the newest state")
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	log, err := os.Stat(path + "-wal")
	if err != nil || log.Size() > each+each/2 {
		t.Errorf("the log has %d bytes, %v", log.Size(), err)
	}
	if err := db.Update(ctx, func(w *Tx) error { return w.SetSetting("last", "1") }); err != nil {
		t.Fatal(err)
	}
	if log, err = os.Stat(path + "-wal"); err != nil || log.Size() > sizeOfLog {
		t.Errorf("begun anew, the log has %d bytes, %v", log.Size(), err)
	}
	if err := db.View(ctx, func(tx *Tx) error { return tx.Newer() }); err != nil {
		t.Errorf("a short reading: %v", err)
	}
}
