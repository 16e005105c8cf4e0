// Package wire has what more than one station sends or takes.
package wire

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/lists"
	"ensomet/internal/rest"
	"ensomet/internal/snapshot"
)

// Condition is one question, or several joined. Exactly one of All, Any, Not and Field is set; the zero Condition
// holds for every device.
type Condition struct {
	All   []Condition `json:"all,omitempty"`
	Any   []Condition `json:"any,omitempty"`
	Not   *Condition  `json:"not,omitempty"`
	Field string      `json:"field,omitempty"`
	Op    string      `json:"op,omitempty"`
	Value string      `json:"value,omitempty"`
}

func ToCondition(v condition.Condition) Condition {
	return Condition{
		All:   rest.Each(v.All, ToCondition),
		Any:   rest.Each(v.Any, ToCondition),
		Not:   rest.Maybe(ToCondition)(v.Not),
		Field: v.Field,
		Op:    v.Op,
		Value: v.Value,
	}
}

func FromCondition(v Condition) condition.Condition {
	return condition.Condition{
		All:   rest.Each(v.All, FromCondition),
		Any:   rest.Each(v.Any, FromCondition),
		Not:   rest.Maybe(FromCondition)(v.Not),
		Field: v.Field,
		Op:    v.Op,
		Value: v.Value,
	}
}

// DeviceRow is a line of the list of devices. LastSeen is in seconds since 1970, 0 for never.
type DeviceRow struct {
	ID           int64  `json:"id"`
	Code         string `json:"code"`
	Name         string `json:"name"`
	Kind         string `json:"kind"`
	Environment  string `json:"environment"`
	Unit         string `json:"unit"`
	Site         string `json:"site"`
	User         string `json:"user"`
	Status       string `json:"status"`
	Country      string `json:"country"`
	Hosting      string `json:"hosting"`
	OS           string `json:"os"`
	Cluster      string `json:"cluster"`
	MemoryMB     int64  `json:"memoryMb"`
	LastSeen     int64  `json:"lastSeen" unit:"unix"`
	Age          string `json:"age"`
	HardwareAge  string `json:"hardwareAge"`
	UseAge       string `json:"useAge"`
	DirectoryAge string `json:"directoryAge"`
	Namesakes    int64  `json:"namesakes"`
	Differ       int64  `json:"differ"`
	Installs     int64  `json:"installs"`
	Unrecognised int64  `json:"unrecognised"`
	Counted      int64  `json:"counted"`
	Cases        int64  `json:"cases"`
}

func ToDeviceRow(v lists.DeviceRow) DeviceRow { return DeviceRow(v) }

// NameRow is a line of the list of raw names, those of one key together.
type NameRow struct {
	Key       string  `json:"key"`
	Publisher string  `json:"publisher"`
	Name      string  `json:"name"`
	Versions  int64   `json:"versions"`
	Records   int64   `json:"records"`
	Installs  int64   `json:"installs"`
	Devices   int64   `json:"devices"`
	Stale     int64   `json:"stale"`
	State     string  `json:"state"`
	Gather    string  `json:"gather"`
	Likely    string  `json:"likely"`
	Score     float64 `json:"score"`
	Money     string  `json:"money" doc:"in the currency of the house, what would follow if the first proposal were right"`
	Findings  int64   `json:"findings"`
	Revision  int64   `json:"revision" file:"-" doc:"of what people say of it"`
}

func ToNameRow(v lists.NameRow) NameRow { return NameRow(v) }

// PositionRow is a line of the position.
type PositionRow struct {
	ID        string `json:"id"`
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Metric    string `json:"metric"`
	Counted   bool   `json:"counted"`
	Owned     int64  `json:"owned"`
	Needed    int64  `json:"needed"`
	Covered   int64  `json:"covered"`
	Short     int64  `json:"short"`
	Surplus   int64  `json:"surplus"`
	Free      int64  `json:"free" doc:"covered without a right of its own"`
	Low       int64  `json:"low"`
	High      int64  `json:"high"`
	Exposure  string `json:"exposure"`
	Spare     string `json:"spare"`
	Currency  string `json:"currency"`
	State     string `json:"state"` // short, even, spare, unknown
	Balance   int64  `json:"balance"`
	Doubtful  bool   `json:"doubtful"`
	Pack      int64  `json:"pack" doc:"what it is bought in"`
	Watched   bool   `json:"watched"`
}

