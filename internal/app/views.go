package app

import (
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// CourseView is what stands at each station of the work, and the money by currency.
type CourseView struct {
	store.Course
	AsOf     string              `json:"asOf"`
	Money    []store.MoneyRow    `json:"money"`
	Shortest []store.PositionRow `json:"shortest"`
	Silent   []store.DeviceRow   `json:"silent"`
	TopNames []store.NameRow     `json:"topNames"`
	Imports  []ImportView        `json:"imports"`
	FreshFor int                 `json:"freshFor"`
	Window   int                 `json:"window"`
	Grace    int                 `json:"grace"`
}

// Course counts what stands at each station.
func (a *App) Course(ctx context.Context) (CourseView, error) {
	var out CourseView
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		today := a.Today()
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		out.AsOf, out.FreshFor, out.Window, out.Grace = today.String(), s.FreshDays, s.UseWindow, s.GraceDays
		if out.Course, err = tx.Course(today, today+90); err != nil {
			return err
		}
		if out.Money, err = tx.MoneyByCurrency(); err != nil {
			return err
		}
		short, err := tx.PositionPage(store.ListQuery{Filters: map[string]string{"state": "short"}, Limit: 8})
		if err != nil {
			return err
		}
		silent, err := tx.DevicePage(store.ListQuery{Filters: map[string]string{"age": "stale|never", "status": "in_service"}, Sort: "lastSeen", Limit: 6})
		if err != nil {
			return err
		}
		names, err := tx.NamePage(store.ListQuery{Filters: map[string]string{"state": "unrecognised", "installs": ">0"}, Limit: 6})
		if err != nil {
			return err
		}
		out.Shortest, out.Silent, out.TopNames = short.Rows, silent.Rows, names.Rows
		out.Imports, err = imports(tx, 5)
		return err
	})
	return out, err
}

