package entitlements

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// far is how many years away from today a date is taken for a slip.
const far = 40

// LineEdit changes a line that is booked.
type LineEdit struct {
	Values   map[string]string // by the columns of entitlements.csv; entitlement_id names the line
	Revision int64             // that was seen; a save on an older one is refused
}

// EditLine changes a line. Each value that becomes another is kept with who changed it.
func (svc *Service) EditLine(ctx context.Context, e LineEdit, who string) error {
	code := e.Values["entitlement_id"]
	checks, err := svc.CheckLine(ctx, e.Values, code)
	if err != nil {
		return err
	}
	for _, c := range checks {
		if c.Serious {
			return refuse.New(c.Text)
		}
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, id, _, err := entitlementsdb.EntitlementValues(tx, code)
		if err != nil {
			return err
		}
		line, err := parseLine(e.Values)
		if err != nil {
			return err
		}
		products, err := snapshot.ProductKeysByAnyName(tx)
		if err != nil {
			return err
		}
		product, reason := snapshot.FindProduct(products, line.Publisher, line.Product)
		if reason != "" {
			return refuse.New(reason)
		}
		u, err := entitlementsdb.Entitlements(tx)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		kept, err := stored.EntitlementsOf(tx, []int64{product})
		if err != nil {
			return err
		}
		for i := range kept { // what the form does not show stays
			if kept[i].Code == code {
				line.Custom = kept[i].Custom
			}
		}
		if _, err := entitlementsdb.PutEntitlement(u, product, line, now.Unix(), who); err != nil {
			return err
		}
		is, _, _, err := entitlementsdb.EntitlementValues(tx, code)
		if err != nil {
			return err
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.Line, Key: code},
			Seen:  e.Revision,
			Who:   who,
			At:    now,
			Was:   was,
			Is:    is,
		}); err != nil {
			return err
		}
		for _, c := range formats.Entitlements.Columns {
			if was[c] != is[c] {
				if err := entitlementsdb.AddLineChange(tx, id,
					entitlementsdb.LineChange{
						Field:  c,
						Was:    was[c],
						Is:     is[c],
						At:     now.Unix(),
						Author: who,
					}); err != nil {
					return err
				}
			}
		}
		if err := tx.Note(now, who, "changed an entitlement", code, ""); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, product)
	})
}

// LineDetail is all about one entitlement.
type LineDetail struct {
	Values          map[string]string
	ProductID       int64
	ChangedAt       int64
	Revision        int64
	Effective       int64
	Why             string
	Unmatched       int64
	Consumed        int64
	Held            int64     // seats that are assigned
	Days            []LineDay // what the line came to, from each day on which that changed
	LastDay         string    // of its term, renewals included; empty is without an end
	MaintainedUntil string
	OwnPurchase     bool   // its own quantity is its first purchase
	BoughtOn        string // the day of that
	Transactions    []LineTransaction
	Upgrades        []string // lines that upgrade this one
	Changes         []entitlementsdb.LineChange
	Notes           []entitlementsdb.LineNote
	Proofs          []entitlementsdb.Proof
	Keys            []entitlementsdb.KeptKey
	Checks          []LineCheck
}

// LineDay is what a line comes to from a day on.
type LineDay struct {
	From     string
	Quantity int64
	Why      string
}

// Line returns all about an entitlement.
func (svc *Service) Line(ctx context.Context, code string) (out LineDetail, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = svc.line(tx, code)
		return err
	})
	if err == nil {
		out.Checks, err = svc.CheckLine(ctx, out.Values, code)
	}
	return out, err
}

func (svc *Service) line(tx *sqlite.Tx, code string) (LineDetail, error) {
	out := LineDetail{
		Days:         []LineDay{},
		Transactions: []LineTransaction{},
		Upgrades:     []string{},
		Changes:      []entitlementsdb.LineChange{},
		Notes:        []entitlementsdb.LineNote{},
		Proofs:       []entitlementsdb.Proof{},
		Keys:         []entitlementsdb.KeptKey{},
	}
	err := func() error {
		var id int64
		var err error
		if out.Values, id, out.ChangedAt, err = entitlementsdb.EntitlementValues(tx, code); err != nil {
			return err
		}
		if out.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.Line, Key: code}); err != nil {
			return err
		}
		if _, out.ProductID, err = entitlementsdb.LineOf(tx, id); err != nil {
			return err
		}
		kept, err := stored.EntitlementsOf(tx, []int64{out.ProductID})
		if err != nil {
			return err
		}
		var lines []entitle.Line
		var line *entitle.Line
		for i := range kept {
			lines = append(lines, kept[i].Line)
			if kept[i].Code == code {
				line = &kept[i].Line
			}
			if kept[i].Base == code {
				out.Upgrades = append(out.Upgrades, kept[i].Code)
			}
		}
		e := entitle.Effective(lines, svc.Snapshots.Today())[code]
		out.Effective, out.Why, out.Unmatched, out.Consumed = e.Quantity, e.Why, e.Unmatched, e.Consumed
		out.Days = lineDays(lines, code)
		out.LastDay, out.MaintainedUntil = line.LastDay().String(), line.MaintainedUntil().String()
		out.OwnPurchase, out.BoughtOn = line.OwnPurchase(), line.BoughtOn().String()
		if out.Transactions, err = lineTransactions(tx, code, id); err != nil {
			return err
		}
		seats, err := stored.Assignments(tx, svc.Snapshots.Today())
		if err != nil {
			return err
		}
		for _, s := range seats {
			if s.Line == id {
				out.Held++
			}
		}
		for _, read := range []func() error{
			func() error {
				l, err := entitlementsdb.LineChanges(tx, id)
				out.Changes = append(out.Changes, l...)
				return err
			},
			func() error {
				l, err := entitlementsdb.LineNotes(tx, id)
				out.Notes = append(out.Notes, l...)
				return err
			},
			func() error {
				l, err := entitlementsdb.Proofs(tx, id)
				out.Proofs = append(out.Proofs, l...)
				return err
			},
			func() error { l, err := entitlementsdb.Keys(tx, id); out.Keys = append(out.Keys, l...); return err },
		} {
			if err := read(); err != nil {
				return err
			}
		}
		return nil
	}()
	return out, err
}

