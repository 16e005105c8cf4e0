package sqlite

import (
	"context"
	"errors"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// gathered opens a file in which changes wait until let is called.
func gathered(t *testing.T) (db *DB, let func()) {
	t.Helper()
	db, err := Open(context.Background(), filepath.Join(t.TempDir(), "together.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	end, err := db.turns.take(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return db, end
}

// waitFor waits until so many changes stand in line.
func waitFor(db *DB, n int) {
	for {
		db.together.mu.Lock()
		waiting := len(db.together.waiting)
		db.together.mu.Unlock()
		if waiting >= n {
			return
		}
	}
}

func settings(t *testing.T, db *DB, like string) (n int) {
	t.Helper()
	if err := db.read.QueryRow("SELECT count(*) FROM setting WHERE key LIKE ?", like).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// Many changes that come at once are written in few transactions. Each is there as a whole or not at all, whatever the
// others do, is told its own end, and what it announces or has called is for those that were written.
func TestChangesAreWrittenTogether(t *testing.T) {
	db, let := gathered(t)
	const n = 300
	var told, heard atomic.Int64
	db.On("small", func() { heard.Add(1) })
	wrong := errors.New("wrong")
	ends := make([]string, n)
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() {
			defer func() {
				if p := recover(); p != nil {
					ends[i] = "panic"
				}
			}()
			ctx := WithOnce(t.Context(), &Once{Key: "key " + Itoa(int64(i%100)), At: 1})
			err := db.UpdateTogether(ctx, func(tx *Tx) error {
				tx.Announce("small")
				tx.Committed = append(tx.Committed, func() { told.Add(1) })
				if err := tx.SetSetting("first "+Itoa(int64(i)), "1"); err != nil {
					return err
				}
				switch i % 5 {
				case 1:
					return wrong
				case 2:
					_, err := tx.Exec("INSERT INTO no_such_table VALUES (1)")
					return err
				case 3:
					panic("no")
				}
				return tx.SetSetting("second "+Itoa(int64(i)), "1")
			})
			switch {
			case errors.Is(err, wrong):
				ends[i] = "wrong"
			case errors.Is(err, ErrRepeated):
				ends[i] = "repeated"
			case err != nil:
				ends[i] = "fault"
			default:
				ends[i] = "done"
			}
		})
	}
	waitFor(db, n-1)
	let()
	all.Wait()
	counts := map[string]int{}
	for i, end := range ends {
		want := []string{"done", "wrong", "fault", "panic", "done"}[i%5]
		if end != want && !(want == "done" && end == "repeated") {
			t.Errorf("change %d ended with %s, want %s", i, end, want)
		}
		counts[end]++
	}
	if counts["done"] != 40 || counts["repeated"] != 80 { // of each key that may be done once, the first
		t.Errorf("they ended as %v", counts)
	}
	if a, b := settings(t, db, "first %"), settings(t, db, "second %"); a != 40 || b != 40 {
		t.Errorf("%d and %d are there", a, b)
	}
	if told.Load() != 40 || heard.Load() == 0 || heard.Load() > 40 {
		t.Errorf("%d were told, %d transactions heard", told.Load(), heard.Load())
	}
	if end, err := db.turns.take(t.Context()); err == nil { // where none fails, few transactions do
		heard.Store(0)
		for i := range n {
			all.Go(func() {
				if err := db.UpdateTogether(t.Context(), func(tx *Tx) error {
					tx.Announce("small")
					return tx.SetSetting("good "+Itoa(int64(i)), "1")
				}); err != nil {
					t.Error(err)
				}
			})
		}
		waitFor(db, n-1)
		end()
		all.Wait()
	}
	if there := settings(t, db, "good %"); there != n || heard.Load() == 0 || heard.Load() > 30 {
		t.Errorf("%d are there, by %d transactions", there, heard.Load())
	}
}

// Whoever goes away before his change began has changed nothing; one whose change began gets its end.
func TestWhoeverGoesAwayChangesNothing(t *testing.T) {
	db, let := gathered(t)
	ctx, cancel := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			err := db.UpdateTogether(ctx, func(tx *Tx) error { return tx.SetSetting("gone "+Itoa(int64(i)), "1") })
			if !errors.Is(err, context.Canceled) {
				t.Errorf("it ends with %v", err)
			}
		})
	}
	waitFor(db, 20)
	cancel()
	all.Wait()
	stays := make(chan error)
	staying, leave := context.WithCancel(t.Context())
	go func() {
		stays <- db.UpdateTogether(staying, func(tx *Tx) error {
			leave()
			return tx.SetSetting("stays", "1")
		})
	}()
	let()
	if err := <-stays; err != nil {
		t.Errorf("what had begun ends with %v", err)
	}
	if settings(t, db, "gone %") != 0 || settings(t, db, "stays") != 1 {
		t.Error("what is there is not what was begun")
	}
}

// Others who write have their turn after one transaction at most, however many small changes wait.
func TestSmallChangesLetOthersWrite(t *testing.T) {
	db, let := gathered(t)
	const n = 200
	var done atomic.Int64
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() {
			if err := db.UpdateTogether(t.Context(), func(tx *Tx) error {
				done.Add(1)
				time.Sleep(time.Millisecond) // so that they take longer than a transaction may
				return tx.SetSetting("small "+Itoa(int64(i)), "1")
			}); err != nil {
				t.Error(err)
			}
		})
	}
	waitFor(db, n-1)
	other := make(chan int64)
	go func() {
		if err := db.Update(t.Context(), func(tx *Tx) error { return tx.SetSetting("other", "1") }); err != nil {
			t.Error(err)
		}
		other <- done.Load()
	}()
	for db.turns.waiting.Load() < 2 { // the small ones and the other
	}
	let()
	if before := <-other; before >= n {
		t.Errorf("it waited for all %d", before)
	}
	all.Wait()
	if settings(t, db, "small %") != n || settings(t, db, "other") != 1 {
		t.Error("not all are there")
	}
}

// Where no transaction can be begun, everybody is told.
func TestNobodyWaitsForAFileThatIsClosed(t *testing.T) {
	db, let := gathered(t)
	let()
	if err := db.write.Close(); err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	for range 10 {
		all.Go(func() {
			if err := db.UpdateTogether(t.Context(), func(tx *Tx) error { return nil }); err == nil {
				t.Error("it is said to be written")
			}
		})
	}
	all.Wait()
}
