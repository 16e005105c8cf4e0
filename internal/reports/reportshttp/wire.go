package reportshttp

import (
	"ensomet/internal/reports"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// RefreshStatus says whether figures are being renewed, and how often they have been since the program started.
type RefreshStatus struct {
	Renewals int64  `json:"renewals"`
	Running  bool   `json:"running"`
	Step     string `json:"step"`
	Error    string `json:"error"`
}

func toRefreshStatus(v reports.RefreshStatus) RefreshStatus { return RefreshStatus(v) }

// Overview is what stands at each station of the work, and the money by currency.
type Overview struct {
	Counts
	AsOf     string             `json:"asOf"`
	Money    []MoneyRow         `json:"money"`
	Shortest []wire.PositionRow `json:"shortest"`
	Silent   []wire.DeviceRow   `json:"silent"`
	TopNames []wire.NameRow     `json:"topNames"`
	Imports  []ImportView       `json:"imports"`
	FreshFor int                `json:"freshFor"`
	Window   int                `json:"window"`
	Grace    int                `json:"grace"`
}

func toOverview(v reports.Overview) Overview {
	return Overview{
		Counts:   toCounts(v.Counts),
		AsOf:     v.AsOf,
		Money:    rest.Each(v.Money, toMoneyRow),
		Shortest: rest.Each(v.Shortest, wire.ToPositionRow),
		Silent:   rest.Each(v.Silent, wire.ToDeviceRow),
		TopNames: rest.Each(v.TopNames, wire.ToNameRow),
		Imports:  rest.Each(v.Imports, toImportView),
		FreshFor: v.FreshFor,
		Window:   v.Window,
		Grace:    v.Grace,
	}
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

	State        string `json:"state" doc:"running, stopped or done"`
	Devices      int64  `json:"devices" doc:"of a file that is taken in step by step; 0 of another"`
	DevicesTaken int64  `json:"devicesTaken" doc:"of which it was taken in"`
}

func toImportView(v reports.ImportView) ImportView { return ImportView(v) }

// Counts is how much stands at each station of the work.
type Counts struct {
	Devices      int64 `json:"devices"`
	InService    int64 `json:"inService"`
	Fresh        int64 `json:"fresh"`
	Stale        int64 `json:"stale"`
	Never        int64 `json:"never"`
	Installs     int64 `json:"installs"`
	Aside        int64 `json:"aside"`
	Unrecognised int64 `json:"unrecognised"`
	Names        int64 `json:"names"`
	Counted      int64 `json:"counted"`
	Folded       int64 `json:"folded"`
	Entitlements int64 `json:"entitlements"`
	EndingSoon   int64 `json:"endingSoon"`
	Measured     int64 `json:"measured"`
	NotMeasured  int64 `json:"notMeasured"`
	Idle         int64 `json:"idle"`
	Positions    int64 `json:"positions"`
	Needed       int64 `json:"needed"`
	Covered      int64 `json:"covered"`
	Short        int64 `json:"short"`
	Spare        int64 `json:"spare"`
	Doubtful     int64 `json:"doubtful"`
	OpenCases    int64 `json:"openCases"`
	AgreedCases  int64 `json:"agreedCases"`
	SentCases    int64 `json:"sentCases"`
	GoneCases    int64 `json:"goneCases"`
	BackCases    int64 `json:"backCases"`
}

func toCounts(v reports.Counts) Counts { return Counts(v) }

// MoneyRow sums the position by currency.
type MoneyRow struct {
	Currency string `json:"currency"`
	Exposure string `json:"exposure"`
	Spare    string `json:"spare"`
}

func toMoneyRow(v reports.MoneyRow) MoneyRow { return MoneyRow(v) }

// Hit is something that the command line found.
type Hit struct {
	Kind   string `json:"kind"` // device, title, entitlement, person
	ID     string `json:"id"`
	Text   string `json:"text"`
	Detail string `json:"detail"`
}

func toHit(v reports.Hit) Hit { return Hit(v) }

// SplitRow is what falls to one value of a split.
type SplitRow struct {
	Value   string  `json:"value" doc:"empty: it is not known by what"`
	Count   int64   `json:"count"`
	Devices int64   `json:"devices" doc:"different ones"`
	Stale   int64   `json:"stale"`
	Never   int64   `json:"never"`
	Parts   []int64 `json:"parts" doc:"in step with the parts of the split"`
}

func toSplitRow(v reports.SplitRow) SplitRow {
	return SplitRow{Value: v.Value, Count: v.Count, Devices: v.Devices, Stale: v.Stale, Never: v.Never,
		Parts: append([]int64{}, v.Parts...)}
}

// Split is a count split by what is said of devices.
type Split struct {
	Rows   []SplitRow `json:"rows" doc:"the largest first"`
	Parts  []string   `json:"parts" doc:"classes of use, kinds of cases; none of installs and titles"`
	Total  SplitRow   `json:"total" doc:"of titles and devices each once"`
	Estate int64      `json:"estate" doc:"devices that are known"`
	By     []string   `json:"by" doc:"by what it can be split"`
}

func toSplit(v reports.Split) Split {
	return Split{Rows: rest.Each(v.Rows, toSplitRow), Parts: v.Parts, Total: toSplitRow(v.Total), Estate: v.Estate,
		By: v.By}
}
