package people

import (
	"context"
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

// SaveAccount makes an account, or gives it a new role and password.
func (svc *Service) SaveAccount(ctx context.Context, name string, role access.Role, password string) error {
	name = strings.TrimSpace(name)
	if name == "" {
		return refuse.New("an account needs a name")
	}
	if !role.Known() {
		return refuse.Errorf("there is no role %q; there are look, work, run", role)
	}
	if len(password) < 10 {
		return refuse.New("a password needs ten characters or more")
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := peopledb.PutAccount(tx,
			peopledb.Account{Name: name, Role: string(role), Hash: hash, CreatedAt: now.Unix()}); err != nil {
			return err
		}
		return tx.Note(now, "command line", "saved an account", name, string(role))
	})
}

// noAccount is a hash that no password fits; checking it takes as long as a real one, so that a name cannot be
// guessed by time.
const noAccount = "$argon2id$v=19$m=65536,t=1,p=2$c2FsdHNhbHRzYWx0c2FsdA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// SignIn returns the account with this name and password.
func (svc *Service) SignIn(ctx context.Context, name, password string) (peopledb.Account, error) {
	var acc peopledb.Account
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		acc, err = peopledb.AccountByName(tx, name)
		return err
	})
	if err != nil && !errors.Is(err, sqlite.ErrNotFound) {
		return acc, err
	}
	hash := acc.Hash
	if err != nil {
		hash = noAccount
	}
	ok, checkErr := argon2id.ComparePasswordAndHash(password, hash)
	if err != nil || checkErr != nil || !ok {
		return peopledb.Account{}, ErrSignIn
	}
	return acc, nil
}
