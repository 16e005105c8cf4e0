package people

import (
	"context"
	"crypto/rand"
	"errors"
	"strings"

	"ensomet/internal/core/access"
	"ensomet/internal/core/refuse"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/argon2id"
)

// ErrSignIn says that name and password do not fit together; it does not say which is wrong.
var ErrSignIn = refuse.New("no account has this name and password")

// IsWrong reports whether an error says that name and password do not fit together.
func IsWrong(err error) bool { return errors.Is(err, ErrSignIn) }

// The lengths of a password, in bytes.
const (
	ShortestPassword = 10
	LongestPassword  = 1000
)

// hashing is how passwords are hashed: Argon2id with 64 MiB, after RFC 9106. It is the same on every machine, so that
// all hashes take the same time.
var hashing = &argon2id.Params{Memory: 64 << 10, Iterations: 2, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// HashLightly makes passwords cheap to hash from here on: for tests that sign in hundreds of times.
func HashLightly() {
	hashing = &argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

// SaveAccount makes an account, or gives it a new role and password; its sessions end.
func (svc *Service) SaveAccount(ctx context.Context, name string, role access.Role, password string) error {
	name = strings.TrimSpace(name)
	if name == "" {
		return refuse.New("an account needs a name")
	}
	if !role.Known() {
		return refuse.Errorf("there is no role %q; there are look, work, run", role)
	}
	if len(password) < ShortestPassword || len(password) > LongestPassword {
		return refuse.Errorf("a password needs %d characters or more, and at most %d", ShortestPassword,
			LongestPassword)
	}
	hash, err := argon2id.CreateHash(password, hashing)
	if err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return svc.saveAccount(tx, name, role, hash)
	})
}

func (svc *Service) saveAccount(tx *sqlite.Tx, name string, role access.Role, hash string) error {
	now := svc.Clock.Now()
	if err := peopledb.PutAccount(tx,
		peopledb.Account{Name: name, Role: string(role), Hash: hash, CreatedAt: now.Unix()}); err != nil {
		return err
	}
	return tx.Note(now, "command line", "saved an account", name, string(role))
}

// RemoveAccount removes an account; its sessions end.
func (svc *Service) RemoveAccount(ctx context.Context, name string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := peopledb.DropAccount(tx, name); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), "command line", "removed an account", name, "")
	})
}

// ByNumber returns an account.
func (svc *Service) ByNumber(ctx context.Context, id int64) (acc Account, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		acc, err = peopledb.AccountByID(tx, id)
		return err
	})
	return acc, err
}

// noPassword stands in place of the hash of an account that nobody can sign in to with a password.
const noPassword = ""

// DemoAccount returns the account by which a role is entered in a demo. It has no password.
func (svc *Service) DemoAccount(ctx context.Context, role access.Role) (acc Account, err error) {
	name := map[access.Role]string{access.Viewer: "Looker", access.Editor: "Worker", access.Admin: "Runner"}[role]
	if name == "" {
		return acc, refuse.Errorf("there is no role %q; there are look, work, run", role)
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		acc, err = peopledb.AccountByName(tx, name)
		return err
	})
	if !errors.Is(err, sqlite.ErrNotFound) {
		return acc, err
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if acc, err = peopledb.AccountByName(tx, name); !errors.Is(err, sqlite.ErrNotFound) {
			return err // somebody else was faster
		}
		if err := svc.saveAccount(tx, name, role, noPassword); err != nil {
			return err
		}
		acc, err = peopledb.AccountByName(tx, name)
		return err
	})
	return acc, err
}

// SignIn returns the account with this name and password. It takes the same time whether there is such an account or
// not. What an older form of the program hashed is hashed anew. Where it fails with ErrSignIn, the account has the name
// alone, if there is one of that name: what else somebody typed there may have been his password.
func (svc *Service) SignIn(ctx context.Context, name, password string) (Account, error) {
	var acc Account
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		acc, err = peopledb.AccountByName(tx, name)
		return err
	})
	if err != nil && !errors.Is(err, sqlite.ErrNotFound) {
		return acc, err
	}
	none, err := svc.noAccount()
	if err != nil {
		return acc, err
	}
	hash := acc.Hash
	if hash == noPassword {
		hash = none
	}
	ok, params, err := argon2id.CheckHash(password, hash)
	if err != nil {
		return Account{}, err
	}
	if !ok || hash == none {
		return Account{Name: acc.Name}, ErrSignIn
	}
	if *params != *hashing {
		err := svc.hashAnew(ctx, &acc, password)
		return acc, err
	}
	return acc, nil
}

// Entered tells the password by which an account was entered apart from others.
func Entered(acc Account) string { return peopledb.Entered(acc.Hash) }

// hashAnew gives an account a hash of today's form, which it has then. Nothing else of it changes.
func (svc *Service) hashAnew(ctx context.Context, acc *Account, password string) error {
	hash, err := argon2id.CreateHash(password, hashing)
	if err != nil {
		return err
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error { return peopledb.PutHash(tx, acc.ID, acc.Hash, hash) })
	if err == nil {
		acc.Hash = hash
	}
	return err
}

// browserKey is the setting of the key that the cookies of known browsers are sealed with.
const browserKey = "browser_key"

// BrowserKey is the key that the cookies of known browsers are sealed with. Whoever had it could try passwords a
// little faster, and no more.
func (svc *Service) BrowserKey(ctx context.Context) ([]byte, error) {
	var key string
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		key, err = tx.Setting(browserKey)
		return err
	})
	if err != nil || key != "" {
		return []byte(key), err
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if key, err = tx.Setting(browserKey); err != nil || key != "" {
			return err
		}
		key = rand.Text() + rand.Text()
		return tx.SetSetting(browserKey, key)
	})
	return []byte(key), err
}
