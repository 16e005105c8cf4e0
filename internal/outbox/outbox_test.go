package outbox

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/sqlite"
)

// movable is a clock that a test moves.
type movable struct {
	sync.Mutex
	now time.Time
}

func (c *movable) Now() time.Time {
	c.Lock()
	defer c.Unlock()
	return c.now
}

func (c *movable) pass(d time.Duration) {
	c.Lock()
	c.now = c.now.Add(d)
	c.Unlock()
}

// box is a mail box that counts what it takes, and refuses what it is told to.
type box struct {
	sync.Mutex
	taken  map[int64]int
	refuse func(Letter) error
	wait   time.Duration
}

func (b *box) Send(ctx context.Context, l Letter) error {
	if b.wait > 0 {
		select {
		case <-time.After(b.wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	b.Lock()
	defer b.Unlock()
	if b.refuse != nil {
		if err := b.refuse(l); err != nil {
			return err
		}
	}
	b.taken[l.ID]++
	return nil
}

func post(t *testing.T) (*Service, *movable, *box) {
	t.Helper()
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "post.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	clock := &movable{now: time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)}
	b := &box{taken: map[int64]int{}}
	svc := New(db, clock)
	svc.Mail = b
	return svc, clock, b
}

func queue(t *testing.T, svc *Service, n int, address string) {
	t.Helper()
	if err := svc.DB.Update(t.Context(), func(tx *sqlite.Tx) error {
		for range n {
			now := svc.Clock.Now().Unix()
			if err := QueueMail(tx, Mail{Address: address, Subject: "s", Body: "b", QueuedAt: now}); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
}

func letter(t *testing.T, svc *Service, id int64) (m Mail) {
	t.Helper()
	if err := svc.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		page, err := MailList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}})
		if err == nil {
			m = page.Rows[0]
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return m
}

// Three who send at once send each letter once.
func TestSeveralSendersSendOnce(t *testing.T) {
	svc, _, b := post(t)
	const letters = 1000
	queue(t, svc, letters, "a@x.example")
	var all sync.WaitGroup
	for range 3 {
		all.Go(func() {
			if err := svc.Deliver(t.Context()); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if len(b.taken) != letters {
		t.Errorf("%d of %d letters left", len(b.taken), letters)
	}
	for id, n := range b.taken {
		if n != 1 {
			t.Errorf("the letter %d left %d times", id, n)
		}
	}
}

// What cannot be delivered holds nothing up: not what comes after it, and not for ever. A person sees it, and can have
// it tried again.
func TestWhatCannotBeDelivered(t *testing.T) {
	svc, clock, b := post(t)
	b.refuse = func(l Letter) error {
		if l.To == "nobody@x.example" {
			return errors.New("no such box")
		}
		return nil
	}
	queue(t, svc, 500, "nobody@x.example")
	queue(t, svc, 1, "a@x.example")
	ctx, end := context.WithCancel(t.Context())
	var worker sync.WaitGroup
	worker.Go(func() { svc.Run(ctx) })
	began := time.Now()
	for letter(t, svc, 501).SentAt == 0 {
		if time.Since(began) > time.Minute {
			t.Fatal("the letter that can be delivered still waits after a minute")
		}
		time.Sleep(5 * time.Millisecond)
	}
	end()
	worker.Wait()
	// a new one does not wait for those that come again
	clock.pass(2 * time.Minute)
	queue(t, svc, 1, "a@x.example")
	if err := svc.Deliver(t.Context()); err != nil || b.taken[502] != 1 {
		t.Fatalf("%v, %v", err, b.taken)
	}
	took := time.Duration(0)
	for letter(t, svc, 1).GivenUpAt == 0 {
		clock.pass(10 * time.Minute)
		if took += 10 * time.Minute; took > 96*time.Hour {
			t.Fatal("it is tried without end")
		}
		if err := svc.Deliver(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	m := letter(t, svc, 1)
	if m.Tries != MostTries || m.Error != "no such box" || took < 24*time.Hour {
		t.Errorf("given up after %v: %+v", took, m)
	}
	tries := 0
	b.refuse = func(Letter) error { tries++; return nil }
	clock.pass(240 * time.Hour)
	if err := svc.Deliver(t.Context()); err != nil || tries != 0 {
		t.Errorf("what was given up was tried again: %d, %v", tries, err)
	}
	if err := svc.TryAgain(t.Context(), 1, "me"); err != nil {
		t.Fatal(err)
	}
	if err := svc.Deliver(t.Context()); err != nil || letter(t, svc, 1).SentAt == 0 || tries != 1 {
		t.Errorf("tried again by a person: %+v, %d, %v", letter(t, svc, 1), tries, err)
	}
	if err := svc.TryAgain(t.Context(), 1, "me"); err == nil {
		t.Error("a letter that has left is tried again")
	}
}

// A try that failed stands in the log with its cause: as a warning as long as it comes again, as an error once it is
// given up. What left says nothing.
func TestFailedTriesAreLogged(t *testing.T) {
	svc, clock, b := post(t)
	var lines []string
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(writer(func(p []byte) {
		lines = append(lines, string(p))
	}), nil)))
	t.Cleanup(func() { slog.SetDefault(before) })
	b.refuse = func(l Letter) error {
		if l.To == "nobody@x.example" {
			return errors.New("no such box")
		}
		return nil
	}
	queue(t, svc, 1, "nobody@x.example")
	queue(t, svc, 1, "a@x.example")
	for range MostTries {
		if err := svc.Deliver(t.Context()); err != nil {
			t.Fatal(err)
		}
		clock.pass(7 * time.Hour)
	}
	if len(lines) != MostTries {
		t.Fatalf("%d lines: %q", len(lines), lines)
	}
	for i, line := range lines {
		level := "level=WARN"
		if i == MostTries-1 {
			level = "level=ERROR"
		}
		if !strings.Contains(line, level) || !strings.Contains(line, "no such box") ||
			!strings.Contains(line, `what="mail 1"`) || !strings.Contains(line, fmt.Sprintf("tries=%d ", i+1)) {
			t.Errorf("try %d: %s", i+1, line)
		}
	}
}

type writer func(p []byte)

func (w writer) Write(p []byte) (int, error) { w(p); return len(p), nil }

// Pauses grow, from a minute up to six hours.
func TestPauses(t *testing.T) {
	before := time.Duration(0)
	for tries := int64(1); tries <= MostTries; tries++ {
		p := Pause(tries)
		if p < before || p < time.Minute || p > 6*time.Hour {
			t.Errorf("after %d tries %v, before %v", tries, p, before)
		}
		before = p
	}
	if before != 6*time.Hour {
		t.Errorf("the last pause is %v", before)
	}
}

// A server that takes its time holds nobody up who writes, and one that never answers is left after a while.
func TestASlowServer(t *testing.T) {
	svc, _, b := post(t)
	b.wait = 300 * time.Millisecond
	queue(t, svc, 10, "a@x.example")
	ctx, end := context.WithCancel(t.Context())
	var worker sync.WaitGroup
	worker.Go(func() { svc.Run(ctx) })
	var waits []time.Duration
	for range 40 {
		began := time.Now()
		if err := svc.DB.Update(t.Context(),
			func(tx *sqlite.Tx) error { return tx.SetSetting("x", "y") }); err != nil {
			t.Fatal(err)
		}
		waits = append(waits, time.Since(began))
		time.Sleep(10 * time.Millisecond)
	}
	end()
	worker.Wait()
	slices.Sort(waits)
	if middle := waits[len(waits)/2]; middle > b.wait/2 {
		t.Errorf("a writer waits %v in the middle while mail leaves", middle)
	}
	if err := svc.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		var claimed int
		err := tx.QueryRow("SELECT count(*) FROM mail WHERE claimed_until <> 0").Scan(&claimed)
		if err == nil && claimed != 0 {
			t.Errorf("%d letters are still claimed after the end", claimed)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
}

// A program that is killed at any moment loses nothing, and the next one sends nothing that was taken a second time
// under another number: whoever takes letters knows each by its number.
func TestKilledAtAnyMoment(t *testing.T) {
	if dir := os.Getenv("ENSOMET_KILLED"); dir != "" {
		sendUntilKilled(dir)
		return
	}
	dir := t.TempDir()
	const letters = 400
	svc, _, _ := post(t)
	queue(t, svc, letters, "a@x.example")
	if err := svc.DB.Backup(t.Context(), filepath.Join(dir, "post.db")); err != nil {
		t.Fatal(err)
	}
	for i := range 20 {
		cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledAtAnyMoment$")
		cmd.Env = append(os.Environ(), "ENSOMET_KILLED="+dir)
		out, err := cmd.StdoutPipe()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			t.Fatal(err)
		}
		said := bufio.NewReader(out)
		for range 3 + i%7 { // letters that it is sure of before it is killed
			if line, err := said.ReadString('\n'); err != nil || line == "end\n" {
				break
			}
		}
		time.Sleep(time.Duration(i) * 700 * time.Microsecond)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	}
	cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledAtAnyMoment$")
	cmd.Env = append(os.Environ(), "ENSOMET_KILLED="+dir, "ENSOMET_TO_THE_END=1")
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	text, err := os.ReadFile(filepath.Join(dir, "taken"))
	if err != nil {
		t.Fatal(err)
	}
	taken := map[string]int{}
	for _, id := range strings.Fields(string(text)) {
		taken[id]++
	}
	again := 0
	for _, n := range taken {
		again += n - 1
	}
	if len(taken) != letters {
		t.Errorf("%d of %d letters arrived", len(taken), letters)
	}
	if again > 20 { // at most the one that was between its try and its settling at each kill
		t.Errorf("%d letters came again", again)
	}
	t.Logf("20 kills: %d letters arrived, %d were offered once more under their number", len(taken), again)
	db, err := sqlite.Open(t.Context(), filepath.Join(dir, "post.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.View(t.Context(), func(tx *sqlite.Tx) error {
		var waits int
		err := tx.QueryRow("SELECT count(*) FROM mail WHERE sent_at = 0 OR claimed_until <> 0").Scan(&waits)
		if err == nil && waits != 0 {
			t.Errorf("%d letters are not settled", waits)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
}

// noted is a mail box that writes down each number before it says that it has taken the letter.
type noted struct{ file *os.File }

func (n noted) Send(_ context.Context, l Letter) error {
	_, err := fmt.Fprintln(n.file, l.ID)
	fmt.Println(l.ID)
	return err
}

func sendUntilKilled(dir string) {
	fail := func(err error) {
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
	file, err := os.OpenFile(filepath.Join(dir, "taken"), os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	fail(err)
	db, err := sqlite.Open(context.Background(), filepath.Join(dir, "post.db"))
	fail(err)
	svc := New(db, &movable{now: time.Date(2026, 6, 30, 9, 0, 0, 0, time.UTC)})
	svc.Mail = noted{file}
	fail(svc.free(context.Background()))
	fail(svc.Deliver(context.Background()))
	if os.Getenv("ENSOMET_TO_THE_END") == "" {
		fmt.Println("end")
		time.Sleep(time.Minute) // until it is killed
	}
}
