package position

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
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

// MakeStatement freezes the positions of a day as they are handed to somebody.
func (svc *Service) MakeStatement(
	ctx context.Context,
	asOf civil.Day,
	scope StatementScope,
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
	var products []int64
	var mark int64
	now := svc.Clock.Now()
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		mark, err = tx.Mark(now)
		return err
	})
	if err != nil {
		return 0, err
	}
	err = svc.at(ctx, mark, nil, func(tx *sqlite.Tx) (err error) { // whatever comes in meanwhile
		if products, err = svc.productsOf(tx, &scope); err != nil {
			return err
		}
		c, err = svc.contentOf(tx, asOf, now.Unix(), scope, products)
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
		list, err := json.Marshal(stored.Distinct(slices.Clone(products)))
		if err != nil {
			return 0, err
		}
		of = string(list)
	}
	var id int64
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
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
				Scope:     scope.words(),
				Mark:      mark,
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

// productsOf lists the products that a statement speaks of; nil is all.
func (svc *Service) productsOf(tx *sqlite.Tx, s *StatementScope) ([]int64, error) {
	s.Publisher, s.Contract, s.Unit = strings.TrimSpace(s.Publisher), strings.TrimSpace(s.Contract),
		strings.TrimSpace(s.Unit)
	if s.Publisher == "" && s.Contract == "" && len(s.Products) == 0 {
		return nil, nil
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return nil, err
	}
	lines, err := stored.EntitlementsOf(tx, nil)
	if err != nil {
		return nil, err
	}
	under := map[int64]bool{}
	for i := range lines {
		under[lines[i].Line.Product] = under[lines[i].Line.Product] || lines[i].Contract == s.Contract
	}
	var out []int64
	for _, p := range c.Products() {
		if (s.Publisher == "" || recognise.CleanPublisher(p.Publisher) == recognise.CleanPublisher(s.Publisher)) &&
			(s.Contract == "" || under[p.ID]) && (len(s.Products) == 0 || slices.Contains(s.Products, p.ID)) {
			out = append(out, p.ID)
			if s.Publisher != "" {
				s.Publisher = p.Publisher // as it is written in the catalogue
			}
		}
	}
	if len(out) == 0 {
		return nil, refuse.Errorf("there is no product of %s: look at how it is written", s.words())
	}
	return stored.Distinct(out), nil
}

// mostOpened is how many units of demand a statement keeps; one of more keeps them by groups alone.
const mostOpened = 500_000

// contentOf works out what a statement of a day says about some products, at a time; nil is all of them.
func (svc *Service) contentOf(tx *sqlite.Tx, asOf civil.Day, now int64, scope StatementScope, only []int64) (
	statementContent, error) {
	c := statementContent{AsOf: asOf.String(), Positions: []statementPosition{}, Scope: &scope,
		Records: map[int64]keptRecord{}}
	e, err := svc.Snapshots.Load(tx, asOf, now, only)
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
	units := 0
	for _, f := range e.Ordered() {
		if only != nil && !slices.Contains(only, f.Id) {
			continue
		}
		for _, p := range saidOf(e, f, e.Compute(f, ways[f.Id]), &scope, true) {
			units += len(p.Units)
			c.Positions = append(c.Positions, p)
		}
	}
	if c.Opened = units <= mostOpened; !c.Opened {
		for i := range c.Positions {
			c.Positions[i].Units = nil
		}
	}
	return c, errors.Join(c.keepRecords(tx), tx.Ctx.Err())
}

// keepRecords keeps what the machines reported that the units of demand rest on.
func (c *statementContent) keepRecords(tx *sqlite.Tx) error {
	wanted := map[int64]bool{}
	for i := range c.Positions {
		for k := range c.Positions[i].Units {
			for _, id := range c.Positions[i].Units[k].Records {
				wanted[id] = true
			}
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	records, err := stored.AllRecords(tx, false)
	for i := range records {
		if r := &records[i]; wanted[r.ID] {
			c.Records[r.ID] = keptRecord{r.Publisher, r.Name, r.Version}
		}
	}
	return err
}

// saidOf is what a statement says of a product's positions: in a unit, the part of each that is needed, used or kept
// there; open is with the units of demand.
func saidOf(e *snapshot.Snapshot, f *snapshot.ProductFacts, positions []position.Position, scope *StatementScope,
	open bool) []statementPosition {
	var out []statementPosition
	for i := range positions {
		p := &positions[i]
		v := said(f, metricView(e, f, p), snapshot.FiguresOf(p.Figures()))
		var units []UnitView
		if open || scope.Unit != "" {
			units = unitViews(e, f, positions[i:i+1], "", 0)
		}
		for _, u := range units {
			if scope.Unit != "" && !entitle.InUnit(u.Unit, scope.Unit) {
				continue
			}
			v.Units = append(v.Units, keptUnit{
				Device:   u.Device,
				Name:     u.DeviceName,
				User:     u.User,
				UserName: u.UserName,
				Unit:     u.Unit,
				Count:    u.Count,
				Needs:    u.Needs,
				Line:     u.Line,
				Reason:   u.Reason,
				Why:      u.Why,
				Calc:     calcWords(u.Calc),
				LastSeen: u.LastSeen,
				Records:  u.Records,
			})
		}
		if scope.Unit != "" && !v.narrow(p, scope.Unit) {
			continue // nothing of it is there
		}
		out = append(out, v)
	}
	return out
}

// narrow keeps of a position what belongs to a unit, and reports whether anything does.
func (v *statementPosition) narrow(p *position.Position, unit string) bool {
	var f position.Sub
	for _, s := range p.By("unit") {
		if s.Name != "" && entitle.InUnit(s.Name, unit) {
			f.Owned, f.Needed, f.Covered = f.Owned+s.Owned, f.Needed+s.Needed, f.Covered+s.Covered
			f.Short, f.Surplus, f.Exposure = f.Short+s.Short, f.Surplus+s.Surplus, f.Exposure+s.Exposure
		}
	}
	v.keptFigures = keptFigures{f.Owned, f.Needed, f.Covered, f.Short, f.Surplus, f.Needed, f.Needed,
		decimal.New(f.Exposure, -4).String()}
	used, groups, order := map[string]int64{}, map[string]*keptGroup{}, []string{}
	for i := range v.Units {
		u := &v.Units[i]
		used[u.Line] += u.Count
		key := u.Line + ":" + u.Reason
		if groups[key] == nil {
			groups[key] = &keptGroup{Key: v.Metric + ":" + key, Line: u.Line, Reason: u.Reason}
			order = append(order, key)
		}
		groups[key].Count += int(u.Count)
	}
	v.Lines = slices.DeleteFunc(
		v.Lines,
		func(l keptLine) bool { return used[l.Code] == 0 && !keptIn(p, l.Code, unit) },
	)
	for i := range v.Lines {
		v.Lines[i].Used = used[v.Lines[i].Code]
	}
	v.Groups = []keptGroup{}
	for _, key := range order {
		v.Groups = append(v.Groups, *groups[key])
	}
	return f.Needed+f.Owned > 0
}

// keptIn reports whether a line counts for a unit, or one below it, alone.
func keptIn(p *position.Position, line, unit string) bool {
	return slices.ContainsFunc(p.Lines, func(l position.LineResult) bool {
		return l.Line.Code == line && l.Line.ScopeUnit != "" && entitle.InUnit(l.Line.ScopeUnit, unit)
	})
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
	Of       StatementScope
	Opened   bool // it opens down to machines
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
		out.Opened = c.Opened
		if c.Scope != nil {
			out.Of = *c.Scope
		}
		out.Compared, err = svc.beside(tx, c.Positions, out.Of, day)
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
func (svc *Service) beside(tx *sqlite.Tx, kept []statementPosition, scope StatementScope, day civil.Day) (
	[]ComparedPosition, error) {
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
	if products = stored.Distinct(products); len(products) > snapshot.MostTouched {
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
		for _, p := range saidOf(e, f, e.Compute(f, nil), &scope, false) {
			k := key{f.Id, p.Metric}
			i, known := at[k]
			if !known {
				i = len(out)
				at[k] = i
				out = append(out, ComparedPosition{
					ProductID: f.Id,
					Publisher: f.Product.Publisher,
					Product:   f.Product.Name,
					Metric:    p.Metric,
					Currency:  f.Currency,
					Said:      none,
				})
			}
			out[i].Now = snapshot.Figures(p.keptFigures)
		}
	}
	return out, nil
}

// StatementUnit is a unit of demand as a statement kept it.
type StatementUnit struct {
	Publisher string
	Product   string
	Metric    string
	Device    string
	Name      string
	User      string
	UserName  string
	Unit      string
	Count     int64
	Needs     string
	Line      string
	Reason    string
	Why       string
	Calc      string
	LastSeen  int64
	Records   []string // what the machine reported
}

// StatementUnits opens a statement down to what it rested on, as it was: of one product and metric, or of all.
func (svc *Service) StatementUnits(ctx context.Context, id, product int64, metric string) ([]StatementUnit, error) {
	out := []StatementUnit{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		_, c, err := openStatement(tx, id)
		for i := range c.Positions {
			p := &c.Positions[i]
			if product != 0 && p.ProductID != product || metric != "" && p.Metric != metric {
				continue
			}
			for k := range p.Units {
				u := &p.Units[k]
				v := StatementUnit{
					p.Publisher,
					p.Product,
					p.Metric,
					u.Device,
					u.Name,
					u.User,
					u.UserName,
					u.Unit,
					u.Count,
					u.Needs,
					u.Line,
					u.Reason,
					u.Why,
					u.Calc,
					u.LastSeen,
					[]string{},
				}
				for _, r := range u.Records {
					k := c.Records[r]
					v.Records = append(v.Records, strings.TrimSpace(k.Publisher+" "+k.Name+" "+k.Version))
				}
				out = append(out, v)
			}
		}
		return err
	})
	return out, err
}

// StatementColumns are the columns of a statement as a file, a line for each unit of demand.
var StatementColumns = strings.Fields(
	"publisher product metric device_id device_name user_id user_name org_unit needs " +
		"licences covered_by reason counted_because calculation last_seen reported",
)

// ExportStatement writes a statement, a line for each unit of demand.
func (svc *Service) ExportStatement(ctx context.Context, id int64, write func([]string) error) error {
	units, err := svc.StatementUnits(ctx, id, 0, "")
	for i := range units {
		u := &units[i]
		if err := write([]string{u.Publisher, u.Product, u.Metric, u.Device, u.Name, u.User, u.UserName, u.Unit,
			u.Needs,
			strconv.FormatInt(u.Count, 10), u.Line, u.Reason, u.Why, u.Calc, stored.Day(u.LastSeen),
			strings.Join(u.Records, "; ")}); err != nil {
			return err
		}
	}
	return err
}
