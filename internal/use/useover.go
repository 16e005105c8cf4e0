package use

import (
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
)

// UseMonth is the use of a product as it stood on the last day of a month (the current one: today), in the window of
// the classes.
type UseMonth struct {
	Month       string
	AsOf        string
	Devices     int // that had it
	Regular     int
	Light       int
	Unused      int
	NeverUsed   int
	NotMeasured int
	Users       int     // different users in the month
	RunHours    float64 // in the month
	ActiveHours float64 // of them, hours in which somebody worked, where it was measured
	Owned       int64   // rights in force
}

// UserOfTitle is what one user did with a product in the window.
type UserOfTitle struct {
	User        string
	Name        string
	Unit        string
	Days        int
	RunHours    float64
	ActiveHours float64
	Last        string
}

// UseView is the use of a product over time.
type UseView struct {
	ProductID int64
	Publisher string
	Product   string
	Window    int
	Metered   bool     // some name of a program is known for it
	Files     []string // names of its programs
	Months    []UseMonth
	Users     []UserOfTitle // most days first
}

// UseOver tells the use of a product month by month.
func (svc *Service) UseOver(ctx context.Context, product int64, months int) (UseView, error) {
	out := UseView{ProductID: product, Files: []string{}, Months: []UseMonth{}, Users: []UserOfTitle{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		h, err := svc.useHistory(tx, product)
		if err != nil {
			return err
		}
		out.Publisher, out.Product, out.Window = h.product.Publisher, h.product.Name, h.settings.UseWindow
		out.Files, out.Metered = append(out.Files, h.files...), h.metered
		first := h.today.AddMonths(-months + 1).MonthStart()
		for m := first; m <= h.today; m = m.AddMonths(1) {
			v, err := h.month(tx, m, svc.Clock.Now().Unix())
			if err != nil {
				return err
			}
			out.Months = append(out.Months, v)
		}
		out.Users, err = svc.usersOf(tx, h.days, h.today-civil.Day(h.settings.UseWindow)+1)
		return err
	})
	return out, err
}

// useHistory is what is known of the use of a product, day by day and device by device.
type useHistory struct {
	catalogue *recognise.Catalogue
	product   *recognise.Product
	settings  snapshot.Settings
	today     civil.Day
	files     []string               // the programs by which its use is seen
	metered   bool                   // whether any is known
	days      []used.Day             // of all devices
	facts     map[int64]*usage.Facts // by device
	measured  map[int64][]usage.Span // by device
	meter     *snapshot.Meter
	devices   map[int64]*snapshot.DeviceFacts
	rights    []entitle.Line
}

// useHistory reads what is known of the use of a product up to today.
func (svc *Service) useHistory(tx *sqlite.Tx, product int64) (h *useHistory, err error) {
	h = &useHistory{
		today:   svc.Snapshots.Today(),
		facts:   map[int64]*usage.Facts{},
		devices: map[int64]*snapshot.DeviceFacts{},
	}
	if h.catalogue, err = svc.Snapshots.Catalogue(tx); err != nil {
		return nil, err
	}
	if h.product = h.catalogue.Product(product); h.product == nil {
		return nil, sqlite.ErrNotFound
	}
	if h.settings, err = snapshot.LoadSettings(tx); err != nil {
		return nil, err
	}
	if err := h.readDays(tx); err != nil {
		return nil, err
	}
	if h.measured, err = snapshot.LoadMeasured(tx, nil, h.today); err != nil {
		return nil, err
	}
	now := svc.Clock.Now().Unix()
	if h.meter, err = snapshot.LoadMeter(tx, &h.settings, now); err != nil {
		return nil, err
	}
	devices, err := snapshot.AllDevices(tx, now)
	if err != nil {
		return nil, err
	}
	for i := range devices {
		h.devices[devices[i].ID] = &devices[i]
	}
	lines, err := stored.EntitlementsOf(tx, []int64{product})
	for _, l := range lines {
		h.rights = append(h.rights, l.Line)
	}
	return h, err
}

