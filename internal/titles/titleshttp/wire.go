package titleshttp

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/rest"
	"ensomet/internal/titles"
	"ensomet/internal/wire"
)

// Year sums up what loses its last support in one calendar year.
type Year struct {
	Year       int   `json:"year"`
	Releases   int   `json:"releases" doc:"whose last support ends in the year"`
	Devices    int64 `json:"devices" doc:"that have one of them today, counted for each release"`
	YearBefore int64 `json:"yearBefore" doc:"that had one of them a year ago"`
}

func toYear(v lifecycle.Year) Year { return Year(v) }

// TraceStep is one step of recognition: what it looked at and what came of it.
type TraceStep struct {
	Step     string `json:"step"`
	LookedAt string `json:"lookedAt"`
	Outcome  string `json:"outcome"`
}

func toTraceStep(v recognise.TraceStep) TraceStep { return TraceStep(v) }

// SuitePart is a product that a suite contains, perhaps in one edition or in versions that begin with one.
type SuitePart struct {
	Product int64  `json:"product"`
	Edition string `json:"edition"`
	Version string `json:"version"`
}

func toSuitePart(v recognise.SuitePart) SuitePart { return SuitePart(v) }

func fromSuitePart(v SuitePart) recognise.SuitePart { return recognise.SuitePart(v) }

// ProductRow is a line of the list of titles, one for each product.
type ProductRow struct {
	ID        int64  `json:"id"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Category  string `json:"category"`
	Model     string `json:"model"`
	Releases  int64  `json:"releases"`
	Versions  int64  `json:"versions"`
	Installs  int64  `json:"installs"`
	Devices   int64  `json:"devices"`
	Stale     int64  `json:"stale"`
	Counted   int64  `json:"counted"`
	Folded    int64  `json:"folded"`
	LeftOut   int64  `json:"leftOut"`
	Rights    int64  `json:"rights"`
	Tags      string `json:"tags"`
	Watched   bool   `json:"watched"`
}

func toProductRow(v titles.ProductRow) ProductRow { return ProductRow(v) }

// Plan is what is planned about a release whose support ends.
type Plan struct {
	ID          int64     `json:"id"`
	Product     int64     `json:"product"`
	Edition     string    `json:"edition"`
	Version     string    `json:"version"`
	What        string    `json:"what" enum:"move,remove,extend,keep"`
	ToProduct   int64     `json:"toProduct"`
	ToVersion   string    `json:"toVersion"`
	Due         civil.Day `json:"due"`
	Owner       string    `json:"owner"`
	Note        string    `json:"note"`
	DevicesThen int64     `json:"devicesThen"`
	Author      string    `json:"author"`
	At          int64     `json:"at"`
	EndedAt     int64     `json:"endedAt"`
	EndedBy     string    `json:"endedBy"`
	EndedWhy    string    `json:"endedWhy"`
}

func toPlan(v titles.Plan) Plan { return Plan(v) }

// CatalogueEffect is what a change of the catalogue would change, or has changed.
type CatalogueEffect struct {
	Effect
	Titles int            `json:"titles" doc:"titles and publishers that change"`
	Found  int64          `json:"found" doc:"records that are recognised by it"`
	Moved  int64          `json:"moved" doc:"records that become something else"`
	Lost   int64          `json:"lost" doc:"records that are no longer recognised"`
	Detail []RecordsMoved `json:"detail"`
	Many   bool           `json:"many" doc:"so many products are touched that their positions are worked out only once it is saved"`
	ID     int64          `json:"id" doc:"of the title or publisher that was written"`
}

func toCatalogueEffect(v titles.CatalogueEffect) CatalogueEffect {
	return CatalogueEffect{
		Effect: toEffect(v.Effect),
		Titles: v.Titles,
		Found:  v.Found,
		Moved:  v.Moved,
		Lost:   v.Lost,
		Detail: rest.Each(v.Detail, toRecordsMoved),
		Many:   v.Many,
		ID:     v.ID,
	}
}

// TitleEdit is a title of a product as a person wants it. Says has the columns of titles.csv by name, list_price with
// its currency; an empty value is unknown.
type TitleEdit struct {
	Product  int64             `json:"product"`
	Title    int64             `json:"title" doc:"0 is a new one"`
	Edition  string            `json:"edition"`
	Version  string            `json:"version"`
	Says     map[string]string `json:"says"`
	Revision int64             `json:"revision" doc:"that was seen; a save on an older one is refused"`
	Drop     bool              `json:"drop" doc:"take the title out of the catalogue"`
	Dry      bool              `json:"dry" doc:"say what it would change, and change nothing"`
}

func fromTitleEdit(v TitleEdit) titles.TitleEdit { return titles.TitleEdit(v) }

// ProductEdit is a product's name as a person wants it. What it was called before stays one of its names.
type ProductEdit struct {
	Product   int64  `json:"product"`
	Publisher string `json:"publisher" minLength:"1"`
	Name      string `json:"name" minLength:"1"`
	Revision  int64  `json:"revision" doc:"of its name that was seen; a save on an older one is refused"`
	Dry       bool   `json:"dry"`
}

func fromProductEdit(v ProductEdit) titles.ProductEdit { return titles.ProductEdit(v) }

// PublisherEdit is a publisher as a person wants it. Publisher 0 is a new one.
type PublisherEdit struct {
	Publisher int64    `json:"publisher"`
	Revision  int64    `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Name      string   `json:"name" minLength:"1" doc:"of a new one; the name of one that is there does not change"`
	Aliases   []string `json:"aliases"`
	Successor string   `json:"successor" doc:"the publisher that took it over"`
	Dry       bool     `json:"dry"`
}

