package worklisthttp

import (
	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
	"ensomet/internal/worklist"
)

// Mail is a message that waits to be sent or was.
type Mail struct {
	ID        int64  `json:"id"`
	Address   string `json:"address"`
	Subject   string `json:"subject"`
	Body      string `json:"body"`
	QueuedAt  int64  `json:"queuedAt" unit:"unix"`
	SentAt    int64  `json:"sentAt" unit:"unix"`
	Tries     int64  `json:"tries"`
	Error     string `json:"error"`
	After     int64  `json:"after" unit:"unix" doc:"it leaves then or later, and can be called back until then"`
	Question  int64  `json:"question" doc:"the question that it asks, 0 where it asks none"`
	DueAt     int64  `json:"dueAt" unit:"unix" doc:"when it is tried next"`
	GivenUpAt int64  `json:"givenUpAt" unit:"unix" doc:"when nobody tried it any more, 0 where it is not given up"`
}

func toMail(v worklist.Mail) Mail { return Mail(v) }

// Scenario is measures that are tried together.
type Scenario struct {
	ID        int64          `json:"id"`
	Name      string         `json:"name"`
	Note      string         `json:"note"`
	Measures  []wire.Measure `json:"measures"`
	Author    string         `json:"author"`
	At        int64          `json:"at"`
	ChangedAt int64          `json:"changedAt"`
	Revision  int64          `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	DoneAt    int64          `json:"doneAt"`
	DoneBy    string         `json:"doneBy"`
}

func toScenario(v worklist.Scenario) Scenario {
	return Scenario{
		ID:        v.ID,
		Name:      v.Name,
		Note:      v.Note,
		Measures:  rest.Each(v.Measures, wire.ToMeasure),
		Author:    v.Author,
		At:        v.At,
		ChangedAt: v.ChangedAt,
		Revision:  v.Revision,
		DoneAt:    v.DoneAt,
		DoneBy:    v.DoneBy,
	}
}

func fromScenario(v Scenario) worklist.Scenario {
	return worklist.Scenario{
		ID:        v.ID,
		Name:      v.Name,
		Note:      v.Note,
		Measures:  rest.Each(v.Measures, wire.FromMeasure),
		Author:    v.Author,
		At:        v.At,
		ChangedAt: v.ChangedAt,
		Revision:  v.Revision,
		DoneAt:    v.DoneAt,
		DoneBy:    v.DoneBy,
	}
}

// ScenarioDone says what a scenario was turned into.
type ScenarioDone struct {
	Cases    int      `json:"cases"`
	Seats    int      `json:"seats" doc:"seats that were handed back"`
	Requests int      `json:"requests" doc:"cases of what is to be bought or done elsewhere"`
	Left     []string `json:"left" doc:"those that somebody has to do elsewhere, such as changing a contract"`
}

func toScenarioDone(v worklist.ScenarioDone) ScenarioDone { return ScenarioDone(v) }

// CaseRules is what a house asks of its own people about cases.
type CaseRules struct {
	TwoPersons  bool `json:"twoPersons" doc:"what is sent must be approved by somebody else than who agreed"`
	AnswerDays  int  `json:"answerDays" minimum:"1" maximum:"60" doc:"how long a user may take to answer"`
	Reminders   int  `json:"reminders" minimum:"0" maximum:"5" doc:"how often a user is reminded, each time with as many days"`
	HoldMinutes int  `json:"holdMinutes" minimum:"0" maximum:"1440" doc:"how long mail and orders wait before they leave the house, so that they can be called back"`
	SilentDays  int  `json:"silentDays" minimum:"1" maximum:"60" doc:"how long the deployment tool may say nothing before an order counts as failed"`

	ApproveAbove string `json:"approveAbove,omitempty" doc:"what a purchase may cost without the approval of somebody else than who wants it, in the currency of the house; empty is nothing"`

	Revision int64  `json:"revision" doc:"that was seen; a save on an older one is refused"`
	House    string `json:"house,omitempty" doc:"the currency of the house; it is read alone"`
}

func toCaseRules(v worklist.CaseRules) CaseRules { return CaseRules(v) }

func fromCaseRules(v CaseRules) worklist.CaseRules { return worklist.CaseRules(v) }

// CaseAction is something to be done with cases.
type CaseAction struct {
	IDs   []int64       `json:"ids" minItems:"1" maxItems:"5000"`
	Act   casework.Act  `json:"act" enum:"ask,agree,approve,send,order,keep,drop,reopen,undo"`
	Note  string        `json:"note,omitempty"`
	Until string        `json:"until,omitempty" doc:"for keep: the last day of the exception; for order: the day on which it is expected"`
	Owner string        `json:"owner,omitempty" doc:"for keep: who answers for the exception; empty is who keeps it"`
	Wave  *WaveSettings `json:"wave,omitempty" doc:"for send: a few at a time"`

	Number string `json:"number,omitempty" doc:"for order: under which it was ordered"`
}

func fromCaseAction(v CaseAction) worklist.CaseAction {
	return worklist.CaseAction{
		IDs:   v.IDs,
		Act:   v.Act,
		Note:  v.Note,
		Until: v.Until,
		Owner: v.Owner,
		Wave:  rest.Maybe(fromWaveSettings)(v.Wave),

		Number: v.Number,
	}
}

// CaseDone says how many cases were done, and why others were not.
type CaseDone struct {
	Count   int      `json:"count"`
	Refused []string `json:"refused" doc:"why others were not, each reason once"`
	Leaves  int64    `json:"leaves" doc:"when what was done leaves the house; 0 where nothing does"`
}

func toCaseDone(v worklist.CaseDone) CaseDone { return CaseDone(v) }

// WaveSettings lets orders leave a few at a time.
type WaveSettings struct {
	Name     string `json:"name" maxLength:"80"`
	PerDay   int    `json:"perDay" minimum:"0" maximum:"5000" doc:"how many leave on one day; 0 is all at once"`
	MaxFails int    `json:"maxFails" minimum:"0" maximum:"100" doc:"percent of the answered ones that may fail before it pauses"`
}

func fromWaveSettings(v WaveSettings) worklist.WaveSettings { return worklist.WaveSettings(v) }

// WaveView is a wave with how far it is.
type WaveView struct {
	Wave
	WaveSofar
}

func toWaveView(v worklist.WaveView) WaveView {
	return WaveView{
		Wave:      toWave(v.Wave),
		WaveSofar: toWaveSofar(v.WaveSofar),
	}
}

// PolicyList is the policies in force, the groups and categories that one may name.
type PolicyList struct {
	Policies   []PolicyView `json:"policies"`
	Groups     []string     `json:"groups"`
	Categories []string     `json:"categories"`
}

func toPolicyList(v worklist.PolicyList) PolicyList {
	return PolicyList{
		Policies:   rest.Each(v.Policies, toPolicyView),
		Groups:     v.Groups,
		Categories: v.Categories,
	}
}

// PolicyView is a policy in words.
type PolicyView struct {
	ID     int64       `json:"id"`
	Says   PolicyDraft `json:"says" doc:"as somebody would set it who changes nothing"`
	What   string      `json:"what"`
	Group  string      `json:"group"`
	Stance string      `json:"stance"`
	Hours  string      `json:"hours" doc:"when it holds; empty is always"`
	Reason string      `json:"reason"`
	Owner  string      `json:"owner" doc:"who answers for an exception"`
	Until  string      `json:"until" doc:"its last day"`
	Over   bool        `json:"over" doc:"its last day is past"`
	Author string      `json:"author"`
	At     int64       `json:"at"`
}

func toPolicyView(v worklist.PolicyView) PolicyView {
	return PolicyView{
		ID:     v.ID,
		Says:   PolicyDraft(v.Says),
		What:   v.What,
		Group:  v.Group,
		Stance: v.Stance,
		Hours:  v.Hours,
		Reason: v.Reason,
		Owner:  v.Owner,
		Until:  v.Until,
		Over:   v.Over,
		Author: v.Author,
		At:     v.At,
	}
}

// PolicyDraft is a stance to be set. With an owner and a last day it is an exception.
type PolicyDraft struct {
	ID        int64  `json:"id" minimum:"0" doc:"0 is a new one"`
	Revision  int64  `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Product   int64  `json:"product,omitempty"`
	Publisher string `json:"publisher,omitempty"`
	Category  string `json:"category,omitempty"`
	Group     string `json:"group,omitempty"`
	Stance    string `json:"stance" enum:"allowed,restricted,required"`
	Days      string `json:"days,omitempty" doc:"such as mon-fri or sat|sun; empty is every day"`
	From      string `json:"from,omitempty" doc:"such as 08:00"`
	To        string `json:"to,omitempty"`
	Reason    string `json:"reason" minLength:"1"`
	Owner     string `json:"owner,omitempty"`
	Until     string `json:"until,omitempty"`
}