// ImportView is one import of one file.
type ImportView struct {
	ID       int64  `json:"id"`
	Kind     string `json:"kind"`
	File     string `json:"file"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
	Lines    int64  `json:"lines"`
	Added    int64  `json:"added"`
	Changed  int64  `json:"changed"`
	Gone     int64  `json:"gone"`
	SetAside int64  `json:"setAside"`
}

func imports(tx *store.Tx, limit int) ([]ImportView, error) {
	list, err := tx.Imports(limit)
	out := []ImportView{}
	for _, im := range list {
		out = append(out, ImportView{im.ID, im.Kind, im.File, im.Author, im.At, im.Lines, im.Added, im.Changed, im.Gone, im.SetAside})
	}
	return out, err
}

// Imports lists the newest imports.
func (a *App) Imports(ctx context.Context) (out []ImportView, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) (err error) {
		out, err = imports(tx, 50)
		return err
	})
	return out, err
}

// Find looks for devices, titles, entitlements and persons.
func (a *App) Find(ctx context.Context, text string) (out []store.Hit, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) (err error) {
		out, err = tx.Find(text, 6)
		return err
	})
	return out, err
}

// ProductView is a product of the catalogue with its releases and what was found of it.
type ProductView struct {
	store.ProductRow
	Lines []TitleLine     `json:"lines"`
	Names []store.NameRow `json:"names"`
	Parts []string        `json:"parts"`
	Suite []string        `json:"suites"`
	// what people said that it contains
	Definitions []SuiteView             `json:"definitions"`
	Remarks     []store.Remark          `json:"remarks" doc:"about the title and about single installs"`
	Changes     []store.CatalogueChange `json:"changes" doc:"of its titles, newest first"`
	Plans       []PlanView              `json:"plans"`
}

// TitleLine is a title of a product. Says has the columns of titles.csv by name.
type TitleLine struct {
	ID        int64             `json:"id"`
	Edition   string            `json:"edition"`
	Version   string            `json:"version"`
	Says      map[string]string `json:"says"`
	Touched   []string          `json:"touched" doc:"values that were changed here, and that no file changes"`
	ChangedAt int64             `json:"changedAt"`
	Phase     string            `json:"phase" enum:"before,general,extended,ended,unknown"`
	EndOn     string            `json:"endOn"`
	Devices   int64             `json:"devices"`
}

// Product returns a product of the catalogue.
func (a *App) Product(ctx context.Context, id int64) (ProductView, error) {
	out := ProductView{Lines: []TitleLine{}, Parts: []string{}, Suite: []string{}, Remarks: []store.Remark{}, Changes: []store.CatalogueChange{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		page, err := tx.ProductPage(store.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(page.Rows) == 0 {
			return store.ErrNotFound
		}
		out.ProductRow = page.Rows[0]
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		if err := a.titleLines(tx, c.Product(id), &out); err != nil {
			return err
		}
		for _, part := range c.PartsOf(id) {
			out.Parts = append(out.Parts, c.Product(part).Name)
		}
		for suite := range c.SuitesOf(id) {
			out.Suite = append(out.Suite, c.Product(suite).Name)
		}
		slices.Sort(out.Suite)
		out.ProductRow.Product = c.Product(id).Name
		if out.Definitions, err = suitesOf(tx, c, id); err != nil {
			return err
		}
		out.Names, err = tx.NamesOfProduct(id)
		return err
	})
	if err == nil {
		out.Plans, err = a.Plans(ctx, id)
	}
	return out, err
}

// titleLines adds what the catalogue has of a product, and what people noted about it.
func (a *App) titleLines(tx *store.Tx, p *recognise.Product, out *ProductView) error {
	titles, err := tx.KnownTitles(p.ID)
	if err != nil {
		return err
	}
	facts, err := tx.ReleaseFacts()
	if err != nil {
		return err
	}
	for _, t := range titles {
		line := TitleLine{ID: t.ID, Edition: t.Edition, Version: t.Version, Says: t.Says, Touched: t.Touched(), ChangedAt: t.ChangedAt, Devices: facts[t.ID].Devices}
		for i := range p.Titles {
			if p.Titles[i].ID == t.ID {
				dates := datesOf(&p.Titles[i])
				_, last := dates.Bounds()
				line.Phase, line.EndOn = string(dates.Phase(a.Today())), last.String()
			}
		}
		out.Lines = append(out.Lines, line)
	}
	remarks, err := tx.Remarks(p.ID, 0)
	if err != nil {
		return err
	}
	out.Remarks = append(out.Remarks, remarks...)
	changes, err := tx.CatalogueChanges(p.ID, 50)
	out.Changes = append(out.Changes, changes...)
	return err
}

// Entitlements reads a page of entitlements with what each comes to today.
func (a *App) Entitlements(ctx context.Context, q store.ListQuery) (store.Page[store.EntitlementRow], error) {
	var page store.Page[store.EntitlementRow]
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		if page, err = tx.EntitlementPage(q); err != nil {
			return err
		}
		all, err := tx.AllEntitlements()
		if err != nil {
			return err
		}
		byProduct := map[int64][]entitle.Line{}
		for _, e := range all {
			byProduct[e.Line.Product] = append(byProduct[e.Line.Product], e.Line)
		}
		effects := map[int64]map[string]entitle.Effect{}
		for i := range page.Rows {
			r := &page.Rows[i]
			if effects[r.ProductID] == nil {
				effects[r.ProductID] = entitle.Effective(byProduct[r.ProductID], a.Today())
			}
			e := effects[r.ProductID][r.Code]
			r.Effective, r.Why = e.Quantity, e.Why
		}
		return nil
	})
	return page, err
}

// CaseView is a case with its proof and its steps.
type CaseView struct {
	store.CaseRow
	DeviceCode string     `json:"deviceCode"`
	Proof      []string   `json:"proof"`
	Steps      []StepView `json:"steps"`
	KeepUntil  string     `json:"keepUntil"`
	LastSeen   int64      `json:"lastSeen"`
	AgreedBy   string     `json:"agreedBy"`
	Can        []string   `json:"can" doc:"what people may do with it now"`
	Undo       string     `json:"undo" doc:"the last deed that can still be taken back, empty where there is none"`
	Leaves     int64      `json:"leaves" doc:"when its mail or order leaves the house, 0 where nothing waits"`
	Order      string     `json:"order" doc:"how its newest order stands: waiting, sent, done, failed, withdrawn"`
	WaveID     int64      `json:"waveId"`
	Words      string     `json:"words" doc:"what it is about, in words"`
}

// StepView is a step of a case.
type StepView struct {
	At   int64  `json:"at"`
	Who  string `json:"who"`
	From string `json:"from"`
	To   string `json:"to"`
	Note string `json:"note"`
	Act  string `json:"act"`

	Undone bool `json:"undone"`
}

// Case returns a case.
func (a *App) Case(ctx context.Context, id int64) (CaseView, error) {
	out := CaseView{Proof: []string{}, Steps: []StepView{}, Can: []string{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		c, err := tx.Case(id)
		if err != nil {
			return err
		}
		page, err := tx.CasePage(store.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(page.Rows) == 0 {
			return store.ErrNotFound
		}
		out.CaseRow, out.KeepUntil = page.Rows[0], c.KeepUntil.String()
		out.Proof = append(out.Proof, c.Proof...)
		steps, err := tx.Steps(id)
		for _, s := range steps {
			out.Steps = append(out.Steps, StepView{s.At, s.Who, s.From, s.To, s.Note, s.Act, s.Undone})
		}
		if err != nil {
			return err
		}
		d, err := tx.DevicePage(store.ListQuery{Filters: map[string]string{"id": fmt.Sprint(c.Device)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(d.Rows) > 0 {
			out.DeviceCode, out.LastSeen = d.Rows[0].Code, d.Rows[0].LastSeen
		}
		out.AgreedBy, out.Words = c.AgreedBy, caseWords(&out.CaseRow)
		return out.outlook(tx, &c)
	})
	return out, err
}

// caseWords says in words what a case is about.
func caseWords(c *store.CaseRow) string {
	return map[casework.Kind]string{
		casework.RestrictedTitle: "Restricted software", casework.ForbiddenHours: "Used in restricted hours", casework.Missing: "Required and missing", casework.IdleLicence: "Idle licence",
		casework.IdlePool: "Pool with idle licences", casework.Leaver: "Seat of a leaver", casework.Uncovered: "Not covered", casework.EndOfLife: "To go, since its support ends", casework.Planned: "Removal that was planned",
	}[casework.Kind(c.Kind)]
}

// outlook says what may be done with a case, what can be taken back, and when what was done leaves the house.
func (v *CaseView) outlook(tx *store.Tx, c *store.Case) error {
	v.Can = []string{}
	rules, err := loadCaseRules(tx)
	if err != nil {
		return err
	}
	for _, a := range casework.Can(c.Kind, c.State, rules.core()) {
		v.Can = append(v.Can, string(a))
	}
	order, err := tx.DeploymentOf(c.ID)
	if err != nil {
		return err
	}
	if order.ID != 0 {
		v.Order, v.WaveID = order.State, order.Wave
	}
	if order.State == "waiting" && c.State == casework.Waiting {
		v.Leaves = order.After
	}
	if question, err := tx.QuestionOf(c.ID); err != nil {
		return err
	} else if question != 0 && c.State == casework.Asked {
		if v.Leaves, err = tx.MailWaits(question); err != nil {
			return err
		}
	}
	for i := len(v.Steps) - 1; i >= 0; i-- {
		s := &v.Steps[i]
		if s.Undone || s.Act == string(casework.Undo) {
			continue
		}
		if s.To == v.State && slices.Contains(casework.ByHand, casework.Act(s.Act)) && (v.Leaves != 0 || c.State != casework.Asked && c.State != casework.Waiting) {
			v.Undo = s.Act
		}
		break
	}
	return nil
}
