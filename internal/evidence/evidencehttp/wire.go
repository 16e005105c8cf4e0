package evidencehttp

import (
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/schedule"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// Field is something that a condition may ask about.
type Field struct {
	Name string         `json:"name"`
	Type condition.Type `json:"type"`
}

func toField(v condition.Field) Field { return Field(v) }

// Calendar is a plan by days: every day, on weekdays, or on days of the month, at one time of the day of the device's
// site.
type Calendar struct {
	Weekdays  []time.Weekday `json:"weekdays,omitempty"`  // none is every one
	MonthDays []int          `json:"monthDays,omitempty"` // 1 to 31; none is every one. A month without the day passes
	At        string         `json:"at"`                  // hh:mm
}

func toCalendar(v schedule.Calendar) Calendar { return Calendar(v) }

func fromCalendar(v Calendar) schedule.Calendar { return schedule.Calendar(v) }

// Quiet is a span in which no scan may start: on weekdays (none is every day) from a time of day until another. An
// end that is not later than its beginning lies on the next day. With dates it holds on these days alone.
type Quiet struct {
	Weekdays []time.Weekday `json:"weekdays,omitempty"`
	From     string         `json:"from"` // hh:mm
	Until    string         `json:"until"`
	First    string         `json:"first,omitempty"` // YYYY-MM-DD
	Last     string         `json:"last,omitempty"`
}

func toQuiet(v schedule.Quiet) Quiet { return Quiet(v) }

func fromQuiet(v Quiet) schedule.Quiet { return schedule.Quiet(v) }

// ChangeRuleDraft quietens changes that are noise, or sends those that matter by mail.
type ChangeRuleDraft struct {
	ID        int64    `json:"id" minimum:"0" doc:"0 is a new one"`
	Revision  int64    `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	What      string   `json:"what" enum:"quiet,mail"`
	Kinds     []string `json:"kinds" doc:"installed, removed, upgraded, hardware; none is all"`
	Name      string   `json:"name" doc:"a pattern with * and ?; empty is all"`
	Publisher string   `json:"publisher"`
	Group     string   `json:"group"`
	Address   string   `json:"address" doc:"where mail goes"`
}

func toChangeRuleDraft(v evidence.ChangeRuleDraft) ChangeRuleDraft { return ChangeRuleDraft(v) }

func fromChangeRuleDraft(v ChangeRuleDraft) evidence.ChangeRuleDraft {
	return evidence.ChangeRuleDraft(v)
}

// ChangeRuleView is a rule in force.
type ChangeRuleView struct {
	ChangeRuleDraft
	Words   string `json:"words"`
	Touches int    `json:"touches"`
	Author  string `json:"author"`
	At      int64  `json:"at"`
}

func toChangeRuleView(v evidence.ChangeRuleView) ChangeRuleView {
	return ChangeRuleView{
		ChangeRuleDraft: toChangeRuleDraft(v.ChangeRuleDraft),
		Words:           v.Words,
		Touches:         v.Touches,
		Author:          v.Author,
		At:              v.At,
	}
}

// Comparison is two devices side by side.
type Comparison struct {
	Left     ComparedDevice  `json:"left"`
	Right    ComparedDevice  `json:"right"`
	DaysOff  int             `json:"daysOff"` // between their evidence of software
	Warning  string          `json:"warning"` // why the two cannot well be compared; empty where they can
	Facts    []ComparedFact  `json:"facts"`
	Software []ComparedTitle `json:"software"`
	Same     int             `json:"same"`
}

func toComparison(v evidence.Comparison) Comparison {
	return Comparison{
		Left:     toComparedDevice(v.Left),
		Right:    toComparedDevice(v.Right),
		DaysOff:  v.DaysOff,
		Warning:  v.Warning,
		Facts:    rest.Each(v.Facts, toComparedFact),
		Software: rest.Each(v.Software, toComparedTitle),
		Same:     v.Same,
	}
}

// ComparedDevice is one of the two.
type ComparedDevice struct {
	Code     string `json:"code"`
	Name     string `json:"name"`
	LastSeen int64  `json:"lastSeen"`
	Age      string `json:"age"`
	Installs int64  `json:"installs"`
}

func toComparedDevice(v evidence.ComparedDevice) ComparedDevice { return ComparedDevice(v) }

// ComparedFact is a fact of both.
type ComparedFact struct {
	Fact   string `json:"fact"`
	Left   string `json:"left"`
	Right  string `json:"right"`
	Differ bool   `json:"differ"`
}

func toComparedFact(v evidence.ComparedFact) ComparedFact { return ComparedFact(v) }

// ComparedTitle is a program with its versions on both; empty is not there. What is left, right, newer left, newer
// right, or same.
type ComparedTitle struct {
	Key       string `json:"key"`
	Name      string `json:"name"`
	Publisher string `json:"publisher"`
	ProductID int64  `json:"productId"`
	Left      string `json:"left"`
	Right     string `json:"right"`
	What      string `json:"what" enum:"left,right,newer left,newer right,differ,same"`
	Counts    bool   `json:"counts"`
}

func toComparedTitle(v evidence.ComparedTitle) ComparedTitle { return ComparedTitle(v) }

// DeviceView is a device with everything known of it.
type DeviceView struct {
	DeviceFull
	FreshFor int            `json:"freshFor"`
	Software []InstallRow   `json:"software"`
	Remarks  []wire.Remark  `json:"remarks" doc:"notes on single installs"`
	Scans    []ScanRow      `json:"scans"`
	Findings []wire.CaseRow `json:"findings"`
}

func toDeviceView(v evidence.DeviceView) DeviceView {
	return DeviceView{
		DeviceFull: toDeviceFull(v.DeviceFull),
		FreshFor:   v.FreshFor,
		Software:   rest.Each(v.Software, toInstallRow),
		Remarks:    rest.Each(v.Remarks, wire.ToRemark),
		Scans:      rest.Each(v.Scans, toScanRow),
		Findings:   rest.Each(v.Findings, wire.ToCaseRow),
	}
}

// ChangeRow is a line of the list of changes between scans. Was and Now are versions, or values of a hardware fact.
type ChangeRow struct {
	ID          int64  `json:"id"`
	At          int64  `json:"at" unit:"unix"`
	Kind        string `json:"kind"`
	DeviceID    int64  `json:"deviceId"`
	Code        string `json:"code"`
	Device      string `json:"device"`
	Unit        string `json:"unit"`
	Environment string `json:"environment"`
	Publisher   string `json:"publisher"`
	Name        string `json:"name"`
	ProductID   int64  `json:"productId"`
	Record      int64  `json:"record"`
	Was         string `json:"was"`
	Now         string `json:"now"`
	Source      string `json:"source"`
	Quiet       int64  `json:"quiet"`
}

func toChangeRow(v evidence.ChangeRow) ChangeRow { return ChangeRow(v) }

// ChangeTally counts the changes that a query finds, by day and kind.
type ChangeTally struct {
	Day   string `json:"day"`
	Kind  string `json:"kind"`
	Count int64  `json:"count"`
}

func toChangeTally(v evidence.ChangeTally) ChangeTally { return ChangeTally(v) }

// MoveRow is a joiner, mover or leaver.
type MoveRow struct {
	ID     int64     `json:"id"`
	On     civil.Day `json:"on"`
	What   string    `json:"what"`
	Person string    `json:"person"`
	Name   string    `json:"name"`
	From   string    `json:"from"`
	To     string    `json:"to"`
	Seats  int64     `json:"seats"`
}

func toMoveRow(v evidence.MoveRow) MoveRow { return MoveRow(v) }

// Delivery is a scan that came over HTTP. Outcome is new, late, again or refused.
type Delivery struct {
	ID         int64  `json:"id"`
	ReceivedAt int64  `json:"receivedAt" unit:"unix"`
	Source     string `json:"source"`
	DeviceID   int64  `json:"deviceId"`
	Code       string `json:"code"`
	Device     string `json:"device"`
	ScanAt     int64  `json:"scanAt" unit:"unix"`
	Bytes      int64  `json:"bytes"`
	Outcome    string `json:"outcome"`
	Detail     string `json:"detail"`
}

func toDelivery(v evidence.Delivery) Delivery { return Delivery(v) }

// OrderRow is a line of the list of scans that were asked for.
type OrderRow struct {
	ID        int64  `json:"id"`
	DeviceID  int64  `json:"deviceId"`
	Code      string `json:"code"`
	Device    string `json:"device"`
	Unit      string `json:"unit"`
	Site      string `json:"site"`
	Schedule  string `json:"schedule"`
	Why       string `json:"why"`
	State     string `json:"state"`
	Tries     int64  `json:"tries"`
	AskedAt   int64  `json:"askedAt" unit:"unix"`
	NotBefore int64  `json:"notBefore" unit:"unix"`
	TakenAt   int64  `json:"takenAt" unit:"unix"`
	EndedAt   int64  `json:"endedAt" unit:"unix"`
	Reason    string `json:"reason"`
	Detail    string `json:"detail"`
	Author    string `json:"author"`
}

func toOrderRow(v evidence.OrderRow) OrderRow { return OrderRow(v) }

// OrderCount counts orders by state.
type OrderCount struct {
	State string `json:"state"`
	Count int64  `json:"count"`
}

func toOrderCount(v evidence.OrderCount) OrderCount { return OrderCount(v) }

// FileRow is a file name that a search found. Devices counts the devices that have it, Stale and Never those of them
// whose evidence is old or missing.
type FileRow struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Size    int64  `json:"size"`
	Devices int64  `json:"devices"`
	Stale   int64  `json:"stale"`
	Of      string `json:"of"` // the software that it belongs to, where a record names it
}

func toFileRow(v evidence.FileRow) FileRow { return FileRow(v) }

// DeviceFileRow is a file on a device.
type DeviceFileRow struct {
	Name    string `json:"name"`
	Folder  string `json:"folder"`
	Version string `json:"version"`
	Size    int64  `json:"size"`
	Source  string `json:"source"`
	Since   int64  `json:"since"`
	Until   int64  `json:"until"`
}

func toDeviceFileRow(v evidence.DeviceFileRow) DeviceFileRow { return DeviceFileRow(v) }

// Level is a step of the way from publishers down to devices.
type Level struct {
	Key      string `json:"key"`
	Label    string `json:"label"`
	Detail   string `json:"detail"`
	Devices  int64  `json:"devices"`
	Installs int64  `json:"installs"`
	Stale    int64  `json:"stale"` // devices
}

func toLevel(v evidence.Level) Level { return Level(v) }

// HolderRow is a device that has a version of a product, with the record that says so.
type HolderRow struct {
	Code   string `json:"code"`
	Device string `json:"device"`
	Unit   string `json:"unit"`
	Age    string `json:"age"`
	Record int64  `json:"record"`
	Name   string `json:"name"`
	Raw    string `json:"raw"`
	File   string `json:"file"`
	Source string `json:"source"`
	Since  int64  `json:"since"`
}

func toHolderRow(v evidence.HolderRow) HolderRow { return HolderRow(v) }

// MissingRow is a part that a collector could not see.
type MissingRow struct {
	Source string `json:"source"`
	Part   string `json:"part"`
	Reason string `json:"reason"`
	At     int64  `json:"at"`
}

func toMissingRow(v evidence.MissingRow) MissingRow { return MissingRow(v) }

// InstallRow is an install on a device's page.
type InstallRow struct {
	Record      int64     `json:"record"`
	ProductID   int64     `json:"productId"`
	Publisher   string    `json:"publisher"`
	Name        string    `json:"name"`
	Version     string    `json:"version"`
	Title       string    `json:"title"`
	By          string    `json:"by"`
	WhyNot      string    `json:"whyNot"`
	Exclusion   int64     `json:"exclusion" doc:"the number of what somebody said to leave it out of the count, 0 where nobody did"`
	Suites      string    `json:"suites" doc:"why it folds under a suite on this device, or does not"`
	Key         string    `json:"key"`
	LicenceKey  string    `json:"licenceKey" doc:"the last signs of a licence key that was found with it"`
	Included    bool      `json:"included" doc:"its right comes with the place it runs in"`
	System      bool      `json:"system" doc:"it is what the device runs on"`
	Ended       string    `json:"ended" doc:"why it counts no more though its source's last list has it"`
	Source      string    `json:"source"`
	Path        string    `json:"path"`
	Since       int64     `json:"since"`
	Until       int64     `json:"until"`
	InstallDate civil.Day `json:"installDate"`
	LastUsed    civil.Day `json:"lastUsed"`
	Use         string    `json:"use"`
}

func toInstallRow(v evidence.InstallRow) InstallRow { return InstallRow(v) }

// ScanRow is a scan of a device.
type ScanRow struct {
	Source string `json:"source"`
	At     int64  `json:"at"`
}

func toScanRow(v evidence.ScanRow) ScanRow { return ScanRow(v) }

// AsideRow is a line that was put aside.
type AsideRow struct {
	ID        int64  `json:"id"`
	Kind      string `json:"kind"`
	File      string `json:"file"`
	Line      int64  `json:"line"`
	Content   string `json:"content"`
	Reason    string `json:"reason"`
	State     string `json:"state"`
	ChangedAt int64  `json:"changedAt" unit:"unix"`
	Author    string `json:"author"`
}

func toAsideRow(v evidence.AsideRow) AsideRow { return AsideRow(v) }

// GroupDraft is a group as somebody wants it. Picked devices are put in by hand (true) or taken out (false), whatever
// the condition says.
type GroupDraft struct {
	ID        int64          `json:"id" doc:"0 for a new one"`
	Name      string         `json:"name"`
	Note      string         `json:"note"`
	ByHand    bool           `json:"byHand"`
	Condition wire.Condition `json:"condition"`
	Picked    []GroupPick    `json:"picked"`
	Revision  int64          `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toGroupDraft(v evidence.GroupDraft) GroupDraft {
	return GroupDraft{
		ID:        v.ID,
		Name:      v.Name,
		Note:      v.Note,
		ByHand:    v.ByHand,
		Condition: wire.ToCondition(v.Condition),
		Picked:    rest.Each(v.Picked, toGroupPick),
		Revision:  v.Revision,
	}
}

func fromGroupDraft(v GroupDraft) evidence.GroupDraft {
	return evidence.GroupDraft{
		ID:        v.ID,
		Name:      v.Name,
		Note:      v.Note,
		ByHand:    v.ByHand,
		Condition: wire.FromCondition(v.Condition),
		Picked:    rest.Each(v.Picked, fromGroupPick),
		Revision:  v.Revision,
	}
}

// GroupPick is a device that was put in or taken out by hand.
type GroupPick struct {
	Device string `json:"device"` // its device_id
	Inside bool   `json:"inside"`
}

func toGroupPick(v evidence.GroupPick) GroupPick { return GroupPick(v) }

func fromGroupPick(v GroupPick) evidence.GroupPick { return evidence.GroupPick(v) }

// DeviceGroupView is a group with what it holds.
type DeviceGroupView struct {
	GroupDraft
	Words   string   `json:"words"`
	Members int      `json:"members"`
	Stale   int      `json:"stale"` // members whose evidence is stale
	Never   int      `json:"never"`
	Author  string   `json:"author"`
	At      int64    `json:"at"`
	UsedBy  []string `json:"usedBy"`
	Titles  []Named  `json:"titles"` // the names of the products that the condition mentions
}

func toDeviceGroupView(v evidence.DeviceGroupView) DeviceGroupView {
	return DeviceGroupView{
		GroupDraft: toGroupDraft(v.GroupDraft),
		Words:      v.Words,
		Members:    v.Members,
		Stale:      v.Stale,
		Never:      v.Never,
		Author:     v.Author,
		At:         v.At,
		UsedBy:     v.UsedBy,
		Titles:     rest.Each(v.Titles, toNamed),
	}
}

// Named is a number with its name.
type Named struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

func toNamed(v evidence.Named) Named { return Named(v) }

// GroupPreview says who would be in a group, and why.
type GroupPreview struct {
	Words   string        `json:"words"`
	Members int           `json:"members"`
	Joins   int           `json:"joins"` // not in it as it is stored
	Leaves  int           `json:"leaves"`
	Stale   int           `json:"stale"`
	Never   int           `json:"never"`
	In      []GroupMember `json:"in"`
	Out     []GroupMember `json:"out"` // the first that are not
}

func toGroupPreview(v evidence.GroupPreview) GroupPreview {
	return GroupPreview{
		Words:   v.Words,
		Members: v.Members,
		Joins:   v.Joins,
		Leaves:  v.Leaves,
		Stale:   v.Stale,
		Never:   v.Never,
		In:      rest.Each(v.In, toGroupMember),
		Out:     rest.Each(v.Out, toGroupMember),
	}
}

// GroupMember is a device with the reason why it is in or out.
type GroupMember struct {
	Device string `json:"device"`
	Name   string `json:"name"`
	Unit   string `json:"unit"`
	Age    string `json:"age"`
	Why    string `json:"why"`
	Change string `json:"change" enum:",joins,leaves"`
}

func toGroupMember(v evidence.GroupMember) GroupMember { return GroupMember(v) }

// FileLook is what a file seems to be, before anything is taken in.
type FileLook struct {
	Form     string     `json:"form"`
	Kind     string     `json:"kind"`
	Needs    bool       `json:"needs"`  // its columns must be mapped
	Saved    bool       `json:"saved"`  // a mapping for this header is on record
	Device   bool       `json:"device"` // it may not say of which device it is
	Columns  []Proposal `json:"columns"`
	Own      []string   `json:"own"` // the columns of the kind
	Required []string   `json:"required"`
	Mapping  *Mapping   `json:"mapping,omitempty"`
}

func toFileLook(v evidence.FileLook) FileLook {
	return FileLook{
		Form:     v.Form,
		Kind:     v.Kind,
		Needs:    v.Needs,
		Saved:    v.Saved,
		Device:   v.Device,
		Columns:  rest.Each(v.Columns, toProposal),
		Own:      v.Own,
		Required: v.Required,
		Mapping:  rest.Maybe(toMapping)(v.Mapping),
	}
}

// ScanTask is an order as a collector gets it.
type ScanTask struct {
	Order  int64  `json:"order"`
	Device string `json:"device"` // device_id
	Why    string `json:"why"`
}

func toScanTask(v evidence.ScanTask) ScanTask { return ScanTask(v) }

// Taken says what a scan did. Outcome is new; late, where a newer one is known; or again, where this very scan is
// known.
type Taken struct {
	Device  string `json:"device"` // device_id
	Outcome string `json:"outcome" enum:"new,late,again"`
	Added   int    `json:"added"`
	Changed int    `json:"changed"`
	Gone    int    `json:"gone"`
}

func toTaken(v arriving.Taken) Taken { return Taken(v) }

// Rules are the numbers that people may set.
type Rules struct {
	FreshDays  int      `json:"freshDays" minimum:"1" maximum:"1000" doc:"evidence older than this is stale, where limits say nothing else"`
	UseWindow  int      `json:"useWindow" minimum:"7" maximum:"1000" doc:"days that classes of use look at"`
	GraceDays  int      `json:"graceDays" minimum:"0" maximum:"1000" doc:"an install younger than this is not proposed for reclaim"`
	Limits     []Limit  `json:"limits,omitempty" doc:"none leaves them as they are"`
	DemandDays *int     `json:"demandDays,omitempty" minimum:"1" maximum:"400" doc:"days in which use makes a named user"`
	LeastShare *float64 `json:"leastShare,omitempty" minimum:"0" maximum:"1" doc:"of a window that must be measured"`
	Zone       *string  `json:"zone,omitempty" doc:"an IANA name: the house's days turn by it; empty is UTC"`
	Currency   *string  `json:"currency,omitempty" minLength:"3" maxLength:"3" doc:"in which the house has its sums"`
	Revision   int64    `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toRules(v evidence.Rules) Rules {
	return Rules{
		FreshDays:  v.FreshDays,
		UseWindow:  v.UseWindow,
		GraceDays:  v.GraceDays,
		Limits:     rest.Each(v.Limits, toLimit),
		DemandDays: v.DemandDays,
		LeastShare: v.LeastShare,
		Zone:       v.Zone,
		Currency:   v.Currency,
		Revision:   v.Revision,
	}
}

func fromRules(v Rules) evidence.Rules {
	return evidence.Rules{
		FreshDays:  v.FreshDays,
		UseWindow:  v.UseWindow,
		GraceDays:  v.GraceDays,
		Limits:     rest.Each(v.Limits, fromLimit),
		DemandDays: v.DemandDays,
		LeastShare: v.LeastShare,
		Zone:       v.Zone,
		Currency:   v.Currency,
		Revision:   v.Revision,
	}
}

// Limit is after how many days a kind of evidence on a kind of device is stale. An empty kind of device is every one
// that has no limit of its own.
type Limit struct {
	Device   evidence.DeviceKind `json:"device"`
	Evidence string              `json:"evidence" enum:"software,hardware,use,directory"`
	Days     int                 `json:"days" minimum:"1" maximum:"1000"`
}

func toLimit(v evidence.Limit) Limit { return Limit(v) }

func fromLimit(v Limit) evidence.Limit { return evidence.Limit(v) }

// ScheduleDraft is a schedule as somebody wants it.
type ScheduleDraft struct {
	ID       int64    `json:"id" doc:"0 for a new one"`
	Name     string   `json:"name"`
	Basis    string   `json:"basis" enum:"calendar,age"`
	Calendar Calendar `json:"calendar"`
	AgeDays  int      `json:"ageDays" minimum:"0" maximum:"1000"`
	Group    string   `json:"group" doc:"empty is every device in service"`
	Quiet    []Quiet  `json:"quiet" doc:"when no scan may start, by the clock of each device's site"`
	Paused   bool     `json:"paused"`
	Revision int64    `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toScheduleDraft(v evidence.ScheduleDraft) ScheduleDraft {
	return ScheduleDraft{
		ID:       v.ID,
		Name:     v.Name,
		Basis:    v.Basis,
		Calendar: toCalendar(v.Calendar),
		AgeDays:  v.AgeDays,
		Group:    v.Group,
		Quiet:    rest.Each(v.Quiet, toQuiet),
		Paused:   v.Paused,
		Revision: v.Revision,
	}
}

func fromScheduleDraft(v ScheduleDraft) evidence.ScheduleDraft {
	return evidence.ScheduleDraft{
		ID:       v.ID,
		Name:     v.Name,
		Basis:    v.Basis,
		Calendar: fromCalendar(v.Calendar),
		AgeDays:  v.AgeDays,
		Group:    v.Group,
		Quiet:    rest.Each(v.Quiet, fromQuiet),
		Paused:   v.Paused,
		Revision: v.Revision,
	}
}

// ScheduleView is a schedule with what it does.
type ScheduleView struct {
	ScheduleDraft
	Words   string `json:"words"`
	Devices int    `json:"devices"`
	Due     int    `json:"due"` // by age, now
	Open    int    `json:"open"`
	Next    int64  `json:"next"` // the next start of a calendar, by the first site's clock
	Author  string `json:"author"`
}

func toScheduleView(v evidence.ScheduleView) ScheduleView {
	return ScheduleView{
		ScheduleDraft: toScheduleDraft(v.ScheduleDraft),
		Words:         v.Words,
		Devices:       v.Devices,
		Due:           v.Due,
		Open:          v.Open,
		Next:          v.Next,
		Author:        v.Author,
	}
}

// ConditionFields is what conditions may ask about, with values to choose from.
type ConditionFields struct {
	Fields    []Field             `json:"fields"`
	Operators map[string][]string `json:"operators"` // by type
	Values    map[string][]string `json:"values"`    // by field, those that devices have
	Groups    []string            `json:"groups"`
}

func toConditionFields(v evidence.ConditionFields) ConditionFields {
	return ConditionFields{
		Fields:    rest.Each(v.Fields, toField),
		Operators: v.Operators,
		Values:    v.Values,
		Groups:    v.Groups,
	}
}

// FactView is a hardware fact with what each source says of it.
type FactView struct {
	Fact   string     `json:"fact"`
	Holds  string     `json:"holds"` // what counts: the newest report
	Differ bool       `json:"differ"`
	Said   []FactSaid `json:"said"`
}

func toFactView(v evidence.FactView) FactView {
	return FactView{
		Fact:   v.Fact,
		Holds:  v.Holds,
		Differ: v.Differ,
		Said:   rest.Each(v.Said, toFactSaid),
	}
}

// FactSaid is what one source says.
type FactSaid struct {
	Source string `json:"source"`
	Value  string `json:"value"`
	At     int64  `json:"at"`
}

func toFactSaid(v evidence.FactSaid) FactSaid { return FactSaid(v) }

// SourceDiffer is a program that the sources of a device see differently. Versions is what each source sees, by its
// name; a source that sees none is left out.
type SourceDiffer struct {
	Name     string            `json:"name"`
	Versions map[string]string `json:"versions"`
}

func toSourceDiffer(v evidence.SourceDiffer) SourceDiffer { return SourceDiffer(v) }

// FileSearch is what a search for files found.
type FileSearch struct {
	Files   []FileRow `json:"files"`
	Total   int       `json:"total"`
	Devices int       `json:"devices"` // that have any of them
	Stale   int       `json:"stale"`
	Unknown int       `json:"unknown"` // devices in service of which no file is known
}

func toFileSearch(v evidence.FileSearch) FileSearch {
	return FileSearch{
		Files:   rest.Each(v.Files, toFileRow),
		Total:   v.Total,
		Devices: v.Devices,
		Stale:   v.Stale,
		Unknown: v.Unknown,
	}
}

// Drill is one level of the way from publishers down to the file.
type Drill struct {
	Publisher string      `json:"publisher"`
	Product   string      `json:"product"`
	ProductID int64       `json:"productId"`
	Levels    []Level     `json:"levels"`
	Holders   []HolderRow `json:"holders"`
}

func toDrill(v evidence.Drill) Drill {
	return Drill{
		Publisher: v.Publisher,
		Product:   v.Product,
		ProductID: v.ProductID,
		Levels:    rest.Each(v.Levels, toLevel),
		Holders:   rest.Each(v.Holders, toHolderRow),
	}
}

// DeviceEvidence is the age of each kind of evidence on a device, and what its sources say.
type DeviceEvidence struct {
	Ages    []KindAge        `json:"ages"`
	Facts   []FactView       `json:"facts"`
	Differ  []SourceDiffer   `json:"differ"`
	Sources map[string]int64 `json:"sources"`
	Missing []MissingRow     `json:"missing"`
	Groups  []string         `json:"groups"`
	Order   string           `json:"order"` // a scan that waits or runs
	Same    []string         `json:"sameName"`
}

func toDeviceEvidence(v evidence.DeviceEvidence) DeviceEvidence {
	return DeviceEvidence{
		Ages:    rest.Each(v.Ages, toKindAge),
		Facts:   rest.Each(v.Facts, toFactView),
		Differ:  rest.Each(v.Differ, toSourceDiffer),
		Sources: v.Sources,
		Missing: rest.Each(v.Missing, toMissingRow),
		Groups:  v.Groups,
		Order:   v.Order,
		Same:    v.Same,
	}
}

// KindAge is the age of one kind of evidence.
type KindAge struct {
	Kind  string `json:"kind"`
	At    int64  `json:"at"`
	Age   string `json:"age"`
	Limit int    `json:"limit"` // days
}

func toKindAge(v evidence.KindAge) KindAge { return KindAge(v) }

// TokenView is a token without its secret.
type TokenView struct {
	ID        int64  `json:"id"`
	Source    string `json:"source"`
	Hint      string `json:"hint"`
	FindsBy   string `json:"findsBy"`
	CreatedAt int64  `json:"createdAt"`
	Author    string `json:"author"`
	LastUsed  int64  `json:"lastUsed"`
	LastFrom  string `json:"lastFrom"`
	RevokedAt int64  `json:"revokedAt"`
	RevokedBy string `json:"revokedBy"`
	Scans     int64  `json:"scans"`
	Devices   int64  `json:"devices"`
}

func toTokenView(v evidence.TokenView) TokenView { return TokenView(v) }

// Mapping says how the columns of a foreign file are called here.
type Mapping struct {
	Columns   map[string]string `json:"columns"`
	Constants map[string]string `json:"constants,omitempty"` // a column of the kind -> its value on every line
}

func toMapping(v evidence.Mapping) Mapping { return Mapping(v) }

// Proposal is what a header is proposed to be, and why.
type Proposal struct {
	Header string   `json:"header"`
	Column string   `json:"column"` // Keep where nothing fits
	Why    string   `json:"why"`
	Sample []string `json:"sample"`
}

func toProposal(v evidence.Proposal) Proposal { return Proposal(v) }

// AsideLine is a line that was put aside.
type AsideLine struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Content string `json:"content"`
	Reason  string `json:"reason"`
}

func toAsideLine(v evidence.AsideLine) AsideLine { return AsideLine(v) }

// ImportResult says what an import did, or would do. Settled lines were put aside in an earlier import and mended or
// dropped since.
type ImportResult struct {
	Kind    string      `json:"kind"`
	File    string      `json:"file"`
	Lines   int         `json:"lines"`
	Added   int         `json:"added"`
	Changed int         `json:"changed"`
	Same    int         `json:"same"`
	Gone    int         `json:"gone"`
	Scans   int         `json:"scans"` // that were not known before; evidence is newer even where nothing differs
	Settled int         `json:"settled"`
	Aside   []AsideLine `json:"aside"`
	Columns []string    `json:"columns"` // custom columns that were kept
	Samples []Sample    `json:"samples"`
}

func toImportResult(v evidence.ImportResult) ImportResult {
	return ImportResult{
		Kind:    v.Kind,
		File:    v.File,
		Lines:   v.Lines,
		Added:   v.Added,
		Changed: v.Changed,
		Same:    v.Same,
		Gone:    v.Gone,
		Scans:   v.Scans,
		Settled: v.Settled,
		Aside:   rest.Each(v.Aside, toAsideLine),
		Columns: v.Columns,
		Samples: rest.Each(v.Samples, toSample),
	}
}

// Sample is one of the first lines that a file would add, change or end, so that a person sees what is meant by the
// numbers.
type Sample struct {
	What string `json:"what" enum:"new,changed,gone,kept"`
	Text string `json:"text"`
}

func toSample(v evidence.Sample) Sample { return Sample(v) }

// DeviceFull is a device with everything that was reported of it.
type DeviceFull struct {
	wire.DeviceRow
	IPAddress     string `json:"ipAddress"`
	DirectoryPath string `json:"directoryPath"`
	Processors    int64  `json:"processors"`
	Cores         int64  `json:"cores"`
	VirtualCores  int64  `json:"virtualCores"`
	HostID        string `json:"hostId"`
	Portable      string `json:"portable"`
	UserName      string `json:"userName"`
	Custom        string `json:"custom"`
}

func toDeviceFull(v evidence.DeviceFull) DeviceFull {
	return DeviceFull{
		DeviceRow:     wire.ToDeviceRow(v.DeviceRow),
		IPAddress:     v.IPAddress,
		DirectoryPath: v.DirectoryPath,
		Processors:    v.Processors,
		Cores:         v.Cores,
		VirtualCores:  v.VirtualCores,
		HostID:        v.HostID,
		Portable:      v.Portable,
		UserName:      v.UserName,
		Custom:        v.Custom,
	}
}

// BegunImport is an import that was broken off when the program ended: nothing of it was stored.
type BegunImport struct {
	ID       int64  `json:"id"`
	Kind     string `json:"kind" doc:"empty where the file told its own"`
	File     string `json:"file"`
	Author   string `json:"author"`
	BeganAt  int64  `json:"beganAt"`
	BrokenAt int64  `json:"brokenAt" doc:"when the program started again"`
}

func toBegunImport(v evidence.BegunImport) BegunImport { return BegunImport(v) }

// SourceDraft is what the house says of a source, as somebody wants it.
type SourceDraft struct {
	Name       string   `json:"name"`
	Covers     []string `json:"covers" doc:"software, hardware, use, directory, network; none is everything"`
	Trust      int      `json:"trust" doc:"1 is believed first; 0 is not said"`
	SilentDays int      `json:"silentDays" doc:"after how many days it is silent about a device; 0 is the house's limit"`
	RetiredOn  string   `json:"retiredOn" doc:"a day; empty is in use"`
	Reason     string   `json:"reason" doc:"why it was retired"`
	Revision   int64    `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toSourceDraft(v evidence.SourceDraft) SourceDraft { return SourceDraft(v) }

func fromSourceDraft(v SourceDraft) evidence.SourceDraft { return evidence.SourceDraft(v) }

// SourceRow is what came of a source.
type SourceRow struct {
	Name     string `json:"-"`
	Parts    string `json:"parts" doc:"of its list"`
	Devices  int64  `json:"devices" doc:"that it ever spoke of"`
	Heard    int64  `json:"heard" unit:"unix" doc:"its newest scan, 0 for none"`
	Installs int64  `json:"installs" doc:"that are there, on devices in service"`
	Only     int64  `json:"only" doc:"of these, the ones that no other source reports"`
	Ended    int64  `json:"ended" doc:"installs of its last lists that count no more"`
	Scans    int64  `json:"scans"`
	Tokens   int64  `json:"tokens" doc:"that let it send"`
}

func toSourceRow(v evidence.SourceRow) SourceRow { return SourceRow(v) }

// SourceView is a source with what came of it.
type SourceView struct {
	SourceDraft
	SourceRow
	Author string `json:"author"`
	At     int64  `json:"at" unit:"unix" doc:"when somebody last said something of it"`
	Silent bool   `json:"silent" doc:"it was not heard of for longer than its limit"`
}

func toSourceView(v evidence.SourceView) SourceView {
	return SourceView{
		SourceDraft: toSourceDraft(v.SourceDraft),
		SourceRow:   toSourceRow(v.SourceRow),
		Author:      v.Author,
		At:          v.At,
		Silent:      v.Silent,
	}
}

// SourceEffect is what it would do to say something else of a source.
type SourceEffect struct {
	Devices int64                 `json:"devices" doc:"on which installs end, or count again"`
	Ends    int64                 `json:"ends" doc:"installs that would count no more"`
	Again   int64                 `json:"again" doc:"installs that would count again"`
	Moves   []wire.PositionChange `json:"moves"`
}

func toSourceEffect(v evidence.SourceEffect) SourceEffect {
	return SourceEffect{
		Devices: v.Devices,
		Ends:    v.Ends,
		Again:   v.Again,
		Moves:   rest.Each(v.Moves, wire.ToPositionChange),
	}
}

// HistoryKept says how far back days can be asked for.
type HistoryKept struct {
	Days     int    `json:"days" doc:"0 is for ever"`
	From     string `json:"from" doc:"the first day that can be asked for; empty where nothing was forgotten"`
	Revision int64  `json:"revision"`
}

func toHistoryKept(v evidence.HistoryKept) HistoryKept { return HistoryKept(v) }

// HistoryDraft sets how far back days can be asked for.
type HistoryDraft struct {
	Days     int   `json:"days" minimum:"0" maximum:"36500" doc:"0 is for ever"`
	Revision int64 `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
}

func fromHistoryDraft(v HistoryDraft) evidence.HistoryKept {
	return evidence.HistoryKept{Days: v.Days, Revision: v.Revision}
}

// HistoryEffect is what would be forgotten of the past. Counts end at a million.
type HistoryEffect struct {
	From       string `json:"from" doc:"the first day that could be asked for; empty is all"`
	Installs   int64  `json:"installs" doc:"that ended before, a million at most"`
	Changes    int64  `json:"changes" doc:"between scans, a million at most"`
	Statements int64  `json:"statements" doc:"that could not be worked out again any more"`
}

func toHistoryEffect(v evidence.HistoryEffect) HistoryEffect { return HistoryEffect(v) }