func fromPolicyDraft(v PolicyDraft) worklist.PolicyDraft { return worklist.PolicyDraft(v) }

// PolicyEffect says what findings a stance would bring and end.
type PolicyEffect struct {
	Comes   int      `json:"comes" doc:"findings that it brings"`
	Goes    int      `json:"goes" doc:"findings that it ends"`
	Samples []string `json:"samples"`
}

func toPolicyEffect(v worklist.PolicyEffect) PolicyEffect { return PolicyEffect(v) }

// ReclaimDraft says when licences of titles are proposed for reclaim.
type ReclaimDraft struct {
	ID        int64   `json:"id" minimum:"0" doc:"0 is a new one"`
	Revision  int64   `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Product   int64   `json:"product,omitempty"`
	Publisher string  `json:"publisher,omitempty"`
	Category  string  `json:"category,omitempty"`
	Group     string  `json:"group,omitempty"`
	Propose   bool    `json:"propose" doc:"false leaves them alone"`
	Window    int     `json:"window" minimum:"7" maximum:"730" doc:"days that are looked at"`
	Grace     int     `json:"grace" minimum:"0" maximum:"730" doc:"an install younger than this is left alone"`
	Least     float64 `json:"least" minimum:"0.1" maximum:"1" doc:"share of the window that must be measured"`
	PoolShare float64 `json:"poolShare" minimum:"0" maximum:"1" doc:"a pool whose peak lies below this share of its quantity is proposed"`
	Note      string  `json:"note,omitempty"`
}

func fromReclaimDraft(v ReclaimDraft) worklist.ReclaimDraft { return worklist.ReclaimDraft(v) }

// ReclaimView is a rule in words.
type ReclaimView struct {
	ID        int64        `json:"id"`
	Says      ReclaimDraft `json:"says" doc:"as somebody would set it who changes nothing"`
	What      string       `json:"what"`
	Group     string       `json:"group"`
	Propose   bool         `json:"propose"`
	Window    int          `json:"window"`
	Grace     int          `json:"grace"`
	Least     float64      `json:"least"`
	PoolShare float64      `json:"poolShare"`
	Note      string       `json:"note"`
	Author    string       `json:"author"`
	At        int64        `json:"at"`
}

func toReclaimView(v worklist.ReclaimView) ReclaimView {
	return ReclaimView{
		ID:        v.ID,
		Says:      ReclaimDraft(v.Says),
		What:      v.What,
		Group:     v.Group,
		Propose:   v.Propose,
		Window:    v.Window,
		Grace:     v.Grace,
		Least:     v.Least,
		PoolShare: v.PoolShare,
		Note:      v.Note,
		Author:    v.Author,
		At:        v.At,
	}
}

// ReclaimEffect says what a rule would propose beside what is proposed now.
type ReclaimEffect struct {
	Now     int                `json:"now" doc:"idle licences that are proposed now"`
	Then    int                `json:"then"`
	Comes   int                `json:"comes"`
	Goes    int                `json:"goes"`
	Money   []ReclaimMoney     `json:"money" doc:"what the proposals are worth, now and then, by currency"`
	Samples []ReclaimDifferent `json:"samples" doc:"the first of those that come or go"`
}

func toReclaimEffect(v worklist.ReclaimEffect) ReclaimEffect {
	return ReclaimEffect{
		Now:     v.Now,
		Then:    v.Then,
		Comes:   v.Comes,
		Goes:    v.Goes,
		Money:   rest.Each(v.Money, toReclaimMoney),
		Samples: rest.Each(v.Samples, toReclaimDifferent),
	}
}

// ReclaimMoney is what proposals are worth in one currency.
type ReclaimMoney struct {
	Currency string `json:"currency"`
	Now      string `json:"now"`
	Then     string `json:"then"`
}

func toReclaimMoney(v worklist.ReclaimMoney) ReclaimMoney { return ReclaimMoney(v) }

// ReclaimDifferent is a proposal that comes or goes.
type ReclaimDifferent struct {
	Product string `json:"product"`
	About   string `json:"about"`
	Comes   bool   `json:"comes"`
	Why     string `json:"why"`
}

func toReclaimDifferent(v worklist.ReclaimDifferent) ReclaimDifferent { return ReclaimDifferent(v) }

// LedgerSum is what one kind of worth comes to in one currency.
type LedgerSum struct {
	Worth     string `json:"worth"`
	Currency  string `json:"currency"`
	Potential string `json:"potential"`
	Cases     int    `json:"cases"`
	Realised  string `json:"realised"`
	Lines     int    `json:"lines"`

	PotentialInHouse string `json:"potentialInHouse" doc:"in the currency of the house, at the rates of today; empty where there is none"`
	RealisedInHouse  string `json:"realisedInHouse" doc:"in the currency of the house, at the rates of the days of booking; empty where there is none"`
}

// Ledger is both ledgers added up: what could be saved, and what evidence has shown to be saved.
type Ledger struct {
	Sums      []LedgerSum `json:"sums"`
	House     string      `json:"house" doc:"the currency of the sums below"`
	Potential string      `json:"potential"`
	Realised  string      `json:"realised"`
	Without   []string    `json:"without" doc:"currencies of amounts that have no rate on their day, and are in neither sum"`
}

func toLedger(v worklist.Ledger) Ledger {
	return Ledger{
		Sums:      rest.Each(v.Sums, toLedgerSum),
		House:     v.House,
		Potential: v.Potential,
		Realised:  v.Realised,
		Without:   v.Without,
	}
}

func toLedgerSum(v worklist.LedgerSum) LedgerSum { return LedgerSum(v) }

// CaseCount counts cases of one kind in one state.
type CaseCount struct {
	Kind  casework.Kind  `json:"kind"`
	State casework.State `json:"state"`
	Count int64          `json:"count"`
	Back  int64          `json:"back" doc:"of them, those that came back"`
}

func toCaseCount(v worklist.CaseCount) CaseCount { return CaseCount(v) }

// StanceView says which of the policies that speak of a title on a device holds, and why.
type StanceView struct {
	Stance   string       `json:"stance" doc:"what holds for its being there; empty where nothing speaks of it"`
	Why      string       `json:"why"`
	Hours    bool         `json:"hours" doc:"its use depends on the hour"`
	Policies []PolicyView `json:"policies" doc:"all that speak of it, the one that goes first first"`
}

func toStanceView(v worklist.StanceView) StanceView {
	return StanceView{
		Stance:   v.Stance,
		Why:      v.Why,
		Hours:    v.Hours,
		Policies: rest.Each(v.Policies, toPolicyView),
	}
}

// CaseView is a case with its proof and its steps.
type CaseView struct {
	wire.CaseRow
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

	Request  *RequestView  `json:"request,omitempty" doc:"what was asked for, of a case that was"`
	Requests []RequestLine `json:"requests" doc:"of a shortfall: what was asked for to end it and is not there yet"`
}

func toCaseView(v worklist.CaseView) CaseView {
	return CaseView{
		CaseRow:    wire.ToCaseRow(v.CaseRow),
		DeviceCode: v.DeviceCode,
		Proof:      v.Proof,
		Steps:      rest.Each(v.Steps, toStepView),
		KeepUntil:  v.KeepUntil,
		LastSeen:   v.LastSeen,
		AgreedBy:   v.AgreedBy,
		Can:        v.Can,
		Undo:       v.Undo,
		Leaves:     v.Leaves,
		Order:      v.Order,
		WaveID:     v.WaveID,
		Words:      v.Words,
		Request:    rest.Maybe(toRequestView)(v.Request),
		Requests:   rest.Each(v.Requests, toRequestLine),
	}
}

// StepView is a step of a case.
type StepView struct {
	At     int64  `json:"at"`
	Who    string `json:"who"`
	From   string `json:"from"`
	To     string `json:"to"`
	Note   string `json:"note"`
	Act    string `json:"act"`
	Undone bool   `json:"undone"`
}

func toStepView(v worklist.StepView) StepView { return StepView(v) }

// RequestView is what was asked for, with how far it is.
type RequestView struct {
	What      string       `json:"what"`
	Measure   wire.Measure `json:"measure"`
	Author    string       `json:"author"`
	At        int64        `json:"at"`
	Note      string       `json:"note"`
	Scenario  int64        `json:"scenario" doc:"that it came out of, 0 where it did not"`
	Shortfall int64        `json:"shortfall" doc:"the case of the shortfall that asked for it, 0 where none did"`
	Order     string       `json:"order" doc:"the number under which it was ordered"`
	Expected  string       `json:"expected"`
	Booked    int64        `json:"booked" doc:"of what was asked for"`
	By        []string     `json:"by" doc:"the lines and transactions that name it, in words"`
	Approval  bool         `json:"approval" doc:"somebody else has to approve it first"`
}

func toRequestView(v worklist.RequestView) RequestView {
	return RequestView{
		What:      v.What,
		Measure:   wire.ToMeasure(v.Measure),
		Author:    v.Author,
		At:        v.At,
		Note:      v.Note,
		Scenario:  v.Scenario,
		Shortfall: v.Shortfall,
		Order:     v.Order,
		Expected:  v.Expected,
		Booked:    v.Booked,
		By:        v.By,
		Approval:  v.Approval,
	}
}

// RequestLine is what was asked for, in a line.
type RequestLine struct {
	Case  int64  `json:"case"`
	What  string `json:"what"`
	State string `json:"state" doc:"in words"`
}

func toRequestLine(v worklist.RequestLine) RequestLine { return RequestLine(v) }

// Wanted is something to be asked for.
type Wanted struct {
	Measures []wire.Measure `json:"measures" minItems:"1" maxItems:"100"`
	Case     int64          `json:"case,omitempty" doc:"the case of the shortfall that it is to end"`
	Note     string         `json:"note,omitempty"`
}

func fromWanted(v Wanted) worklist.Wanted {
	return worklist.Wanted{Measures: rest.Each(v.Measures, wire.FromMeasure), Case: v.Case, Note: v.Note}
}

// Wave is orders that leave a few at a time. Its state is running, paused or called off.
type Wave struct {
	ID       int64  `json:"id"`
	Name     string `json:"name"`
	PerDay   int64  `json:"perDay" doc:"how many leave on one day; 0 is all at once"`
	MaxFails int64  `json:"maxFails" doc:"percent of the answered ones that may fail before it pauses"`
	State    string `json:"state" enum:"running,paused,called off"`
	Why      string `json:"why" doc:"why it paused"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
	Standing int64  `json:"standing" doc:"the standing decision whose orders it has; 0 where somebody sent them"`
	From     int64  `json:"from" unit:"unix" doc:"since when its answers count for its pausing"`
}

