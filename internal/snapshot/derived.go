package snapshot

import (
	"database/sql"
	"encoding/json"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// LayRecognitions says that what some records are is going to be changed, and that figures of some products are
// computed from it.
func (svc *Loader) LayRecognitions(tx *sqlite.Tx, products, records []int64) error {
	if !tx.Previewed() {
		return nil
	}
	c, err := svc.Catalogue(tx)
	if err != nil {
		return err
	}
	var kin []int64
	for _, id := range products {
		kin = append(kin, c.Kin(id)...)
	}
	for where, ids := range map[string][]int64{"product_id": stored.Distinct(kin), "record_id": records} {
		list, err := json.Marshal(ids)
		if err != nil {
			return err
		}
		if err := tx.LayRows("recognition", where+" IN (SELECT value FROM json_each(?))", string(list)); err != nil {
			return err
		}
	}
	return nil
}

// DeviceFacts are a device and how old its evidence of each kind is. Times are seconds since 1970, 0 for never; its
// last scan is the newest of the directory's and the complete ones, up to the time asked about.
type DeviceFacts struct {
	ID int64
	evidence.Device
	Hosting                         string
	Custom                          string // fields of the house's own, as JSON; empty for none
	HardwareSeen, UseSeen, ListedAt int64
	MemoryMB                        int64 // 0 where it is not known
}

// AllDevices reads every device, with the newest evidence of each kind up to now.
func AllDevices(tx *sqlite.Tx, now int64) ([]DeviceFacts, error) {
	return readDeviceFacts(tx, now, nil)
}

// SomeDevices reads some devices, nil is all of them, with the newest evidence of each kind up to now.
func SomeDevices(tx *sqlite.Tx, devices []int64, now int64) ([]DeviceFacts, error) {
	return readDeviceFacts(tx, now, devices)
}

// OneDevice reads a device, with the newest evidence of each kind up to now.
func OneDevice(tx *sqlite.Tx, id, now int64) (*DeviceFacts, error) {
	list, err := readDeviceFacts(tx, now, []int64{id})
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

// readDeviceFacts reads some devices, with what was known of them then and of no other; nil is all of them.
func readDeviceFacts(tx *sqlite.Tx, now int64, devices []int64) ([]DeviceFacts, error) {
	where, past, cores, args := "", allDevicesWere, allCoresThen, []any{now}
	if devices != nil {
		list, err := json.Marshal(devices)
		if err != nil {
			return nil, err
		}
		where, past, cores, args = someDevices, someDevicesWere, someCoresThen, append(args, string(list))
	}
	list, err := devicesNow(tx, where, args...)
	if err != nil {
		return nil, err
	}
	were, err := devicesWere(tx, past, args...) // what lists stated then, where they state something else since
	if err != nil {
		return list, err
	}
	reported, err := coresThen(tx, cores, args...)
	if err != nil {
		return list, err
	}
	then := map[int64]*DeviceWas{}
	for i := range were {
		if w := &were[i]; then[w.Device] == nil {
			then[w.Device] = w
		}
	}
	for i := range list {
		d := &list[i]
		if w := then[d.ID]; w != nil {
			d.Stated = w.Stated
		}
		if r, changed := reported[d.ID]; changed {
			for _, n := range []struct{ was, is *int64 }{{&r.Processors, &d.Processors}, {&r.Cores, &d.Cores},
				{&r.VirtualCores, &d.VirtualCores}} {
				if *n.was != 0 {
					*n.is = *n.was
				}
			}
		}
	}
	return list, nil
}

// devicesQuery reads devices with the newest evidence of each kind up to a time.
const devicesQuery = `SELECT d.id, d.code, d.name, d.kind,
		d.environment, d.org_unit, d.site, d.country, d.directory_path, d.primary_user, d.status,
		d.ip_address, d.hosting, d.os_name, d.os_version, d.portable, d.cluster,
		d.host_id, d.pinned, d.core_factor, d.custom, d.processors, d.cores, d.virtual_cores, d.memory_mb, max(CASE WHEN d.last_scan
		<= ?1 THEN d.last_scan ELSE 0 END, coalesce((SELECT max(at) FROM scan s WHERE s.device_id = d.id AND
		s.at <= ?1 AND s.source_id IN (SELECT id FROM source WHERE part = '')), 0)) AS last_scan,
		coalesce((SELECT max(at) FROM fact_scan s WHERE s.device_id = d.id AND s.at <= ?1 AND s.source_id IN
		(SELECT id FROM source WHERE part = '#hardware')), 0) AS hardware_seen, coalesce((SELECT
		max(started_at) FROM use_session u WHERE u.device_id = d.id AND u.started_at <= ?1), (SELECT
		(max(day) - 719163) * 86400 FROM use_seen u WHERE u.device_id = d.id AND (u.day - 719163) * 86400 <=
		?1), 0) AS use_seen, CASE WHEN d.listed_at <= ?1 THEN d.listed_at ELSE 0 END AS listed_at FROM device

		d`

const someDevices = " WHERE d.id IN (SELECT value FROM json_each(?2))"

// devicesNow reads devices field by field: there may be a million, and a library takes an eighth longer
// (BenchmarkRows).
func devicesNow(tx *sqlite.Tx, where string, args ...any) ([]DeviceFacts, error) {
	return sqlite.Query(tx, func(r *sql.Rows, d *DeviceFacts) error {
		return r.Scan(
			&d.ID,
			&d.Code,
			&d.Name,
			&d.Kind,
			&d.Environment,
			&d.OrgUnit,
			&d.Site,
			&d.Country,
			&d.DirectoryPath,
			&d.PrimaryUser,
			&d.Status,
			&d.IPAddress,
			&d.Hosting,
			&d.OSName,
			&d.OSVersion,
			&d.Portable,
			&d.Cluster,
			&d.HostID,
			&d.Pinned,
			&d.CoreFactor,
			&d.Custom,
			&d.Processors,
			&d.Cores,
			&d.VirtualCores,
			&d.MemoryMB,
			&d.LastScan,
			&d.HardwareSeen,
			&d.UseSeen,
			&d.ListedAt,
		)
	}, devicesQuery+where+" ORDER BY d.id", args...)
}

// PersonFacts are a user under his number.
type PersonFacts struct {
	ID int64
	evidence.Person
}

// AllPersons reads every user.
func AllPersons(tx *sqlite.Tx) ([]PersonFacts, error) {
	return sqlite.Select[PersonFacts](tx, selectPersons+" ORDER BY id")
}

// EachDevice walks the devices that have installs at a time, with the records of those installs, in order; a record
// that is there in several places or from several sources is one install. products limits it to records recognised as
// one of them; nil is all. records is reused after fn returns.
//
// SQLite gathers the records of a device itself: a million rows handed over one by one cost three times as much.
func EachDevice(tx *sqlite.Tx, at int64, products []int64, fn func(device int64, records []int64) error) error {
	return eachOfDevices(tx, at, products, nil, func(device int64, records, _ []int64) error {
		return fn(device, records)
	})
}

// eachOfDevices is EachDevice for some devices alone, nil is all, with the records, in order, whose right comes with
// the place wherever they are on the device.
func eachOfDevices(tx *sqlite.Tx, at int64, products, devices []int64,
	fn func(device int64, records, included []int64) error) error {
	record := "record_id"
	var some bool
	if err := tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM place WHERE included)").Scan(&some); err != nil {
		return err
	}
	if some { // such a one is written with a minus
		record = "CASE WHEN place_id IN (SELECT id FROM place WHERE included) THEN -record_id ELSE record_id END"
	}
	text, args := "SELECT device_id, group_concat("+record+") FROM install WHERE since <= ?1 AND (until IS NULL OR "+
		"until > ?1)", []any{
		at,
	}
	if products != nil {
		list, err := json.Marshal(products)
		if err != nil {
			return err
		}
		text += " AND record_id IN (SELECT record_id FROM recognition WHERE product_id IN (SELECT value FROM " +
			"json_each(?2)))"
		args = append(args, string(list))
	}
	if devices != nil {
		list, err := json.Marshal(devices)
		if err != nil {
			return err
		}
		text += " AND device_id IN (SELECT value FROM json_each(?" + sqlite.Itoa(int64(len(args)+1)) + "))"
		args = append(args, string(list))
	}
	rows, err := tx.QueryContext(tx.Ctx, text+" GROUP BY device_id", args...)
	if err != nil {
		return err
	}
	var device int64
	var list sql.RawBytes
	var records, included []int64
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&device, &list); err != nil {
			return err
		}
		records, included = records[:0], included[:0]
		n, with := int64(0), false
		end := func() {
			if with {
				included = append(included, n)
			} else {
				records = append(records, n)
			}
			n, with = 0, false
		}
		for _, c := range list {
			switch c {
			case ',':
				end()
			case '-':
				with = true
			default:
				n = 10*n + int64(c-'0')
			}
		}
		end()
		slices.Sort(records)
		records = slices.Compact(records)
		if len(included) == 0 {
			return fn(device, records, nil)
		}
		included = slices.DeleteFunc(stored.Distinct(included), func(id int64) bool {
			_, own := slices.BinarySearch(records, id)
			return own
		})
		records = append(records, included...)
		slices.Sort(records)
		return fn(device, records, included)
	})
}

