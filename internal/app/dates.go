package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// Renewal is something that ends: a right, its maintenance, or a contract.
type Renewal struct {
	On        string `json:"on" doc:"the last day"`
	Notice    string `json:"notice" doc:"the last day to give notice, empty where none is needed"`
	What      string `json:"what" enum:"right,maintenance,contract"`
	Kind      string `json:"kind" doc:"of the right"`
	Line      string `json:"line"`
	Contract  string `json:"contract"`
	Renews    bool   `json:"renews" doc:"the contract goes on by itself"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Unit      string `json:"unit"`
	Quantity  int64  `json:"quantity"`
	Used      int64  `json:"used" doc:"rights of it that cover something"`
	Keep      string `json:"keep" doc:"what keeping it costs, at its own price"`
	KeepUsed  string `json:"keepUsed" doc:"what keeping just what is used costs"`
	LetGo     string `json:"letGo" doc:"by how much the exposure grows when it ends"`
	ShortMore int64  `json:"shortMore" doc:"by how much the shortfall grows when it ends"`
	Currency  string `json:"currency"`
	DaysLeft  int    `json:"daysLeft"`
	Advice    string `json:"advice" enum:"keep,keep what is used,let go,"`
}

// Renewals lists what ends from a day on within so many days, by date, each with what it costs to let go or to keep. A right is judged by the position without it.
func (a *App) Renewals(ctx context.Context, from civil.Day, days int) ([]Renewal, error) {
	out := []Renewal{}
	if days < 1 || days > 3700 {
		return nil, errors.New("look ahead between a day and ten years")
	}
	from = a.dayOr(from)
	to := from + civil.Day(days)
	within := func(d civil.Day) bool { return d.Known() && d >= from && d <= to }
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		all, err := tx.AllEntitlements()
		if err != nil {
			return err
		}
		contracts, err := tx.Contracts()
		if err != nil {
			return err
		}
		byCode := map[string]*store.Contract{}
		for i := range contracts {
			byCode[contracts[i].Code] = &contracts[i]
		}
		var products []int64
		for i := range all {
			if l := &all[i]; within(l.End) || within(l.MaintenanceEnd) {
				products = append(products, l.Line.Product)
			}
		}
		if products = compact(products); len(products) > 0 {
			e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
			if err != nil {
				return err
			}
			for _, id := range products {
				if err := ctx.Err(); err != nil {
					return err
				}
				out = append(out, e.renewals(e.products[id], byCode, within)...)
			}
		}
		for i := range contracts {
			c := &contracts[i]
			if !within(c.End) && !(c.NoticeDays > 0 && within(c.End-civil.Day(c.NoticeDays))) {
				continue
			}
			r := Renewal{On: c.End.String(), What: "contract", Contract: c.Code, Renews: c.Renews, Publisher: c.Publisher, Product: c.Name, Notice: noticeDay(c)}
			sum, currency := decimal.Zero, ""
			mixed := false
			for k := range all {
				if l := &all[k]; l.Contract == c.Code {
					r.Quantity += l.Quantity
					if l.UnitPrice.Valid {
						mixed = mixed || currency != "" && currency != l.Currency
						currency = l.Currency
						sum = sum.Add(l.UnitPrice.Decimal.Mul(decimal.NewFromInt(l.Quantity)))
					}
				}
			}
			if currency != "" && !mixed {
				r.Keep, r.Currency = sum.String(), currency
			}
			out = append(out, r)
		}
		return nil
	})
	for i := range out {
		if d, err := civil.Parse(out[i].On); err == nil {
			out[i].DaysLeft = int(d - a.Today())
		}
	}
	slices.SortStableFunc(out, func(x, y Renewal) int {
		return cmp.Or(cmp.Compare(x.On, y.On), cmp.Compare(x.Product, y.Product), cmp.Compare(x.Line, y.Line))
	})
	return out, err
}

func noticeDay(c *store.Contract) string {
	if c == nil || c.NoticeDays == 0 || !c.End.Known() {
		return ""
	}
	return (c.End - civil.Day(c.NoticeDays)).String()
}

// renewals judges what ends of one product.
func (e *estate) renewals(f *productFacts, contracts map[string]*store.Contract, within func(civil.Day) bool) []Renewal {
	var out []Renewal
	in := e.input(f, nil)
	now := position.Compute(in)
	used := map[string]int64{}
	effective := map[string]int64{}
	for i := range now {
		for _, l := range now[i].Lines {
			used[l.Line.Code], effective[l.Line.Code] = l.Used, l.Effect.Quantity
		}
	}
	exposure := func(ps []position.Position) (n int64) {
		for i := range ps {
			n += ps[i].Exposure
		}
		return n
	}
	for i := range f.lines {
		l := &f.lines[i]
		r := Renewal{Kind: string(l.Kind), Line: l.Code, Contract: l.Contract, ProductID: f.id, Publisher: f.product.Publisher, Product: f.product.Name, Unit: l.ScopeUnit, Quantity: effective[l.Code], Used: used[l.Code], Currency: l.Currency}
		if c := contracts[l.Contract]; c != nil {
			r.Renews = c.Renews
			if c.NoticeDays > 0 && l.End.Known() {
				r.Notice = (l.End - civil.Day(c.NoticeDays)).String()
			}
		}
		pack := decimal.NewFromInt(max(1, l.PackSize))
		if within(l.End) {
			one := r
			one.What, one.On = "right", l.End.String()
			without, err := position.Apply(in, position.Measure{Kind: position.Lapse, Line: l.Code}, 0)
			if err == nil {
				ps := position.Compute(without)
				one.ShortMore = sumShort(ps) - sumShort(now)
				one.LetGo = decimal.New(exposure(ps)-exposure(now), -4).String()
			}
			if l.UnitPrice.Valid {
				one.Keep = l.UnitPrice.Decimal.Mul(decimal.NewFromInt(effective[l.Code])).Div(pack).Round(2).String()
				one.KeepUsed = l.UnitPrice.Decimal.Mul(decimal.NewFromInt(used[l.Code])).Div(pack).Round(2).String()
			}
			switch {
			case effective[l.Code] == 0:
			case one.ShortMore == 0:
				one.Advice = "let go"
			case used[l.Code] < effective[l.Code]:
				one.Advice = "keep what is used"
			default:
				one.Advice = "keep"
			}
			out = append(out, one)
		}
		if within(l.MaintenanceEnd) {
			one := r
			one.What, one.On = "maintenance", l.MaintenanceEnd.String()
			out = append(out, one)
		}
	}
	return out
}

// WriteCalendar writes what ends as an iCalendar file (RFC 5545): a day for each end, with an alarm on the last day to give notice where there is one.
func (a *App) WriteCalendar(ctx context.Context, w io.Writer, days int) error {
	list, err := a.Renewals(ctx, 0, days)
	if err != nil {
		return err
	}
	lines := []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Ensomet//Renewals//EN", "CALSCALE:GREGORIAN"}
	stamp := a.Clock.Now().UTC().Format("20060102T150405Z")
	add := func(uid, on, title, text string) {
		d, err := civil.Parse(on)
		if err != nil || !d.Known() {
			return
		}
		basic := func(d civil.Day) string { return strings.ReplaceAll(d.String(), "-", "") }
		lines = append(lines, "BEGIN:VEVENT", "UID:"+uid, "DTSTAMP:"+stamp, "DTSTART;VALUE=DATE:"+basic(d), "DTEND;VALUE=DATE:"+basic(d+1), "SUMMARY:"+calendarText(title), "DESCRIPTION:"+calendarText(text), "TRANSP:TRANSPARENT", "END:VEVENT")
	}
	for _, r := range list {
		name := strings.TrimSpace(r.Publisher + " " + r.Product)
		id := r.What + "-" + cmp.Or(r.Line, r.Contract) + "-" + r.On + "@ensomet"
		text := r.What + " " + cmp.Or(r.Line, r.Contract)
		if r.Keep != "" {
			text += "\nKeeping it costs " + r.Keep + " " + r.Currency
		}
		if r.ShortMore > 0 {
			text += "\nWithout it " + strconv.FormatInt(r.ShortMore, 10) + " more are short"
		}
		add(id, r.On, name+": "+r.What+" ends", text)
		if r.Notice != "" {
			add("notice-"+id, r.Notice, name+": last day to give notice", text)
		}
	}
	lines = append(lines, "END:VCALENDAR")
	for _, l := range lines {
		if _, err := io.WriteString(w, folded(l)+"\r\n"); err != nil {
			return err
		}
	}
	return nil
}

// calendarText escapes a text (RFC 5545, 3.3.11).
func calendarText(s string) string {
	return strings.NewReplacer("\\", "\\\\", ";", "\\;", ",", "\\,", "\n", "\\n", "\r", "").Replace(s)
}

// folded breaks a line after at most 75 octets, between runes (RFC 5545, 3.1).
func folded(s string) string {
	var b strings.Builder
	n := 0
	for _, r := range s {
		size := len(string(r))
		if n+size > 75 {
			b.WriteString("\r\n ")
			n = 1
		}
		b.WriteRune(r)
		n += size
	}
	return b.String()
}

// SpendRow is what was spent in a year.
type SpendRow struct {
	Year      int    `json:"year"`
	Publisher string `json:"publisher"`
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Unit      string `json:"unit" doc:"the scope of the line; empty is everyone"`
	Kind      string `json:"kind"`
	Amount    string `json:"amount" doc:"in euros, at the rate of the day it was spent on"`
	Lines     int    `json:"lines"`
}

// Spend is what was spent, by publisher, product, unit, kind and year. Without counts amounts whose currency had no rate on their day.
type Spend struct {
	Rows    []SpendRow `json:"rows"`
	Without int        `json:"without"`
}

// Spend sums what lines cost on the days they were bought: their transactions with prices where they have any, else quantity times price on the day of purchase.
func (a *App) Spend(ctx context.Context) (Spend, error) {
	out := Spend{Rows: []SpendRow{}}
	type key struct {
		year    int
		product int64
		unit    string
		kind    entitle.Kind
	}
	sums := map[key]decimal.Decimal{}
	rows := map[key]*SpendRow{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		all, err := tx.AllEntitlements()
		if err != nil {
			return err
		}
		rates, err := loadRates(tx)
		if err != nil {
			return err
		}
		for i := range all {
			l := &all[i]
			add := func(on civil.Day, amount decimal.Decimal, currency string) {
				if !on.Known() || on > a.Today() || amount.IsZero() {
					return
				}
				euros, err := rates.Convert(amount, cmp.Or(currency, l.Currency, money.Base), money.Base, on)
				if err != nil {
					out.Without++
					return
				}
				k := key{on.Year(), l.Line.Product, l.ScopeUnit, l.Kind}
				sums[k] = sums[k].Add(euros)
				if rows[k] == nil {
					rows[k] = &SpendRow{Year: k.year, Publisher: l.Publisher, ProductID: k.product, Product: l.Entitlement.Product, Unit: k.unit, Kind: string(k.kind)}
				}
				rows[k].Lines++
			}
			priced := slices.ContainsFunc(l.Transactions, func(t entitle.Transaction) bool { return t.Price.Valid })
			if !priced {
				if l.UnitPrice.Valid {
					add(cmp.Or(l.Purchased, l.Start), l.UnitPrice.Decimal.Mul(decimal.NewFromInt(l.Quantity)), l.Currency)
				}
				continue
			}
			for _, t := range l.Transactions {
				if t.Price.Valid && (entitle.TransactionTypes[t.Type] > 0 || t.Type == "renew") && t.Type != "transfer_in" {
					add(t.On, t.Price.Decimal.Mul(decimal.NewFromInt(t.Quantity)), t.Currency)
				}
			}
		}
		return nil
	})
	for k, r := range rows {
		r.Amount = sums[k].Round(2).String()
		out.Rows = append(out.Rows, *r)
	}
	slices.SortFunc(out.Rows, func(x, y SpendRow) int {
		return cmp.Or(cmp.Compare(y.Year, x.Year), cmp.Compare(x.Publisher, y.Publisher), cmp.Compare(x.Product, y.Product), cmp.Compare(x.Unit, y.Unit), cmp.Compare(x.Kind, y.Kind))
	})
	return out, err
}

// ContractView is a contract with what its lines come to.
type ContractView struct {
	store.Contract
	Lines    int    `json:"lines"`
	Products int    `json:"products"`
	Value    string `json:"value" doc:"quantity times price of its lines, in euros"`
	Notice   string `json:"notice" doc:"the last day to give notice"`
	LastEnd  string `json:"lastEnd" doc:"the last day on which a line of it ends"`
}

// Contracts lists the contracts, those too that only lines name.
func (a *App) Contracts(ctx context.Context) ([]ContractView, error) {
	out := []ContractView{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Contracts()
		if err != nil {
			return err
		}
		all, err := tx.AllEntitlements()
		if err != nil {
			return err
		}
		rates, err := loadRates(tx)
		if err != nil {
			return err
		}
		for i := range list {
			v := ContractView{Contract: list[i], Notice: noticeDay(&list[i])}
			products := map[int64]bool{}
			var last civil.Day
			value := decimal.Zero
			for k := range all {
				l := &all[k]
				if l.Contract != v.Code {
					continue
				}
				v.Lines++
				products[l.Line.Product] = true
				last = max(last, l.End)
				if l.UnitPrice.Valid {
					if c, err := rates.Convert(l.UnitPrice.Decimal.Mul(decimal.NewFromInt(l.Quantity)), l.Currency, money.Base, a.Today()); err == nil {
						value = value.Add(c)
					}
				}
				v.Publisher = cmp.Or(v.Publisher, l.Publisher)
			}
			v.Products, v.Value = len(products), value.Round(2).String()
			if last.Known() {
				v.LastEnd = last.String()
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// PutContract keeps what is known of a contract.
func (a *App) PutContract(ctx context.Context, c store.Contract, who string) error {
	if c.Code = strings.TrimSpace(c.Code); c.Code == "" {
		return errors.New("give the contract its number")
	}
	if c.Start.Known() && c.End.Known() && c.End < c.Start {
		return fmt.Errorf("it ends on %s, before it starts on %s", c.End, c.Start)
	}
	if c.NoticeDays < 0 || c.NoticeDays > 3700 {
		return errors.New("notice is given between no days and ten years ahead")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		c.Author, c.At = who, now.Unix()
		if err := tx.PutContract(c); err != nil {
			return err
		}
		return tx.Note(now, who, "kept a contract", c.Code, c.Name)
	})
}
