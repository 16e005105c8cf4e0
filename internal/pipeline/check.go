package pipeline

import (
	"context"
	"errors"
	"fmt"

	"ensomet/internal/facts"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles"
)

// Check returns what is wrong with the file: SQLite's own complaints, and every stored figure that a full
// recomputation does not give.
func (svc *Service) Check(ctx context.Context) ([]string, error) {
	wrong, err := svc.DB.Integrity(ctx)
	if err != nil {
		return nil, err
	}
	dirty, err := svc.Renewal.Dirty(ctx)
	if err != nil {
		return nil, err
	}
	if dirty {
		if err := svc.Refresh(ctx); err != nil {
			return nil, err
		}
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		k, err := svc.Snapshots.Knowledge(tx)
		if err != nil {
			return err
		}
		w := k.Recogniser().Worker()
		kept, err := stored.Recognitions(tx)
		if err != nil {
			return err
		}
		records, err := stored.AllRecords(tx, false)
		if err != nil {
			return err
		}
		byRecord := make(map[int64]stored.Recognition, len(kept))
		for _, n := range kept {
			byRecord[n.Record] = n
		}
		for i := range records {
			if got := titles.Recognition(w, &records[i]); byRecord[records[i].ID] != got {
				wrong = append(
					wrong,
					fmt.Sprintf("record %d is stored as another title than it is recognised as", records[i].ID),
				)
			}
		}
		releases, err := titles.CheckReleases(tx, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		wrong = append(wrong, releases...)
		more, err := svc.Evidence.CheckEvidence(tx)
		wrong = append(wrong, more...)
		if err != nil {
			return err
		}
		more, err = svc.Use.CheckUse(tx)
		wrong = append(wrong, more...)
		if err != nil {
			return err
		}
		more, err = facts.CheckTally(tx)
		wrong = append(wrong, more...)
		return err
	})
	if err != nil {
		return wrong, err
	}
	more, err := svc.checkDerived(ctx)
	return append(wrong, more...), err
}

// derivedTables are those in which figures and lists stand, with what they are called. Those that grow are not made
// from nothing: cases have a past.
var derivedTables = []struct {
	table, name string
	grows       bool
}{
	{"counted", "what is counted of devices", false},
	{"sourced", "which sources report what", false},
	{"sourced_use", "which sources report what is used", false},
	{"fleet", "how many devices there are", false},
	{"device_fact", "the list of devices", false},
	{"name_fact", "the list of names", false},
	{"product_fact", "the list of titles", false},
	{"version_fact", "the versions that were found", false},
	{"release_fact", "the list of releases", false},
	{"position", "the list of positions", false},
	{"idle_fact", "the list of use", false},
	{"group_member", "who is in which group", false},
	{"person_fact", "the list of people", false},
	{"key_fact", "the list of licence keys", false},
	{"worklist_case", "the worklist", true},
}

// checkDerived computes everything from the start beside what is stored, and says where the two differ.
func (svc *Service) checkDerived(ctx context.Context) (wrong []string, err error) {
	err = svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		for _, t := range derivedTables {
			if t.grows {
				continue
			}
			if err := tx.LayRows(t.table, "0"); err != nil {
				return err
			}
		}
		p, err := svc.newPass(ctx, tx, true)
		if err != nil {
			return err
		}
		p.between, p.write = ctx.Err, func(fn func(*sqlite.Tx) error) error { return fn(tx) }
		if err := errors.Join(p.run(), facts.PutDoubt(tx)); err != nil {
			return err
		}
		for _, t := range derivedTables {
			laid, err := sqlite.Select[bool](tx, "SELECT EXISTS (SELECT 1 FROM temp.sqlite_schema WHERE name = ?)",
				t.table)
			if err != nil {
				return err
			}
			if !laid[0] { // nothing was written to it
				continue
			}
			for _, way := range [][2]string{{"temp", "main"}, {"main", "temp"}} {
				rows := "SELECT * FROM " + way[0] + "." + t.table + " EXCEPT SELECT * FROM " + way[1] + "." + t.table
				n, err := sqlite.Select[int](tx, "SELECT count(*) FROM ("+rows+")")
				if err != nil {
					return err
				}
				if n[0] > 0 {
					said := "are stored that a full computation does not give"
					if way[0] == "temp" {
						said = "are missing that a full computation gives"
					}
					wrong = append(wrong, fmt.Sprintf("in %s (%s) %d rows %s", t.name, t.table, n[0], said))
				}
			}
		}
		return nil
	})
	return wrong, err
}

func Differences(stored, again []snapshot.Figure) []string {
	type id struct {
		product int64
		metric  string
	}
	var out []string
	known := map[id]snapshot.Figure{}
	for _, f := range stored {
		known[id{f.Product, f.Metric}] = f
	}
	for _, f := range again {
		k := id{f.Product, f.Metric}
		s, ok := known[k]
		delete(known, k)
		if !ok || !s.Same(f) {
			out = append(
				out,
				fmt.Sprintf(
					"the stored position of product %d by %s is not what a full recomputation gives",
					f.Product,
					f.Metric,
				),
			)
		}
	}
	for k := range known {
		out = append(
			out,
			fmt.Sprintf(
				"the stored position of product %d by %s does not exist in a full recomputation",
				k.product,
				k.metric,
			),
		)
	}
	return out
}