// devicesHaving lists the devices on which one of some products is at a time.
func devicesHaving(tx *sqlite.Tx, at int64, products []int64) ([]int64, error) {
	list, err := json.Marshal(products)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, "SELECT DISTINCT device_id FROM install WHERE since <= ?1 AND (until IS NULL OR "+
		"until > ?1) AND record_id IN (SELECT record_id FROM recognition WHERE product_id IN (SELECT value FROM "+
		"json_each(?2)))", at, string(list))
}

// Installed is since when something is on a device, in seconds since 1970, and the latest date of installation that
// was reported for it.
type Installed struct {
	Since int64
	On    civil.Day
}

// InstalledSince says of devices with some records since when any of these is on the device, at a time. What is not
// there is not in the answer.
func InstalledSince(tx *sqlite.Tx, wanted map[int64][]int64, at int64) (map[int64]Installed, error) {
	out := map[int64]Installed{}
	var records []int64
	for _, list := range wanted {
		records = append(records, list...)
	}
	text, err := json.Marshal([2][]int64{stored.Distinct(records), slices.Sorted(maps.Keys(wanted))})
	if err != nil || len(wanted) == 0 {
		return out, err
	}
	rows, err := tx.QueryContext(tx.Ctx, `SELECT device_id, record_id, min(since), max(install_date) FROM install
		WHERE record_id IN (SELECT value FROM json_each(?1, '$[0]')) AND device_id IN (SELECT value FROM
		json_each(?1, '$[1]')) AND since <= ?2 AND (until IS NULL OR until > ?2) GROUP BY device_id, record_id`,
		string(text), at)
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var device, record int64
		var is Installed
		if err := rows.Scan(&device, &record, &is.Since, &is.On); err != nil {
			return err
		}
		if !slices.Contains(wanted[device], record) {
			return nil
		}
		if was, known := out[device]; known {
			is = Installed{min(is.Since, was.Since), max(is.On, was.On)}
		}
		out[device] = is
		return nil
	})
}

