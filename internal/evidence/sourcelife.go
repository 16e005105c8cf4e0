package evidence

import (
	"context"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Sources does what can be done with those who report: what each covers, how far it is trusted, and its end.
type Sources struct{ *Service }

// SourceDraft is what the house says of a source, as somebody wants it.
type SourceDraft struct {
	Name       string
	Covers     []string // kinds of evidence; none is everything
	Trust      int      // 1 is believed first; 0 is not said
	SilentDays int      // after how many days it is silent about a device; 0 is the house's limit of freshness
	RetiredOn  string   // a day; empty is in use
	Reason     string   // why it was retired
	Revision   int64    // that was seen; a save on an older one is refused
}

// SourceView is a source with what came of it.
type SourceView struct {
	SourceDraft
	evidencedb.SourceRow
	Author string
	At     int64 // when somebody last said something of it, in seconds since 1970
	Silent bool  // it was not heard of for longer than its limit
}

// lifeOf makes of a draft what is kept, and refuses what cannot be meant.
func (svc *Sources) lifeOf(d *SourceDraft, settings *snapshot.Settings, who string) (evidencedb.StoredLife, error) {
	d.Name, d.Reason = strings.TrimSpace(d.Name), strings.TrimSpace(d.Reason)
	l := evidencedb.StoredLife{Reason: d.Reason, Author: who, At: svc.Clock.Now().Unix()}
	l.Name, l.Trust, l.Silent = d.Name, d.Trust, d.SilentDays
	if l.Name == "" {
		return l, refuse.New("say which source is meant")
	}
	for _, k := range d.Covers {
		kind := evidence.Kind(strings.TrimSpace(k))
		if !slices.Contains(evidence.Covered, kind) {
			return l, refuse.Errorf("a source covers software, hardware, use, directory or network, not %q", k)
		}
		if !slices.Contains(l.Covers, kind) {
			l.Covers = append(l.Covers, kind)
		}
	}
	if len(l.Covers) == len(evidence.Covered) {
		l.Covers = nil
	}
	if l.Trust < 0 || l.Trust > 99 {
		return l, refuse.New("trust is a number from 1, which is believed first, to 99; empty is not said")
	}
	if l.Silent < 0 || l.Silent > 3650 {
		return l, refuse.New("a source is silent after 1 to 3650 days; empty is the house's limit of freshness")
	}
	on, err := civil.Parse(d.RetiredOn)
	if err != nil {
		return l, err
	}
	if on.Known() {
		l.RetiredOn, l.Retired = on, on.Start(settings.Zone).Unix()
		if l.Retired > l.At {
			return l, refuse.New("a source is retired from today or a day before: retire it when that day is there")
		}
	}
	return l, nil
}

func draftOfLife(l evidencedb.StoredLife) SourceDraft {
	d := SourceDraft{Name: l.Name, Covers: []string{}, Trust: l.Trust, SilentDays: l.Silent, Reason: l.Reason}
	for _, k := range l.Covers {
		d.Covers = append(d.Covers, string(k))
	}
	if l.RetiredOn.Known() {
		d.RetiredOn = l.RetiredOn.String()
	}
	return d
}

// Sources lists the sources with what the house says of them.
func (svc *Sources) Sources(ctx context.Context) ([]SourceView, error) {
	out := []SourceView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		lives, err := evidencedb.Lives(tx, settings.Zone)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Source)
		if err != nil {
			return err
		}
		rows, err := evidencedb.SourceRows(tx)
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		for _, r := range rows {
			l := lives[r.Name]
			l.Name = r.Name
			v := SourceView{SourceDraft: draftOfLife(l), SourceRow: r, Author: l.Author, At: l.At}
			v.Revision = revisions[r.Name]
			days := l.Silent
			if days == 0 {
				days = settings.FreshDays
			}
			v.Silent = r.Heard > 0 && now-r.Heard > int64(days)*86400
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// SourceEffect is what it would do to say something else of a source.
type SourceEffect struct {
	Devices int64 // on which installs end, or count again
	Ends    int64 // installs that would count no more
	Again   int64 // installs that would count again
	Moves   []snapshot.PositionChange
}

// Preview says what saving would do.
func (svc *Sources) Preview(ctx context.Context, d SourceDraft) (SourceEffect, error) {
	var out SourceEffect
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		l, err := svc.lifeOf(&d, &settings, "")
		if err != nil {
			return err
		}
		// figures go by the installs of all devices, of this source's or not
		if err := tx.LayRows("install", "1"); err != nil {
			return err
		}
		products, err := evidencedb.ProductsBeside(tx, l.Name)
		if err != nil {
			return err
		}
		before, err := svc.Snapshots.FiguresAround(tx, products)
		if err != nil {
			return err
		}
		if err := evidencedb.PutLife(tx, l); err != nil {
			return err
		}
		devices, err := evidencedb.DevicesOfSource(tx, l.Name)
		if err != nil {
			return err
		}
		was, err := evidencedb.EndedOn(tx, l.Name)
		if err != nil {
			return err
		}
		e, err := arriving.NewEnder(tx, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		for _, device := range devices {
			changed, err := e.End(device)
			if err != nil {
				return err
			}
			if changed {
				out.Devices++
			}
		}
		is, err := evidencedb.EndedOn(tx, l.Name)
		if err != nil {
			return err
		}
		out.Ends, out.Again = max(is-was, 0), max(was-is, 0)
		after, err := svc.Snapshots.FiguresAround(tx, products)
		out.Moves = snapshot.Moves(before, after)
		return err
	})
	if out.Moves == nil {
		out.Moves = []snapshot.PositionChange{}
	}
	return out, err
}

// Save keeps what somebody says of a source, and ends the lists that end by it.
func (svc *Sources) Save(ctx context.Context, d SourceDraft, who string) error {
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		l, err := svc.lifeOf(&d, &settings, who)
		if err != nil {
			return err
		}
		if l.Retired > 0 && l.Reason == "" {
			return refuse.New("say why the source is retired: somebody will ask where its software went")
		}
		return svc.saveLife(tx, l, &settings, &d.Revision)
	})
	if err != nil {
		return err
	}
	return svc.EndDue(ctx)
}

