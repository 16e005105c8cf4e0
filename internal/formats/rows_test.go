package formats

import (
	"errors"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
)

// parsers of every kind, for the tests below.
var parsers = map[*Kind]func(*Row) error{
	Publishers:    func(r *Row) error { _, err := ParsePublisher(r); return err },
	Titles:        func(r *Row) error { _, err := ParseTitle(r); return err },
	Sources:       func(r *Row) error { _, err := ParseSource(r); return err },
	Contracts:     func(r *Row) error { _, err := ParseContract(r); return err },
	Rates:         func(r *Row) error { _, err := ParseRate(r); return err },
	Users:         func(r *Row) error { _, err := ParseUser(r); return err },
	Devices:       func(r *Row) error { _, err := ParseDevice(r, time.UTC); return err },
	Entitlements:  func(r *Row) error { _, err := ParseEntitlement(r); return err },
	Transactions:  func(r *Row) error { _, err := ParseTransaction(r); return err },
	Assignments:   func(r *Row) error { _, err := ParseAssignment(r); return err },
	Keys:          func(r *Row) error { _, err := ParseKey(r); return err },
	Policies:      func(r *Row) error { _, err := ParsePolicy(r); return err },
	Installs:      func(r *Row) error { _, err := ParseInstall(r, time.UTC); return err },
	Usage:         func(r *Row) error { _, err := ParseSession(r, time.UTC); return err },
	ProcessEvents: func(r *Row) error { _, err := ParseProcessEvent(r, time.UTC); return err },
	Pools:         func(r *Row) error { _, err := ParsePool(r); return err },
	PoolEvents:    func(r *Row) error { _, err := ParsePoolEvent(r, time.UTC); return err },
}

func TestEveryKindHasAParserAndItsColumns(t *testing.T) {
	for _, k := range Kinds {
		if parsers[k] == nil {
			t.Errorf("%s has no parser here", k.Name)
		}
		for _, c := range k.Required {
			if !strings.Contains(" "+strings.Join(k.Columns, " ")+" ", " "+c+" ") {
				t.Errorf("%s requires the column %s, which it has not", k.Name, c)
			}
		}
		if got, err := KindByName(strings.ToUpper(k.Name) + ".CSV"); err != nil || got != k {
			t.Errorf("%s is not found by its name: %v", k.Name, err)
		}
	}
	if _, err := KindByName("puddles"); err == nil {
		t.Error("a kind that does not exist is found")
	}
}