// DeviceFact, NameFact, ProductFact and IdleFact are derived rows that lists are served from.
type (
	// DeviceFact sums up a device.
	DeviceFact struct {
		Device, LastSeen                  int64
		Age                               string
		HardwareSeen, UseSeen, ListedAt   int64
		HardwareAge, UseAge, DirectoryAge string
		Installs, Unrecognised, Counted   int64
		Namesakes                         int64 // other devices of the same name
		Disagreements                     int64 // facts and software on which sources disagree
	}
	// NameFact sums up the records of one key. State is unrecognised, later, waiting, decided, rule or recognised. Of
	// one that nobody has recognised, Likely is the first proposal with its score; Money, in the currency of the
	// house, and Findings are what would follow if it were right.
	NameFact struct {
		Key, Publisher, Name                 string
		Versions, Records, Installs, Devices int64
		Stale                                int64 // installs on devices whose evidence is stale
		State                                string
		Gather, Likely                       string
		Score, Money                         float64
		Findings                             int64
	}
	// ProductFact sums up the installs of a product; Stale counts devices whose evidence is stale.
	ProductFact struct{ Product, Installs, Devices, Stale, Counted, Folded, LeftOut, Versions int64 }
	// IdleFact is the class of use of a counted product on a device.
	IdleFact struct {
		Device, Product int64
		Person, Class   string
		Used, Measured  int
		Last            civil.Day
	}
)
