package rest

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/sqlite"
)

// Account is the signed-in account of a request. Nobody has the number 0.
type Account struct {
	ID   int64
	Name string
	Role access.Role
}

// sessionAccount is the key under which a session holds the number of its account. It holds nothing else: name and
// role are read at each request, so that a power that is taken away ends at once.
const sessionAccount = "account"

type accountKey struct{}

// Account is the account of a request as it is now.
func (s *Server) Account(ctx context.Context) Account {
	me, _ := ctx.Value(accountKey{}).(Account)
	return me
}

// sessionEntered is the key under which a session that begins says by which password it was entered; who keeps sessions
// looks at it and does not keep it.
const sessionEntered = "entered"

// Enter signs an account in, by a password that is told apart from others. A browser gets a new token, whatever it had
// before.
func (s *Server) Enter(ctx context.Context, account int64, entered string) error {
	if err := s.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.Sessions.Put(ctx, sessionAccount, account)
	s.Sessions.Put(ctx, sessionEntered, entered)
	return nil
}

// Unattended is the header by which a page says that it asks by itself: nobody has touched it for a while.
const Unattended = "Ensomet-Unattended"

// touchPatience is how long a request waits to have it noted that its session is in use. One that comes after it
// tries again.
const touchPatience = 200 * time.Millisecond

// who reads the account of a request, and notes that its session is in use.
func (s *Server) who(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx := r.Context()
		id := s.Sessions.GetInt64(ctx, sessionAccount)
		if id == 0 {
			next.ServeHTTP(w, r)
			return
		}
		me, err := s.guards.Accounts.ByNumber(ctx, id)
		if err != nil && !errors.Is(err, sqlite.ErrNotFound) {
			Problem(w, Fail(err))
			return
		}
		if err == nil && r.Header.Get(Unattended) == "" {
			soon, cancel := context.WithTimeout(ctx, touchPatience)
			err := s.guards.Sessions.Touch(soon, s.Sessions.Token(ctx))
			cancel()
			if err != nil {
				slog.Debug("it could not be noted that a session is in use", "error", err)
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, accountKey{}, me)))
	})
}
