package position

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/sqlite"
)

// CheckedStatement is a statement beside what its figures come to when they are worked out again as known at the
// moment at which it was made.
type CheckedStatement struct {
	positiondb.StoredStatement
	Recomputed int      // positions
	Units      int      // of demand, that were compared one by one
	Wrong      []string // what differs, in words; none where it holds
}

// mostWrong is how many differences are named.
const mostWrong = 100

// CheckStatement works a statement out again as known at its moment, and compares it to the last unit of demand. One
// that was made before the file kept what it knew is refused.
func (svc *Service) CheckStatement(ctx context.Context, id int64) (CheckedStatement, error) {
	out := CheckedStatement{Wrong: []string{}}
	var kept, again statementContent
	marked := false
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if out.StoredStatement, kept, err = openStatement(tx, id); err == nil {
			marked, err = tx.KeepsMark(out.Mark)
		}
		return err
	})
	if err != nil {
		return out, err
	}
	if out.Mark == 0 {
		return out, refuse.Errorf(
			"statement %d was made before it was kept what the file knew at a time: it can be "+
				"compared with what is known now, and not be worked out again",
			id,
		)
	}
	if !marked {
		return out, refuse.Errorf("statement %d stays as it was handed over, but what the file knew then is not kept "+
			"any more: it cannot be worked out again", id)
	}
	day, err := civil.Parse(kept.AsOf)
	if err != nil {
		return out, err
	}
	scope := StatementScope{}
	if kept.Scope != nil {
		scope = *kept.Scope
	}
	svc.Progress.Say(ctx, "reading what was known then")
	err = svc.at(ctx, out.Mark, nil, func(tx *sqlite.Tx) error {
		products, err := svc.productsOf(tx, &scope)
		if err != nil {
			return err
		}
		svc.Progress.Say(ctx, "working it out again")
		again, err = svc.contentOf(tx, day, out.At, scope, products)
		return err
	})
	if err != nil {
		return out, err
	}
	out.Recomputed = len(again.Positions)
	for i := range again.Positions {
		out.Units += len(again.Positions[i].Units)
	}
	out.Wrong = kept.differences(&again)
	if n := len(out.Wrong); n > mostWrong {
		out.Wrong = append(out.Wrong[:mostWrong:mostWrong], fmt.Sprintf("and %d more", n-mostWrong))
	}
	return out, nil
}

// differences says in words where what was kept and what is worked out again are not the same: figures, what each line
// came to and what covers each unit of demand, or why nothing does. Sentences may be said otherwise by a newer program.
func (c *statementContent) differences(again *statementContent) []string {
	out := []string{}
	name := func(p *statementPosition) string {
		return strings.TrimSpace(p.Publisher + " " + p.Product + " by " + p.Metric)
	}
	of := func(p *statementPosition) string { return fmt.Sprint(p.ProductID, p.Metric) }
	now := map[string]*statementPosition{}
	for i := range again.Positions {
		now[of(&again.Positions[i])] = &again.Positions[i]
	}
	for i := range c.Positions {
		p := &c.Positions[i]
		q := now[of(p)]
		delete(now, of(p))
		if q == nil {
			out = append(out, name(p)+": it was said, and is not there")
			continue
		}
		for _, what := range p.differs(q, c.Opened && again.Opened) {
			out = append(out, name(p)+": "+what)
		}
	}
	for i := range again.Positions {
		if p := &again.Positions[i]; now[of(p)] != nil {
			out = append(out, name(p)+": it is there, and was not said")
		}
	}
	if a, b := c.Evidence, again.Evidence; a.Devices != b.Devices || a.Fresh != b.Fresh || a.Stale != b.Stale ||
		a.Never != b.Never {
		out = append(
			out,
			fmt.Sprintf("devices fresh, stale and never scanned: %d, %d, %d were said, %d, %d, %d are "+
				"there", a.Fresh, a.Stale, a.Never, b.Fresh, b.Stale, b.Never),
		)
	}
	return out
}

// differs says where two workings out of a position are not the same.
func (p *statementPosition) differs(q *statementPosition, units bool) []string {
	var out []string
	differ := func(what string, said, is any) {
		if said != is {
			out = append(out, fmt.Sprintf("%s: %v was said, %v comes out", what, said, is))
		}
	}
	a, b := p.keptFigures, q.keptFigures
	differ("owned", a.Owned, b.Owned)
	differ("needed", a.Needed, b.Needed)
	differ("covered", a.Covered, b.Covered)
	differ("short", a.Short, b.Short)
	differ("spare", a.Surplus, b.Surplus)
	differ("at least", a.Low, b.Low)
	differ("at most", a.High, b.High)
	differ("exposure", a.Exposure, b.Exposure)
	lines := map[string]keptLine{}
	for _, l := range q.Lines {
		lines[l.Code] = l
	}
	for _, l := range p.Lines {
		m := lines[l.Code]
		delete(lines, l.Code)
		differ(l.Code+" gives", l.Effective, m.Effective)
		differ(l.Code+" covers", l.Used, m.Used)
	}
	for code := range lines {
		out = append(out, code+": it counts, and was not said")
	}
	if !units {
		return out
	}
	x, y := p.unitKeys(), q.unitKeys()
	for i, j := 0, 0; i < len(x) || j < len(y); {
		switch {
		case j == len(y) || i < len(x) && x[i] < y[j]:
			out = append(out, "was said, and does not come out: "+x[i])
			i++
		case i == len(x) || y[j] < x[i]:
			out = append(out, "comes out, and was not said: "+y[j])
			j++
		default:
			i, j = i+1, j+1
		}
	}
	return out
}

// unitKeys are the units of demand as they are compared, in order.
func (p *statementPosition) unitKeys() []string {
	out := make([]string, len(p.Units))
	for i := range p.Units {
		u := &p.Units[i]
		covered := "nothing covers it (" + u.Reason + ")"
		if u.Line != "" {
			covered = "covered by " + u.Line
		}
		out[i] = strings.TrimSpace(fmt.Sprintf("%d for %s %s, %s", u.Count, cmp.Or(u.Device, "no machine"), u.User,
			covered))
	}
	slices.Sort(out)
	return out
}
