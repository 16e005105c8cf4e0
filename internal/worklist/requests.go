package worklist

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/version"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// Requests is what people ask for: a purchase, or something that is done elsewhere, such as in a contract. Each is a
// case, and what is booked, or what shows, ends it.
type Requests struct{ *Service }

// RequestView is what was asked for, with how far it is.
type RequestView struct {
	What      string
	Measure   snapshot.Measure
	Author    string
	At        int64
	Note      string
	Scenario  int64
	Shortfall int64 // the case of the shortfall that asked for it
	Order     string
	Expected  string
	Booked    int64    // of what was asked for
	By        []string // the lines and transactions that name it, in words
	Approval  bool     // somebody else has to approve it first
}

// Wanted is something to be asked for: measures, and the case of the shortfall that they are to end.
type Wanted struct {
	Measures []snapshot.Measure
	Case     int64
	Note     string
}

// Ask turns measures into work: removals into cases that are agreed to, seats into seats handed back, the rest into
// cases of what is to be bought or done elsewhere.
func (svc *Requests) Ask(ctx context.Context, w Wanted, who string) (ScenarioDone, error) {
	done := ScenarioDone{Left: []string{}}
	if len(w.Measures) == 0 {
		return done, refuse.New("say what is wanted")
	}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if w.Case != 0 {
			if _, err := worklistdb.CaseByID(tx, w.Case); err != nil {
				return err
			}
		}
		if err := svc.do(tx, w.Measures, asking{shortfall: w.Case, note: w.Note, who: who}, &done); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "asked for something", done.words(), w.Note)
	})
	return done, err
}

func (d *ScenarioDone) words() string {
	return fmt.Sprintf("%d cases, %d seats, %d requests", d.Cases, d.Seats, d.Requests)
}

// asking is who asks for something, and where it comes from.
type asking struct {
	scenario  int64
	name      string // of the scenario
	shortfall int64
	note, who string
}

// do turns measures into work.
func (svc *Service) do(tx *sqlite.Tx, measures []snapshot.Measure, by asking, done *ScenarioDone) error {
	var products []int64
	for _, m := range measures {
		products = append(products, m.Product)
	}
	products = stored.Distinct(products)
	e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), products)
	if err != nil {
		return err
	}
	for i := range measures {
		m := &measures[i]
		f := e.Products[m.Product]
		if f == nil {
			return sqlite.ErrNotFound
		}
		core, err := e.Measure(f, m)
		if err != nil {
			return fmt.Errorf("measure %d: %w", i+1, err)
		}
		w := doing{tx, e, f, by, svc.Clock.Now().Unix()}
		if err := svc.doMeasure(w, m, &core, done); err != nil {
			return err
		}
	}
	if err := worklistdb.CountCases(tx); err != nil {
		return err
	}
	return renewal.MarkProducts(tx, products...)
}

// doing is measures while they are turned into work, at one of their products.
type doing struct {
	tx *sqlite.Tx
	e  *snapshot.Snapshot
	f  *snapshot.ProductFacts
	by asking
	at int64
}

// doMeasure turns one measure into work, and counts it.
func (svc *Service) doMeasure(w doing, m *snapshot.Measure, core *position.Measure, done *ScenarioDone) error {
	switch core.Kind {
	case position.Remove:
		n, err := svc.planRemovals(w, core.Devices)
		done.Cases += n
		return err
	case position.Reclaim:
		n, err := svc.Entitlements.TakeBackSeats(w.tx, w.f.Id, core.Users)
		done.Seats += n
		return err
	}
	done.Requests++
	words, err := svc.want(w, m, core)
	if kindOf(core.Kind) == casework.Elsewhere {
		done.Left = append(done.Left, words)
	}
	return err
}

// kindOf is the kind of case that a measure becomes which is asked for.
func kindOf(m position.MeasureKind) casework.Kind {
	switch m {
	case position.Buy, position.UpgradeTo, position.Maintain:
		return casework.Purchase
	}
	return casework.Elsewhere
}