func fromPublisherEdit(v PublisherEdit) titles.PublisherEdit { return titles.PublisherEdit(v) }

// ExclusionDraft is to leave a product on devices out of the count, or to count it again.
type ExclusionDraft struct {
	Devices   []string `json:"devices" minItems:"1" doc:"device_ids"`
	Revisions []int64  `json:"revisions" minItems:"1" doc:"for each device the number of the exclusion that was seen to hold there, 0 where none was"`
	Product   int64    `json:"product"`
	Reason    string   `json:"reason" maxLength:"500"`
	Again     bool     `json:"again" doc:"count it again"`
}

func fromExclusionDraft(v ExclusionDraft) titles.ExclusionDraft { return titles.ExclusionDraft(v) }

// NameView is one raw name with everything that a decision about it needs.
type NameView struct {
	Key       string         `json:"key"`
	Revision  int64          `json:"revision" doc:"of what people say of it"`
	Records   []RecordView   `json:"records"`
	Proposals []ProposalView `json:"proposals"`
	Trace     []TraceStep    `json:"trace"`
	Decision  *DecisionView  `json:"decision"`
	Waiting   *DecisionView  `json:"waiting"`
	Similar   []wire.NameRow `json:"similar" doc:"other names that differ in little and that nobody has recognised either"`
}

func toNameView(v titles.NameView) NameView {
	return NameView{
		Key:       v.Key,
		Revision:  v.Revision,
		Records:   rest.Each(v.Records, toRecordView),
		Proposals: rest.Each(v.Proposals, toProposalView),
		Trace:     rest.Each(v.Trace, toTraceStep),
		Decision:  rest.Maybe(toDecisionView)(v.Decision),
		Waiting:   rest.Maybe(toDecisionView)(v.Waiting),
		Similar:   rest.Each(v.Similar, wire.ToNameRow),
	}
}

// ProposalView is a product that a name may mean. Score is how likely.
type ProposalView struct {
	Product   int64    `json:"product"`
	Publisher string   `json:"publisher"`
	Name      string   `json:"name"`
	Edition   string   `json:"edition"`
	Category  string   `json:"category"`
	Model     string   `json:"model"`
	Score     float64  `json:"score"`
	Shared    []string `json:"shared"`
	Near      []string `json:"near"`
	Missing   []string `json:"missing"`
	Extra     []string `json:"extra"`

	OtherEdition []string `json:"otherEdition" doc:"words of an edition that no edition of the product is called by"`
}

func toProposalView(v titles.ProposalView) ProposalView { return ProposalView(v) }

// DecisionView is a decision with its author and time.
type DecisionView struct {
	ID      int64  `json:"id"`
	Product int64  `json:"product"`
	Name    string `json:"name"`
	Edition string `json:"edition"`
	Author  string `json:"author"`
	At      int64  `json:"at"`
	Note    string `json:"note"`
	Signed  string `json:"signed" doc:"who signed it off"`
}

func toDecisionView(v titles.DecisionView) DecisionView { return DecisionView(v) }