func toWave(v worklist.Wave) Wave { return Wave(v) }

// WaveSofar counts the orders of a wave by their states; Today is those sent at a time or later.
type WaveSofar struct {
	Waiting int   `json:"waiting"`
	Out     int   `json:"out" doc:"sent, without an answer"`
	Today   int   `json:"today"`
	Done    int   `json:"done" doc:"the tool says that it did them; evidence decides"`
	Failed  int   `json:"failed"`
	Next    int64 `json:"next" unit:"unix" doc:"when the first of those that wait may leave; 0 where none waits"`
}

func toWaveSofar(v worklist.WaveSofar) WaveSofar {
	return WaveSofar{
		Waiting: v.Waiting,
		Out:     v.Out,
		Today:   v.Today,
		Done:    v.Done,
		Failed:  v.Failed,
		Next:    v.Next,
	}
}

// CaseGroup is cases that one decision may serve: of one kind, about one product, in one state.
type CaseGroup struct {
	Kind      string `json:"kind"`
	State     string `json:"state"`
	ProductID int64  `json:"productId"`
	Product   string `json:"product"`
	Publisher string `json:"publisher"`
	Count     int64  `json:"count"`
	Amount    string `json:"amount"`
	Currency  string `json:"currency"`
	InHouse   string `json:"inHouse" doc:"the same in the currency of the house today; empty where there is no rate"`
}

func toCaseGroup(v worklist.CaseGroup) CaseGroup { return CaseGroup(v) }

// SavingRow is a line of a ledger as it is shown: of what could be saved, or of what was.
type SavingRow struct {
	ID        int64     `json:"id"`
	CaseID    int64     `json:"caseId"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Device    string    `json:"device"`
	Unit      string    `json:"unit"`
	Worth     string    `json:"worth"`
	Amount    string    `json:"amount"`
	Currency  string    `json:"currency"`
	MoneyOn   civil.Day `json:"moneyOn"`
	At        int64     `json:"at" unit:"unix"`
	ScanAt    int64     `json:"scanAt" unit:"unix" doc:"the scan that showed it"`
	State     string    `json:"state"`
	Note      string    `json:"note"`
}

func toSavingRow(v worklist.SavingRow) SavingRow { return SavingRow(v) }