// want makes a case of a measure, and says it in words.
func (svc *Service) want(w doing, m *snapshot.Measure, core *position.Measure) (string, error) {
	words := snapshot.MeasureWords(m, w.f.Product.Name)
	text, err := json.Marshal(m)
	if err != nil {
		return words, err
	}
	shortfall := w.by.shortfall
	if shortfall == 0 {
		if shortfall, err = worklistdb.OpenShortfall(w.tx, w.f.Id); err != nil {
			return words, err
		}
	}
	id, err := worklistdb.AddRequest(w.tx, worklistdb.Request{
		Measure:   string(text),
		What:      words,
		Author:    w.by.who,
		At:        w.at,
		Note:      w.by.note,
		Scenario:  w.by.scenario,
		Shortfall: shortfall,
	})
	if err != nil {
		return words, err
	}
	amount := ""
	cost, _, currency := w.e.CostOf(w.f, core)
	if in, err := w.e.Rates.InHouse(cost, currency, w.e.AsOf); err == nil && !cost.IsZero() {
		amount = in.Round(2).String()
	}
	proof := []string{fmt.Sprintf("%s asked for it: %s.", w.by.who, words)}
	if w.by.name != "" {
		proof = append(proof, "It comes out of the scenario “"+w.by.name+"”.")
	}
	c, step := casework.Want(
		casework.Case{Kind: kindOf(core.Kind), Product: w.f.Id, Request: id},
		casework.Finding{Amount: amount, Currency: w.e.Rates.House(), Proof: proof, Quantity: max(1, m.Quantity)},
		casework.Deed{Who: w.by.who, At: w.at, Note: w.by.note},
	)
	if err := worklistdb.Move(w.tx, &c, step); err != nil {
		return words, err
	}
	return words, tellShortfall(w.tx, shortfall, w.by.who, w.at, fmt.Sprintf("Case %d: %s.", c.ID, words))
}

// tellShortfall keeps with the case of a shortfall what becomes of what was asked for; one that nobody has taken up is
// seen to from now on.
func tellShortfall(tx *sqlite.Tx, id int64, who string, at int64, words string) error {
	if id == 0 {
		return nil
	}
	c, err := worklistdb.CaseByID(tx, id)
	if err != nil || c.State.Ended() {
		return err
	}
	if c.State == casework.Open {
		step, err := c.Do(casework.Deed{Act: casework.Agree, Who: who, At: at, Note: words})
		if err != nil {
			return err
		}
		return worklistdb.Move(tx, &c, step)
	}
	return worklistdb.AddStep(tx, id, c.Said(casework.Deed{At: at, Who: who, Note: words}))
}

// joinShortfall lets the case of a shortfall that was found after something was asked for know of it.
func joinShortfall(tx *sqlite.Tx, c *casework.Case, what string, at int64) error {
	id, err := worklistdb.OpenShortfall(tx, c.Product)
	if err != nil || id == 0 {
		return err
	}
	if err := worklistdb.SetShortfall(tx, c.Request, id); err != nil {
		return err
	}
	return tellShortfall(tx, id, c.Owner, at,
		fmt.Sprintf("Case %d, %s: %s.", c.ID, what, casework.AskedWord(c.Kind, c.State)))
}

// leaveShortfall opens the case of a shortfall again where nothing that was asked for is on its way any more.
func leaveShortfall(tx *sqlite.Tx, id int64, who string, at int64, words string) error {
	if id == 0 {
		return nil
	}
	c, err := worklistdb.CaseByID(tx, id)
	if err != nil || c.State.Ended() {
		return err
	}
	open, err := worklistdb.OpenRequests(tx, c.Product)
	if err != nil {
		return err
	}
	if c.State == casework.Agreed && len(open) == 0 {
		step, err := c.Do(casework.Deed{Act: casework.Reopen, Who: who, At: at, Note: words})
		if err != nil {
			return err
		}
		return worklistdb.Move(tx, &c, step)
	}
	return worklistdb.AddStep(tx, id, c.Said(casework.Deed{At: at, Who: who, Note: words}))
}

