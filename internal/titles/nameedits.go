package titles

import (
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// nameFields are what people say of a raw name, in words.
type nameFields struct {
	Decided  string // the title that it is, empty where nobody has decided
	Note     string
	Waits    string // what waits for a second person
	SetAside string // the day until when
}

// nameNow reads what people say of a name.
func (svc *Service) nameNow(tx *sqlite.Tx, key string) (nameFields, error) {
	var out nameFields
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return out, err
	}
	list, err := sqlite.Query(tx, snapshot.ScanDecided,
		snapshot.DecisionColumns+" WHERE key = ? AND withdrawn_at IS NULL", key)
	if err != nil {
		return out, err
	}
	for i := range list {
		d := &list[i]
		words := "not software that counts"
		if p := c.Product(d.Product); p != nil {
			words = strings.TrimSpace(p.Publisher + " " + p.Name + " " + d.Edition)
		}
		if d.State == "waiting" {
			out.Waits = words
		} else {
			out.Decided, out.Note = words, d.Note
		}
	}
	until, err := titlesdb.LaterOf(tx, key)
	out.SetAside = until.String()
	return out, err
}

// keepNames keeps that people say something else of names, which change does. seen are the revisions of the names that
// somebody looked at, in the order of the keys; nil is that nobody did, such as where a batch is taken back.
func (svc *Service) keepNames(tx *sqlite.Tx, keys []string, seen []int64, who string, change func() error) error {
	if seen != nil && len(seen) != len(keys) {
		return refuse.New("each name needs the revision in which it was seen")
	}
	was := make([]nameFields, len(keys))
	for i, key := range keys {
		var err error
		if was[i], err = svc.nameNow(tx, key); err != nil {
			return err
		}
		if seen == nil {
			continue
		}
		if err := edits.Check(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.Name, Key: key},
			Seen:  seen[i],
			Was:   was[i],
		}); err != nil {
			return err
		}
	}
	if err := change(); err != nil {
		return err
	}
	for i, key := range keys {
		is, err := svc.nameNow(tx, key)
		if err != nil {
			return err
		}
		if is == was[i] {
			continue
		}
		if err := edits.Touch(tx, edits.Thing{Kind: edits.Name, Key: key}, who, svc.Clock.Now(), was[i],
			is); err != nil {
			return err
		}
	}
	return nil
}
