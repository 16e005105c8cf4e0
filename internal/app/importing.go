package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/policy"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// ImportRequest is one file to take in.
type ImportRequest struct {
	Kind     *formats.Kind
	File     string // its name, for people
	In       io.Reader
	AsOf     time.Time // the time of the evidence where a line does not say; zero is now
	DryRun   bool
	Author   string
	Progress func(lines int)
}

// AsideLine is a line that was put aside.
type AsideLine struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Content string `json:"content"`
	Reason  string `json:"reason"`
}

// ImportResult says what an import did, or would do. Settled lines were put aside in an earlier import and mended or dropped since.
type ImportResult struct {
	Kind    string      `json:"kind"`
	File    string      `json:"file"`
	Lines   int         `json:"lines"`
	Added   int         `json:"added"`
	Changed int         `json:"changed"`
	Same    int         `json:"same"`
	Gone    int         `json:"gone"`
	Settled int         `json:"settled"`
	Aside   []AsideLine `json:"aside"`
	Columns []string    `json:"columns"` // custom columns that were kept
}

// sink takes the lines of one kind. put returns a *formats.LineError for a line that cannot go in; finish writes what put has gathered.
type sink struct {
	put    func(row *formats.Row) (store.Change, error)
	finish func(res *ImportResult) error
}

// Import takes in one file, in one transaction. Lines that cannot go in are put aside with their reason; a *formats.FileError means that nothing of the file was stored.
func (a *App) Import(ctx context.Context, req ImportRequest) (ImportResult, error) {
	res := ImportResult{Kind: req.Kind.Name, File: req.File, Aside: []AsideLine{}, Columns: []string{}}
	if req.AsOf.IsZero() {
		req.AsOf = a.Clock.Now()
	}
	r, err := formats.NewReader(req.In, req.Kind)
	if err != nil {
		return res, err
	}
	for _, h := range r.Header() {
		if h != "" && !slices.Contains(req.Kind.Columns, h) && !slices.Contains(req.Kind.OutOnly, h) {
			res.Columns = append(res.Columns, h)
		}
	}
	run := a.DB.Update
	if req.DryRun {
		run = a.DB.Rehearse
	}
	err = run(ctx, func(tx *store.Tx) error { return a.importInto(tx, req, r, &res) })
	if err == nil && !req.DryRun && res.Added+res.Changed+res.Gone > 0 && req.Kind != formats.Installs {
		if _, err := a.Retry(ctx, req.Author); err != nil {
			return res, err
		}
	}
	return res, err
}

func (a *App) importInto(tx *store.Tx, req ImportRequest, r *formats.Reader, res *ImportResult) error {
	s, err := a.sink(tx, req.Kind, req.AsOf, req.Author)
	if err != nil {
		return err
	}
	var aside []*formats.LineError
	for {
		row, err := r.Next()
		if err == io.EOF {
			break
		}
		var change store.Change
		if err == nil {
			change, err = s.put(row)
		}
		var bad *formats.LineError
		if errors.As(err, &bad) {
			aside = append(aside, bad)
		} else if err != nil {
			return err
		} else {
			res.count(change)
		}
		if res.Lines++; res.Lines%20_000 == 0 {
			if err := tx.Context().Err(); err != nil {
				return err
			}
			if req.Progress != nil {
				req.Progress(res.Lines)
			}
		}
	}
	if err := s.finish(res); err != nil {
		return err
	}
	now := a.Clock.Now()
	im := store.Import{Kind: req.Kind.Name, File: req.File, Author: req.Author, At: now.Unix(), Lines: int64(res.Lines), Added: int64(res.Added), Changed: int64(res.Changed), Gone: int64(res.Gone), SetAside: int64(len(aside))}
	id, err := tx.AddImport(im)
	if err != nil {
		return err
	}
	for _, bad := range aside {
		known, err := tx.AddAside(store.Aside{ImportID: id, Kind: req.Kind.Name, File: req.File, Line: bad.Line, Header: r.Header(), Content: bad.Content, Reason: bad.Reason, AsOf: req.AsOf.Unix(), ChangedAt: now.Unix()})
		if err != nil {
			return err
		}
		if known {
			res.Settled++
		} else {
			res.Aside = append(res.Aside, AsideLine{req.File, bad.Line, bad.Content, bad.Reason})
		}
	}
	if res.Added+res.Changed+res.Gone == 0 {
		return nil
	}
	return markDirty(tx, req.Kind == formats.Titles)
}