// Each line with the reason that must be given for it; none where it is right.
func TestLinesOfEveryKind(t *testing.T) {
	for _, c := range []struct {
		kind         *Kind
		header, line string
		reason       string
	}{
		{Pools, "pool,product,quantity,expires", "sonar,Lodeglass,24,2027-01-31", ""},
		{Pools, "pool,product,quantity", "sonar,Lodeglass,-1", "quantity is -1"},
		{PoolEvents, "pool,event,session,at", "sonar,checkout,s1,2026-06-01T10:00:00Z", ""},
		{PoolEvents, "pool,event,at", "sonar,lost,2026-06-01T10:00:00Z", ""},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,start,2026-06-01T10:00:00Z,77,klprof.exe", ""},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,stop,2026-06-01T10:00:00Z,77,", ""},
		{ProcessEvents, "device_id,event,at", "D1,boot,2026-06-01T10:00:00Z", ""},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,start,2026-06-01T10:00:00Z,77,",
			"nobody can say which program"},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,start,2026-06-01T10:00:00Z,,a.exe", "pid is empty"},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,pause,2026-06-01T10:00:00Z,7,a.exe", "pause"},
		{ProcessEvents, "device_id,event,at,pid,started_at", "D1,stop,2026-06-01T10:00:00Z,7,2026-06-01T11:00:00Z",
			"stops before it started"},
		{ProcessEvents, "device_id,event,at,pid,file_name", "D1,start,half past nine,7,a.exe", "half past nine"},
		{Policies, "product,stance,days,from_time,to_time", "Skerry,restricted,mon-fri,08:00,16:00", ""},
		{Policies, "product,stance,days,from_time,to_time", "Skerry,restricted,weekdays,08:00,16:00", "write days as"},
		{Policies, "product,stance,from_time", "Skerry,restricted,08:00", "belong together"},
		{PoolEvents, "pool,event,session,at", "sonar,checkout,,2026-06-01T10:00:00Z", "session is empty"},
		{PoolEvents, "pool,event,session,at", "sonar,denial,,2026-06-01T10:00:00Z", ""},
		{PoolEvents, "pool,event,session,at", "sonar,borrow,s1,2026-06-01T10:00:00Z", "none of checkout"},
		{PoolEvents, "pool,event,session,at", "sonar,return,s1,", "at is empty"},
		{Titles, "publisher,product", "Ostwick,Skerrymap", ""},
		{Titles, "publisher,product", ",Skerrymap", "publisher is empty"},
		{Titles, "publisher,product,licence_model", "O,S,leased", "licence_model"},
		{Titles, "publisher,product,list_price", "O,S,-4", "cannot be negative"},
		{Titles, "publisher,product,list_price", "O,S,1e9", "decimal point"},
		{Titles, "publisher,product,released", "O,S,31.12.2024", "not a date"},
		{Titles, "publisher,product,edition_rank", "O,S,high", "not a whole number"},
		{Rates, "currency,on,per_eur", "NOK,2026-01-01,11.5", ""},
		{Sources, "source,covers,trust,silent_after_days", "collector,software|Hardware,1,14", ""},
		{Sources, "source,state,retired_on", "old tool,retired,2026-03-01", ""},
		{Sources, "source,state", "old tool,retired", "retired_on is empty"},
		{Sources, "source,state,retired_on", "old tool,active,2026-03-01", "a day on which it was retired"},
		{Sources, "source,state", "old tool,asleep", "state"},
		{Sources, "source,trust", "old tool,-1", "trust is -1"},
		{Sources, "source,covers", ",software", "source is empty"},
		{Rates, "currency,on,per_eur", "NOK,2026-01-01,0", "above 0"},
		{Rates, "currency,on,per_eur", "NOK,,11", "on is empty"},
		{Rates, "currency,on,per_eur", "KRONER,2026-01-01,11", "three letters"},
		{Users, "user_id,status", "u1,left", ""},
		{Users, "user_id,status", "u1,asleep", "status"},
		{Users, "user_id,left_on", "u1,soon", "not a date"},
		{Devices, "device_id,kind", "D1,server", ""},
		{Devices, "device_id,kind", "D1,toaster", "kind"},
		{Devices, "device_id,cores", "D1,-4", "cores is -4"},
		{Devices, "device_id,last_scan", "D1,2026-06-29T25:00:00Z", "not a time"},
		{Devices, "device_id,pinned", "D1,maybe", "pinned"},
		{Transactions, "entitlement_id,type,on,quantity", "E1,buy,2026-01-01,4", ""},
		{Transactions, "entitlement_id,type,on,quantity", "E1,steal,2026-01-01,4", "type"},
		{Transactions, "entitlement_id,type,on,quantity", "E1,buy,,4", "on is empty"},
		{Assignments, "entitlement_id,user_id,device_id", "E1,u1,", ""},
		{Assignments, "entitlement_id,user_id,device_id", "E1,u1,D1", "either a user or a device"},
		{Assignments, "entitlement_id,user_id,device_id", "E1,,", "either a user or a device"},
		{Assignments, "entitlement_id,user_id,from,until", "E1,u1,2026-02-01,2026-01-01", "before it starts"},
		{Policies, "category,stance", "game,restricted", ""},
		{Policies, "category,stance,reason,owner,until", "game,allowed,school day,Livar,2026-08-31", ""},
		{Policies, "category,stance,until", "game,allowed,2026-08-31", "name its owner"},
		{Policies, "category,stance,owner,until", "game,allowed,Livar,some day", "until"},
		{Policies, "category,stance", ",restricted", "neither a publisher"},
		{Policies, "category,stance", "game,forbidden", "stance"},
		{Policies, "category,stance,from_time", "game,restricted,08:00", "belong together"},
		{Installs, "device_id,name", "D1,Skerrymap", ""},
		{Installs, "device_id,name", ",Skerrymap", "device_id is empty"},
		{Installs, "device_id,name", "D1,", "name is empty"},
		{Installs, "device_id,name,install_date", "D1,S,2026-13-01", "install_date"},
		{Installs, "device_id,name,last_used", "D1,S,yesterday", "last_used"},
		{Installs, "device_id,name,seen_at", "D1,S,now", "seen_at"},
		{Usage, "device_id,product,started_at", "D1,S,2026-06-01T10:00:00+02:00", ""},
		{Usage, "device_id,product,started_at", "D1,,2026-06-01T10:00:00Z", "neither a file nor a product"},
		{Usage, "device_id,product,started_at", "D1,S,", "started_at is empty"},
		{Usage, "device_id,product,started_at,ended_at", "D1,S,2026-06-01T10:00:00Z,2026-06-01T09:00:00Z",
			"ends before it starts"},
		{Entitlements, "entitlement_id,product,metric,quantity,base", "E1,P,device,1,E1",
			"names the entitlement itself"},
	} {
		_, err := parse(
			t,
			c.kind,
			c.header+"\n"+c.line+"\n",
			func(r *Row) (struct{}, error) { return struct{}{}, parsers[c.kind](r) },
		)
		var le *LineError
		switch {
		case c.reason == "" && err != nil:
			t.Errorf("%s: %s: %v", c.kind.Name, c.line, err)
		case c.reason != "" &&
			(!errors.As(err, &le) || !strings.Contains(le.Reason, c.reason) || le.Content != c.line || le.Line != 2):
			t.Errorf("%s: %s: %v, want %q", c.kind.Name, c.line, err, c.reason)
		}
	}
}