// NameDecision is what a person says of raw names: a product, perhaps in one edition, or that they are not software
// that counts (Product 0).
type NameDecision struct {
	Keys      []string `json:"keys" minItems:"1" maxItems:"500"`
	Revisions []int64  `json:"revisions" minItems:"1" maxItems:"500" doc:"of the names, as they were seen, in their order; a decision on an older one is refused"`
	Product   int64    `json:"product"`
	Edition   string   `json:"edition"`
	Note      string   `json:"note"`
}

func fromNameDecision(v NameDecision) titles.NameDecision { return titles.NameDecision(v) }

// Effect is what a decision would change, or has changed. Waits says that a second person must sign it off before it
// counts.
type Effect struct {
	Names    int                   `json:"names"`
	Records  int                   `json:"records"`
	Installs int64                 `json:"installs"`
	LastYear int64                 `json:"lastYear" doc:"installs that it touches or would have touched at any time in the last year"`
	Moves    []wire.PositionChange `json:"moves"`
	Waits    bool                  `json:"waits"`
	Batch    int64                 `json:"batch"`
}

func toEffect(v titles.Effect) Effect {
	return Effect{
		Names:    v.Names,
		Records:  v.Records,
		Installs: v.Installs,
		LastYear: v.LastYear,
		Moves:    rest.Each(v.Moves, wire.ToPositionChange),
		Waits:    v.Waits,
		Batch:    v.Batch,
	}
}

// Undone says what was undone.
type Undone struct {
	What  string `json:"what"`
	Names int    `json:"names"`
}

func toUndone(v titles.Undone) Undone { return Undone(v) }

// Queue says how much is left to decide and how fast that shrinks.
type Queue struct {
	Names       int64      `json:"names" doc:"that nobody has recognised"`
	Installs    int64      `json:"installs"`
	AllInstalls int64      `json:"allInstalls"`
	Later       int64      `json:"later" doc:"set aside until a day"`
	Waiting     int64      `json:"waiting" doc:"for a second person"`
	Week        int64      `json:"week" doc:"names decided in the last seven days"`
	Days        []QueueDay `json:"days"`
	Undo        *Batch     `json:"undo,omitempty" doc:"what undoing would take back"`
}

func toQueue(v titles.Queue) Queue {
	return Queue{
		Names:       v.Names,
		Installs:    v.Installs,
		AllInstalls: v.AllInstalls,
		Later:       v.Later,
		Waiting:     v.Waiting,
		Week:        v.Week,
		Days:        rest.Each(v.Days, toQueueDay),
		Undo:        rest.Maybe(toBatch)(v.Undo),
	}
}

// UpdateView is a newer catalogue with its differences.
type UpdateView struct {
	CatalogueUpdate
	New       int          `json:"new" doc:"titles and publishers that the catalogue does not have"`
	Changed   int          `json:"changed" doc:"values that nobody touched here"`
	Conflicts int          `json:"conflicts" doc:"values that somebody changed here, and that the file has otherwise"`
	Same      int          `json:"same" doc:"titles and publishers that do not differ"`
	Shown     int          `json:"shown" doc:"differences that fit the search"`
	Rows      []Difference `json:"rows"`
}

func toUpdateView(v titles.UpdateView) UpdateView {
	return UpdateView{
		CatalogueUpdate: toCatalogueUpdate(v.CatalogueUpdate),
		New:             v.New,
		Changed:         v.Changed,
		Conflicts:       v.Conflicts,
		Same:            v.Same,
		Shown:           v.Shown,
		Rows:            rest.Each(v.Rows, toDifference),
	}
}

// Difference is one difference of an update.
type Difference struct {
	ID        string `json:"id"`
	Publisher string `json:"publisher"`
	Name      string `json:"name" doc:"product, edition and version; empty for a publisher"`
	Field     string `json:"field" doc:"empty for a new title"`
	Ours      string `json:"ours"`
	Theirs    string `json:"theirs"`
	Sort      string `json:"sort" enum:"new,changed,conflict"`
	Product   int64  `json:"product" doc:"the product in the catalogue, 0 where there is none"`
}

func toDifference(v titles.Difference) Difference { return Difference(v) }

