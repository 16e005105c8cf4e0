package program

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"ensomet/internal/sqlite"
)

// A program that is killed at any moment, between a change and what it touches being renewed or in the midst of that,
// loses nothing: after a start, what is marked is renewed, and every list and figure is what a full computation gives.
// ENSOMET_KILLS says how often it is killed.
func TestKilledWhileItRenews(t *testing.T) {
	if dir := os.Getenv("ENSOMET_KILLED"); dir != "" {
		changeUntilKilled(t, dir)
		return
	}
	kills := 8
	if n, err := strconv.Atoi(os.Getenv("ENSOMET_KILLS")); err == nil {
		kills = n
	}
	dir := t.TempDir()
	c := newChanging(t, 23)
	renew(t, c.prog)
	if err := c.prog.DB.Backup(t.Context(), filepath.Join(dir, "killed.db")); err != nil {
		t.Fatal(err)
	}
	unfinished := 0
	for i := range kills {
		cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledWhileItRenews$")
		cmd.Env = append(os.Environ(), "ENSOMET_KILLED="+dir, fmt.Sprint("ENSOMET_SEED=", i))
		out, err := cmd.StdoutPipe()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			t.Fatal(err)
		}
		said := bufio.NewReader(out)
		for range 1 + i%4 {
			if line, err := said.ReadString('\n'); err != nil {
				t.Fatalf("it ended by itself: %q, %v", line, err)
			}
		}
		time.Sleep(time.Duration(i*i%37) * time.Millisecond)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		prog, close := reopened(t, dir)
		if dirty, err := prog.Renewal.Dirty(t.Context()); err != nil {
			t.Fatal(err)
		} else if dirty {
			unfinished++
		}
		renew(t, prog)
		if wrong, err := prog.Pipeline.Check(t.Context()); err != nil || len(wrong) > 0 {
			t.Fatalf("kill %d: %v, %v", i, wrong, err)
		}
		close()
	}
	t.Logf("%d kills, %d of them before what was changed was renewed", kills, unfinished)
	if unfinished == 0 {
		t.Error("it was never killed while it renewed; this shows nothing")
	}
}

// reopened opens the file that a killed program left.
func reopened(t *testing.T, dir string) (*Program, func()) {
	t.Helper()
	db, err := sqlite.Open(t.Context(), filepath.Join(dir, "killed.db"))
	if err != nil {
		t.Fatal(err)
	}
	prog := New(db, &movable{time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)})
	return prog, func() {
		prog.Close()
		db.Close()
	}
}

// changeUntilKilled changes the house of a file and renews it, and says each change.
func changeUntilKilled(t *testing.T, dir string) {
	seed, err := strconv.ParseUint(os.Getenv("ENSOMET_SEED"), 10, 64)
	if err != nil {
		t.Fatal(err)
	}
	prog, close := reopened(t, dir)
	defer close()
	c := &changing{t: t, prog: prog, r: rand.New(rand.NewPCG(2027, seed)),
		clock:    &movable{prog.Clock.Now()},
		products: []string{"Skerrymap", "Suite", "Part", "Gannet", "Oyster", "Kelpline"},
	}
	c.seen = c.clock.now.Add(-time.Duration(300-seed) * time.Hour)
	for n := range 10_000 {
		if what := c.change(n); what != "" {
			fmt.Println(what)
			renew(t, prog)
		}
	}
}