func (r *ImportResult) count(c store.Change) {
	switch c {
	case store.Added:
		r.Added++
	case store.Changed:
		r.Changed++
	default:
		r.Same++
	}
}

// ImportDir takes in the files of a folder that have a known name, what others refer to first. note is told each result, or why a file was refused; the rest goes on.
func (a *App) ImportDir(ctx context.Context, dir string, req ImportRequest, note func(file string, res ImportResult, err error)) error {
	found := 0
	for _, k := range formats.Kinds {
		path := filepath.Join(dir, k.Name+".csv")
		f, err := os.Open(path)
		if os.IsNotExist(err) {
			continue
		}
		if err != nil {
			return err
		}
		found++
		one := req
		one.Kind, one.File, one.In = k, k.Name+".csv", f
		res, err := a.Import(ctx, one)
		f.Close()
		note(path, res, err)
	}
	if found == 0 {
		var names []string
		for _, k := range formats.Kinds {
			names = append(names, k.Name+".csv")
		}
		return fmt.Errorf("%s holds none of the files that can be read: %s", dir, strings.Join(names, ", "))
	}
	return nil
}

// sink returns what takes the lines of a kind.
func (a *App) sink(tx *store.Tx, k *formats.Kind, asOf time.Time, author string) (*sink, error) {
	settings, err := loadSettings(tx)
	if err != nil {
		return nil, err
	}
	switch k {
	case formats.Installs:
		return installSink(tx, &settings, asOf)
	case formats.Usage:
		return usageSink(tx, &settings)
	case formats.Devices:
		return upsertSink(tx, tx.Devices, func(row *formats.Row) (string, formats.Device, error) {
			d, err := formats.ParseDevice(row, settings.Zone)
			return "device_id " + d.ID, d, err
		}, func(u *store.Upserter, d formats.Device, _ *formats.Row) (store.Change, error) { return u.PutDevice(d) })
	case formats.Users:
		return upsertSink(tx, tx.Persons, func(row *formats.Row) (string, formats.User, error) {
			u, err := formats.ParseUser(row)
			return "user_id " + u.ID, u, err
		}, func(u *store.Upserter, p formats.User, _ *formats.Row) (store.Change, error) { return u.PutUser(p) })
	case formats.Titles:
		return titleSink(tx)
	case formats.Entitlements:
		products, err := tx.ProductKeys()
		if err != nil {
			return nil, err
		}
		return upsertSink(tx, tx.Entitlements, func(row *formats.Row) (string, formats.Entitlement, error) {
			e, err := formats.ParseEntitlement(row)
			return "entitlement_id " + e.Code, e, err
		}, func(u *store.Upserter, e formats.Entitlement, row *formats.Row) (store.Change, error) {
			product, reason := findProduct(products, e.Publisher, e.Product)
			if reason != "" {
				return store.Same, refuse(row, "%s", reason)
			}
			return u.PutEntitlement(product, e, a.Clock.Now().Unix(), author)
		})
	case formats.Rates:
		return plainSink(func(row *formats.Row) (store.Change, error) {
			r, err := formats.ParseRate(row)
			if err != nil {
				return store.Same, err
			}
			return tx.PutRate(r)
		}), nil
	case formats.Transactions:
		return a.transactionSink(tx)
	case formats.Assignments:
		return assignmentSink(tx)
	case formats.Policies:
		return a.policySink(tx, author)
	}
	return nil, fmt.Errorf("%s cannot be imported", k.Name)
}