// UpdateTaking says which differences of an update are taken. What is not named stays on update.
type UpdateTaking struct {
	Update int64    `json:"update"`
	All    bool     `json:"all" doc:"take every new title and every changed value, besides what is named"`
	Take   []string `json:"take" doc:"differences by their id"`
	Keep   []string `json:"keep" doc:"differences in which what is here stays, and that are not asked again until a file says something else"`
	Leave  []string `json:"leave" doc:"with all: differences that are left on update"`
	Dry    bool     `json:"dry"`
}

func fromUpdateTaking(v UpdateTaking) titles.UpdateTaking { return titles.UpdateTaking(v) }

// Updates are the newer catalogues that came, and what recognising everything anew changed.
type Updates struct {
	Updates []CatalogueUpdate `json:"updates"`
	Runs    []RecognitionRun  `json:"runs"`
}

func toUpdates(v titles.Updates) Updates {
	return Updates{
		Updates: rest.Each(v.Updates, toCatalogueUpdate),
		Runs:    rest.Each(v.Runs, toRecognitionRun),
	}
}

// PlanDraft is what somebody plans about a release whose support ends.
type PlanDraft struct {
	Title     int64     `json:"title" doc:"the release"`
	What      string    `json:"what" enum:"move,remove,extend,keep" doc:"move to another release, remove it, buy longer support, or keep it with its risk"`
	ToProduct int64     `json:"toProduct" doc:"for move: the product it moves to"`
	ToVersion string    `json:"toVersion"`
	Since     civil.Day `json:"since" doc:"the day it begins to be measured from; empty is today"`
	Due       civil.Day `json:"due"`
	Owner     string    `json:"owner"`
	Note      string    `json:"note"`
	Revision  int64     `json:"revision" doc:"the number of the plan that was seen, 0 where there was none; a newer one is not overwritten"`
}

func fromPlanDraft(v PlanDraft) titles.PlanDraft { return titles.PlanDraft(v) }

// PlanView is a plan with how far it is.
type PlanView struct {
	Plan
	Release string  `json:"release"`
	Target  string  `json:"target"`
	Left    int64   `json:"left" doc:"devices that have the release now"`
	Share   float64 `json:"share" doc:"how much is done, 0 to 1"`
	State   string  `json:"state" enum:"done,late,open,ended"`
}

func toPlanView(v titles.PlanView) PlanView {
	return PlanView{
		Plan:    toPlan(v.Plan),
		Release: v.Release,
		Target:  v.Target,
		Left:    v.Left,
		Share:   v.Share,
		State:   v.State,
	}
}

// VersionView is a version of a product that was found, with what the catalogue knows of its release.
type VersionView struct {
	Edition   string `json:"edition"`
	Version   string `json:"version"`
	Released  string `json:"released" doc:"empty where the catalogue does not know it"`
	FirstSeen string `json:"firstSeen" doc:"when it was first found on a device"`
	AgeDays   int    `json:"ageDays" doc:"since its release, or at least since it was first found"`
	AtLeast   bool   `json:"atLeast" doc:"the age is that since it was first found"`
	Phase     string `json:"phase" enum:"before,general,extended,ended,unknown"`
	EndOn     string `json:"endOn" doc:"the last day of its support"`
	Devices   int64  `json:"devices"`
	Stale     int64  `json:"stale" doc:"devices among them whose evidence is stale"`
	Installs  int64  `json:"installs"`
	Listed    bool   `json:"listed" doc:"the catalogue has it as a release of its own"`
}

func toVersionView(v titles.VersionView) VersionView { return VersionView(v) }

// LifeCycle is what is to be seen above the list of releases.
type LifeCycle struct {
	On     string        `json:"on"`
	Until  string        `json:"until" doc:"the end of the months that are looked at"`
	Months []MonthEnding `json:"months"`
	Years  []Year        `json:"years"`
	Phases []PhaseCount  `json:"phases"`
}

func toLifeCycle(v titles.LifeCycle) LifeCycle {
	return LifeCycle{
		On:     v.On,
		Until:  v.Until,
		Months: rest.Each(v.Months, toMonthEnding),
		Years:  rest.Each(v.Years, toYear),
		Phases: rest.Each(v.Phases, toPhaseCount),
	}
}

// MonthEnding is what ends in one month.
type MonthEnding struct {
	Month    string `json:"month" doc:"YYYY-MM"`
	General  int64  `json:"general" doc:"devices that have a release whose general support ends, while extended support goes on"`
	Last     int64  `json:"last" doc:"devices that have a release whose last support ends"`
	Releases int    `json:"releases"`
}