func TestTimesWithAndWithoutOffset(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	for v, want := range map[string]string{
		"2026-06-01T10:00:00Z": "2026-06-01T10:00:00Z", "2026-06-01T10:00:00+02:00": "2026-06-01T08:00:00Z",
		"2026-06-01T10:00:00": "2026-06-01T08:00:00Z", "2026-01-01 10:00": "2026-01-01T09:00:00Z",
		"2026-06-01": "2026-05-31T22:00:00Z",
	} {
		got, err := ParseTime(v, oslo)
		if err != nil || got.UTC().Format(time.RFC3339) != want {
			t.Errorf("%s is %v, %v, want %s", v, got.UTC(), err, want)
		}
	}
}

func TestValuesAreReadIntoTheirPlaces(t *testing.T) {
	title, err := parse(
		t,
		Titles,
		"publisher,product,edition,edition_rank,version,licence_model,list_price,aliases,end_of_life,colour\n"+
			"O,S,Pro,2,6,open_source,99.50,a | b||c,2030-01-01,blue\n",
		ParseTitle,
	)
	if err != nil || title.EditionRank != 2 || title.Model != recognise.OpenSource ||
		title.ListPrice.Decimal.String() != "99.5" ||
		title.Currency != "EUR" ||
		strings.Join(title.Aliases, "+") != "a+b+c" ||
		title.EndOfLife != civil.MustParse("2030-01-01") ||
		title.Custom["colour"] != "blue" {
		t.Errorf("%+v, %v", title, err)
	}
	e, err := parse(
		t,
		Entitlements,
		"entitlement_id,product,metric,quantity,rights,pack_size,scope_unit\nE1,P,named_user,12,older_versions | "+
			"lower_editions,2,/Shore/A/\n",
		ParseEntitlement,
	)
	if err != nil || e.Metric != entitle.NamedUser || e.Quantity != 12 || e.PackSize != 2 ||
		!e.Has(entitle.LowerEditions) ||
		e.ScopeUnit != "Shore/A" ||
		e.Kind != entitle.Perpetual ||
		e.Capacity != "full" {
		t.Errorf("%+v, %v", e, err)
	}
	d, err := parse(
		t,
		Devices,
		"device_id,core_factor,portable\nD1,0.50,TRUE\n",
		func(r *Row) (Device, error) { return ParseDevice(r, time.UTC) },
	)
	if err != nil || d.Name != "D1" || d.Kind != "client" || d.Environment != "production" ||
		d.Status != "in_service" ||
		d.CoreFactor != "0.5" ||
		d.Portable != "true" {
		t.Errorf("%+v, %v", d, err)
	}
}

// No line of any kind makes a parser fall over, and what it refuses it says why.
func FuzzParsers(f *testing.F) {
	f.Add(3, "D1,x,2026-06-29,\"a\"\"b\",=1+1,-3,99999999999999999999,|,")
	f.Add(4, "E1,P,device,5,2026-02-30,,older_versions|,1.5,EUR")
	f.Add(9, "D1,S,2026-06-01T10:00:00+99:00")
	f.Fuzz(func(t *testing.T, which int, line string) {
		k := Kinds[uint(which)%uint(len(Kinds))]
		r, err := ReaderFor(strings.NewReader(line), k, k.Columns)
		if err != nil {
			t.Fatal(err)
		}
		for range 3 {
			row, err := r.Next()
			var le *LineError
			if errors.As(err, &le) {
				continue
			}
			if err != nil {
				return
			}
			if err := parsers[k](row); err != nil && (!errors.As(err, &le) || le.Reason == "") {
				t.Fatalf("%s: %v", k.Name, err)
			}
		}
	})
}
