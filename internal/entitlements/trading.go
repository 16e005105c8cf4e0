package entitlements

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// LineTransaction is a transaction of a line. One that was taken back stays on record and counts for nothing.
type LineTransaction struct {
	ID        int64
	Type      string
	On        string
	Quantity  int64 // below 0 in a counter-entry
	End       string
	Price     string
	Currency  string
	Order     string
	Note      string
	Request   string
	Author    string
	At        int64 // 0 before this was kept
	Counters  int64 // the transaction that this counter-entry undoes
	Countered bool
	GoneAt    int64
	GoneBy    string
	GoneWhy   string
}

func lineTransactions(tx *sqlite.Tx, code string, line int64) ([]LineTransaction, error) {
	list, err := entitlementsdb.Transactions(tx, line)
	out := make([]LineTransaction, 0, len(list))
	countered := map[int64]bool{}
	for i := range list {
		if list[i].GoneAt == 0 {
			countered[list[i].Counters] = true
		}
	}
	for i := range list {
		b := &list[i]
		t := LineTransaction{
			ID:        b.ID,
			Type:      b.Type,
			On:        b.On.String(),
			Quantity:  b.Quantity,
			End:       b.End.String(),
			Currency:  b.Currency,
			Order:     b.Order,
			Note:      b.Note,
			Request:   b.Request,
			Author:    b.Author,
			At:        b.At,
			Counters:  b.Counters,
			Countered: countered[b.ID],
			GoneAt:    b.GoneAt,
			GoneBy:    b.GoneBy,
			GoneWhy:   b.GoneWhy,
		}
		if b.Price.Valid {
			t.Price = b.Price.Decimal.String()
		}
		out = append(out, t)
	}
	return out, err
}

// TransactionDraft is a transaction as somebody typed it. Confirmed is what he was asked about it and said is right.
type TransactionDraft struct {
	Line      string
	Type      string
	On        string
	Quantity  string
	End       string
	Price     string
	Currency  string
	Order     string
	Note      string
	Request   string
	Confirmed []string
}

// TradeEffect is what a transaction, or taking one back, changes.
type TradeEffect struct {
	Asks        []string // what has to be confirmed before it is booked
	How         string   // book, take back, counter-entry
	Because     string   // why a counter-entry is needed
	On          string
	Before      int64 // what the line counts on that day
	After       int64
	TodayBefore int64
	TodayAfter  int64
	EndsBefore  string // the last day of its term; empty is without an end
	EndsAfter   string
	KeptBefore  string // the last day of its maintenance; empty is none
	KeptAfter   string
	Cost        string // below 0 where it is taken back; empty is not known
	Currency    string
	Moves       []snapshot.PositionChange // of today
}

// Trade books a transaction of a line.
func (svc *Service) Trade(ctx context.Context, d TransactionDraft, who string) (id int64, err error) {
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		b, asks, err := svc.book(tx, d, who)
		if err != nil {
			return err
		}
		for _, a := range asks {
			if !slices.Contains(d.Confirmed, a) {
				return refuse.Errorf("%s If it is right as it is, confirm it and book it again.", a)
			}
		}
		id = b.ID
		if err := tx.Note(svc.Clock.Now(), who, "booked a transaction", d.Line,
			transactionWords(&b.Transaction)); err != nil {
			return err
		}
		return renewLine(tx, b.Line)
	})
	return id, err
}

// TryTrade says what a transaction would change, and changes nothing.
func (svc *Service) TryTrade(ctx context.Context, d TransactionDraft) (TradeEffect, error) {
	out := TradeEffect{How: "book"}
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		id, _, err := svc.lineFor(tx, d.Line)
		if err != nil {
			return err
		}
		return svc.beforeAndAfter(tx, id, &out, func() (b entitlementsdb.Booked, err error) {
			b, out.Asks, err = svc.book(tx, d, "")
			return b, err
		})
	})
	return out, err
}

// beforeAndAfter does something to a line and says what it changes.
func (svc *Service) beforeAndAfter(
	tx *sqlite.Tx,
	line int64,
	out *TradeEffect,
	do func() (entitlementsdb.Booked, error),
) error {
	code, product, err := entitlementsdb.LineOf(tx, line)
	if err != nil {
		return err
	}
	was, _, err := family(tx, code, product)
	if err != nil {
		return err
	}
	before, err := svc.Snapshots.FiguresOf(tx, []int64{product})
	if err != nil {
		return err
	}
	b, err := do()
	if err != nil {
		return err
	}
	is, _, err := family(tx, code, product)
	if err != nil {
		return err
	}
	after, err := svc.Snapshots.FiguresOf(tx, []int64{product})
	if err != nil {
		return err
	}
	today := svc.Snapshots.Today()
	out.On, out.Moves = b.On.String(), snapshot.Moves(before, after)
	out.Before, out.After = was.on(b.On), is.on(b.On)
	out.TodayBefore, out.TodayAfter = was.on(today), is.on(today)
	out.EndsBefore, out.EndsAfter = was.line.LastDay().String(), is.line.LastDay().String()
	out.KeptBefore, out.KeptAfter = was.line.MaintainedUntil().String(), is.line.MaintainedUntil().String()
	out.Cost, out.Currency = costOf(was.line, is.line)
	return nil
}

