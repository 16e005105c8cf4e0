package program

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/sqlite"
)

// charged asks for all charges of a device, answer by answer.
func charged(prog *Program, code string) (m position.MachineView, err error) {
	for {
		more, err := prog.Position.Charges(context.Background(), code, m.Next)
		if err != nil {
			return more, err
		}
		more.Charges = append(m.Charges, more.Charges...)
		if m = more; m.Next == 0 {
			return m, nil
		}
	}
}

// chargesOf says of a device what it is asked for, and what other machines are asked for because of it.
func chargesOf(t *testing.T, prog *Program, code string) (out []string) {
	t.Helper()
	m, err := charged(prog, code)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range m.Charges {
		var guests []string
		for _, g := range c.Unit.Guests {
			guests = append(guests, g.Device)
		}
		where := "on " + c.Unit.Device
		if c.Here {
			where = "here"
		}
		out = append(out, fmt.Sprintf("%s: %d %s, %s [%s] %s", c.Product, c.Unit.Count, where, c.Unit.Why,
			strings.Join(guests, " "), c.Unit.Line))
	}
	return out
}

// Every licence that processors are asked for stands with the device, wherever it counts: by its own processors, on the
// host of a virtual machine, on each host of the cluster that it may move within, and only there where it is pinned.
// The sum over the machines that count is what the position needs.
func TestChargesOfAMachine(t *testing.T) {
	prog, clock := desk(t)
	take(t, prog, formats.Titles, "publisher,product,list_price,currency,default_metric", "Harrow,Queue,290,EUR,core",
		"Harrow,Ledger,90,EUR,core", "Harrow,Notes,9,EUR,device")
	header := "device_id,name,kind,processors,cores,virtual_cores,host_id,cluster,pinned,core_factor"
	machines := []string{"S1,plain,server,2,16,,,,,0.5", "H1,one,vm_host,2,32,,,blue,,", "H2,two,vm_host,1,16,,,blue,,",
		"V1,roams,virtual_machine,,,4,H1,,false,", "V2,stays,virtual_machine,,,8,H2,,true,",
		"V3,lost,virtual_machine,,,2,,,,", "L1,portable,client,1,8,,,,,"}
	take(t, prog, formats.Devices, append([]string{header}, machines...)...)
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,capacity",
		"Q,Harrow,Queue,core,56,full", "L,Harrow,Ledger,core,6,sub")
	for _, d := range []string{"S1", "V1", "V2", "V3"} {
		take(t, prog, formats.Installs, installHeader, d+",Harrow,Queue,1,,,2026-06-29T10:00:00Z",
			d+",Harrow,Notes,1,,,2026-06-29T10:00:00Z")
	}
	take(t, prog, formats.Installs, installHeader, "V1,Harrow,Ledger,1,,,2026-06-29T10:00:00Z",
		"V1,Harrow,Queue,1,,,2026-06-29T10:00:00Z", "V2,Harrow,Ledger,1,,,2026-06-29T10:00:00Z",
		"V2,Harrow,Queue,1,,,2026-06-29T10:00:00Z")
	refreshAll(t, prog)
	for code, want := range map[string][]string{
		"S1": {"Queue: 8 here, physical [] Q"},
		"H1": {"Queue: 32 here, cluster [V1] Q", "Ledger: 4 here, virtual cores [V1] L"},
		"H2": {"Queue: 16 here, cluster [V1 V2] Q", "Ledger: 2 here, virtual cores [V2] L",
			"Ledger: 6 here, virtual cores [V2] "},
		"V1": {"Queue: 32 on H1, cluster [V1] Q", "Queue: 16 on H2, cluster [V1 V2] Q",
			"Ledger: 4 on H1, virtual cores [V1] L"},
		"L1": nil,
	} {
		got := chargesOf(t, prog, code)
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s: %q, not %q", code, got, want)
		}
	}
	if got := chargesOf(t, prog, "V3"); len(got) != 1 || !strings.Contains(got[0], "here, host not known") {
		t.Errorf("whose host is not known: %q", got)
	}
	m, err := charged(prog, "V1")
	if err != nil || !m.Virtual || m.Host.Device != "H1" || m.Cluster != "blue" || m.ClusterHosts != 2 || m.Pinned ||
		m.Factor != 10_000 || m.VirtualCores != 4 {
		t.Errorf("V1: %+v, %v", m, err)
	}
	if m, err = charged(prog, "H2"); err != nil || len(m.Guests) != 1 ||
		m.Guests[0].Device != "V2" || m.Guests[0].Cores != 8 || m.Virtual {
		t.Errorf("H2: %+v, %v", m, err)
	}
	// all that is charged anywhere is what is needed
	counted := map[string]int64{}
	for _, line := range machines {
		code, _, _ := strings.Cut(line, ",")
		m, err := charged(prog, code)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range m.Charges {
			if c.Here {
				counted[c.Product] += c.Unit.Count
			}
		}
	}
	for _, name := range []string{"Queue", "Ledger"} {
		if f := figure(t, prog, name); f.Needed != counted[name] {
			t.Errorf("%s needs %d, and its machines are charged %d", name, f.Needed, counted[name])
		}
	}
	// and the same where each answer is about one title, of which the next goes on
	first, err := prog.Position.Charges(context.Background(), "H2", 0)
	if err != nil || first.Next != 0 || first.Done != first.Titles || first.Titles != 2 {
		t.Errorf("all at once: %+v, %v", first, err)
	}
	prog.Position.ChargedAtOnce = 1
	for _, line := range machines {
		code, _, _ := strings.Cut(line, ",")
		got := chargesOf(t, prog, code)
		prog.Position.ChargedAtOnce = 0
		all := chargesOf(t, prog, code)
		prog.Position.ChargedAtOnce = 1
		slices.Sort(got)
		slices.Sort(all)
		if !slices.Equal(got, all) {
			t.Errorf("%s, title by title: %q, not %q", code, got, all)
		}
	}
	one, err := prog.Position.Charges(context.Background(), "H2", 0)
	if err != nil || one.Next == 0 || one.Done != 1 || one.Titles != 2 || len(one.Guests) != 1 {
		t.Errorf("the first of two titles: %+v, %v", one, err)
	}
	prog.Position.ChargedAtOnce = 0
	// what left a host lately is charged there still, and it says so
	clock.now = clock.now.AddDate(0, 0, 3)
	take(t, prog, formats.Devices, header, "V2,stays,virtual_machine,,,8,H1,,true,")
	refreshAll(t, prog)
	if m, err = charged(prog, "V2"); err != nil || len(m.SeenOn) != 1 ||
		m.SeenOn[0].Device != "H2" {
		t.Errorf("V2 after it moved: %+v, %v", m, err)
	}
	if got := chargesOf(t, prog, "H2"); !slices.ContainsFunc(got, func(c string) bool {
		return strings.HasPrefix(c, "Ledger") && strings.Contains(c, "[V2]")
	}) {
		t.Errorf("the host that it left: %q", got)
	}
	if _, err := charged(prog, "nobody"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("a device that is not there: %v", err)
	}
}
