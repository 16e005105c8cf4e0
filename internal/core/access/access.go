// Package access says who may do what: people by their role, sources by their token.
package access

import "ensomet/internal/core/refuse"

// Role says what an account may do: look, also work on titles, rights and cases, or also run imports and accounts.
type Role string

// The roles, from the least to the most.
const (
	Viewer Role = "look"
	Editor Role = "work"
	Admin  Role = "run"
)

var rank = map[Role]int{Viewer: 1, Editor: 2, Admin: 3}

// Known reports whether there is such a role.
func (r Role) Known() bool { return rank[r] != 0 }

// May reports whether a role may do what another may.
func (r Role) May(need Role) bool { return rank[r] >= rank[need] }

// ErrToken says that a token is not known or was revoked.
var ErrToken = refuse.New(
	"this token is not known here, or was revoked: ask for a new one and give it to the collector",
)

// Sender is a source that has shown its token.
type Sender struct {
	Token   int64
	Source  string
	FindsBy string // id or name
	From    string // the address it came from
}
