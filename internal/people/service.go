// Package people has the accounts of those who use the program.
package people

import (
	"cmp"
	"crypto/rand"
	"sync"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/people/peopledb"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/argon2id"
)

// Account is a person who may sign in.
type Account = peopledb.Account

// Service does what can be done there.
type Service struct {
	DB    *sqlite.DB
	Clock clock.Clock
	// Idle is how long nothing may be heard of a session before it ends; DefaultIdle where it is not set.
	Idle time.Duration

	// Openings knows who has what open.
	Openings Openings

	none struct {
		sync.Once
		hash string
		err  error
	}
}

// noAccount is a hash that no password fits, in today's form; checking it takes as long as checking a real one, so
// that a name cannot be guessed by time.
func (svc *Service) noAccount() (string, error) {
	svc.none.Do(func() { svc.none.hash, svc.none.err = argon2id.CreateHash(rand.Text(), hashing) })
	return svc.none.hash, svc.none.err
}

// DefaultIdle is how long nothing may be heard of a session before it ends, where the house has not set it.
const DefaultIdle = 30 * time.Minute

// SessionIdle is how long nothing may be heard of a session before it ends.
func (svc *Service) SessionIdle() time.Duration { return cmp.Or(svc.Idle, DefaultIdle) }
