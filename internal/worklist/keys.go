package worklist

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/licencekey"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"
)

// machineMetrics are the metrics of which one licence is one machine, so that a key on a machine can be set against it.
var machineMetrics = []entitle.Metric{entitle.Device, entitle.Installation, entitle.VirtualMachine}

// keyOnDevices is what is known of one key that was found.
type keyOnDevices struct {
	devices  []int64
	products map[int64]int // by product, on how many devices
	since    int64
	counts   bool // some install with it makes a demand, or nobody knows what it is
}

// product is the product that the key is found with most, 0 where nobody knows.
func (k *keyOnDevices) product() int64 {
	best := int64(0)
	for _, id := range slices.Sorted(maps.Keys(k.products)) {
		if k.products[id] > k.products[best] {
			best = id
		}
	}
	return best
}

// findKeys sets the licence keys that scans found against those that were booked. Keys on more devices than their lines
// have licences are one case for each product, and so are those that nobody booked.
func (d *Findings) findKeys(tx *sqlite.Tx) error {
	e := d.Snapshot
	rows, err := worklistdb.FoundKeys(tx, e.At)
	if err != nil {
		return err
	}
	booked, err := worklistdb.BookedKeys(tx)
	if err != nil || len(rows)+len(booked) == 0 {
		return err
	}
	hints, err := worklistdb.KeyHints(tx)
	if err != nil {
		return err
	}
	found, on := map[int64]*keyOnDevices{}, map[int64][]int64{}
	for _, r := range rows {
		k := found[r.Key]
		if k == nil {
			k = &keyOnDevices{products: map[int64]int{}, since: r.Since}
			found[r.Key] = k
		}
		if n := len(k.devices); n == 0 || k.devices[n-1] != r.Device {
			k.devices = append(k.devices, r.Device)
		}
		k.since = min(k.since, r.Since)
		if r.Product != 0 {
			k.products[r.Product]++
		}
		k.counts = k.counts || r.Counts
		on[r.Key] = k.devices
	}
	lines, codes, product, err := d.keyLines(tx, booked)
	if err != nil {
		return err
	}
	if err := d.needKeyed(tx, found); err != nil {
		return err
	}
	for _, b := range booked {
		if hints[b.Key] == "" {
			hints[b.Key] = b.Hint
		}
	}
	judged := licencekey.Judge(on, lines)
	unbought, over := map[int64][]int64{}, map[int64]*finding{}
	for _, key := range slices.Sorted(maps.Keys(judged)) {
		s, k := judged[key], found[key]
		fact := worklistdb.KeyFact{ID: key, Hint: hints[key], State: string(s.State), Product: product[key],
			Together: int64(s.Devices), Bought: s.Bought, Lines: strings.Join(codes[key], ", ")}
		if k != nil {
			fact.Devices, fact.Since, fact.FoundID = int64(len(k.devices)), k.since, key
			if fact.Product == 0 {
				fact.Product = k.product()
			}
		}
		d.keys = append(d.keys, fact)
		switch {
		case s.State == licencekey.Over && s.Lead == key && e.Products[fact.Product] != nil:
			if over[fact.Product] == nil {
				over[fact.Product] = &finding{kind: casework.OverusedKey, product: fact.Product,
					currency: e.Products[fact.Product].Currency}
			}
			d.overused(over[fact.Product], &fact, s, k)
		case s.State == licencekey.Unknown && k.counts && e.Products[fact.Product] != nil:
			unbought[fact.Product] = append(unbought[fact.Product], key)
		}
	}
	for _, p := range slices.Sorted(maps.Keys(over)) {
		d.found = append(d.found, *over[p])
	}
	for _, p := range slices.Sorted(maps.Keys(unbought)) {
		d.found = append(d.found, d.unbought(p, unbought[p], found, hints))
	}
	return nil
}

