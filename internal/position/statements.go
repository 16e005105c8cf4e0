package position

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// StatementEvidence says what the figures rested on.
type StatementEvidence struct {
	Devices  int64
	Fresh    int64
	Stale    int64
	Never    int64
	LastScan int64  // the newest scan that was known
	Change   string // the number of the last change that was counted
}

// MakeStatement freezes the positions of a day as they are handed to somebody. products limits it; none is all.
func (svc *Service) MakeStatement(
	ctx context.Context,
	asOf civil.Day,
	products []int64,
	handedTo, note, who string,
) (int64, error) {
	if handedTo = strings.TrimSpace(handedTo); handedTo == "" {
		return 0, refuse.New("say to whom it is handed")
	}
	if err := svc.Renewal.Current(ctx); err != nil {
		return 0, err
	}
	asOf = svc.Snapshots.DayOr(asOf)
	if asOf > svc.Snapshots.Today() {
		return 0, refuse.Errorf("%s has not come yet", asOf)
	}
	var c statementContent
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		c, err = svc.contentOf(tx, asOf, products)
		return err
	})
	if err != nil {
		return 0, err
	}
	content, hash, err := c.pack()
	if err != nil {
		return 0, err
	}
	of := ""
	if len(products) > 0 {
		list, err := json.Marshal(snapshot.Distinct(slices.Clone(products)))
		if err != nil {
			return 0, err
		}
		of = string(list)
	}
	var id int64
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		now := svc.Clock.Now()
		id, err = positiondb.AddStatement(
			tx,
			positiondb.StoredStatement{
				At:        now.Unix(),
				Author:    who,
				HandedTo:  handedTo,
				Note:      note,
				Positions: int64(len(c.Positions)),
				Content:   content,
				SHA256:    hash,
				Products:  of,
			},
			asOf,
		)
		if err != nil {
			return err
		}
		return tx.Note(
			now,
			who,
			"handed a statement",
			handedTo,
			fmt.Sprintf("%d positions as of %s", len(c.Positions), asOf),
		)
	})
	return id, err
}

// contentOf works out what a statement of a day says; no products is all of them.
func (svc *Service) contentOf(tx *sqlite.Tx, asOf civil.Day, products []int64) (statementContent, error) {
	c := statementContent{AsOf: asOf.String(), Positions: []statementPosition{}}
	var only []int64
	if len(products) > 0 {
		only = snapshot.Distinct(slices.Clone(products))
	}
	e, err := svc.Snapshots.Load(tx, asOf, svc.Clock.Now().Unix(), only)
	if err != nil {
		return c, err
	}
	if c.Evidence, err = evidenceOf(tx, e); err != nil {
		return c, err
	}
	ways, err := snapshot.Ways(tx, 0)
	if err != nil {
		return c, err
	}
	for _, f := range e.Ordered() {
		if only != nil && !slices.Contains(only, f.Id) {
			continue
		}
		for _, p := range e.Compute(f, ways[f.Id]) {
			c.Positions = append(c.Positions, said(f, metricView(e, f, &p), snapshot.FiguresOf(p.Figures())))
		}
	}
	return c, tx.Ctx.Err()
}

// evidenceOf says what the figures of a snapshot rest on.
func evidenceOf(tx *sqlite.Tx, e *snapshot.Snapshot) (v keptEvidence, err error) {
	for _, f := range e.Fleet {
		v.Fresh, v.Stale, v.Never = v.Fresh+f.Fresh, v.Stale+f.Stale, v.Never+f.Never
	}
	v.Devices = v.Fresh + v.Stale + v.Never
	for i := range e.Devices {
		v.LastScan = max(v.LastScan, e.Devices[i].LastScan)
	}
	v.Change, err = tx.Setting(renewal.Changes)
	return v, err
}

// Statements lists what was handed to whom.
func (svc *Service) Statements(ctx context.Context) ([]positiondb.StoredStatement, error) {
	out := []positiondb.StoredStatement{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := positiondb.Statements(tx)
		out = append(out, list...)
		return err
	})
	return out, err
}