// lineDays finds the days on which a line's effective quantity becomes another: its own dates and transactions, and
// those of the lines that it upgrades or that upgrade it.
func lineDays(lines []entitle.Line, code string) []LineDay {
	var days []civil.Day
	for i := range lines {
		l := &lines[i]
		days = append(days, l.Start, l.Purchased)
		if l.End.Known() {
			days = append(days, l.End+1)
		}
		for _, t := range l.Transactions {
			days = append(days, t.On)
			if t.End.Known() {
				days = append(days, t.End+1)
			}
		}
	}
	slices.Sort(days)
	out := []LineDay{}
	for _, d := range slices.Compact(days) {
		if !d.Known() {
			continue
		}
		e := entitle.Effective(lines, d)[code]
		if n := len(out); n == 0 && e.Quantity == 0 || n > 0 && out[n-1].Quantity == e.Quantity {
			continue
		}
		out = append(out, LineDay{d.String(), e.Quantity, e.Why})
	}
	return out
}

// WithdrawLine takes a line that was booked by mistake out of the rights. What was bought and is no longer owned is
// retired by a transaction instead.
func (svc *Service) WithdrawLine(ctx context.Context, code string, revision int64, why, who string) error {
	if strings.TrimSpace(why) == "" {
		return refuse.New("say why the line goes: it stays on record")
	}
	return svc.onLine(ctx, code, who, "withdrew an entitlement", why, func(tx *sqlite.Tx, id int64) error {
		seats, err := stored.Assignments(tx, svc.Snapshots.Today())
		if err != nil {
			return err
		}
		for _, s := range seats {
			if s.Line == id {
				return refuse.Errorf("seats of %s are assigned: hand them back first", code)
			}
		}
		was, _, _, err := entitlementsdb.EntitlementValues(tx, code)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.Line, Key: code},
			Seen:  revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   was,
		}); err != nil {
			return err
		}
		return entitlementsdb.Withdraw(tx, id, svc.Clock.Now().Unix())
	})
}

// onLine does something with a line and keeps who did it.
func (svc *Service) onLine(
	ctx context.Context,
	code, who, what, detail string,
	fn func(tx *sqlite.Tx, id int64) error,
) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		_, id, _, err := entitlementsdb.EntitlementValues(tx, code)
		if err != nil {
			return err
		}
		_, product, err := entitlementsdb.LineOf(tx, id)
		if err != nil {
			return err
		}
		if err := fn(tx, id); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, what, code, detail); err != nil {
			return err
		}
		return renewal.MarkProducts(tx, product)
	})
}

// NoteLine writes a note on a line.
func (svc *Service) NoteLine(ctx context.Context, code, text, who string) error {
	if text = strings.TrimSpace(text); text == "" {
		return refuse.New("the note is empty")
	}
	return svc.onLine(ctx, code, who, "noted on an entitlement", text, func(tx *sqlite.Tx, id int64) error {
		return entitlementsdb.AddLineNote(
			tx,
			id,
			entitlementsdb.LineNote{Text: text, Author: who, At: svc.Clock.Now().Unix()},
		)
	})
}

// MaxProof is the largest file that is kept as proof, in bytes.
const MaxProof = 20 << 20

// AddProof keeps a file as proof of a line.
func (svc *Service) AddProof(ctx context.Context, code, name string, content io.Reader, who string) error {
	data, err := io.ReadAll(io.LimitReader(content, MaxProof+1))
	if err != nil {
		return err
	}
	if len(data) > MaxProof {
		return refuse.Errorf("%s is larger than %d MB: keep it elsewhere and note where", name, MaxProof>>20)
	}
	if len(data) == 0 {
		return refuse.Errorf("%s is empty", name)
	}
	sum := sha256.Sum256(data)
	return svc.onLine(ctx, code, who, "attached proof", name, func(tx *sqlite.Tx, id int64) error {
		return entitlementsdb.AddProof(
			tx,
			entitlementsdb.Proof{
				Line:   id,
				Name:   name,
				Size:   int64(len(data)),
				SHA256: hex.EncodeToString(sum[:]),
				Author: who,
				At:     svc.Clock.Now().Unix(),
			},
			data,
		)
	})
}

// Proof reads a file, after checking that it is what was attached.
func (svc *Service) Proof(ctx context.Context, id int64) (p entitlementsdb.Proof, content []byte, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		p, content, err = entitlementsdb.ProofContent(tx, id)
		return err
	})
	if sum := sha256.Sum256(content); err == nil && hex.EncodeToString(sum[:]) != p.SHA256 {
		err = refuse.Errorf("%s is no longer what was attached: its hash differs", p.Name)
	}
	return p, content, err
}

// DropProof takes a file away from its line.
func (svc *Service) DropProof(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := entitlementsdb.DropProof(tx, id, svc.Clock.Now().Unix(), who); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "took proof away", fmt.Sprint(id), "")
	})
}
