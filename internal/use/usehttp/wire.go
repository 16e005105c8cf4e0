package usehttp

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/rest"
	"ensomet/internal/use"
)

// MeteringEffect says what a choice would change, over the installs that count on devices that report use.
type MeteringEffect struct {
	Now     int64    `json:"now" doc:"installs whose use is measured"`
	Then    int64    `json:"then"`
	Starts  int64    `json:"starts"`
	Stops   int64    `json:"stops"`
	Judged  int64    `json:"judged" doc:"of those that stop, the ones whose class of use is known today, and would no longer be"`
	Unknown bool     `json:"unknown" doc:"no program of the title asked for is known, so its use cannot be seen"`
	Samples []string `json:"samples" doc:"titles that most installs of start or stop"`
}

func toMeteringEffect(v use.MeteringEffect) MeteringEffect { return MeteringEffect(v) }

// MeteringDraft chooses titles that are metered on the devices of a group, or not.
type MeteringDraft struct {
	ID        int64  `json:"id" minimum:"0" doc:"0 is a new one"`
	Revision  int64  `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Product   int64  `json:"product,omitempty"`
	Publisher string `json:"publisher,omitempty"`
	Category  string `json:"category,omitempty"`
	Group     string `json:"group,omitempty"`
	On        bool   `json:"on,omitempty" doc:"false leaves them out of a wider choice"`
	Note      string `json:"note,omitempty"`
}

func fromMeteringDraft(v MeteringDraft) use.MeteringDraft { return use.MeteringDraft(v) }

// MeteringView is a choice in words.
type MeteringView struct {
	ID     int64         `json:"id"`
	Says   MeteringDraft `json:"says" doc:"as somebody would choose it who changes nothing"`
	What   string        `json:"what"`
	Group  string        `json:"group"`
	On     bool          `json:"on"`
	From   string        `json:"from"`
	Note   string        `json:"note"`
	Author string        `json:"author"`
	At     int64         `json:"at"`
}

func toMeteringView(v use.MeteringView) MeteringView {
	return MeteringView{
		ID:     v.ID,
		Says:   MeteringDraft(v.Says),
		What:   v.What,
		Group:  v.Group,
		On:     v.On,
		From:   v.From,
		Note:   v.Note,
		Author: v.Author,
		At:     v.At,
	}
}

// Metered says what is measured and how long it is kept.
type Metered struct {
	Choices     []MeteringView `json:"choices" doc:"none is that every title is metered on every device that reports use"`
	Devices     int64          `json:"devices" doc:"that have ever reported use"`
	InService   int64          `json:"inService"`
	Sessions    int64          `json:"sessions" doc:"runs that are kept"`
	Events      int64          `json:"events" doc:"raw events that are kept"`
	Days        int64          `json:"days" doc:"days of use that are kept"`
	FirstDay    string         `json:"firstDay" doc:"the first of them"`
	Starts      int64          `json:"starts" doc:"runs that raw events spoke of"`
	Lost        int64          `json:"lost" doc:"of them, those that were not seen whole"`
	Future      int64          `json:"future" doc:"events whose clock is ahead: they wait for their time"`
	Revision    int64          `json:"revision" doc:"of how long use is kept"`
	EventDays   int            `json:"eventDays"`
	SessionDays int            `json:"sessionDays"`
	DayDays     int            `json:"dayDays"`
}

func toMetered(v use.Metered) Metered {
	return Metered{
		Choices:     rest.Each(v.Choices, toMeteringView),
		Devices:     v.Devices,
		InService:   v.InService,
		Sessions:    v.Sessions,
		Events:      v.Events,
		Days:        v.Days,
		FirstDay:    v.FirstDay,
		Starts:      v.Starts,
		Lost:        v.Lost,
		Future:      v.Future,
		Revision:    v.Revision,
		EventDays:   v.EventDays,
		SessionDays: v.SessionDays,
		DayDays:     v.DayDays,
	}
}

// PoolSizing is what other sizes of a pool would have done.
type PoolSizing struct {
	Requests  int            `json:"requests"`
	Repeats   int            `json:"repeats" doc:"denied requests that were made again within minutes: they wanted once"`
	Unknown   int            `json:"unknown" doc:"requests that were denied, so that nobody knows how long they would have lasted: their length is drawn from the served ones"`
	Days      int            `json:"days"`
	Load      float64        `json:"load" doc:"offered in the busiest hours, in erlangs"`
	BusyHours string         `json:"busyHours" doc:"the hours of the workday that the formula looks at"`
	Bunched   float64        `json:"bunched" doc:"variance of arrivals by the hour divided by their mean: 1 at random, more where they come together"`
	Trust     string         `json:"trust" enum:"replay,both,neither"`
	Why       string         `json:"why"`
	Seeds     int            `json:"seeds"`
	Sizes     []PoolSizeView `json:"sizes"`
	Licence   string         `json:"licence" doc:"price of one licence, where a line or the catalogue says"`
	PaidEach  string         `json:"paidEach" enum:"a year,once," doc:"how often that is paid"`
	Currency  string         `json:"currency"`
	Suggested int64          `json:"suggested" doc:"the least size at which at most target of the requests are denied"`
	Target    float64        `json:"target"`
}

func toPoolSizing(v use.PoolSizing) PoolSizing {
	return PoolSizing{
		Requests:  v.Requests,
		Repeats:   v.Repeats,
		Unknown:   v.Unknown,
		Days:      v.Days,
		Load:      v.Load,
		BusyHours: v.BusyHours,
		Bunched:   v.Bunched,
		Trust:     v.Trust,
		Why:       v.Why,
		Seeds:     v.Seeds,
		Sizes:     rest.Each(v.Sizes, toPoolSizeView),
		Licence:   v.Licence,
		PaidEach:  v.PaidEach,
		Currency:  v.Currency,
		Suggested: v.Suggested,
		Target:    v.Target,
	}
}

// PoolSizeView is one size. Shares are of all requests.
type PoolSizeView struct {
	Licences int64   `json:"licences"`
	Share    float64 `json:"share"`
	Low      float64 `json:"low"`
	High     float64 `json:"high"`
	PerDay   float64 `json:"perDay" doc:"denials a day, by replay"`
	Erlang   float64 `json:"erlang" doc:"share by the formula, at the load of the busiest hours"`
	Cost     string  `json:"cost" doc:"the licences at their price, and the denials of a year at what one of them costs"`
}

func toPoolSizeView(v use.PoolSizeView) PoolSizeView { return PoolSizeView(v) }

// PoolDayView is one day of a pool as it is drawn.
type PoolDayView struct {
	Day       string  `json:"day"`
	Peak      int64   `json:"peak"`
	Quantity  int64   `json:"quantity" doc:"licences that the pool had on the day"`
	Hours     float64 `json:"hours" doc:"licence-hours out"`
	Checkouts int64   `json:"checkouts"`
	Denials   int64   `json:"denials"`
	Users     int64   `json:"users"`
}

func toPoolDayView(v use.PoolDayView) PoolDayView { return PoolDayView(v) }

// PoolHour is one hour of the clock on workdays.
type PoolHour struct {
	Hour    int     `json:"hour"`
	Peak    int64   `json:"peak"`
	Mean    float64 `json:"mean"`
	Denials int64   `json:"denials"`
}

func toPoolHour(v use.PoolHour) PoolHour { return PoolHour(v) }

// PoolShare says how much of something falls to somebody.
type PoolShare struct {
	Who     string  `json:"who"`
	Name    string  `json:"name"`
	Denials int64   `json:"denials"`
	Hours   float64 `json:"hours" doc:"licence-hours out"`
	Idle    float64 `json:"idle" doc:"of them, hours in which nobody worked, where the server says so"`
	Times   int64   `json:"times"`
}

func toPoolShare(v use.PoolShare) PoolShare { return PoolShare(v) }

// PoolOut is one session of a pool.
type PoolOut struct {
	User     string `json:"user"`
	Device   string `json:"device"`
	Start    int64  `json:"start"`
	Seconds  int64  `json:"seconds"`
	Active   int64  `json:"active" doc:"seconds of work; -1 where the server does not say"`
	Licences int64  `json:"licences"`
	Open     bool   `json:"open"`
}

func toPoolOut(v use.PoolOut) PoolOut { return PoolOut(v) }

// PoolView is a pool over some days.
type PoolView struct {
	PoolRow
	From       string          `json:"from"`
	To         string          `json:"to"`
	Days       []PoolDayView   `json:"days"`
	Hours      []PoolHour      `json:"hours" doc:"of workdays, by the clock"`
	Users      []PoolShare     `json:"users" doc:"most denied first, then most hours"`
	Sites      []PoolShare     `json:"sites"`
	Longest    []PoolOut       `json:"longest"`
	LicenceH   float64         `json:"licenceHours"`
	IdleH      float64         `json:"idleHours" doc:"licence-hours out in which nobody worked, of the sessions whose server says so"`
	SaysIdleH  float64         `json:"saysIdleHours" doc:"licence-hours of the sessions whose server says how much was worked"`
	Arrivals   int64           `json:"arrivals"`
	MeanLength float64         `json:"meanLength" doc:"seconds of a session"`
	MeanOut    float64         `json:"meanOut" doc:"licences out on average; arrivals times mean length over the time, by Little's law"`
	Spare      int64           `json:"spare" doc:"licences that could be given back by the usual share"`
	Complaints []PoolComplaint `json:"complaints"`
	Sizes      []PoolSize      `json:"sizes"`
	LostSpans  []PoolLost      `json:"lostSpans" doc:"times without a connection to the server: nothing is known of them"`
}

func toPoolView(v use.PoolView) PoolView {
	return PoolView{
		PoolRow:    toPoolRow(v.PoolRow),
		From:       v.From,
		To:         v.To,
		Days:       rest.Each(v.Days, toPoolDayView),
		Hours:      rest.Each(v.Hours, toPoolHour),
		Users:      rest.Each(v.Users, toPoolShare),
		Sites:      rest.Each(v.Sites, toPoolShare),
		Longest:    rest.Each(v.Longest, toPoolOut),
		LicenceH:   v.LicenceH,
		IdleH:      v.IdleH,
		SaysIdleH:  v.SaysIdleH,
		Arrivals:   v.Arrivals,
		MeanLength: v.MeanLength,
		MeanOut:    v.MeanOut,
		Spare:      v.Spare,
		Complaints: rest.Each(v.Complaints, toPoolComplaint),
		Sizes:      rest.Each(v.Sizes, toPoolSize),
		LostSpans:  rest.Each(v.LostSpans, toPoolLost),
	}
}

// PoolLost is a time in which the connection to a licence server was lost. To is 0 while it lasts.
type PoolLost struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

func toPoolLost(v use.PoolLost) PoolLost { return PoolLost(v) }

// UseKept says how long what was measured is kept, in days.
type UseKept struct {
	EventDays   int   `json:"eventDays" minimum:"1" maximum:"4000" doc:"raw events of processes"`
	SessionDays int   `json:"sessionDays" minimum:"1" maximum:"4000" doc:"runs of programs"`
	DayDays     int   `json:"dayDays" minimum:"1" maximum:"4000" doc:"days of use"`
	Revision    int64 `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toUseKept(v use.UseKept) UseKept { return UseKept(v) }

func fromUseKept(v UseKept) use.UseKept { return use.UseKept(v) }

// UseRow is a line of the list of use: a counted product on a device.
type UseRow struct {
	ID       string `json:"id"`
	DeviceID int64  `json:"deviceId"`
	Device   string `json:"device"`
	Unit     string `json:"unit"`

	Kind        string `json:"kind"`
	Environment string `json:"environment"`
	Hosting     string `json:"hosting"`
	Site        string `json:"site"`

	User      string    `json:"user"`
	Age       string    `json:"age"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Class     string    `json:"class"`
	Used      int64     `json:"used"`
	Measured  int64     `json:"measured"`
	Last      civil.Day `json:"last"`
}

func toUseRow(v use.UseRow) UseRow { return UseRow(v) }

// PoolRow is a line of the list of pools. Peak, Denials and Measured are of the last month.
type PoolRow struct {
	ID        int64     `json:"id"`
	Code      string    `json:"code"`
	ProductID int64     `json:"productId"`
	Publisher string    `json:"publisher"`
	Product   string    `json:"product"`
	Server    string    `json:"server"`
	Quantity  int64     `json:"quantity"`
	Expires   civil.Day `json:"expires"`
	Peak      int64     `json:"peak"`
	Used      float64   `json:"used" doc:"utilisation: peak divided by quantity"`
	Denials   int64     `json:"denials"`
	LastDay   civil.Day `json:"lastDay" doc:"the last day on which it reported"`
	Lost      bool      `json:"lost" doc:"the connection to its server is lost"`
	Cases     int64     `json:"cases"`
	Asked     int64     `json:"asked" doc:"complaints that nobody has answered"`
	Alert     string    `json:"alert" enum:"lost,expired,expires soon,denied,silent,"`
}

func toPoolRow(v use.PoolRow) PoolRow { return PoolRow(v) }

// PoolComplaint is somebody's word that he got no licence.
type PoolComplaint struct {
	ID       int64  `json:"id"`
	User     string `json:"user"`
	Text     string `json:"text"`
	Author   string `json:"author"`
	At       int64  `json:"at"`
	EndedAt  int64  `json:"endedAt"`
	EndedHow string `json:"endedHow"`
}

func toPoolComplaint(v use.PoolComplaint) PoolComplaint {
	return PoolComplaint{
		ID:       v.ID,
		User:     v.User,
		Text:     v.Text,
		Author:   v.Author,
		At:       v.At,
		EndedAt:  v.EndedAt,
		EndedHow: v.EndedHow,
	}
}

// PoolSize is a size of a pool that somebody decided on, with its reason and what it rests on.
type PoolSize struct {
	ID     int64  `json:"id"`
	Was    int64  `json:"was"`
	Size   int64  `json:"size"`
	Reason string `json:"reason"`
	Basis  string `json:"basis" doc:"what replay and formula said at the time"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

func toPoolSize(v use.PoolSize) PoolSize {
	return PoolSize{
		ID:     v.ID,
		Was:    v.Was,
		Size:   v.Size,
		Reason: v.Reason,
		Basis:  v.Basis,
		Author: v.Author,
		At:     v.At,
	}
}

// PoolWatch is somebody who is told by mail of what is to be looked at in a pool.
type PoolWatch struct {
	ID      int64  `json:"id"`
	Pool    int64  `json:"pool" doc:"0 is every pool"`
	Code    string `json:"code" doc:"the pool's; empty is every pool"`
	Address string `json:"address"`
	Author  string `json:"author"`
	At      int64  `json:"at"`
}

func toPoolWatch(v use.PoolWatch) PoolWatch { return PoolWatch(v) }

// UseMonth is the use of a product as it stood on the last day of a month (the current one: today), in the window of
// the classes.
type UseMonth struct {
	Month       string  `json:"month"`
	AsOf        string  `json:"asOf"`
	Devices     int     `json:"devices" doc:"that had it"`
	Regular     int     `json:"regular"`
	Light       int     `json:"light"`
	Unused      int     `json:"unused"`
	NeverUsed   int     `json:"neverUsed"`
	NotMeasured int     `json:"notMeasured"`
	Users       int     `json:"users" doc:"different users in the month"`
	RunHours    float64 `json:"runHours" doc:"in the month"`
	ActiveHours float64 `json:"activeHours" doc:"of them, hours in which somebody worked, where it was measured"`
	Owned       int64   `json:"owned" doc:"rights in force"`
}

func toUseMonth(v use.UseMonth) UseMonth { return UseMonth(v) }

// UserOfTitle is what one user did with a product in the window.
type UserOfTitle struct {
	User        string  `json:"user"`
	Name        string  `json:"name"`
	Unit        string  `json:"unit"`
	Days        int     `json:"days"`
	RunHours    float64 `json:"runHours"`
	ActiveHours float64 `json:"activeHours"`
	Last        string  `json:"last"`
}

func toUserOfTitle(v use.UserOfTitle) UserOfTitle { return UserOfTitle(v) }

// UseView is the use of a product over time.
type UseView struct {
	ProductID int64         `json:"productId"`
	Publisher string        `json:"publisher"`
	Product   string        `json:"product"`
	Window    int           `json:"window"`
	Metered   bool          `json:"metered" doc:"some name of a program is known for it"`
	Files     []string      `json:"files" doc:"names of its programs"`
	Months    []UseMonth    `json:"months"`
	Users     []UserOfTitle `json:"users" doc:"most days first"`
}

func toUseView(v use.UseView) UseView {
	return UseView{
		ProductID: v.ProductID,
		Publisher: v.Publisher,
		Product:   v.Product,
		Window:    v.Window,
		Metered:   v.Metered,
		Files:     v.Files,
		Months:    rest.Each(v.Months, toUseMonth),
		Users:     rest.Each(v.Users, toUserOfTitle),
	}
}
