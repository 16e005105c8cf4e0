package peopledb

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/scs/v2"
)

func sessions(t *testing.T) (*WebSessions, *time.Time, func(account int64) []byte) {
	t.Helper()
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	now := time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)
	if err := db.Update(t.Context(), func(tx *sqlite.Tx) error {
		return errors.Join(PutAccount(tx, Account{Name: "a", Role: "run", Hash: "1"}),
			PutAccount(tx, Account{Name: "b", Role: "run", Hash: "1"}))
	}); err != nil {
		t.Fatal(err)
	}
	return &WebSessions{DB: db, Idle: time.Hour,
			Now: func() time.Time { return now }}, &now, func(account int64) []byte {
			data, err := scs.GobCodec{}.Encode(now, map[string]any{SessionAccount: account})
			if err != nil {
				t.Fatal(err)
			}
			return data
		}
}

func finds(t *testing.T, w *WebSessions, token string) bool {
	t.Helper()
	_, ok, err := w.Find(token)
	if err != nil {
		t.Fatal(err)
	}
	return ok
}

// A session ends with its time, when nothing is heard of it, when it is signed out, and with its account.
func TestWebSessionsEnd(t *testing.T) {
	w, now, of := sessions(t)
	if err := errors.Join(w.Commit("a", of(1), now.Add(3*time.Hour)), w.Commit("b", of(2), now.Add(3*time.Hour)),
		w.Commit("over", of(2), now.Add(-time.Hour))); err != nil {
		t.Fatal(err)
	}
	for token, want := range map[string]bool{"a": true, "b": true, "over": false, "none": false} {
		if finds(t, w, token) != want {
			t.Errorf("%s is found: %v", token, !want)
		}
	}
	if err := w.Commit("nobody", of(0), now.Add(time.Hour)); err == nil {
		t.Error("a session of nobody is kept")
	}
	for range 3 { // in use all the time
		*now = now.Add(40 * time.Minute)
		if !finds(t, w, "a") {
			t.Fatal("a session in use has ended")
		}
		if err := w.Touch(t.Context(), "a"); err != nil {
			t.Fatal(err)
		}
	}
	if finds(t, w, "b") {
		t.Error("a session of which nothing was heard goes on")
	}
	if err := w.Touch(t.Context(), "b"); err != nil || finds(t, w, "a") == finds(t, w, "b") {
		t.Error("a session that has ended begins again", err)
	}
	*now = now.Add(59 * time.Minute)
	if !finds(t, w, "a") {
		t.Error("a session ends before its time")
	}
	if err := w.Touch(t.Context(), "a"); err != nil {
		t.Fatal(err)
	}
	*now = now.Add(10 * time.Minute)
	if finds(t, w, "a") {
		t.Error("a session goes on after its time, for it is in use")
	}
}

// With a new role or password, or with the account, all its sessions end, and those of others do not. What was on its
// way then does not bring one back.
func TestSessionsEndWithPowers(t *testing.T) {
	change := map[string]func(tx *sqlite.Tx) error{
		"a new role": func(tx *sqlite.Tx) error {
			return PutAccount(tx,
				Account{Name: "a", Role: "look", Hash: "1"})
		},
		"a new password": func(tx *sqlite.Tx) error {
			return PutAccount(tx,
				Account{Name: "a", Role: "run", Hash: "2"})
		},
		"no account": func(tx *sqlite.Tx) error { return DropAccount(tx, "a") },
	}
	for what, do := range change {
		w, now, of := sessions(t)
		later := now.Add(time.Hour)
		if err := errors.Join(w.Commit("a1", of(1), later), w.Commit("a2", of(1), later),
			w.Commit("b", of(2), later)); err != nil {
			t.Fatal(err)
		}
		if err := w.DB.Update(t.Context(), do); err != nil {
			t.Fatal(err)
		}
		*now = now.Add(2 * time.Minute)
		if err := w.Touch(t.Context(), "a1"); err != nil {
			t.Fatal(err)
		}
		if finds(t, w, "a1") || finds(t, w, "a2") || !finds(t, w, "b") {
			t.Errorf("after %s: %v %v %v", what, finds(t, w, "a1"), finds(t, w, "a2"), finds(t, w, "b"))
		}
	}
}

// A number that an account had is never another's.
func TestNumbersAreNotGivenAgain(t *testing.T) {
	w, _, _ := sessions(t)
	if err := w.DB.Update(t.Context(), func(tx *sqlite.Tx) error {
		if err := errors.Join(DropAccount(tx, "b"), PutAccount(tx, Account{Name: "c", Role: "run"})); err != nil {
			return err
		}
		if c, err := AccountByName(tx, "c"); err != nil || c.ID != 3 {
			t.Errorf("%+v, %v", c, err)
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
}

// Whoever reads the file finds no token that lets him in.
func TestTokensAreNotInTheFile(t *testing.T) {
	w, now, of := sessions(t)
	const token = "J8xQzTRb0aVdV7h2mYw5eKq3LsN1pGfU"
	if err := w.Commit(token, of(1), now.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if err := w.DB.Backup(t.Context(), w.DB.Path+".copy"); err != nil {
		t.Fatal(err)
	}
	for _, end := range []string{"", "-wal", ".copy"} {
		text, err := os.ReadFile(w.DB.Path + end)
		if err != nil {
			t.Fatal(err)
		}
		if bytes.Contains(text, []byte(token)) {
			t.Errorf("%s has the token", end)
		}
		if info, err := os.Stat(w.DB.Path + end); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", end, info.Mode(), err)
		}
	}
}

// A session whose password was changed while it was being checked is not kept; one of the password of now is, and what
// is kept of it says nothing of the password.
func TestASessionOfAnOldPassword(t *testing.T) {
	w, now, _ := sessions(t)
	of := func(hash string) []byte {
		t.Helper()
		data, err := scs.GobCodec{}.Encode(*now,
			map[string]any{SessionAccount: int64(1), SessionEntered: Entered(hash)})
		if err != nil {
			t.Fatal(err)
		}
		return data
	}
	if err := w.DB.Update(t.Context(), func(tx *sqlite.Tx) error { return PutHash(tx, 1, "1", "2") }); err != nil {
		t.Fatal(err)
	}
	if err := w.Commit("old", of("1"), now.Add(time.Hour)); !refuse.Is(err) || finds(t, w, "old") {
		t.Errorf("entered by the old password: %v", err)
	}
	if err := w.Commit("new", of("2"), now.Add(time.Hour)); err != nil || !finds(t, w, "new") {
		t.Errorf("entered by the new one: %v", err)
	}
	data, _, err := w.Find("new")
	if err != nil {
		t.Fatal(err)
	}
	if _, values, err := (scs.GobCodec{}).Decode(data); err != nil || len(values) != 1 {
		t.Errorf("what is kept: %v, %v", values, err)
	}
}
