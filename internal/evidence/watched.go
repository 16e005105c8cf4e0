package evidence

import (
	"context"
	"errors"
	"fmt"
	"log/slog"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/sqlite"
)

// ErrStopping is the cause for which work ends when the program is stopped.
var ErrStopping = errors.New("the program is being stopped")

// ImportWatched is ImportFile with its progress in Status. Where the program ends before the import has, that is told
// after the next start.
func (svc *Service) ImportWatched(
	ctx context.Context,
	f formats.File,
	size int64,
	req intake.ImportRequest,
) (res intake.ImportResult, err error) {
	req.Progress = func(lines int) { svc.Progress.Step(fmt.Sprintf("reading %s: %d lines", req.File, lines)) }
	req.Told = func(devices, of int) {
		svc.Progress.Step(fmt.Sprintf("taking in %s: %d of %d devices", req.File, devices, of))
	}
	defer svc.Progress.Step("")
	if req.DryRun {
		return svc.ImportFile(ctx, f, size, req)
	}
	begun := evidencedb.BegunImport{File: req.File, Author: req.Author, BeganAt: svc.Clock.Now().Unix()}
	if req.Kind != nil {
		begun.Kind = req.Kind.Name
	}
	if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		begun.ID, err = evidencedb.BeginImport(tx, begun)
		return err
	}); err != nil {
		return res, err
	}
	res, err = svc.ImportFile(ctx, f, size, req)
	if err != nil && errors.Is(context.Cause(ctx), ErrStopping) {
		return res, err // it stays noted: whoever sent it may not see this answer
	}
	ended := svc.DB.Update(context.WithoutCancel(ctx), func(tx *sqlite.Tx) error {
		return evidencedb.EndImport(tx, begun.ID)
	})
	if ended != nil { // the import itself is as it is
		slog.Error("it could not be noted that an import has ended", "file", req.File, "error", ended)
	}
	return res, err
}

// BreakImports notes that the imports which ran when the program last ended were broken off.
func (svc *Service) BreakImports(ctx context.Context) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		n, err := evidencedb.BreakImports(tx, svc.Clock.Now().Unix())
		if n > 0 {
			slog.Warn("imports were broken off when the program ended: the list of files says whether anything of "+
				"them was stored", "imports", n)
		}
		if err != nil || svc.DB.Stepping() { // somebody else may be at it
			return err
		}
		return evidencedb.StopImport(tx, 0)
	})
}

// BrokenImports lists the imports that were broken off and of which nobody has said that he knows.
func (svc *Service) BrokenImports(ctx context.Context) (out []BegunImport, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = evidencedb.BrokenImports(tx)
		return err
	})
	return out, err
}

// ForgetBrokenImport takes an import that was broken off from the list.
func (svc *Service) ForgetBrokenImport(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := evidencedb.EndImport(tx, id); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "has seen that an import was broken off", sqlite.Itoa(id), "")
	})
}
