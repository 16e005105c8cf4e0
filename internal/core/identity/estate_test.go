package identity

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"
)

// An estate whose truth is known: machine of[i] is the machine that record i is of.
type estate struct {
	list []Machine
	of   []int
}

func (e *estate) add(machine int, r Machine) {
	e.list, e.of = append(e.list, r), append(e.of, machine)
}

const estateDays = 400

func hexOf(r *rand.Rand, n int) string {
	var b strings.Builder
	for range n {
		b.WriteByte("0123456789abcdef"[r.IntN(16)])
	}
	return b.String()
}

// address makes one that a maker gave: neither for many nor made up.
func addressOf(r *rand.Rand) string { return "a4" + hexOf(r, 10) }

var placeholders = []string{
	"To be filled by O.E.M.",
	"Default string",
	"None",
	"0000000000",
	"System Serial Number",
	"",
	"Not Specified",
	"xxxxxxxx",
	"123456789",
}

// simulated makes an estate as houses have them: four sources that each name machines in their own way, with machines
// that are renamed, reinstalled and cloned, docks that travel, serial numbers that are none, namesakes, names that are
// used again, and sources that stop.
func simulated(r *rand.Rand, machines int) *estate {
	e := &estate{}
	day := func(d int) int64 { return int64(20000+d) * 86400 }
	docks := make([]string, max(machines/25, 1))
	for i := range docks {
		docks[i] = addressOf(r)
	}
	free := []string{} // names of machines that are gone
	var lastDisk, lastSerial string
	for m := range machines {
		name := fmt.Sprintf("%s%05d-%s", []string{"ost", "vest", "halv", "skole"}[r.IntN(4)], m,
			[]string{"pc", "laptop", "arbeidsplass", "srv"}[r.IntN(4)])
		from, to := r.IntN(60), estateDays
		if r.IntN(12) == 0 { // it goes, and its name may be used again
			to = from + 60 + r.IntN(200)
			free = append(free, name)
		} else if len(free) > 0 && r.IntN(3) == 0 {
			name = free[0]
			free = free[1:]
			from = 330 + r.IntN(40)
		}
		if r.IntN(400) == 0 {
			name = "skole-test" // namesakes
		}
		domain := []string{"halv.example", "skole.example"}[r.IntN(2)]
		virtual := r.IntN(5) == 0
		serial := strings.ToUpper(hexOf(r, 4+r.IntN(6))) + strconv.Itoa(m)
		maker := []string{"Norhavn", "Ostlund AS", "HP", "Hewlett-Packard"}[r.IntN(4)]
		switch {
		case virtual:
			serial, maker = "VM-"+hexOf(r, 8)+"-"+hexOf(r, 8), "QEMU"
		case r.IntN(20) == 0:
			serial = placeholders[r.IntN(len(placeholders))]
		}
		if !virtual && r.IntN(300) == 0 && lastSerial != "" {
			serial, maker = lastSerial, "Norhavn" // a maker who gave a number twice
		}
		lastSerial = serial
		disk, own := hexOf(r, 32), []string{addressOf(r)}
		if r.IntN(3) == 0 {
			own = append(own, addressOf(r))
		}
		if r.IntN(3) == 0 && !virtual {
			own = append(own, docks[r.IntN(len(docks))])
		}
		cloned := r.IntN(200) == 0 && lastDisk != ""
		if cloned {
			disk = lastDisk
		}
		lastDisk = disk
		names := []string{name}
		if r.IntN(12) == 0 {
			names = []string{name + "b", name} // renamed
		}
		reinstalled := 0
		if r.IntN(10) == 0 && !cloned && to-from > 100 {
			reinstalled = from + 30 + r.IntN(60)
		}
		// the list of assets: by hand, with numbers of its own
		asset := fmt.Sprintf("A-%06d", 100000+m)
		if r.IntN(50) > 0 {
			list := Machine{Key: asset, First: day(from), Last: day(to)}
			list.Names, list.Serial, list.Maker = names[len(names)-1:], strings.ToLower(serial), maker
			if FoldSerial(serial) != "" && r.IntN(10) == 0 {
				list.Names = nil // nobody wrote it down
			}
			e.add(m, list)
		}
		// the directory
		if r.IntN(40) > 0 {
			d := Machine{
				Source: "directory",
				Key:    "CN=" + strings.ToUpper(names[0]),
				First:  day(from),
				Last:   day(to),
			}
			d.Names, d.DirectoryID = []string{names[0] + "." + domain}, hexOf(r, 8)+"-"+hexOf(r, 8)
			e.add(m, d)
		}
		// the collector on the machine; a new installation gets an identifier of its own
		if r.IntN(20) > 0 {
			c := Machine{Source: "collector", Key: disk[:12], First: day(from), Last: day(to)}
			c.Names, c.Serial, c.Maker, c.MachineID, c.Addresses = names, serial, maker, disk, own
			if c.Names[0] == name {
				c.Names = []string{name + "." + domain}
			}
			if r.IntN(8) == 0 {
				c.Serial = "" // it may not read it
			}
			c.IP = fmt.Sprintf("10.%d.%d.%d", m>>16&255, m>>8&255, m&255)
			if reinstalled > 0 {
				old := c
				old.Last = day(reinstalled)
				e.add(m, old)
				c.MachineID, c.First = hexOf(r, 32), day(reinstalled)
				c.Key = c.MachineID[:12]
			}
			e.add(m, c)
		}
		// the deployment tool: short names in capitals; it stopped one day
		if r.IntN(15) > 0 {
			short := strings.ToUpper(names[0])
			if len(short) > cut {
				short = short[:cut]
			}
			d := Machine{
				Source: "deployment",
				Key:    fmt.Sprintf("%d", 7000000+m),
				First:  day(from),
				Last:   day(min(to, 300)),
			}
			if from >= 300 {
				d.First, d.Last = day(from), day(from)
			}
			d.Names, d.Addresses = []string{`HALV\` + short}, own[:1]
			if domain != "halv.example" {
				d.Names[0] = short
			}
			if r.IntN(2) == 0 {
				d.Serial = serial
			}
			e.add(m, d)
		}
	}
	return e
}

// measured is what came of an estate.
type measured struct {
	joined, right   int // pairs of records
	truth, reached  int // pairs of records of one machine, and those joined or proposed
	againstSign     int // joined groups in which a sign parts two records that share none that explains it
	proposed, waits int
}

func measure(e *estate, res Result) measured {
	var out measured
	m := newMachines(e.list)
	byTruth := map[int][]int{}
	for i, t := range e.of {
		byTruth[t] = append(byTruth[t], i)
	}
	linked := map[[2]int]bool{}
	for _, p := range res.Pairs {
		linked[pairOf(res.Group[p.A], res.Group[p.B])] = true
		if p.Waits {
			out.waits++
		} else {
			out.proposed++
		}
	}
	for _, list := range byTruth {
		for x, a := range list {
			for _, b := range list[:x] {
				out.truth++
				if res.Group[a] == res.Group[b] || linked[pairOf(res.Group[a], res.Group[b])] {
					out.reached++
				}
			}
		}
	}
	for _, list := range res.Members() {
		for x, a := range list {
			for _, b := range list[:x] {
				out.joined++
				if e.of[a] == e.of[b] {
					out.right++
				}
				if s, o := m.said[a].serial, m.said[b].serial; s != "" && o != "" && s != o {
					out.againstSign++
				}
				if s, o := m.said[a].machineID, m.said[b].machineID; s != "" && o != "" && s != o &&
					m.sameDays(a, b) {
					out.againstSign++
				}
			}
		}
	}
	return out
}

// Simulated estates with truth: of what joins by itself at least 99.9 % is right, at least 99 % of what is one is
// joined or proposed, and nothing is joined against a sign. ENSOMET_MACHINES makes them larger.
func TestSimulatedEstates(t *testing.T) {
	size, seeds := 3000, uint64(4)
	if n, err := strconv.Atoi(os.Getenv("ENSOMET_MACHINES")); err == nil {
		size = n
	}
	for seed := range seeds {
		for _, opt := range []Options{{}, {Names: true}, {Names: true, Addresses: true}} {
			e := simulated(rand.New(rand.NewPCG(seed, 16)), size)
			start := time.Now()
			res := Machines(e.list, nil, opt)
			took := time.Since(start)
			m := measure(e, res)
			right, reached := float64(m.right)/float64(m.joined), float64(m.reached)/float64(m.truth)
			t.Logf(
				"seed %d, %d machines, %d records, names %v, addresses %v: %d pairs joined, %.4f %% right; "+
					"%.2f %% of "+
					"%d true pairs joined or proposed; %d proposed, %d wait; %.1f s",
				seed,
				size,
				len(e.list),
				opt.Names,
				opt.Addresses,
				m.joined,
				100*right,
				100*reached,
				m.truth,
				m.proposed,
				m.waits,
				took.Seconds(),
			)
			if right < 0.999 || reached < 0.99 || m.againstSign > 0 {
				t.Errorf(
					"seed %d, %+v: %.4f right, %.4f reached, %d against a sign",
					seed,
					opt,
					right,
					reached,
					m.againstSign,
				)
			}
		}
	}
}