func plainSink(put func(row *formats.Row) (store.Change, error)) *sink {
	return &sink{put, func(*ImportResult) error { return nil }}
}

func refuse(row *formats.Row, format string, args ...any) error {
	return &formats.LineError{Line: row.Line, Content: row.Content, Reason: fmt.Sprintf(format, args...)}
}

// upsertSink takes lines that stand for one thing each. The same thing twice in one file with other values is refused: nobody can say which is right.
func upsertSink[T any](tx *store.Tx, prepare func() (*store.Upserter, error), parse func(*formats.Row) (string, T, error), put func(*store.Upserter, T, *formats.Row) (store.Change, error)) (*sink, error) {
	u, err := prepare()
	if err != nil {
		return nil, err
	}
	type seen struct {
		line    int
		content string
	}
	before := map[string]seen{}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		key, v, err := parse(row)
		if err != nil {
			return store.Same, err
		}
		if b, twice := before[key]; twice && b.content != row.Content {
			return store.Same, refuse(row, "%s stands already on line %d with other values: one of the two must go", key, b.line)
		}
		change, err := put(u, v, row)
		if err == nil {
			before[key] = seen{row.Line, row.Content}
		}
		return change, err
	}), nil
}

// findProduct finds a product by publisher and name; without publisher, by a name that one product alone has.
func findProduct(products map[string]int64, publisher, name string) (int64, string) {
	if publisher != "" {
		if id := products[store.ProductKey(publisher, name)]; id != 0 {
			return id, ""
		}
		return 0, fmt.Sprintf("the catalogue has no product %q of publisher %q: add its title, or mend the name; the line is tried again when titles come in", name, publisher)
	}
	var found int64
	suffix := store.ProductKey("", name)
	for key, id := range products {
		if strings.HasSuffix(key, suffix) {
			if found != 0 {
				return 0, fmt.Sprintf("several publishers have a product %q: name the publisher", name)
			}
			found = id
		}
	}
	if found == 0 {
		return 0, fmt.Sprintf("the catalogue has no product %q: add its title, or mend the name; the line is tried again when titles come in", name)
	}
	return found, ""
}

func titleSink(tx *store.Tx) (*sink, error) {
	products, err := tx.ProductKeys()
	if err != nil {
		return nil, err
	}
	return upsertSink(tx, tx.Titles, func(row *formats.Row) (string, formats.Title, error) {
		t, err := formats.ParseTitle(row)
		return strings.Join(strings.Fields("the title "+t.Publisher+" "+t.Product+" "+t.Edition+" "+t.Version), " "), t, err
	}, func(u *store.Upserter, t formats.Title, _ *formats.Row) (store.Change, error) {
		key := store.ProductKey(t.Publisher, t.Product)
		id := products[key]
		if id == 0 {
			if id, err = tx.AddProduct(t.Publisher, t.Product); err != nil {
				return store.Same, err
			}
			products[key] = id
		}
		return u.PutTitle(id, t)
	})
}

func (a *App) transactionSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		t, err := formats.ParseTransaction(row)
		if err != nil {
			return store.Same, err
		}
		id := lines[t.Entitlement]
		if id == 0 {
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", t.Entitlement)
		}
		return tx.PutTransaction(id, t)
	}), nil
}

func assignmentSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	users, err := tx.Codes("person")
	if err != nil {
		return nil, err
	}
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		as, err := formats.ParseAssignment(row)
		if err != nil {
			return store.Same, err
		}
		line, user, device := lines[as.Entitlement], users[as.User], devices[as.Device]
		switch {
		case line == 0:
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", as.Entitlement)
		case as.User != "" && user == 0:
			return store.Same, refuse(row, "there is no user %q: import the users first; the line is tried again then", as.User)
		case as.Device != "" && device == 0:
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", as.Device)
		}
		return tx.PutAssignment(line, user, device, as)
	}), nil
}

