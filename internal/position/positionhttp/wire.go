package positionhttp

import (
	"ensomet/internal/core/demand"
	"ensomet/internal/core/evidence"
	"ensomet/internal/position"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// CalcStep is one step of a calculation: what is done, and what comes out.
type CalcStep struct {
	What   string `json:"what"`
	Result string `json:"result"`
}

func toCalcStep(v demand.CalcStep) CalcStep { return CalcStep(v) }

// StoredStatement is positions as they were handed to somebody. Content is compressed; SHA256 is of it.
type StoredStatement struct {
	ID        int64  `json:"id"`
	At        int64  `json:"at"`
	Author    string `json:"author"`
	HandedTo  string `json:"handedTo"`
	Note      string `json:"note"`
	AsOf      string `json:"asOf"`
	Positions int64  `json:"positions"`
	Size      int64  `json:"size"`
	SHA256    string `json:"sha256"`
	Scope     string `json:"scope" doc:"whom or what it speaks of, in words; empty is the whole house"`
	Mark      int64  `json:"mark" doc:"by what was known at which it was made; 0 where that was not kept yet"`
}

func toStoredStatement(v position.StoredStatement) StoredStatement {
	return StoredStatement{
		ID:        v.ID,
		At:        v.At,
		Author:    v.Author,
		HandedTo:  v.HandedTo,
		Note:      v.Note,
		AsOf:      v.AsOf,
		Positions: v.Positions,
		Size:      v.Size,
		SHA256:    v.SHA256,
		Scope:     v.Scope,
		Mark:      v.Mark,
	}
}

// ProductPosition is the position of one product, opened into both sides.
type ProductPosition struct {
	ProductID int64            `json:"productId"`
	Publisher string           `json:"publisher"`
	Product   string           `json:"product"`
	AsOf      string           `json:"asOf"`
	Words     string           `json:"words"`
	Metrics   []MetricPosition `json:"metrics"`
	Folded    int64            `json:"folded"`
	Excluded  []Excluded       `json:"excluded"`
	Hosting   []HostingSplit   `json:"hosting" doc:"empty where all are on the own sites and need a right of the house"`
	Revision  int64            `json:"revision" doc:"of the order of its metrics"`
}

func toProductPosition(v position.ProductPosition) ProductPosition {
	return ProductPosition{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		AsOf:      v.AsOf,
		Words:     v.Words,
		Metrics:   rest.Each(v.Metrics, toMetricPosition),
		Folded:    v.Folded,
		Excluded:  rest.Each(v.Excluded, toExcluded),
		Hosting:   rest.Each(v.Hosting, toHostingSplit),
		Revision:  v.Revision,
	}
}

// Excluded counts installs of the product that do not count, by reason.
type Excluded struct {
	Reason string `json:"reason"`
	Count  int64  `json:"count"`
}

func toExcluded(v position.Excluded) Excluded { return Excluded(v) }

// HostingSplit counts the devices that have a product and are hosted in one way.
type HostingSplit struct {
	Hosting  string `json:"hosting"`
	Own      int64  `json:"own" doc:"devices that need a right of the house's own"`
	Included int64  `json:"included" doc:"devices on which its right comes with the place"`
}

func toHostingSplit(v position.HostingSplit) HostingSplit { return HostingSplit(v) }

// MetricPosition is one position with its lines and its demand in groups.
type MetricPosition struct {
	Metric   string      `json:"metric"`
	Counted  bool        `json:"counted"`
	Owned    int64       `json:"owned"`
	Needed   int64       `json:"needed"`
	Covered  int64       `json:"covered"`
	Short    int64       `json:"short"`
	Surplus  int64       `json:"surplus"`
	Low      int64       `json:"low"`
	High     int64       `json:"high"`
	Free     int64       `json:"free" doc:"covered without a right of its own"`
	Outside  int64       `json:"outside" doc:"devices that have it and that this metric does not count"`
	Pack     int64       `json:"pack" doc:"what it is bought in"`
	Buy      int64       `json:"buy" doc:"packs that would cover what is short"`
	Terms    []string    `json:"terms"`
	Disagree []string    `json:"disagree" doc:"terms that its lines disagree on; the strictest counts"`
	Exposure string      `json:"exposure"`
	Spare    string      `json:"spare"`
	Currency string      `json:"currency"`
	Proof    ProofView   `json:"proof"`
	Lines    []LineView  `json:"lines"`
	Groups   []GroupView `json:"groups"`
	Doubt    []DoubtView `json:"doubt"`
}

func toMetricPosition(v position.MetricPosition) MetricPosition {
	return MetricPosition{
		Metric:   v.Metric,
		Counted:  v.Counted,
		Owned:    v.Owned,
		Needed:   v.Needed,
		Covered:  v.Covered,
		Short:    v.Short,
		Surplus:  v.Surplus,
		Low:      v.Low,
		High:     v.High,
		Free:     v.Free,
		Outside:  v.Outside,
		Pack:     v.Pack,
		Buy:      v.Buy,
		Terms:    v.Terms,
		Disagree: v.Disagree,
		Exposure: v.Exposure,
		Spare:    v.Spare,
		Currency: v.Currency,
		Proof:    toProofView(v.Proof),
		Lines:    rest.Each(v.Lines, toLineView),
		Groups:   rest.Each(v.Groups, toGroupView),
		Doubt:    rest.Each(v.Doubt, toDoubtView),
	}
}

// ProofView shows that an allocation is the best: no allocation covers more than Bound, at list price, and this one
// covers Covered.
type ProofView struct {
	Covered string `json:"covered"`
	Bound   string `json:"bound"`
	Best    bool   `json:"best"`
	Looked  int    `json:"looked" doc:"parts of the search where a right can serve several units; 0 where prices alone show it"`
}

func toProofView(v position.ProofView) ProofView { return ProofView(v) }

// LineView is an entitlement in a position.
type LineView struct {
	Code      string `json:"code"`
	Terms     string `json:"terms"`
	Effective int64  `json:"effective"`
	Used      int64  `json:"used"`
	Spare     int64  `json:"spare"`
	Why       string `json:"why"`
	Unmatched int64  `json:"unmatched"`
	Consumed  int64  `json:"consumed" doc:"used up by upgrades"`
	Contract  string `json:"contract"`
	Worth     string `json:"worth" doc:"what one more right of it would cover, at list price; empty for nothing"`
}

func toLineView(v position.LineView) LineView { return LineView(v) }

// GroupView is demand that is covered by one line for one reason, or not covered for one reason.
type GroupView struct {
	Key    string `json:"key"`
	Line   string `json:"line"` // empty where nothing covers it
	Reason string `json:"reason"`
	Count  int    `json:"count"`
}

func toGroupView(v position.GroupView) GroupView { return GroupView(v) }

// DoubtView is how many devices of a kind the figure knows how much of.
type DoubtView struct {
	Kind  evidence.DeviceKind `json:"kind"`
	Fresh int64               `json:"fresh"`
	Stale int64               `json:"stale"`
	Never int64               `json:"never"`
}

func toDoubtView(v position.DoubtView) DoubtView { return DoubtView(v) }

// UnitView is one unit of demand with what it came to.
type UnitView struct {
	Device     string      `json:"device"` // device_id
	DeviceName string      `json:"deviceName"`
	User       string      `json:"user"` // user_id
	UserName   string      `json:"userName"`
	Unit       string      `json:"unit"`
	Count      int64       `json:"count" doc:"licences of it that this line speaks of"`
	Whole      int64       `json:"whole" doc:"licences that it needs altogether"`
	Free       bool        `json:"free" doc:"covered without a right of its own"`
	With       string      `json:"with" doc:"device_id of the device whose right serves it"`
	Calc       []CalcStep  `json:"calc" doc:"how the count came about"`
	Guests     []GuestView `json:"guests"`
	From       int64       `json:"from" doc:"of a session, in seconds since 1970"`
	To         int64       `json:"to"`
	Needs      string      `json:"needs"`
	Line       string      `json:"line"`
	Reason     string      `json:"reason"`
	Why        string      `json:"why"`
	Fresh      bool        `json:"fresh"`
	LastSeen   int64       `json:"lastSeen"`
	Records    []int64     `json:"records"`
}

func toUnitView(v position.UnitView) UnitView {
	return UnitView{
		Device:     v.Device,
		DeviceName: v.DeviceName,
		User:       v.User,
		UserName:   v.UserName,
		Unit:       v.Unit,
		Count:      v.Count,
		Whole:      v.Whole,
		Free:       v.Free,
		With:       v.With,
		Calc:       rest.Each(v.Calc, toCalcStep),
		Guests:     rest.Each(v.Guests, toGuestView),
		From:       v.From,
		To:         v.To,
		Needs:      v.Needs,
		Line:       v.Line,
		Reason:     v.Reason,
		Why:        v.Why,
		Fresh:      v.Fresh,
		LastSeen:   v.LastSeen,
		Records:    v.Records,
	}
}

// MachineView is what licences by processor and core depend on of a device, and every one that they need for it. A
// number that is not known is 0.
type MachineView struct {
	Virtual      bool         `json:"virtual" doc:"it runs on a host, known or not"`
	Processors   int64        `json:"processors"`
	Cores        int64        `json:"cores"`
	VirtualCores int64        `json:"virtualCores"`
	Factor       int64        `json:"factor" doc:"core factor in ten-thousandths"`
	Pinned       bool         `json:"pinned" doc:"it stays on its host"`
	Host         GuestView    `json:"host"`
	SeenOn       []GuestView  `json:"seenOn" doc:"other hosts that it was seen on in the window of demand"`
	Cluster      string       `json:"cluster" doc:"its own, or that of its host"`
	ClusterHosts int64        `json:"clusterHosts"`
	Guests       []GuestView  `json:"guests" doc:"what runs on it now, with its virtual cores"`
	Charges      []ChargeView `json:"charges" doc:"of the first titles"`
	Done         int          `json:"done" doc:"how many of the titles were worked out, with those before"`
	Titles       int          `json:"titles" doc:"that may be charged"`
	Next         int64        `json:"next" doc:"asks for the charges of further titles; 0 is none"`
}

func toMachineView(v position.MachineView) MachineView {
	return MachineView{
		Virtual:      v.Virtual,
		Processors:   v.Processors,
		Cores:        v.Cores,
		VirtualCores: v.VirtualCores,
		Factor:       v.Factor,
		Pinned:       v.Pinned,
		Host:         toGuestView(v.Host),
		SeenOn:       rest.Each(v.SeenOn, toGuestView),
		Cluster:      v.Cluster,
		ClusterHosts: v.ClusterHosts,
		Guests:       rest.Each(v.Guests, toGuestView),
		Charges:      rest.Each(v.Charges, toChargeView),
		Done:         v.Done,
		Titles:       v.Titles,
		Next:         v.Next,
	}
}

// ChargeView is what one product needs by processors or cores of one machine: of the device itself, or of one that
// counts because of the device.
type ChargeView struct {
	ProductID int64    `json:"productId"`
	Publisher string   `json:"publisher"`
	Product   string   `json:"product"`
	Here      bool     `json:"here" doc:"it counts on the device itself"`
	Metric    string   `json:"metric"`
	Unit      UnitView `json:"unit"`
}

func toChargeView(v position.ChargeView) ChargeView {
	return ChargeView{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		Here:      v.Here,
		Metric:    v.Metric,
		Unit:      toUnitView(v.Unit),
	}
}

// GuestView is a virtual machine that makes demand on a host.
type GuestView struct {
	Device string `json:"device"`
	Name   string `json:"name"`
	Cores  int64  `json:"cores"`
}

func toGuestView(v position.GuestView) GuestView { return GuestView(v) }

// StatementEvidence says what the figures rested on.
type StatementEvidence struct {
	Devices  int64  `json:"devices"`
	Fresh    int64  `json:"fresh"`
	Stale    int64  `json:"stale"`
	Never    int64  `json:"never"`
	LastScan int64  `json:"lastScan" doc:"the newest scan that was known"`
	Change   string `json:"change" doc:"the number of the last change that was counted"`
}

func toStatementEvidence(v position.StatementEvidence) StatementEvidence { return StatementEvidence(v) }

// ComparedPosition is a position as it was said, and as it is known now for the same day.
type ComparedPosition struct {
	ProductID int64   `json:"productId"`
	Publisher string  `json:"publisher"`
	Product   string  `json:"product"`
	Metric    string  `json:"metric"`
	Currency  string  `json:"currency"`
	Said      Figures `json:"said"`
	Now       Figures `json:"now"`
	Differs   bool    `json:"differs"`
}

func toComparedPosition(v position.ComparedPosition) ComparedPosition {
	return ComparedPosition{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		Metric:    v.Metric,
		Currency:  v.Currency,
		Said:      toFigures(v.Said),
		Now:       toFigures(v.Now),
		Differs:   v.Differs,
	}
}

// StatementView is a statement beside what is known now.
type StatementView struct {
	StoredStatement
	Opened   bool               `json:"opened" doc:"it opens down to machines"`
	Evidence StatementEvidence  `json:"evidence"`
	Against  string             `json:"against" doc:"the day that it is compared with"`
	Compared []ComparedPosition `json:"compared"`
	Differ   int                `json:"differ"`
}

func toStatementView(v position.StatementView) StatementView {
	return StatementView{
		StoredStatement: toStoredStatement(v.StoredStatement),
		Opened:          v.Opened,
		Evidence:        toStatementEvidence(v.Evidence),
		Against:         v.Against,
		Compared:        rest.Each(v.Compared, toComparedPosition),
		Differ:          v.Differ,
	}
}

// CheckedStatement is a statement beside what its figures come to when they are worked out again as known at the
// moment at which it was made.
type CheckedStatement struct {
	StoredStatement
	Recomputed int      `json:"recomputed" doc:"positions"`
	Units      int      `json:"units" doc:"of demand, that were compared one by one"`
	Wrong      []string `json:"wrong" doc:"what differs; none where it holds"`
}

func toCheckedStatement(v position.CheckedStatement) CheckedStatement {
	return CheckedStatement{
		StoredStatement: toStoredStatement(v.StoredStatement),
		Recomputed:      v.Recomputed,
		Units:           v.Units,
		Wrong:           v.Wrong,
	}
}

// StatementUnit is a unit of demand as a statement kept it.
type StatementUnit struct {
	Publisher string   `json:"publisher"`
	Product   string   `json:"product"`
	Metric    string   `json:"metric"`
	Device    string   `json:"device" doc:"device_id"`
	Name      string   `json:"name"`
	User      string   `json:"user" doc:"user_id"`
	UserName  string   `json:"userName"`
	Unit      string   `json:"unit"`
	Count     int64    `json:"count"`
	Needs     string   `json:"needs"`
	Line      string   `json:"line"`
	Reason    string   `json:"reason"`
	Why       string   `json:"why"`
	Calc      string   `json:"calc"`
	LastSeen  int64    `json:"lastSeen"`
	Records   []string `json:"records" doc:"what the machine reported"`
}

func toStatementUnit(v position.StatementUnit) StatementUnit { return StatementUnit(v) }

// CauseStep is what one cause changed in a metric.
type CauseStep struct {
	Cause   string       `json:"cause"`
	Learnt  bool         `json:"learnt" doc:"it did not happen between the days: it was only known later"`
	Metric  string       `json:"metric"`
	Change  Figures      `json:"change"`
	Devices []StepRef    `json:"devices" doc:"at most 200 of them"`
	Count   int          `json:"count" doc:"devices altogether"`
	Users   []StepRef    `json:"users"`
	Lines   []StepLine   `json:"lines"`
	Names   []NamesMoved `json:"names" doc:"that are recognised as something else"`
	Entered []string     `json:"entered" doc:"what was entered, by whom and when"`
}

// NamesMoved are reported names that are recognised as something else than they were.
type NamesMoved struct {
	Names   []string `json:"names" doc:"at most 20 of them"`
	Count   int      `json:"count"`
	Was     string   `json:"was" doc:"a product, or why they were none"`
	Is      string   `json:"is"`
	By      string   `json:"by" doc:"what decides now, and since when"`
	Devices int      `json:"devices"`
}

func toNamesMoved(v position.NamesMoved) NamesMoved { return NamesMoved(v) }

func toCauseStep(v position.CauseStep) CauseStep {
	return CauseStep{
		Cause:   v.Cause,
		Learnt:  v.Learnt,
		Metric:  v.Metric,
		Change:  toFigures(v.Change),
		Devices: rest.Each(v.Devices, toStepRef),
		Count:   v.Count,
		Users:   rest.Each(v.Users, toStepRef),
		Lines:   rest.Each(v.Lines, toStepLine),
		Names:   rest.Each(v.Names, toNamesMoved),
		Entered: v.Entered,
	}
}

// StepRef names a device or a user of a step.
type StepRef struct {
	Code string `json:"code"`
	Name string `json:"name"`
	What string `json:"what" doc:"what it needs before and after"`
}

func toStepRef(v position.StepRef) StepRef { return StepRef(v) }

// StepLine names an entitlement of a step, with what it came to on both days.
type StepLine struct {
	Code   string `json:"code"`
	Before int64  `json:"before"`
	After  int64  `json:"after"`
	Why    string `json:"why"`
}

func toStepLine(v position.StepLine) StepLine { return StepLine(v) }

// ProductSteps is how the position of a product came from one day to another, by metric in steps that add up.
type ProductSteps struct {
	ProductID int64        `json:"productId"`
	Publisher string       `json:"publisher"`
	Product   string       `json:"product"`
	From      string       `json:"from"`
	To        string       `json:"to"`
	Known     string       `json:"known" doc:"each day by what was known at its end (then), or now"`
	Since     string       `json:"since" doc:"the first day of which is known what was known at its end"`
	Currency  string       `json:"currency"`
	Metrics   []MetricStep `json:"metrics"`
	Steps     []CauseStep  `json:"steps"`
}

func toProductSteps(v position.ProductSteps) ProductSteps {
	return ProductSteps{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		From:      v.From,
		To:        v.To,
		Known:     string(v.Known),
		Since:     v.Since,
		Currency:  v.Currency,
		Metrics:   rest.Each(v.Metrics, toMetricStep),
		Steps:     rest.Each(v.Steps, toCauseStep),
	}
}

// MetricStep has both ends of a metric.
type MetricStep struct {
	Metric string  `json:"metric"`
	Before Figures `json:"before"`
	After  Figures `json:"after"`
}

func toMetricStep(v position.MetricStep) MetricStep {
	return MetricStep{
		Metric: v.Metric,
		Before: toFigures(v.Before),
		After:  toFigures(v.After),
	}
}

// MovedPosition is a position that is another on the second day.
type MovedPosition struct {
	ProductID int64   `json:"productId"`
	Publisher string  `json:"publisher"`
	Product   string  `json:"product"`
	Metric    string  `json:"metric"`
	Before    Figures `json:"before"`
	After     Figures `json:"after"`
	Currency  string  `json:"currency"`
	Causes    string  `json:"causes" doc:"what moved it, the greatest first"`
}

func toMovedPosition(v position.MovedPosition) MovedPosition {
	return MovedPosition{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		Metric:    v.Metric,
		Before:    toFigures(v.Before),
		After:     toFigures(v.After),
		Currency:  v.Currency,
		Causes:    v.Causes,
	}
}

// CauseSum is what one cause changed over all products.
type CauseSum struct {
	Cause    string `json:"cause"`
	Learnt   bool   `json:"learnt" doc:"it did not happen between the days: it was only known later"`
	Products int    `json:"products"`
	Exposure string `json:"exposure" doc:"in the currency of the house"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
}

func toCauseSum(v position.CauseSum) CauseSum { return CauseSum(v) }

// AllSteps is how the positions of all products came from one day to another. Exposure is in the currency of the
// house and adds up: ExposureBefore and the causes give ExposureAfter.
type AllSteps struct {
	From           string          `json:"from"`
	To             string          `json:"to"`
	Known          string          `json:"known" doc:"each day by what was known at its end (then), or now"`
	Since          string          `json:"since" doc:"the first day of which is known what was known at its end"`
	ExposureBefore string          `json:"exposureBefore"`
	ExposureAfter  string          `json:"exposureAfter"`
	Causes         []CauseSum      `json:"causes"`
	Positions      []MovedPosition `json:"positions"`
	Without        int             `json:"without" doc:"products whose currency has no rate: they are not in the sum"`
}

func toAllSteps(v position.AllSteps) AllSteps {
	return AllSteps{
		From:           v.From,
		To:             v.To,
		Known:          string(v.Known),
		Since:          v.Since,
		ExposureBefore: v.ExposureBefore,
		ExposureAfter:  v.ExposureAfter,
		Causes:         rest.Each(v.Causes, toCauseSum),
		Positions:      rest.Each(v.Positions, toMovedPosition),
		Without:        v.Without,
	}
}

// PartView is the part of a position that belongs to a unit, a country or a contract.
type PartView struct {
	Name     string `json:"name" doc:"empty is everyone's, or no contract"`
	Owned    int64  `json:"owned" doc:"rights used there, and spare ones that are kept for it"`
	Used     int64  `json:"used"`
	Needed   int64  `json:"needed"`
	Covered  int64  `json:"covered"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
	Exposure string `json:"exposure"`
}

func toPartView(v position.PartView) PartView { return PartView(v) }

// TransferView proposes to move spare rights to where something is short.
type TransferView struct {
	Line     string `json:"line"`
	From     string `json:"from"`
	Unit     string `json:"unit"`
	Country  string `json:"country"`
	Quantity int64  `json:"quantity"`
	Worth    string `json:"worth" doc:"list price of what it covers"`
}

func toTransferView(v position.TransferView) TransferView { return TransferView(v) }

// PartsOfMetric are the parts of one metric.
type PartsOfMetric struct {
	Metric    string         `json:"metric"`
	Currency  string         `json:"currency"`
	Parts     []PartView     `json:"parts"`
	Transfers []TransferView `json:"transfers"`
}

func toPartsOfMetric(v position.PartsOfMetric) PartsOfMetric {
	return PartsOfMetric{
		Metric:    v.Metric,
		Currency:  v.Currency,
		Parts:     rest.Each(v.Parts, toPartView),
		Transfers: rest.Each(v.Transfers, toTransferView),
	}
}

// ProofRun is what doing an allocation again, by another way, found.
type ProofRun struct {
	Metric  string   `json:"metric"`
	Allowed bool     `json:"allowed" doc:"no right is given out twice, and none where it may not be"`
	Best    bool     `json:"best" doc:"no allocation covers more"`
	Covered string   `json:"covered"`
	Bound   string   `json:"bound"`
	Same    bool     `json:"same" doc:"the stored figures are those that come out"`
	Lines   []string `json:"lines" doc:"what one more right of each line would cover"`
}

func toProofRun(v position.ProofRun) ProofRun { return ProofRun(v) }

// TriedPosition is a position before and after all measures.
type TriedPosition struct {
	ProductID int64   `json:"productId"`
	Publisher string  `json:"publisher"`
	Product   string  `json:"product"`
	Metric    string  `json:"metric"`
	Currency  string  `json:"currency"`
	Before    Figures `json:"before"`
	After     Figures `json:"after"`
}

func toTriedPosition(v position.TriedPosition) TriedPosition {
	return TriedPosition{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		Metric:    v.Metric,
		Currency:  v.Currency,
		Before:    toFigures(v.Before),
		After:     toFigures(v.After),
	}
}

// TriedMeasure is what one measure does after those before it.
type TriedMeasure struct {
	Words    string `json:"words"`
	Error    string `json:"error" doc:"why it cannot be; then it is passed over"`
	Cost     string `json:"cost"`
	Saves    string `json:"saves" doc:"what is no longer paid at the next renewal"`
	Currency string `json:"currency"`
	Short    int64  `json:"short" doc:"by how much the shortfall changes"`
	Surplus  int64  `json:"surplus"`
}

func toTriedMeasure(v position.TriedMeasure) TriedMeasure { return TriedMeasure(v) }

// Tried is what a scenario would do. Money is in the currency of the house; amounts without a rate are left out and
// counted.
type Tried struct {
	Positions      []TriedPosition `json:"positions"`
	Measures       []TriedMeasure  `json:"measures"`
	ExposureBefore string          `json:"exposureBefore"`
	ExposureAfter  string          `json:"exposureAfter"`
	Cost           string          `json:"cost"`
	Saves          string          `json:"saves"`
	Without        int             `json:"without"`
}

func toTried(v position.Tried) Tried {
	return Tried{
		Positions:      rest.Each(v.Positions, toTriedPosition),
		Measures:       rest.Each(v.Measures, toTriedMeasure),
		ExposureBefore: v.ExposureBefore,
		ExposureAfter:  v.ExposureAfter,
		Cost:           v.Cost,
		Saves:          v.Saves,
		Without:        v.Without,
	}
}

// WayOut is one way out of a shortfall, worked out as a measure on its own.
type WayOut struct {
	What     string         `json:"what" enum:"together,take back,remove,seats,transfer,machines,version,leave out,upgrade,renew maintenance,contract,buy"`
	Words    string         `json:"words"`
	Covers   int64          `json:"covers" doc:"by how much the shortfall shrinks, what else becomes short counted in"`
	Left     int64          `json:"left" doc:"what stays short"`
	Cost     string         `json:"cost" doc:"0 where it costs nothing, empty where nobody knows"`
	Currency string         `json:"currency"`
	Saves    string         `json:"saves"`
	Time     string         `json:"time"`
	Agree    string         `json:"agree" doc:"who has to agree; empty where nobody has"`
	Measures []wire.Measure `json:"measures" doc:"to be tried together with others"`
	Cases    []int64        `json:"cases" doc:"cases that do it"`
}

func toWayOut(v position.WayOut) WayOut {
	return WayOut{
		What:     v.What,
		Words:    v.Words,
		Covers:   v.Covers,
		Left:     v.Left,
		Cost:     v.Cost,
		Currency: v.Currency,
		Saves:    v.Saves,
		Time:     v.Time,
		Agree:    v.Agree,
		Measures: rest.Each(v.Measures, wire.ToMeasure),
		Cases:    v.Cases,
	}
}

// Figures are figures of a position, or by how much they changed.
type Figures struct {
	Owned    int64  `json:"owned"`
	Needed   int64  `json:"needed"`
	Covered  int64  `json:"covered"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
	Low      int64  `json:"low"`
	High     int64  `json:"high"`
	Exposure string `json:"exposure"`
}

func toFigures(v position.Figures) Figures { return Figures(v) }
