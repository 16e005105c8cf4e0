package evidence

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
)

// Mend takes in a line that was put aside, in its mended form. Where it still cannot go in, the reason comes back as
// a *formats.LineError and the line stays.
func (svc *Service) Mend(ctx context.Context, id int64, content, author string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		line, err := evidencedb.AsideByID(tx, id)
		if err != nil {
			return err
		}
		if line.State != "waiting" {
			return refuse.Errorf("this line is %s already", line.State)
		}
		kept, err := svc.takeIn(tx, line, content, author)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		if err := evidencedb.SetAsideState(tx, id, "mended", "", author, now); err != nil {
			return err
		}
		if err := tx.Note(now, author, "mended a line", fmt.Sprintf("%s:%d", line.File, line.Line),
			kept); err != nil {
			return err
		}
		kind, err := formats.KindByName(line.Kind)
		if err != nil {
			return err
		}
		return markImport(tx, kind)
	})
}

// Drop gives a line up. It stays on record.
func (svc *Service) Drop(ctx context.Context, id int64, author string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		line, err := evidencedb.AsideByID(tx, id)
		if err != nil {
			return err
		}
		if line.State != "waiting" {
			return refuse.Errorf("this line is %s already", line.State)
		}
		return evidencedb.SetAsideState(tx, id, "dropped", "", author, svc.Clock.Now())
	})
}

// takeIn runs one line through the import of its kind. It returns the line as it may be kept.
func (svc *Service) takeIn(tx *sqlite.Tx, line evidencedb.Aside, content, author string) (string, error) {
	kind, err := formats.KindByName(line.Kind)
	if err != nil {
		return "", err
	}
	r, err := formats.ReaderFor(strings.NewReader(strings.TrimRight(content, "\r\n")+"\n"), kind, line.Header)
	if err != nil {
		return "", err
	}
	row, err := r.Next()
	if err != nil {
		return "", err
	}
	s, err := svc.writer(
		kind,
		intake.Arrival{Tx: tx, AsOf: time.Unix(line.AsOf, 0).UTC(), Author: author, File: line.File},
	)
	if err != nil {
		return "", err
	}
	if _, err := s.Put(row); err != nil {
		return "", err
	}
	return row.Content, s.Finish(&intake.ImportResult{})
}

// Retry tries every line that waits again, as it stands, but for those that somebody has to settle. It returns how many
// went in.
func (svc *Service) Retry(ctx context.Context, author string) (int, error) {
	var waiting []evidencedb.Aside
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		waiting, err = evidencedb.Asides(tx, "waiting")
		return err
	})
	if err != nil || len(waiting) == 0 {
		return 0, err
	}
	mended := 0
	for _, kind := range formats.Kinds {
		lines := slices.DeleteFunc(
			slices.Clone(waiting),
			func(l evidencedb.Aside) bool { return l.Kind != kind.Name || intake.ForSomebody(l.Reason) },
		)
		if len(lines) == 0 {
			continue
		}
		err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
			n, err := svc.retryKind(tx, kind, lines, author)
			if mended += n; n == 0 || err != nil {
				return err
			}
			return markImport(tx, kind)
		})
		if err != nil {
			return mended, err
		}
	}
	return mended, nil
}

// retryKind tries the waiting lines of one kind, each as of its own time.
func (svc *Service) retryKind(tx *sqlite.Tx, kind *formats.Kind, lines []evidencedb.Aside, author string) (int,
	error) {
	mended := 0
	sinks := map[int64]*intake.Writer{}
	for _, line := range lines {
		s := sinks[line.AsOf]
		if s == nil {
			var err error
			in := intake.Arrival{Tx: tx, AsOf: time.Unix(line.AsOf, 0).UTC(), Author: author, File: line.File}
			if s, err = svc.writer(kind, in); err != nil {
				return mended, err
			}
			sinks[line.AsOf] = s
		}
		r, err := formats.ReaderFor(strings.NewReader(line.Content+"\n"), kind, line.Header)
		if err != nil {
			return mended, err
		}
		row, err := r.Next()
		if err == nil {
			_, err = s.Put(row)
		}
		var bad *formats.LineError
		var file *formats.FileError
		if errors.As(err, &bad) || errors.As(err, &file) {
			continue
		}
		if err != nil {
			return mended, err
		}
		if err := evidencedb.SetAsideState(tx, line.ID, "mended", "", author, svc.Clock.Now()); err != nil {
			return mended, err
		}
		mended++
	}
	for _, s := range sinks {
		if err := s.Finish(&intake.ImportResult{}); err != nil {
			return mended, err
		}
	}
	return mended, nil
}