// keyLines gives of each key its lines with what they have today, their codes, and the product of the first.
func (d *Findings) keyLines(tx *sqlite.Tx, booked []worklistdb.BookedKey) (
	lines map[int64][]licencekey.Line, codes map[int64][]string, product map[int64]int64, err error,
) {
	e := d.Snapshot
	var products []int64
	for _, b := range booked {
		products = append(products, b.Product)
	}
	kept, err := stored.EntitlementsOf(tx, stored.Distinct(products))
	if err != nil {
		return nil, nil, nil, err
	}
	of := map[int64][]entitle.Line{}
	for _, l := range kept {
		of[l.Line.Product] = append(of[l.Line.Product], l.Line)
	}
	lines, codes, product = map[int64][]licencekey.Line{}, map[int64][]string{}, map[int64]int64{}
	effects := map[int64]map[string]entitle.Effect{}
	for _, b := range booked {
		quantity := int64(0)
		if effects[b.Product] == nil {
			effects[b.Product] = entitle.Effective(of[b.Product], e.AsOf)
		}
		i := slices.IndexFunc(of[b.Product], func(l entitle.Line) bool { return l.ID == b.Line })
		if quantity = effects[b.Product][b.Code].Quantity; i >= 0 &&
			!slices.Contains(machineMetrics, of[b.Product][i].Metric) {
			quantity = -1
		}
		lines[b.Key] = append(lines[b.Key], licencekey.Line{ID: b.Line, Quantity: quantity})
		if !slices.Contains(codes[b.Key], b.Code) {
			codes[b.Key] = append(codes[b.Key], b.Code)
		}
		if product[b.Key] == 0 {
			product[b.Key] = b.Product
		}
	}
	return lines, codes, product, nil
}

// needKeyed reads the devices that are told of keys.
func (d *Findings) needKeyed(tx *sqlite.Tx, found map[int64]*keyOnDevices) error {
	var devices []int64
	for _, k := range found {
		devices = append(devices, k.devices[:min(devicesTold, len(k.devices))]...)
	}
	return d.Snapshot.Need(tx, devices, nil)
}

// devicesTold is how many devices that have a key are named.
const devicesTold = 6

// overused adds to a finding that a key, with the others of its lines, is on more devices than there are licences.
func (d *Findings) overused(to *finding, f *worklistdb.KeyFact, s licencekey.Standing, k *keyOnDevices) {
	has := "licences"
	if s.Bought == 1 {
		has = "licence"
	}
	first := fmt.Sprintf("The key …%s is on %d devices, and %s has %d %s.", f.Hint, s.Devices, f.Lines, s.Bought, has)
	if f.Devices < f.Together {
		first = fmt.Sprintf(
			"The key …%s and the other keys of %s are on %d devices, and there are %d %s.",
			f.Hint,
			f.Lines,
			s.Devices,
			s.Bought,
			has,
		)
	}
	to.quantity += int64(s.Devices) - s.Bought
	to.proof = append(to.proof, first, d.devicesInWords(k.devices))
}

func (d *Findings) unbought(
	product int64,
	keys []int64,
	found map[int64]*keyOnDevices,
	hints map[int64]string,
) finding {
	var devices []int64
	for _, k := range keys {
		devices = append(devices, found[k].devices...)
	}
	devices = stored.Distinct(devices)
	slices.SortStableFunc(keys, func(a, b int64) int { return len(found[b].devices) - len(found[a].devices) })
	name := d.Snapshot.Products[product].Product.Name
	proof := []string{
		fmt.Sprintf("Licence keys of %s that nobody has booked: %d, on %d devices.", name, len(keys), len(devices)),
	}
	for _, k := range keys[:min(5, len(keys))] {
		proof = append(proof, fmt.Sprintf("…%s: %s", hints[k], d.devicesInWords(found[k].devices)))
	}
	return finding{
		kind:     casework.UnboughtKey,
		product:  product,
		quantity: int64(len(keys)),
		currency: d.Snapshot.Products[product].Currency,
		proof:    proof,
	}
}

// devicesInWords names the first of some devices.
func (d *Findings) devicesInWords(devices []int64) string {
	var names []string
	for _, id := range devices[:min(devicesTold, len(devices))] {
		if i, known := d.Snapshot.DeviceAt[id]; known {
			names = append(names, d.Snapshot.Devices[i].Name)
		}
	}
	text := "On " + strings.Join(names, ", ")
	if more := len(devices) - len(names); more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text + "."
}