// saveLife writes what is said of a source. Without a revision that was seen, a file says it.
func (svc *Sources) saveLife(
	tx *sqlite.Tx,
	l evidencedb.StoredLife,
	settings *snapshot.Settings,
	seen *int64,
) error {
	lives, err := evidencedb.Lives(tx, settings.Zone)
	if err != nil {
		return err
	}
	old := lives[l.Name]
	old.Name = l.Name
	was, is, now := draftOfLife(old), draftOfLife(l), svc.Clock.Now()
	thing := edits.Thing{Kind: edits.Source, Key: l.Name}
	if seen != nil {
		_, err = edits.Save(tx, edits.Change{Thing: thing, Seen: *seen, Who: l.Author, At: now, Was: was, Is: is})
	} else {
		err = edits.Touch(tx, thing, l.Author, now, was, is)
	}
	if err != nil {
		return err
	}
	if err := evidencedb.PutLife(tx, l); err != nil {
		return err
	}
	if old.Trust != l.Trust { // what holds of machines may be another source's word
		if err := renewal.Mark(tx, false); err != nil {
			return err
		}
	}
	what := "source changed"
	switch {
	case old.Retired == 0 && l.Retired > 0:
		what = "source retired"
	case old.Retired > 0 && l.Retired == 0:
		what = "source in use again"
	}
	if err := tx.Note(now, l.Author, what, l.Name, l.Reason); err != nil {
		return err
	}
	return evidencedb.LookAgain(tx, l.Name)
}

// EndDue ends the lists of which it is time, some devices at a time, so that whoever writes gets his turn.
func (svc *Sources) EndDue(ctx context.Context) error {
	for more := true; more; {
		err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
			devices, err := evidencedb.DueLists(tx, svc.Clock.Now().Unix(), devicesAtOnce)
			if err != nil {
				return err
			}
			more = len(devices) == devicesAtOnce
			if len(devices) == 0 {
				return nil
			}
			e, err := arriving.NewEnder(tx, svc.Clock.Now().Unix())
			if err != nil {
				return err
			}
			if err := e.Always(); err != nil { // what ended counts again where the only retired source is in use
				return err
			}
			touched := false
			for _, device := range devices {
				if err := evidencedb.ResolveDevice(tx, device); err != nil { // sources may be trusted otherwise
					return err
				}
				changed, err := e.End(device)
				if err != nil {
					return err
				}
				if !changed {
					continue
				}
				touched = true
				if err := renewal.TouchDevice(tx, device); err != nil {
					return err
				}
			}
			if !touched {
				return nil
			}
			return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// sourceWriter takes lines of sources.csv.
func (svc *Sources) sourceWriter(in intake.Arrival) (*intake.Writer, error) {
	lives, err := evidencedb.Lives(in.Tx, in.Settings.Zone)
	if err != nil {
		return nil, err
	}
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		s, err := formats.ParseSource(row)
		if err != nil {
			return sqlite.Same, err
		}
		old, known := lives[s.Name]
		d := SourceDraft{
			Name:       s.Name,
			Covers:     s.Covers,
			Trust:      s.Trust,
			SilentDays: s.SilentDays,
			Reason:     old.Reason,
		}
		if s.RetiredOn.Known() {
			d.RetiredOn = s.RetiredOn.String()
		}
		l, err := svc.lifeOf(&d, in.Settings, in.Author)
		if err != nil {
			return sqlite.Same, intake.RefuseFor(row, err)
		}
		was, is := old.SourceLife, l.SourceLife
		if known && evidencedb.KindWords(was.Covers) == evidencedb.KindWords(is.Covers) && was.Trust == is.Trust &&
			was.Silent == is.Silent && was.Retired == is.Retired {
			return sqlite.Same, nil
		}
		lives[s.Name] = l
		if err := svc.saveLife(in.Tx, l, in.Settings, nil); err != nil {
			return sqlite.Same, err
		}
		if known {
			return sqlite.Changed, nil
		}
		return sqlite.Added, nil
	}), nil
}