// ComparedPosition is a position as it was said, and as it is known now for the same day.
type ComparedPosition struct {
	ProductID int64
	Publisher string
	Product   string
	Metric    string
	Currency  string
	Said      snapshot.Figures
	Now       snapshot.Figures
	Differs   bool
}

// StatementView is a statement beside what is known now.
type StatementView struct {
	positiondb.StoredStatement
	Evidence StatementEvidence
	Against  string // the day that it is compared with
	Compared []ComparedPosition
	Differ   int
}

// Statement opens a statement and compares it, with what is known now of the same day, or with today.
func (svc *Service) Statement(ctx context.Context, id int64, withToday bool) (StatementView, error) {
	out := StatementView{Compared: []ComparedPosition{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, c, err := openStatement(tx, id)
		if err != nil {
			return err
		}
		day, err := civil.Parse(c.AsOf)
		if err != nil {
			return err
		}
		if withToday {
			day = svc.Snapshots.Today()
		}
		out.StoredStatement, out.Evidence, out.Against = s, StatementEvidence(c.Evidence), day.String()
		out.Compared, err = svc.beside(tx, c.Positions, day)
		return err
	})
	for i := range out.Compared {
		p := &out.Compared[i]
		p.Differs = p.Said.Owned != p.Now.Owned || p.Said.Needed != p.Now.Needed || p.Said.Short != p.Now.Short ||
			p.Said.Surplus != p.Now.Surplus
		if p.Differs {
			out.Differ++
		}
	}
	slices.SortStableFunc(out.Compared, func(x, y ComparedPosition) int {
		rank := func(p *ComparedPosition) int {
			if p.Differs {
				return 0
			}
			return 1
		}
		return cmp.Or(
			cmp.Compare(rank(&x), rank(&y)),
			cmp.Compare(x.Publisher, y.Publisher),
			cmp.Compare(x.Product, y.Product),
			cmp.Compare(
				slices.Index(entitle.Metrics, entitle.Metric(x.Metric)),
				slices.Index(entitle.Metrics, entitle.Metric(y.Metric)),
			),
		)
	})
	return out, err
}

// beside puts positions as they were said beside those of a day as they are known now; of few products it looks at
// these alone. What was not said, or is no longer there, stands as zero.
func (svc *Service) beside(tx *sqlite.Tx, kept []statementPosition, day civil.Day) ([]ComparedPosition, error) {
	type key struct {
		product int64
		metric  string
	}
	out := []ComparedPosition{}
	at := map[key]int{}
	var products []int64
	none := snapshot.Figures{Exposure: "0"}
	for _, p := range kept {
		at[key{p.ProductID, p.Metric}] = len(out)
		products = append(products, p.ProductID)
		out = append(out, ComparedPosition{
			ProductID: p.ProductID,
			Publisher: p.Publisher,
			Product:   p.Product,
			Metric:    p.Metric,
			Currency:  p.Currency,
			Said:      snapshot.Figures(p.keptFigures),
			Now:       none,
		})
	}
	if products = snapshot.Distinct(products); len(products) > snapshot.MostTouched {
		products = nil
	}
	e, err := svc.Snapshots.Load(tx, day, svc.Clock.Now().Unix(), products)
	if err != nil {
		return nil, err
	}
	for _, f := range e.Ordered() {
		if products != nil && !slices.Contains(products, f.Id) {
			continue
		}
		for _, p := range e.Compute(f, nil) {
			k := key{f.Id, string(p.Metric)}
			i, known := at[k]
			if !known {
				i = len(out)
				at[k] = i
				out = append(out, ComparedPosition{
					ProductID: f.Id,
					Publisher: f.Product.Publisher,
					Product:   f.Product.Name,
					Metric:    string(p.Metric),
					Currency:  f.Currency,
					Said:      none,
				})
			}
			out[i].Now = snapshot.FiguresOf(p.Figures())
		}
	}
	return out, nil
}