// costOf is what is paid more for a line than it was; nothing where that has no price or another currency.
func costOf(was, is *entitle.Line) (cost, currency string) {
	sums := map[string]decimal.Decimal{}
	add := func(l *entitle.Line, sign int64) {
		for _, p := range l.Payments() {
			sums[p.Currency] = sums[p.Currency].Add(p.Price.Mul(decimal.NewFromInt(sign * p.Quantity)))
		}
	}
	add(was, -1)
	add(is, 1)
	for c, s := range sums {
		if !s.IsZero() {
			cost, currency = s.String(), c
		}
	}
	return cost, currency
}

// relatives are the lines of a product, and the one that is meant.
type relatives struct {
	lines []entitle.Line
	line  *entitle.Line
}

func (f *relatives) on(day civil.Day) int64 {
	return entitle.Effective(f.lines, day)[f.line.Code].Quantity
}

func family(tx *sqlite.Tx, code string, product int64) (relatives, int64, error) {
	stored, err := stored.EntitlementsOf(tx, []int64{product})
	if err != nil {
		return relatives{}, 0, err
	}
	f := relatives{lines: make([]entitle.Line, len(stored))}
	at := -1
	for i := range stored {
		if f.lines[i] = stored[i].Line; stored[i].Code == code {
			at = i
		}
	}
	if at < 0 {
		return f, 0, sqlite.ErrNotFound
	}
	f.line = &f.lines[at]
	return f, stored[at].ID, nil
}

func (svc *Service) lineFor(tx *sqlite.Tx, code string) (id, product int64, err error) {
	if _, id, _, err = entitlementsdb.EntitlementValues(tx, code); err != nil {
		return 0, 0, err
	}
	_, product, err = entitlementsdb.LineOf(tx, id)
	return id, product, err
}

// book writes a transaction where the line allows it as it stands now. asks are what looks wrong and may be right.
func (svc *Service) book(tx *sqlite.Tx, d TransactionDraft, who string) (b entitlementsdb.Booked, asks []string,
	err error) {
	id, product, err := svc.lineFor(tx, d.Line)
	if err != nil {
		return b, nil, err
	}
	t, err := parseTyped(formats.Transactions, d.values(), formats.ParseTransaction)
	if err != nil {
		return b, nil, err
	}
	if t.Quantity < 0 {
		return b, nil, refuse.New("the quantity is below 0: what was booked by mistake is undone where it stands")
	}
	f, _, err := family(tx, d.Line, product)
	if err != nil {
		return b, nil, err
	}
	if err := svc.mayBook(tx, &f, id, &t.Transaction); err != nil {
		return b, nil, err
	}
	asks = svc.asks(&f, &t.Transaction)
	b = entitlementsdb.Booked{Transaction: t.Transaction, Line: id, Author: who, At: svc.Clock.Now().Unix()}
	b.ID, err = entitlementsdb.InsertTransaction(tx, b)
	return b, asks, err
}

func (d *TransactionDraft) values() map[string]string {
	return map[string]string{
		"entitlement_id": d.Line,
		"type":           d.Type,
		"on":             d.On,
		"quantity":       d.Quantity,
		"end":            d.End,
		"price":          d.Price,
		"currency":       d.Currency,
		"order":          d.Order,
		"note":           d.Note,
		"request":        d.Request,
	}
}

// mayBook refuses what a line does not allow: more cannot leave it than is there, nor fewer be left than seats that are
// assigned; and a renewal says until when.
func (svc *Service) mayBook(tx *sqlite.Tx, f *relatives, line int64, t *entitle.Transaction) error {
	l := f.line
	switch {
	case t.Type == entitle.Renew:
		last := cmp.Or(l.LastDay(), l.MaintainedUntil())
		switch {
		case !last.Known():
			return refuse.Errorf("%s has no end, neither of its term nor of its maintenance: there is nothing to "+
				"renew",
				l.Code)
		case !t.End.Known():
			return refuse.Errorf("say until when %s is renewed: it runs until %s", l.Code, last)
		case t.End <= last:
			return refuse.Errorf("%s runs until %s already, so a renewal until %s changes nothing", l.Code, last,
				t.End)
		}
	case t.Quantity == 0:
		return refuse.New("say how many: none changes nothing")
	case entitle.TransactionTypes[t.Type] < 0:
		return svc.mayLeave(tx, f, line, t)
	}
	return nil
}