func ToPositionRow(v lists.PositionRow) PositionRow { return PositionRow(v) }

// CaseRow is a line of the worklist.
type CaseRow struct {
	ID       int64  `json:"id"`
	Kind     string `json:"kind"`
	State    string `json:"state"`
	Ended    bool   `json:"ended"`
	DeviceID int64  `json:"deviceId"`
	Device   string `json:"device"`
	Unit     string `json:"unit"`

	DeviceKind  string `json:"deviceKind"`
	Environment string `json:"environment"`
	Hosting     string `json:"hosting"`
	Site        string `json:"site"`

	User      string    `json:"user"`
	Age       string    `json:"age"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Worth     string    `json:"worth"`
	Amount    string    `json:"amount"`
	Currency  string    `json:"currency"`
	MoneyOn   civil.Day `json:"moneyOn"`
	OpenedAt  int64     `json:"openedAt" unit:"unix"`
	ChangedAt int64     `json:"changedAt" unit:"unix"`
	CameBack  int64     `json:"cameBack"`
	Person    string    `json:"person" doc:"user_id of who holds the seat, or is asked"`
	PersonID  int64     `json:"personId"`
	Pool      string    `json:"pool"`
	About     string    `json:"about" doc:"the device, person, pool or product that it is about"`
	Quantity  int64     `json:"quantity"`
	Answer    string    `json:"answer"`
	AnswerBy  civil.Day `json:"answerBy"`
	KeptUntil civil.Day `json:"keptUntil"`
	Owner     string    `json:"owner"`
}

func ToCaseRow(v lists.CaseRow) CaseRow { return CaseRow(v) }

// Measure is one measure of a scenario, in the words of people: codes instead of numbers. Which fields count
// depends on its kind.
type Measure struct {
	Kind     string   `json:"kind" enum:"remove,reclaim,move,buy,upgrade,version,metric,right,maintenance,capacity,lapse,pin,host,leave_out"`
	Product  int64    `json:"product"`
	Devices  []string `json:"devices,omitempty" doc:"device_id"`
	Users    []string `json:"users,omitempty" doc:"user_id"`
	Line     string   `json:"line,omitempty" doc:"entitlement_id"`
	Quantity int64    `json:"quantity,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Country  string   `json:"country,omitempty"`
	Version  string   `json:"version,omitempty"`
	Edition  string   `json:"edition,omitempty"`
	Metric   string   `json:"metric,omitempty"`
	Right    string   `json:"right,omitempty"`
	Until    string   `json:"until,omitempty"`
	Capacity string   `json:"capacity,omitempty" doc:"full, sub"`
	Host     string   `json:"host,omitempty" doc:"device_id of the host that virtual machines move to"`
	Reason   string   `json:"reason,omitempty"`
	Price    string   `json:"price,omitempty" doc:"of one; empty is the price of the line, else the list price"`
	Currency string   `json:"currency,omitempty"`
}

func ToMeasure(v snapshot.Measure) Measure { return Measure(v) }

func FromMeasure(v Measure) snapshot.Measure { return snapshot.Measure(v) }

// Remark is what somebody noted about a product, or about its install on a device.
type Remark struct {
	ID         int64  `json:"id"`
	Product    int64  `json:"product"`
	Device     int64  `json:"device" doc:"0 is the title itself"`
	DeviceCode string `json:"deviceCode"`
	DeviceName string `json:"deviceName"`
	Name       string `json:"name" doc:"of the product"`
	Text       string `json:"text"`
	Author     string `json:"author"`
	At         int64  `json:"at"`
}

func ToRemark(v snapshot.Remark) Remark { return Remark(v) }

// PositionChange is how one position would change. Before and After are surplus less shortfall; a position may also
// change in money alone.
type PositionChange struct {
	Product      string `json:"product"`
	Metric       string `json:"metric"`
	NeededBefore int64  `json:"neededBefore"`
	NeededAfter  int64  `json:"neededAfter"`
	Before       int64  `json:"before"`
	After        int64  `json:"after"`
	MoneyBefore  string `json:"moneyBefore" doc:"what the shortfall is worth at list price"`
	MoneyAfter   string `json:"moneyAfter"`
	Currency     string `json:"currency"`
}

func ToPositionChange(v snapshot.PositionChange) PositionChange { return PositionChange(v) }
