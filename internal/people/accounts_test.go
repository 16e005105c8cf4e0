package people

import (
	"context"
	"errors"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/argon2id"
)

type fixed struct{}

func (fixed) Now() time.Time { return time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC) }

func accounts(t *testing.T) *Service {
	t.Helper()
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return &Service{DB: db, Clock: fixed{}}
}

func TestSaveAccount(t *testing.T) {
	svc := accounts(t)
	for _, bad := range []struct{ name, role, password, want string }{
		{" ", "run", "a long password", "needs a name"},
		{"a", "rule", "a long password", "no role"},
		{"a", "run", "short", "characters or more"},
		{"a", "run", strings.Repeat("long", 300), "at most"},
	} {
		if err := svc.SaveAccount(t.Context(), bad.name, access.Role(bad.role), bad.password); err == nil ||
			!strings.Contains(err.Error(), bad.want) {
			t.Errorf("%v: %v", bad, err)
		}
	}
	if err := svc.SaveAccount(t.Context(), "dagne", access.Editor, "a long password"); err != nil {
		t.Fatal(err)
	}
	acc, err := svc.SignIn(t.Context(), "dagne", "a long password")
	if err != nil || acc.Role != "work" {
		t.Error(acc, err)
	}
	for name, password := range map[string]string{"dagne": "another password", "livar": "a long password"} {
		if _, err := svc.SignIn(t.Context(), name, password); !errors.Is(err, ErrSignIn) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if err := svc.RemoveAccount(t.Context(), "livar"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Error(err)
	}
}

// Checking the password of somebody who does not exist, of one without a password and of everybody else does the same
// work.
func TestSameWorkForEverybody(t *testing.T) {
	svc := accounts(t)
	if err := svc.SaveAccount(t.Context(), "dagne", access.Editor, "a long password"); err != nil {
		t.Fatal(err)
	}
	none, err := svc.noAccount()
	if err != nil {
		t.Fatal(err)
	}
	acc, err := svc.SignIn(t.Context(), "dagne", "a long password")
	if err != nil {
		t.Fatal(err)
	}
	for _, hash := range []string{none, acc.Hash} {
		params, _, _, err := argon2id.DecodeHash(hash)
		if err != nil || *params != *hashing {
			t.Errorf("%s: %+v, %v", hash, params, err)
		}
	}
	if _, err := svc.DemoAccount(t.Context(), access.Admin); err != nil {
		t.Fatal(err)
	}
	if _, err := svc.SignIn(t.Context(), "Runner", ""); !errors.Is(err, ErrSignIn) {
		t.Error("an account without a password:", err)
	}
}

// A hash of an older form lets its owner in, and is of today's form from then on.
func TestOlderHashes(t *testing.T) {
	svc := accounts(t)
	old := *hashing
	old.Iterations, old.Memory = 1, 32<<10
	hash, err := argon2id.CreateHash("a long password", &old)
	if err != nil {
		t.Fatal(err)
	}
	if err := svc.DB.Update(t.Context(), func(tx *sqlite.Tx) error {
		return peopledb.PutAccount(tx, Account{Name: "dagne", Role: "look", Hash: hash})
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := svc.SignIn(t.Context(), "dagne", "a wrong password"); !errors.Is(err, ErrSignIn) {
		t.Fatal(err)
	}
	if _, err := svc.SignIn(t.Context(), "dagne", "a long password"); err != nil {
		t.Fatal(err)
	}
	acc, err := svc.SignIn(t.Context(), "dagne", "a long password")
	if params, _, _, decodeErr := argon2id.DecodeHash(acc.Hash); err != nil || decodeErr != nil || *params != *hashing {
		t.Errorf("%+v %v %v", params, err, decodeErr)
	}
}