// readDays reads on which days it ran, as sources report it by program or as the last day of use.
func (h *useHistory) readDays(tx *sqlite.Tx) error {
	names, err := used.Names(tx)
	if err != nil {
		return err
	}
	ids := []int64{}
	for _, n := range names {
		if snapshot.ProductOfUse(h.catalogue, n) == h.product.ID {
			ids = append(ids, n.ID)
			if n.FileName != "" && !slices.Contains(h.files, n.FileName) {
				h.files = append(h.files, n.FileName)
			}
		}
	}
	h.metered = len(ids) > 0
	of := func(device int64) *usage.Facts {
		if h.facts[device] == nil {
			h.facts[device] = &usage.Facts{}
		}
		return h.facts[device]
	}
	err = used.EachDay(tx, ids, nil, 0, h.today, func(d used.Day) error {
		f := of(d.Device)
		f.UseDays = append(f.UseDays, d.Day)
		h.days = append(h.days, d)
		return nil
	})
	if err != nil {
		return err
	}
	last, err := used.LastOf(tx, h.product.ID, h.today)
	for _, l := range last {
		f := of(l.Device)
		f.LastUses = append(f.LastUses, usage.LastUse{UsedOn: l.UsedOn, SeenOn: l.SeenOn})
	}
	return err
}

// month says how the product stood at the end of a month, or today in the one that runs.
func (h *useHistory) month(tx *sqlite.Tx, m civil.Day, now int64) (UseMonth, error) {
	end := min(m.AddMonths(1)-1, h.today)
	v := UseMonth{Month: m.String()[:7], AsOf: end.String()}
	for _, e := range entitle.Effective(h.rights, end) {
		v.Owned += e.Quantity
	}
	w := usage.Window{AsOf: end, Days: h.settings.UseWindow, LeastShare: h.settings.LeastShare}
	asked := snapshot.PolicyTitle(h.product)
	measurable := h.meter.Measurable(h.metered, h.product, h.catalogue)
	err := snapshot.EachDevice(tx, min(end.EndUnix(), now), []int64{h.product.ID}, func(device int64, _ []int64) error {
		d := h.devices[device]
		if d == nil || d.Status != evidence.InService {
			return nil
		}
		f := usage.Facts{}
		if known := h.facts[device]; known != nil {
			f = *known
		}
		if measurable {
			f.Metered = h.meter.Spans(asked, d, h.measured[device])
		}
		v.count(usage.Classify(f.Until(end), w).Class)
		return nil
	})
	users := map[string]bool{}
	for _, d := range h.days {
		if d.Day >= m && d.Day <= end {
			v.RunHours += float64(d.Run) / 3600
			v.ActiveHours += float64(d.Active) / 3600
			if d.Person != "" {
				users[d.Person] = true
			}
		}
	}
	v.Users = len(users)
	return v, err
}

// count counts a device of a class of use.
func (v *UseMonth) count(class usage.Class) {
	v.Devices++
	switch class {
	case usage.Regular:
		v.Regular++
	case usage.Light:
		v.Light++
	case usage.Unused:
		v.Unused++
	case usage.NeverUsed:
		v.NeverUsed++
	default:
		v.NotMeasured++
	}
}

// usersOf sums days of use up by user, from a day on.
func (svc *Service) usersOf(tx *sqlite.Tx, days []used.Day, from civil.Day) ([]UserOfTitle, error) {
	type sum struct {
		days        map[civil.Day]bool
		run, active int64
		last        civil.Day
	}
	by := map[string]*sum{}
	for _, d := range days {
		if d.Day < from {
			continue
		}
		s := by[d.Person]
		if s == nil {
			s = &sum{days: map[civil.Day]bool{}}
			by[d.Person] = s
		}
		s.days[d.Day] = true
		s.run, s.active, s.last = s.run+d.Run, s.active+d.Active, max(s.last, d.Day)
	}
	out := []UserOfTitle{}
	for _, code := range slices.Sorted(maps.Keys(by)) {
		s := by[code]
		v := UserOfTitle{
			User:        code,
			Days:        len(s.days),
			RunHours:    float64(s.run) / 3600,
			ActiveHours: float64(s.active) / 3600,
			Last:        s.last.String(),
		}
		if p, err := snapshot.PersonByCode(tx, code); err == nil {
			v.Name, v.Unit = p.Name, p.OrgUnit
		}
		out = append(out, v)
	}
	slices.SortStableFunc(out, func(x, y UserOfTitle) int { return y.Days - x.Days })
	return out[:min(200, len(out))], nil
}