// requested does what an act on a case of what was asked for changes beside the case.
func (w *caseWorker) requested(c *casework.Case, step casework.Step) error {
	if !c.Kind.Requested() {
		return nil
	}
	r, err := worklistdb.RequestByID(w.tx, c.Request)
	if err != nil {
		return err
	}
	words := fmt.Sprintf("Case %d, %s: %s.", c.ID, r.What, casework.AskedWord(c.Kind, c.State))
	if step.Note != "" {
		words += " " + step.Note
	}
	switch {
	case w.deed.Act == casework.Order:
		if err := worklistdb.SetOrdered(w.tx, c.Request, strings.TrimSpace(w.deed.Number), w.deed.until); err != nil {
			return err
		}
	case c.SentAt == 0 && r.Order != "":
		if err := worklistdb.SetOrdered(w.tx, c.Request, "", 0); err != nil {
			return err
		}
	}
	if c.State == casework.Lapsed {
		return leaveShortfall(w.tx, r.Shortfall, w.who, w.now, words)
	}
	return tellShortfall(w.tx, r.Shortfall, w.who, w.now, words)
}

// fulfilled says of what was asked for how much of it is booked, by what, and whether that is all of it.
func (d *Findings) fulfilled(tx *sqlite.Tx, c *casework.Case) (v RequestView, done bool, err error) {
	r, err := worklistdb.RequestByID(tx, c.Request)
	if err != nil {
		return v, false, err
	}
	v = RequestView{
		What:      r.What,
		Author:    r.Author,
		At:        r.At,
		Note:      r.Note,
		Scenario:  r.Scenario,
		Shortfall: r.Shortfall,
		Order:     r.Order,
		Expected:  r.Expected.String(),
		By:        []string{},
	}
	if err := json.Unmarshal([]byte(r.Measure), &v.Measure); err != nil {
		return v, false, err
	}
	list, err := worklistdb.Fulfilments(tx, c.Product, c.ID, r.Order, civil.OfUnix(r.At)-1)
	if err != nil {
		return v, false, err
	}
	for _, f := range list {
		v.Booked += f.Quantity
		v.By = append(
			v.By,
			fmt.Sprintf("%s: %s of %d on %s", f.Line, strings.ReplaceAll(f.What, "_", " "), f.Quantity,
				f.On),
		)
	}
	if c.Kind == casework.Purchase && position.MeasureKind(v.Measure.Kind) != position.Maintain {
		return v, v.Booked >= max(1, v.Measure.Quantity), nil
	}
	shows, err := d.shows(tx, &v.Measure)
	return v, v.Booked > 0 && v.Booked >= v.Measure.Quantity || shows, err
}

// shows reports whether a measure that was asked for is there: in the terms of its line, or on the machines.
func (d *Findings) shows(tx *sqlite.Tx, m *snapshot.Measure) (bool, error) {
	e := d.Snapshot
	f := e.Products[m.Product]
	if f == nil || slices.ContainsFunc(m.Devices, e.Lacks) {
		return false, nil
	}
	devices := func(holds func(*snapshot.DeviceFacts) bool) bool {
		return len(m.Devices) > 0 && !slices.ContainsFunc(e.Devices, func(at snapshot.DeviceFacts) bool {
			return slices.Contains(m.Devices, at.Code) && !holds(&at)
		})
	}
	switch position.MeasureKind(m.Kind) {
	case position.Pin:
		return devices(func(at *snapshot.DeviceFacts) bool { return at.Pinned == evidence.Yes }), nil
	case position.Host:
		return devices(func(at *snapshot.DeviceFacts) bool { return at.HostID == m.Host }), nil
	case position.LeaveOut:
		return devices(func(at *snapshot.DeviceFacts) bool {
			return e.WhyExcluded(e.DeviceAt[at.ID], f.Id, nil).Is()
		}), nil
	case position.Reversion:
		there, err := worklistdb.VersionsOn(tx, m.Product, m.Devices)
		return !slices.ContainsFunc(there, func(v string) bool { return !version.Begins(v, m.Version) }), err
	}
	i := slices.IndexFunc(f.Lines, func(l entitle.Line) bool { return l.Code == m.Line })
	if i < 0 {
		return false, nil
	}
	l := &f.Lines[i]
	switch position.MeasureKind(m.Kind) {
	case position.Metric:
		return string(l.Metric) == m.Metric, nil
	case position.Right:
		return l.Has(entitle.Right(m.Right)), nil
	case position.Capacity:
		return l.Capacity == m.Capacity || m.Capacity == "full" && l.Capacity == "", nil
	case position.Lapse:
		return !l.InTerm(e.AsOf), nil
	case position.Maintain:
		until, err := civil.Parse(m.Until)
		return until.Known() && l.MaintainedUntil() >= until, err
	}
	return false, nil
}