func (svc *Service) mayLeave(tx *sqlite.Tx, f *relatives, line int64, t *entitle.Transaction) error {
	code := f.line.Code
	if left := entitle.Leaving(f.lines, code, t.On); t.Quantity > left {
		unit := ""
		if f.line.PackSize > 1 {
			unit = " packs"
		}
		if now := f.on(t.On) / max(1, f.line.PackSize); now > left {
			return refuse.Errorf("%d of %s are there on %s, but only %d%s can leave it: the rest leaves it, or is "+
				"upgraded, "+
				"later on", now, code, t.On, left, unit)
		}
		return refuse.Errorf("%d%s of %s are there on %s: %d cannot leave it", left, unit, code, t.On, t.Quantity)
	}
	held, err := svc.held(tx, line)
	if err != nil {
		return err
	}
	left := f.on(svc.Snapshots.Today()) - t.Quantity*max(1, f.line.PackSize)
	if held > 0 && left < held && t.On <= svc.Snapshots.Today() {
		return refuse.Errorf("%d seats of %s are assigned, and %d rights would be left: hand some seats back first",
			held, code, left)
	}
	return nil
}

// held counts the seats of a line that are assigned today.
func (svc *Service) held(tx *sqlite.Tx, line int64) (n int64, err error) {
	seats, err := stored.Assignments(tx, svc.Snapshots.Today())
	for _, s := range seats {
		if s.Line == line {
			n++
		}
	}
	return n, err
}

// asks are what looks wrong of a transaction and may be right.
func (svc *Service) asks(f *relatives, t *entitle.Transaction) []string {
	out := []string{}
	l := f.line
	for i := range l.Transactions {
		if o := &l.Transactions[i]; o.Alike(t) {
			out = append(out,
				fmt.Sprintf("The same is booked already: %s. Is this a second one?", transactionWords(o)))
			break
		}
	}
	first := l.BoughtOn()
	switch {
	case t.Type == "buy" && l.OwnPurchase() && first.Known() && t.On <= first:
		out = append(out,
			fmt.Sprintf("It takes the place of the line's own purchase of %d on %s. Is it that purchase?",
				l.Quantity, first))
	case t.Type == "buy" && l.OwnPurchase() && t.Quantity == l.Quantity:
		out = append(out, fmt.Sprintf("The line's own quantity, %d, is its first purchase and counts already. "+
			"Were %d more bought?", l.Quantity, t.Quantity))
	case t.Type == entitle.Renew:
		if now := l.Booked(t.On); t.Quantity != now {
			out = append(out,
				fmt.Sprintf("%d are there on %s, and all of them go on: the number renewed, %d, changes "+
					"no quantity. Retire what is not renewed.", now, t.On, t.Quantity))
		}
		if last := cmp.Or(l.LastDay(), l.MaintainedUntil()); t.On > last+1 {
			out = append(out, fmt.Sprintf("It ended on %s and is renewed on %s: between the two it gives no right. "+
				"Did the new term begin only then?", last, t.On))
		}
	}
	if far := svc.Snapshots.Today() + 366; t.On > far {
		out = append(out, fmt.Sprintf("%s lies more than a year ahead. Is the year right?", t.On))
	}
	return out
}

// transactionWords says a transaction in words.
func transactionWords(t *entitle.Transaction) string {
	kind := strings.ReplaceAll(strings.ReplaceAll(t.Type, "true_up", "true-up"), "_", " ")
	parts := []string{kind, fmt.Sprint(t.Quantity), "on " + t.On.String()}
	if t.End.Known() {
		parts = append(parts, "until "+t.End.String())
	}
	if t.Order != "" {
		parts = append(parts, "order "+t.Order)
	}
	return strings.Join(parts, " ")
}