func toMonthEnding(v titles.MonthEnding) MonthEnding { return MonthEnding(v) }

// PhaseCount counts what was found in one phase.
type PhaseCount struct {
	Phase    string `json:"phase" enum:"before,general,extended,ended,unknown"`
	Releases int    `json:"releases"`
	Devices  int64  `json:"devices" doc:"counted for each release"`
}

func toPhaseCount(v titles.PhaseCount) PhaseCount { return PhaseCount(v) }

// RuleView is a rule with what it does now.
type RuleView struct {
	RuleDraft
	Words    string           `json:"words"`
	Means    string           `json:"means"`
	State    string           `json:"state" enum:"holds,waiting,off,not_yet,over"`
	Author   string           `json:"author"`
	At       int64            `json:"at"`
	Signed   string           `json:"signed"`
	Fits     int              `json:"fits" doc:"records that its condition fits"`
	Decides  int              `json:"decides" doc:"records that it decides, or whose installs it may leave out"`
	Conflict []RuleConflict   `json:"conflicts"`
	Dead     string           `json:"dead" doc:"why it decides nothing, empty where it does"`
	Names    map[int64]string `json:"names" doc:"the titles that its conditions mention"`
}

// RuleList is the rules in their order, with what each does.
type RuleList struct {
	Rules         []RuleView `json:"rules"`
	OrderRevision int64      `json:"orderRevision"`
}

func toRuleList(v titles.RuleList) RuleList {
	return RuleList{
		Rules:         rest.Each(v.Rules, toRuleView),
		OrderRevision: v.OrderRevision,
	}
}

func toRuleView(v titles.RuleView) RuleView {
	return RuleView{
		RuleDraft: toRuleDraft(v.RuleDraft),
		Words:     v.Words,
		Means:     v.Means,
		State:     v.State,
		Author:    v.Author,
		At:        v.At,
		Signed:    v.Signed,
		Fits:      v.Fits,
		Decides:   v.Decides,
		Conflict:  rest.Each(v.Conflict, toRuleConflict),
		Dead:      v.Dead,
		Names:     v.Names,
	}
}

// RuleConflict is an earlier rule that takes records from this one and says something else of them.
type RuleConflict struct {
	Rule    string `json:"rule"`
	Records int    `json:"records"`
}

func toRuleConflict(v titles.RuleConflict) RuleConflict { return RuleConflict(v) }