// seeRequest lets what is booked, or what shows, end a case that was asked for.
func seeRequest(tx *sqlite.Tx, d *Findings, c *casework.Case, now int64) error {
	if c.State == casework.Lapsed {
		return nil
	}
	v, done, err := d.fulfilled(tx, c)
	if err != nil {
		return err
	}
	words := strings.Join(v.By, "; ")
	if words == "" {
		words = "It shows."
	}
	step, moved := c.Fulfil(done, words, now)
	if !moved {
		if v.Shortfall != 0 || c.State.Ended() {
			return nil
		}
		return joinShortfall(tx, c, v.What, now) // it was found since
	}
	if err := worklistdb.Move(tx, c, step); err != nil {
		return err
	}
	return tellShortfall(tx, v.Shortfall, step.Who, now,
		fmt.Sprintf("Case %d, %s: %s. %s", c.ID, v.What, casework.AskedWord(c.Kind, c.State), step.Note))
}

// Request says how far what was asked for is.
func (svc *Service) requestOf(tx *sqlite.Tx, c *casework.Case, rules casework.Rules) (*RequestView, error) {
	if c.Request == 0 {
		return nil, nil
	}
	e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), []int64{c.Product})
	if err != nil {
		return nil, err
	}
	d := Findings{Positions: snapshot.NewPositions(e)}
	v, _, err := d.fulfilled(tx, c)
	v.Approval = c.Kind == casework.Purchase && c.State == casework.Open && c.NeedsApproval(rules)
	return &v, err
}

// planRemovals makes a case, agreed to, for each device that has the product and no case about it that is still open.
func (svc *Service) planRemovals(w doing, devices []int64) (int, error) {
	cases, err := worklistdb.Cases(w.tx)
	if err != nil {
		return 0, err
	}
	known := map[int64]*casework.Case{}
	for i := range cases {
		if c := &cases[i]; c.Product == w.f.Id &&
			(!c.State.Ended() || known[c.Device] == nil && c.Kind == casework.Planned) {
			known[c.Device] = c
		}
	}
	why, note := fmt.Sprintf("%s decided to remove it.", w.by.who), w.by.note
	if w.by.name != "" {
		why = fmt.Sprintf("%s decided to remove it, in the scenario “%s”.", w.by.who, w.by.name)
		note = "scenario “" + w.by.name + "”"
	}
	n := 0
	for _, device := range devices {
		if holderAt(w.f, device) < 0 {
			continue
		}
		c := casework.Case{Kind: casework.Planned, Device: device, Product: w.f.Id}
		if old := known[device]; old != nil {
			c = *old
		}
		step, planned := c.Plan(
			casework.Finding{
				Worth:    string(reclaim.Reuse),
				Amount:   "0",
				Currency: w.f.Currency,
				Proof: []string{
					why, fmt.Sprintf("%s is on %s.", w.f.Product.Name, w.e.Devices[w.e.DeviceAt[device]].Name),
				},
			},
			casework.Deed{Who: w.by.who, At: w.at, Note: note},
		)
		if !planned {
			continue // it is on its way
		}
		if err := worklistdb.Move(w.tx, &c, step); err != nil {
			return n, err
		}
		n++
	}
	return n, nil
}

// holderAt is the place of a device's holding, -1 where it has none.
func holderAt(f *snapshot.ProductFacts, device int64) int {
	return slices.IndexFunc(f.Holdings, func(h demand.Holding) bool { return h.Device == device })
}

// amountKept reads an amount as the rules keep it; what is empty is nothing.
func amountKept(text string) (decimal.Decimal, error) {
	if text == "" {
		return decimal.Zero, nil
	}
	d, err := decimal.NewFromString(text)
	if err != nil || d.IsNegative() {
		return decimal.Zero, refuse.Errorf("%q is no amount: write it as 1500 or 1500.50", text)
	}
	return d, nil
}