// UndoTransaction takes a transaction back. Where a statement rests on it, it stays and a counter-entry of the same day
// undoes it. how is which of the two was seen and meant.
func (svc *Service) UndoTransaction(ctx context.Context, id int64, how, why, who string) error {
	if strings.TrimSpace(why) == "" {
		return refuse.New("say why it is undone: it stays on record")
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		is, because, err := svc.howToUndo(tx, id)
		if err != nil {
			return err
		}
		if how != is {
			return refuse.Errorf("it can no longer be taken back, since %s: book a counter-entry", because)
		}
		b, err := svc.undo(tx, id, is, why, who)
		if err != nil {
			return err
		}
		code, _, err := entitlementsdb.LineOf(tx, b.Line)
		if err != nil {
			return err
		}
		what := "took a transaction back"
		if is == ByCounterEntry {
			what = "booked a counter-entry"
		}
		if err := tx.Note(svc.Clock.Now(), who, what, code, transactionWords(&b.Transaction)+": "+why); err != nil {
			return err
		}
		return renewLine(tx, b.Line)
	})
}

// renewLine has the positions of a line's product worked out anew.
func renewLine(tx *sqlite.Tx, line int64) error {
	_, product, err := entitlementsdb.LineOf(tx, line)
	if err != nil {
		return err
	}
	return renewal.MarkProducts(tx, product)
}

// TryUndo says how a transaction would be undone and what that would change, and changes nothing.
func (svc *Service) TryUndo(ctx context.Context, id int64) (TradeEffect, error) {
	out := TradeEffect{Asks: []string{}}
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		var err error
		if out.How, out.Because, err = svc.howToUndo(tx, id); err != nil {
			return err
		}
		b, err := entitlementsdb.TransactionByID(tx, id)
		if err != nil {
			return err
		}
		return svc.beforeAndAfter(tx, b.Line, &out, func() (entitlementsdb.Booked, error) {
			return svc.undo(tx, id, out.How, "", "")
		})
	})
	return out, err
}

// How a transaction is undone.
const (
	ByTakingBack   = "take back"
	ByCounterEntry = "counter-entry"
)

// howToUndo says whether a transaction can be taken back or needs a counter-entry, and because of what.
func (svc *Service) howToUndo(tx *sqlite.Tx, id int64) (how, because string, err error) {
	b, err := entitlementsdb.TransactionByID(tx, id)
	if err != nil {
		return "", "", err
	}
	code, product, err := entitlementsdb.LineOf(tx, b.Line)
	if err != nil {
		return "", "", err
	}
	if b.GoneAt != 0 {
		return "", "", refuse.Errorf("%s took it back already", b.GoneBy)
	}
	all, err := entitlementsdb.Transactions(tx, b.Line)
	if err != nil {
		return "", "", err
	}
	for i := range all {
		if c := &all[i]; c.Counters == b.ID && c.GoneAt == 0 {
			return "", "", refuse.Errorf("a counter-entry of %s undoes it already", cmp.Or(c.Author, "somebody"))
		}
	}
	s, err := entitlementsdb.StatementOn(tx, product, b.At, b.On)
	if err != nil || s == nil {
		return ByTakingBack, "", err
	}
	because = fmt.Sprintf("statement %d, handed to %s, rests on it", s.ID, s.HandedTo)
	if b.Quantity < 0 {
		return "", "", refuse.Errorf("%s, so this counter-entry stays: book %s again with what is right", because,
			code)
	}
	return ByCounterEntry, because, nil
}

// undo takes a transaction back, or books its counter-entry, where the line allows it.
func (svc *Service) undo(tx *sqlite.Tx, id int64, how, why, who string) (b entitlementsdb.Booked, err error) {
	if b, err = entitlementsdb.TransactionByID(tx, id); err != nil {
		return b, err
	}
	code, product, err := entitlementsdb.LineOf(tx, b.Line)
	if err != nil {
		return b, err
	}
	now := svc.Clock.Now().Unix()
	if how == ByTakingBack {
		b.GoneAt, b.GoneBy, b.GoneWhy = now, who, why
		err = entitlementsdb.TakeBack(tx, b)
	} else {
		b = entitlementsdb.Booked{Transaction: b.Counter(), Line: b.Line, Counters: id, Author: who, At: now}
		b.Note = why
		_, err = entitlementsdb.InsertTransaction(tx, b)
	}
	if err != nil {
		return b, err
	}
	f, _, err := family(tx, code, product)
	if err != nil {
		return b, err
	}
	if on, by := f.line.Overdrawn(); by > 0 {
		return b, refuse.Errorf("on %s more would have left %s than was in it, by %d: undo what left it first", on,
			code, by)
	}
	held, err := svc.held(tx, b.Line)
	if left := f.on(svc.Snapshots.Today()); err == nil && left < held {
		err = refuse.Errorf("%d seats of %s are assigned, and %d rights would be left: hand some seats back first",
			held, code, left)
	}
	return b, err
}