// RuleDraft is a rule as somebody writes it: which records, on which devices, and what follows.
type RuleDraft struct {
	ID       int64          `json:"id" doc:"0 is a new one"`
	Revision int64          `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Name     string         `json:"name" maxLength:"200"`
	Outcome  string         `json:"outcome" enum:"title,nothing,leave_out,included"`
	Records  wire.Condition `json:"records"`
	Devices  wire.Condition `json:"devices" doc:"only where installs are left out"`
	Product  int64          `json:"product"`
	Edition  string         `json:"edition"`
	Reason   string         `json:"reason" maxLength:"500"`
	From     string         `json:"from" doc:"first day, empty is always"`
	Until    string         `json:"until" doc:"first day on which it holds no more, empty is never"`
	Off      bool           `json:"off"`
}

func toRuleDraft(v titles.RuleDraft) RuleDraft {
	return RuleDraft{
		ID:       v.ID,
		Revision: v.Revision,
		Name:     v.Name,
		Outcome:  v.Outcome,
		Records:  wire.ToCondition(v.Records),
		Devices:  wire.ToCondition(v.Devices),
		Product:  v.Product,
		Edition:  v.Edition,
		Reason:   v.Reason,
		From:     v.From,
		Until:    v.Until,
		Off:      v.Off,
	}
}

func fromRuleDraft(v RuleDraft) titles.RuleDraft {
	return titles.RuleDraft{
		ID:       v.ID,
		Revision: v.Revision,
		Name:     v.Name,
		Outcome:  v.Outcome,
		Records:  wire.FromCondition(v.Records),
		Devices:  wire.FromCondition(v.Devices),
		Product:  v.Product,
		Edition:  v.Edition,
		Reason:   v.Reason,
		From:     v.From,
		Until:    v.Until,
		Off:      v.Off,
	}
}

// RuleChange switches a rule, ends it, or moves it before another.
type RuleChange struct {
	ID       int64   `json:"id"`
	Revision int64   `json:"revision" minimum:"0" doc:"that was seen, of the rule, or of the order"`
	Change   string  `json:"change" enum:"on,off,end,order"`
	Order    []int64 `json:"order,omitempty" doc:"all rules in their new order"`
}

func fromRuleChange(v RuleChange) titles.RuleChange { return titles.RuleChange(v) }

// NamingSettings are how decisions about names are taken.
type NamingSettings struct {
	SignOff  []string `json:"signOff" doc:"kinds of decision that a second person signs off before they count: title, nothing, leave_out, rule"`
	Limit    float64  `json:"limit" minimum:"0" maximum:"1" doc:"score from which a first proposal decides by itself; 0 is never"`
	Revision int64    `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toNamingSettings(v titles.NamingSettings) NamingSettings { return NamingSettings(v) }

func fromNamingSettings(v NamingSettings) titles.NamingSettings { return titles.NamingSettings(v) }

// Unsigned is something that waits for a second person.
type Unsigned struct {
	Kind     string `json:"kind" enum:"name,rule,leave_out"`
	ID       int64  `json:"id"`
	Revision int64  `json:"revision" doc:"of a rule, as it waits"`
	What     string `json:"what"`
	Means    string `json:"means"`
	Note     string `json:"note"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
	Key      string `json:"key"`
}

func toUnsigned(v titles.Unsigned) Unsigned { return Unsigned(v) }

// SuiteDraft says what a suite contains and how one knows that it is on a device: by a record of its own, or also by
// some of its parts.
type SuiteDraft struct {
	ID       int64       `json:"id" doc:"0 is a new one"`
	Product  int64       `json:"product"`
	Edition  string      `json:"edition" doc:"empty is any"`
	Version  string      `json:"version" doc:"what the suite's version begins with, empty is any"`
	Need     int         `json:"need" minimum:"0" doc:"so many of its parts on a device are enough; 0 asks for a record of the suite itself"`
	Parts    []SuitePart `json:"parts" minItems:"1"`
	Revision int64       `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toSuiteDraft(v titles.SuiteDraft) SuiteDraft {
	return SuiteDraft{
		ID:       v.ID,
		Product:  v.Product,
		Edition:  v.Edition,
		Version:  v.Version,
		Need:     v.Need,
		Parts:    rest.Each(v.Parts, toSuitePart),
		Revision: v.Revision,
	}
}

func fromSuiteDraft(v SuiteDraft) titles.SuiteDraft {
	return titles.SuiteDraft{
		ID:       v.ID,
		Product:  v.Product,
		Edition:  v.Edition,
		Version:  v.Version,
		Need:     v.Need,
		Parts:    rest.Each(v.Parts, fromSuitePart),
		Revision: v.Revision,
	}
}

// SuiteView is the definition of a suite with the names of its parts.
type SuiteView struct {
	SuiteDraft
	Names []string `json:"names" doc:"of the parts, in their order"`
}

func toSuiteView(v titles.SuiteView) SuiteView {
	return SuiteView{
		SuiteDraft: toSuiteDraft(v.SuiteDraft),
		Names:      v.Names,
	}
}

// TagCount is a tag with the number of products that have it.
type TagCount struct {
	Tag      string `json:"tag"`
	Products int64  `json:"products"`
}

func toTagCount(v titles.TagCount) TagCount { return TagCount(v) }

// RecordView is a raw record as its source wrote it.
type RecordView struct {
	ID           int64  `json:"id"`
	Publisher    string `json:"publisher"`
	Name         string `json:"name"`
	Version      string `json:"version"`
	Edition      string `json:"edition"`
	Architecture string `json:"architecture"`
	Language     string `json:"language"`
	FileName     string `json:"fileName"`
	Identifiers  string `json:"identifiers"`
}

func toRecordView(v titles.RecordView) RecordView { return RecordView(v) }

// RecordTrace is a record with the trace of its recognition and where it was seen.
type RecordTrace struct {
	Record   RecordView    `json:"record"`
	Trace    []TraceStep   `json:"trace"`
	Title    string        `json:"title"`
	WhyNot   string        `json:"whyNot"`
	Key      string        `json:"key"`
	Installs []SightingRow `json:"installs"`
}

func toRecordTrace(v titles.RecordTrace) RecordTrace {
	return RecordTrace{
		Record:   toRecordView(v.Record),
		Trace:    rest.Each(v.Trace, toTraceStep),
		Title:    v.Title,
		WhyNot:   v.WhyNot,
		Key:      v.Key,
		Installs: rest.Each(v.Installs, toSightingRow),
	}
}

// NewTitle adds a product with one line to the catalogue.
type NewTitle struct {
	Publisher string `json:"publisher" minLength:"1"`
	Product   string `json:"product" minLength:"1"`
	Category  string `json:"category"`
	Model     string `json:"model" enum:"commercial,free,open_source,trial,in_house"`
}

func fromNewTitle(v NewTitle) titles.NewTitle { return titles.NewTitle(v) }

// CatalogueChange is one value of the catalogue that changed. A title, product or publisher that came or went has no
// field.
type CatalogueChange struct {
	ID        int64  `json:"id"`
	Publisher int64  `json:"publisher"`
	Product   int64  `json:"product"`
	Title     int64  `json:"title"`
	Name      string `json:"name" doc:"of the title within its product"`
	Field     string `json:"field"`
	Was       string `json:"was"`
	Now       string `json:"now"`
	At        int64  `json:"at"`
	Author    string `json:"author"`
	File      string `json:"file"`
}

func toCatalogueChange(v titles.CatalogueChange) CatalogueChange { return CatalogueChange(v) }

// Batch is a batch of decisions.
type Batch struct {
	ID     int64  `json:"id"`
	At     int64  `json:"at"`
	Author string `json:"author"`
	What   string `json:"what"`
}

func toBatch(v titles.Batch) Batch { return Batch(v) }

// QueueDay is how many names, and installs of theirs, nobody had recognised on a day.
type QueueDay struct {
	On          string `json:"on"`
	Names       int64  `json:"names"`
	Installs    int64  `json:"installs"`
	AllInstalls int64  `json:"allInstalls"`
}

func toQueueDay(v titles.QueueDay) QueueDay {
	return QueueDay{
		On:          v.On,
		Names:       v.Names,
		Installs:    v.Installs,
		AllInstalls: v.AllInstalls,
	}
}

// CatalogueUpdate is a newer catalogue whose differences are being looked through.
type CatalogueUpdate struct {
	ID       int64  `json:"id"`
	File     string `json:"file"`
	At       int64  `json:"at"`
	Author   string `json:"author"`
	Entries  int64  `json:"entries"`
	ClosedAt int64  `json:"closedAt"`
	ClosedBy string `json:"closedBy"`
	Bad      string `json:"bad" doc:"the lines that could not be read, one a line"`
}

func toCatalogueUpdate(v titles.CatalogueUpdate) CatalogueUpdate { return CatalogueUpdate(v) }

// SightingRow is where and when a record was seen. Times are in seconds since 1970; Until is 0 while it is there.
type SightingRow struct {
	DeviceID    int64     `json:"deviceId"`
	Device      string    `json:"device"`
	Source      string    `json:"source"`
	Path        string    `json:"path"`
	Since       int64     `json:"since"`
	Until       int64     `json:"until"`
	InstallDate civil.Day `json:"installDate"`
}

func toSightingRow(v titles.SightingRow) SightingRow { return SightingRow(v) }

// PublisherRow is a publisher with what the catalogue and the evidence have of it.
type PublisherRow struct {
	ID        int64  `json:"id"`
	Publisher string `json:"publisher"`
	Aliases   string `json:"aliases"`
	Successor string `json:"successor"`
	Products  int64  `json:"products"`
	Installs  int64  `json:"installs"`
	Counted   int64  `json:"counted"`
	Rights    int64  `json:"rights"`
	Revision  int64  `json:"revision" file:"-"`
}

func toPublisherRow(v titles.PublisherRow) PublisherRow { return PublisherRow(v) }

// ReleaseRow is a release with its life and what is planned about it.
type ReleaseRow struct {
	ID         int64     `json:"id"`
	ProductID  int64     `json:"productId"`
	Publisher  string    `json:"publisher"`
	Product    string    `json:"product"`
	Edition    string    `json:"edition"`
	Version    string    `json:"version"`
	Released   civil.Day `json:"released"`
	General    civil.Day `json:"general" doc:"the last day of general support"`
	EndOn      civil.Day `json:"endOn" doc:"the last day of any support"`
	Next       civil.Day `json:"next" doc:"the next day on which a phase ends, or the last one on which one did; 9999-12-31 where none is known"`
	Phase      string    `json:"phase"`
	Devices    int64     `json:"devices" doc:"that have it, or run it as their operating system"`
	Stale      int64     `json:"stale"`
	YearBefore int64     `json:"yearBefore"`
	Plan       string    `json:"plan" doc:"move, remove, extend or keep; empty where nothing is planned"`
	PlanID     int64     `json:"planId"`
	Target     string    `json:"target"`
	Due        civil.Day `json:"due"`
	Owner      string    `json:"owner"`
	Then       int64     `json:"then" doc:"devices when the plan was made"`
	PlanState  string    `json:"planState" doc:"done, late or open"`
	Done       string    `json:"done"`
}

func toReleaseRow(v titles.ReleaseRow) ReleaseRow { return ReleaseRow(v) }

// RecognitionRun says what a recognition of everything anew changed.
type RecognitionRun struct {
	ID       int64          `json:"id"`
	At       int64          `json:"at"`
	Records  int64          `json:"records" doc:"distinct records that were looked at"`
	Found    int64          `json:"found" doc:"of them newly recognised"`
	Moved    int64          `json:"moved" doc:"of them recognised as something else than before"`
	Lost     int64          `json:"lost" doc:"of them no longer recognised"`
	Installs int64          `json:"installs" doc:"of all these"`
	TookMS   int64          `json:"tookMs"`
	Detail   []RecordsMoved `json:"detail"`
}

func toRecognitionRun(v titles.RecognitionRun) RecognitionRun {
	return RecognitionRun{
		ID:       v.ID,
		At:       v.At,
		Records:  v.Records,
		Found:    v.Found,
		Moved:    v.Moved,
		Lost:     v.Lost,
		Installs: v.Installs,
		TookMS:   v.TookMS,
		Detail:   rest.Each(v.Detail, toRecordsMoved),
	}
}

// RecordsMoved are records that were one product and are another; 0 is none.
type RecordsMoved struct {
	From     int64  `json:"from"`
	To       int64  `json:"to"`
	FromName string `json:"fromName"`
	ToName   string `json:"toName"`
	Records  int64  `json:"records"`
	Installs int64  `json:"installs"`
}

func toRecordsMoved(v titles.RecordsMoved) RecordsMoved { return RecordsMoved(v) }

// ProductView is a product of the catalogue with its releases and what was found of it.
type ProductView struct {
	ProductRow
	Lines       []TitleLine       `json:"lines"`
	Names       []wire.NameRow    `json:"names"`
	Parts       []string          `json:"parts"`
	Suite       []string          `json:"suites"`
	Definitions []SuiteView       `json:"definitions"`
	Remarks     []wire.Remark     `json:"remarks" doc:"about the title and about single installs"`
	Changes     []CatalogueChange `json:"changes" doc:"of its titles, newest first"`
	Plans       []PlanView        `json:"plans"`
	Revision    int64             `json:"revision" doc:"of its name"`
	TagRevision int64             `json:"tagRevision" doc:"of its tags"`
}

func toProductView(v titles.ProductView) ProductView {
	return ProductView{
		ProductRow:  toProductRow(v.ProductRow),
		Lines:       rest.Each(v.Lines, toTitleLine),
		Names:       rest.Each(v.Names, wire.ToNameRow),
		Parts:       v.Parts,
		Suite:       v.Suite,
		Definitions: rest.Each(v.Definitions, toSuiteView),
		Remarks:     rest.Each(v.Remarks, wire.ToRemark),
		Changes:     rest.Each(v.Changes, toCatalogueChange),
		Plans:       rest.Each(v.Plans, toPlanView),
		Revision:    v.Revision,
		TagRevision: v.TagRevision,
	}
}

// TitleLine is a title of a product. Says has the columns of titles.csv by name.
type TitleLine struct {
	ID        int64             `json:"id"`
	Edition   string            `json:"edition"`
	Version   string            `json:"version"`
	Says      map[string]string `json:"says"`
	Touched   []string          `json:"touched" doc:"values that were changed here, and that no file changes"`
	ChangedAt int64             `json:"changedAt"`
	Revision  int64             `json:"revision"`
	Phase     string            `json:"phase" enum:"before,general,extended,ended,unknown"`
	EndOn     string            `json:"endOn"`
	Devices   int64             `json:"devices"`
}

func toTitleLine(v titles.TitleLine) TitleLine { return TitleLine(v) }
