// Package own has the house's own fields of people, titles, lines of entitlements and contracts: what files say in
// columns that are not ours, and what somebody said by hand, which comes before it. Those of devices stand with the
// device (evidence/byhand).
package own

import (
	"context"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// Service keeps what people say by hand.
type Service struct {
	DB    *sqlite.DB
	Clock clock.Clock
}

// Field is a field of one thing.
type Field struct {
	Name  string
	Value string // that holds
	Said  string // by files; empty where they do not have it
	// Of what was said by hand; nothing where files alone say it.
	Author, Reason string
	At             int64 // seconds since 1970
}

// Fields are the house's own fields of one thing.
type Fields struct {
	Fields   []Field
	Revision int64
}

// Draft is what somebody says of a field of some things of one kind.
type Draft struct {
	Kind   Kind
	Thing  string // what it is known by: a user_id, the number of a title, an entitlement_id, the number of a contract
	Field  string
	Value  string
	Drop   bool // what files say holds again
	Reason string
	// Revision of the thing's fields that was seen; a save on an older one is refused.
	Revision int64
}

// The longest that a name, a value and a reason may be, in bytes.
const (
	mostName   = 60
	mostValue  = 500
	mostReason = 1000
)

// Of reads the fields of one thing.
func (svc *Service) Of(ctx context.Context, kind Kind, thing string) (out Fields, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		if err := there(tx, kind, thing); err != nil {
			return err
		}
		if out.Fields, err = fieldsOf(tx, kind, thing); err != nil {
			return err
		}
		out.Revision, err = edits.Revision(tx, revised(kind, thing))
		return err
	})
	return out, err
}

// Names lists the fields that things of a kind have, each with its values where they are few.
func (svc *Service) Names(ctx context.Context, kind Kind) (out []Named, err error) {
	if _, err := kind.source(); err != nil {
		return nil, err
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		out, err = NamesOf(tx, kind)
		return err
	})
	return out, err
}

// Say keeps what somebody says of a field by hand, with who and why, or lets what files say hold again.
func (svc *Service) Say(ctx context.Context, d Draft, who string) (out Fields, err error) {
	d.Field, d.Value, d.Reason = strings.TrimSpace(d.Field), strings.TrimSpace(d.Value), strings.TrimSpace(d.Reason)
	switch {
	case d.Field == "":
		return out, refuse.New("say which field it is")
	case len(d.Field) > mostName || strings.ContainsAny(d.Field, "\"\x00\n|="):
		return out, refuse.Errorf(
			"a field has a name of at most %d bytes, without quotation marks, bars, equal signs and "+
				"line ends",
			mostName,
		)
	case len(d.Value) > mostValue:
		return out, refuse.Errorf("a value has at most %d bytes", mostValue)
	case !d.Drop && d.Reason == "":
		return out, refuse.New("say why, for whoever asks later")
	case len(d.Reason) > mostReason:
		return out, refuse.Errorf("a reason has at most %d bytes", mostReason)
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := there(tx, d.Kind, d.Thing); err != nil {
			return err
		}
		was, err := Of(tx, d.Kind, d.Thing)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		if d.Drop {
			n, err := drop(tx, d.Kind, d.Thing, d.Field)
			if err != nil {
				return err
			}
			if n == 0 {
				return refuse.Errorf("nothing was said of the field %s by hand", d.Field)
			}
		} else if err := put(tx, d, who, now); err != nil {
			return err
		}
		is, err := Of(tx, d.Kind, d.Thing)
		if err != nil {
			return err
		}
		if out.Revision, err = edits.Save(tx, edits.Change{Thing: revised(d.Kind, d.Thing), Seen: d.Revision, Who: who,
			At: now, Was: was, Is: is}); err != nil {
			return err
		}
		if out.Fields, err = fieldsOf(tx, d.Kind, d.Thing); err != nil {
			return err
		}
		if err := tx.Note(now, who, "said a field by hand", fmt.Sprint(d.Kind, " ", d.Thing),
			d.Field+": "+d.Value); err != nil {
			return err
		}
		if d.Kind == Person { // conditions on devices ask for fields of their main users
			return renewal.Mark(tx, false)
		}
		return nil
	})
	return out, err
}

// revised is what the fields of a thing have a revision by: theirs alone, so that two who say a field, and change the
// thing otherwise, do not meet.
func revised(kind Kind, thing string) edits.Thing {
	return edits.Thing{Kind: edits.OwnFields, Key: string(kind) + " " + thing}
}

func put(tx *sqlite.Tx, d Draft, who string, now time.Time) error {
	_, err := tx.Exec(
		`INSERT INTO own_value(kind, thing, field, value, reason, author, at) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (kind, thing, field) DO UPDATE SET value = excluded.value, reason = excluded.reason,
		author = excluded.author, at = excluded.at`,
		d.Kind,
		d.Thing,
		d.Field,
		d.Value,
		d.Reason,
		who,
		now.Unix(),
	)
	return err
}

func drop(tx *sqlite.Tx, kind Kind, thing, field string) (int64, error) {
	res, err := tx.Exec("DELETE FROM own_value WHERE kind = ? AND thing = ? AND field = ?", kind, thing, field)
	if err != nil {
		return 0, err
	}
	return res.RowsAffected()
}
