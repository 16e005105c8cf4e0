package position

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
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

// StatementContent is what a statement keeps: the figures as they were said, what each line came to, what demand was
// in groups, and what was known then.
type StatementContent struct {
	AsOf      string              `json:"asOf"`
	Evidence  StatementEvidence   `json:"evidence"`
	Positions []StatementPosition `json:"positions"`
}

// StatementEvidence says what the figures rested on.
type StatementEvidence struct {
	Devices  int64  `json:"devices"`
	Fresh    int64  `json:"fresh"`
	Stale    int64  `json:"stale"`
	Never    int64  `json:"never"`
	LastScan int64  `json:"lastScan" doc:"the newest scan that was known"`
	Change   string `json:"change" doc:"the number of the last change that was counted"`
}

// StatementPosition is a position as it was said.
type StatementPosition struct {
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Metric    string `json:"metric"`
	snapshot.Figures
	Currency string      `json:"currency"`
	Lines    []LineView  `json:"lines"`
	Groups   []GroupView `json:"groups"`
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
	c := StatementContent{AsOf: asOf.String(), Positions: []StatementPosition{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		var only []int64
		if len(products) > 0 {
			only = snapshot.Distinct(slices.Clone(products))
		}
		e, err := svc.Snapshots.Load(tx, asOf, svc.Clock.Now().Unix(), only)
		if err != nil {
			return err
		}
		for _, f := range e.Fleet {
			c.Evidence.Fresh, c.Evidence.Stale, c.Evidence.Never = c.Evidence.Fresh+f.Fresh, c.Evidence.Stale+
				f.Stale, c.Evidence.Never+f.Never
		}
		c.Evidence.Devices = c.Evidence.Fresh + c.Evidence.Stale + c.Evidence.Never
		for i := range e.Devices {
			c.Evidence.LastScan = max(c.Evidence.LastScan, e.Devices[i].LastScan)
		}
		if c.Evidence.Change, err = tx.Setting(renewal.Changes); err != nil {
			return err
		}
		ways, err := snapshot.Ways(tx, 0)
		if err != nil {
			return err
		}
		for _, f := range e.Ordered() {
			if only != nil && !slices.Contains(only, f.Id) {
				continue
			}
			for _, p := range e.Compute(f, ways[f.Id]) {
				m := metricView(e, f, &p)
				c.Positions = append(
					c.Positions,
					StatementPosition{
						f.Id,
						f.Product.Publisher,
						f.Product.Name,
						m.Metric,
						snapshot.FiguresOf(p.Figures()),
						m.Currency,
						m.Lines,
						m.Groups,
					},
				)
			}
		}
		return ctx.Err()
	})
	if err != nil {
		return 0, err
	}
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	if err := errors.Join(json.NewEncoder(z).Encode(c), z.Close()); err != nil {
		return 0, err
	}
	sum := sha256.Sum256(packed.Bytes())
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
				Content:   packed.Bytes(),
				SHA256:    hex.EncodeToString(sum[:]),
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
	ProductID int64            `json:"productId"`
	Publisher string           `json:"publisher"`
	Product   string           `json:"product"`
	Metric    string           `json:"metric"`
	Currency  string           `json:"currency"`
	Said      snapshot.Figures `json:"said"`
	Now       snapshot.Figures `json:"now"`
	Differs   bool             `json:"differs"`
}

// StatementView is a statement beside what is known now.
type StatementView struct {
	positiondb.StoredStatement
	Evidence  StatementEvidence  `json:"evidence"`
	Against   string             `json:"against" doc:"the day that it is compared with"`
	Positions []ComparedPosition `json:"compared"`
	Differ    int                `json:"differ"`
}

// Statement opens a statement and compares it, with what is known now of the same day, or with today.
func (svc *Service) Statement(ctx context.Context, id int64, withToday bool) (StatementView, error) {
	out := StatementView{Positions: []ComparedPosition{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, c, err := openStatement(tx, id)
		if err != nil {
			return err
		}
		out.StoredStatement, out.Evidence = s, c.Evidence
		day, err := civil.Parse(c.AsOf)
		if err != nil {
			return err
		}
		if withToday {
			day = svc.Snapshots.Today()
		}
		out.Against = day.String()
		type key struct {
			product int64
			metric  string
		}
		at := map[key]int{}
		var products []int64
		for _, p := range c.Positions {
			at[key{p.ProductID, p.Metric}] = len(out.Positions)
			products = append(products, p.ProductID)
			out.Positions = append(
				out.Positions,
				ComparedPosition{
					p.ProductID,
					p.Publisher,
					p.Product,
					p.Metric,
					p.Currency,
					p.Figures,
					snapshot.Figures{Exposure: "0"},
					false,
				},
			)
		}
		if products = snapshot.Distinct(products); len(products) > snapshot.MostTouched {
			products = nil
		}
		e, err := svc.Snapshots.Load(tx, day, svc.Clock.Now().Unix(), products)
		if err != nil {
			return err
		}
		for _, f := range e.Ordered() {
			if products != nil && !slices.Contains(products, f.Id) {
				continue
			}
			for _, p := range e.Compute(f, nil) {
				k := key{f.Id, string(p.Metric)}
				i, known := at[k]
				if !known {
					i = len(out.Positions)
					at[k] = i
					out.Positions = append(
						out.Positions,
						ComparedPosition{
							ProductID: f.Id,
							Publisher: f.Product.Publisher,
							Product:   f.Product.Name,
							Metric:    string(p.Metric),
							Currency:  f.Currency,
							Said:      snapshot.Figures{Exposure: "0"},
						},
					)
				}
				out.Positions[i].Now = snapshot.FiguresOf(p.Figures())
			}
		}
		return nil
	})
	for i := range out.Positions {
		p := &out.Positions[i]
		p.Differs = p.Said.Owned != p.Now.Owned || p.Said.Needed != p.Now.Needed || p.Said.Short != p.Now.Short ||
			p.Said.Surplus != p.Now.Surplus
		if p.Differs {
			out.Differ++
		}
	}
	slices.SortStableFunc(out.Positions, func(x, y ComparedPosition) int {
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

// openStatement reads a statement, after checking that it is what was kept.
func openStatement(tx *sqlite.Tx, id int64) (s positiondb.StoredStatement, c StatementContent, err error) {
	if s, err = positiondb.Statement(tx, id); err != nil {
		return s, c, err
	}
	if sum := sha256.Sum256(s.Content); hex.EncodeToString(sum[:]) != s.SHA256 {
		return s, c, refuse.New("this statement is no longer what was handed over: its hash differs")
	}
	z, err := gzip.NewReader(bytes.NewReader(s.Content))
	if err != nil {
		return s, c, err
	}
	return s, c, json.NewDecoder(z).Decode(&c)
}