func (a *App) policySink(tx *store.Tx, author string) (*sink, error) {
	products, err := tx.ProductKeys()
	if err != nil {
		return nil, err
	}
	groups, err := tx.Groups()
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		p, err := formats.ParsePolicy(row)
		if err != nil {
			return store.Same, err
		}
		out := store.StoredPolicy{Policy: policy.Policy{Category: p.Category, GroupName: p.Group, Stance: p.Stance, Reason: p.Reason}, Author: author, At: a.Clock.Now().Unix()}
		if p.Product != "" {
			id, reason := findProduct(products, p.Publisher, p.Product)
			if reason != "" {
				return store.Same, refuse(row, "%s", reason)
			}
			out.Product = id
		} else {
			out.PublisherName = p.Publisher
		}
		if p.Group != "" {
			cond, ok := groups[p.Group]
			if !ok {
				return store.Same, refuse(row, "there is no group %q: it must be a unit, an environment, a kind of device or a site that devices have", p.Group)
			}
			out.Group = cond
		}
		return tx.PutPolicy(out)
	}), nil
}

// scanLine is an install line in a compact form: a million of them fit in 64 MB.
type scanLine struct {
	device, source int32
	record, place  int32
	at             int64
	installed      civil.Day
	lastUsed       civil.Day
}

// installSink gathers lines and writes them scan by scan. Lines with one device, source and time are parts of one scan.
func installSink(tx *store.Tx, settings *Settings, asOf time.Time) (*sink, error) {
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	records, err := tx.Records()
	if err != nil {
		return nil, err
	}
	sources, err := tx.Sources()
	if err != nil {
		return nil, err
	}
	places, err := tx.Places()
	if err != nil {
		return nil, err
	}
	zones, err := tx.DeviceSites()
	if err != nil {
		return nil, err
	}
	var lines []scanLine
	put := func(row *formats.Row) (store.Change, error) {
		in, err := formats.ParseInstall(row, settings.Zone)
		if err != nil {
			return store.Same, err
		}
		device := devices[in.Device]
		if device == 0 {
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", in.Device)
		}
		if zone := settings.zone(zones[device]); zone != settings.Zone { // times without offset are of the device's site
			if in, err = formats.ParseInstall(row, zone); err != nil {
				return store.Same, err
			}
		}
		if in.Source == "" {
			in.Source = "file"
		}
		if in.SeenAt == 0 {
			in.SeenAt = asOf.Unix()
		}
		source, err := sources.Source(in.Source)
		if err != nil {
			return store.Same, err
		}
		record, err := records.Record(in.Record)
		if err != nil {
			return store.Same, err
		}
		place, err := places.Place(in.InstallPath, in.Custom)
		if err != nil {
			return store.Same, err
		}
		lines = append(lines, scanLine{int32(device), int32(source), int32(record), int32(place), in.SeenAt, in.InstallDate, in.LastUsed})
		return store.Same, nil
	}
	return &sink{put, func(res *ImportResult) error { return writeScans(tx, lines, res) }}, nil
}

func writeScans(tx *store.Tx, lines []scanLine, res *ImportResult) error {
	order := func(a, b scanLine) int {
		return cmp.Or(cmp.Compare(a.device, b.device), cmp.Compare(a.source, b.source), cmp.Compare(a.at, b.at), cmp.Compare(a.record, b.record), cmp.Compare(a.place, b.place))
	}
	if !slices.IsSortedFunc(lines, order) {
		slices.SortFunc(lines, order)
	}
	scanned, err := tx.ScannedPairs()
	if err != nil {
		return err
	}
	installs, err := tx.NewInstalls()
	if err != nil {
		return err
	}
	scans, err := tx.NewScans()
	if err != nil {
		return err
	}
	uses, err := tx.NewLastUses()
	if err != nil {
		return err
	}
	res.Same = 0
	for from := 0; from < len(lines); {
		to := from + 1
		for to < len(lines) && lines[to].device == lines[from].device && lines[to].source == lines[from].source {
			to++
		}
		if err := writeDevice(tx, lines[from:to], scanned, installs, scans, uses, res); err != nil {
			return err
		}
		from = to
	}
	return errors.Join(installs.Flush(), scans.Flush(), uses.Flush())
}

