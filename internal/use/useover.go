package use

import (
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/usage"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
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
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return sqlite.ErrNotFound
		}
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		out.Publisher, out.Product, out.Window = p.Publisher, p.Name, settings.UseWindow
		names, err := snapshot.AllUseNames(tx)
		if err != nil {
			return err
		}
		ids := []int64{}
		for _, n := range names {
			if snapshot.ProductOfUse(c, n) == product {
				ids = append(ids, n.ID)
				if n.FileName != "" && !slices.Contains(out.Files, n.FileName) {
					out.Files = append(out.Files, n.FileName)
				}
			}
		}
		out.Metered = len(ids) > 0
		today := svc.Snapshots.Today()
		facts, days := map[int64]*usage.Facts{}, []snapshot.UseDayRow{}
		err = snapshot.EachUseDay(tx, ids, 0, today, func(d snapshot.UseDayRow) error {
			f := facts[d.Device]
			if f == nil {
				f = &usage.Facts{}
				facts[d.Device] = f
			}
			f.UseDays = append(f.UseDays, d.Day)
			days = append(days, d)
			return nil
		})
		if err != nil {
			return err
		}
		last, err := snapshot.LastUsesOf(tx, product, today)
		if err != nil {
			return err
		}
		for _, l := range last {
			if facts[l.Device] == nil {
				facts[l.Device] = &usage.Facts{}
			}
			facts[l.Device].LastUses = append(
				facts[l.Device].LastUses,
				usage.LastUse{UsedOn: l.UsedOn, SeenOn: l.SeenOn},
			)
		}
		measured, err := snapshot.LoadMeasured(tx, today)
		if err != nil {
			return err
		}
		meter, err := snapshot.LoadMeter(tx, &settings, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		devices, err := snapshot.AllDevices(tx, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		at := map[int64]*snapshot.DeviceFacts{}
		for i := range devices {
			at[devices[i].ID] = &devices[i]
		}
		lines, err := snapshot.EntitlementsOf(tx, []int64{product})
		if err != nil {
			return err
		}
		var rights []entitle.Line
		for _, l := range lines {
			rights = append(rights, l.Line)
		}
		asked := snapshot.PolicyTitle(p)
		first := today.AddMonths(-months + 1).MonthStart()
		for m := first; m <= today; m = m.AddMonths(1) {
			end := min(m.AddMonths(1)-1, today)
			v := UseMonth{Month: m.String()[:7], AsOf: end.String()}
			for _, e := range entitle.Effective(rights, end) {
				v.Owned += e.Quantity
			}
			w := usage.Window{AsOf: end, Days: settings.UseWindow, LeastShare: settings.LeastShare}
			err := snapshot.EachDevice(
				tx,
				min(end.EndUnix(), svc.Clock.Now().Unix()),
				[]int64{product},
				func(device int64, _ []int64) error {
					d := at[device]
					if d == nil || d.Status != evidence.InService {
						return nil
					}
					f := usage.Facts{}
					if known := facts[device]; known != nil {
						f = *known
					}
					if meter.Measurable(out.Metered, p, c) {
						f.Metered = meter.Spans(asked, d, measured[device])
					}
					v.Devices++
					switch usage.Classify(f.Until(end), w).Class {
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
					return nil
				},
			)
			if err != nil {
				return err
			}
			users := map[string]bool{}
			for _, d := range days {
				if d.Day >= m && d.Day <= end {
					v.RunHours += float64(d.Run) / 3600
					v.ActiveHours += float64(d.Active) / 3600
					if d.Person != "" {
						users[d.Person] = true
					}
				}
			}
			v.Users = len(users)
			out.Months = append(out.Months, v)
		}
		out.Users, err = svc.usersOf(tx, days, today-civil.Day(settings.UseWindow)+1)
		return err
	})
	return out, err
}

// usersOf sums days of use up by user, from a day on.
func (svc *Service) usersOf(tx *sqlite.Tx, days []snapshot.UseDayRow, from civil.Day) ([]UserOfTitle, error) {
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