// writeDevice merges the scans of one source on one device into what is known.
func writeDevice(tx *store.Tx, lines []scanLine, scanned map[[2]int64]bool, installs, scans, uses *store.Bulk, res *ImportResult) error {
	device, source := int64(lines[0].device), int64(lines[0].source)
	var list []evidence.Scan
	dates := map[evidence.Item]civil.Day{}
	for i, l := range lines {
		if i == 0 || lines[i-1].at != l.at {
			list = append(list, evidence.Scan{At: l.at})
			if err := scans.Add(device, source, l.at); err != nil {
				return err
			}
		}
		it := evidence.Item{Record: int64(l.record), Place: int64(l.place)}
		s := &list[len(list)-1]
		s.Items = append(s.Items, it)
		if l.installed.Known() {
			dates[it] = max(dates[it], l.installed)
		}
		if l.lastUsed.Known() {
			if err := uses.Add(device, int64(l.record), int64(l.lastUsed), int64(civil.OfUnix(l.at))); err != nil {
				return err
			}
		}
	}
	if !scanned[[2]int64{device, source}] && len(list) == 1 {
		for i, it := range list[0].Items {
			if i > 0 && it == list[0].Items[i-1] {
				res.Same++
				continue
			}
			iv := store.StoredInterval{Interval: evidence.Interval{Item: it, Since: list[0].At, Until: evidence.Forever}, InstallDate: dates[it]}
			if err := installs.AddInstall(device, source, iv); err != nil {
				return err
			}
			res.Added++
		}
		return nil
	}
	return mergeDevice(tx, device, source, list, dates, installs, res)
}

func mergeDevice(tx *store.Tx, device, source int64, list []evidence.Scan, dates map[evidence.Item]civil.Day, installs *store.Bulk, res *ImportResult) error {
	times, err := tx.ScanTimes(device, source)
	if err != nil {
		return err
	}
	stored, err := tx.Intervals(device, source)
	if err != nil {
		return err
	}
	type start struct {
		evidence.Item
		since int64
	}
	old := map[start]store.StoredInterval{}
	known := make([]evidence.Interval, 0, len(stored))
	for _, iv := range stored {
		old[start{iv.Item, iv.Since}] = iv
		known = append(known, iv.Interval)
		dates[iv.Item] = max(dates[iv.Item], iv.InstallDate)
	}
	merged, _ := evidence.Merge(known, times, list)
	for _, iv := range merged {
		key := start{iv.Item, iv.Since}
		before, was := old[key]
		delete(old, key)
		now := store.StoredInterval{Interval: iv, InstallDate: dates[iv.Item]}
		if was && before == now {
			res.Same++
			continue
		}
		switch {
		case !was:
			res.Added++
		case before.Until == evidence.Forever && iv.Until != evidence.Forever:
			res.Gone++
		default:
			res.Changed++
		}
		if err := installs.AddInstall(device, source, now); err != nil {
			return err
		}
	}
	if len(old) > 0 {
		if err := installs.Flush(); err != nil {
			return err
		}
	}
	for _, iv := range old {
		if err := tx.DropInterval(device, source, iv.Interval); err != nil {
			return err
		}
		res.Changed++
	}
	return nil
}

func usageSink(tx *store.Tx, settings *Settings) (*sink, error) {
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	names, err := tx.UseNames()
	if err != nil {
		return nil, err
	}
	zones, err := tx.DeviceSites()
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		code := row.At(0)
		device := devices[code]
		s, err := formats.ParseSession(row, settings.zone(zones[device]))
		if err != nil {
			return store.Same, err
		}
		if device == 0 {
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", code)
		}
		name, err := names.UseName(s.FileName, s.Product)
		if err != nil {
			return store.Same, err
		}
		return tx.PutSession(device, name, s.User, s.Start, s.End, s.Active)
	}), nil
}
