package collect

import (
	"context"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/formats"

	"github.com/shirou/gopsutil/v4/cpu"
	"github.com/shirou/gopsutil/v4/host"
	"github.com/shirou/gopsutil/v4/mem"
	"github.com/shirou/gopsutil/v4/process"
)

// device reads what licences depend on: processors, cores, whether the machine is virtual; and what tells it from
// others.
func (m *Machine) device(ctx context.Context, s *formats.Scan) formats.ScanDevice {
	d := formats.ScanDevice{}
	miss := func(what string, err error) {
		s.Missing = append(s.Missing, formats.ScanMissing{Part: "hardware", Reason: what + ": " + err.Error()})
	}
	name, err := os.Hostname()
	if err != nil {
		miss("the machine's name", err)
	}
	d.Name, _, _ = strings.Cut(name, ".")
	d.ID = m.id(d.Name)
	if d.Name == "" {
		d.Name = d.ID
	}
	rel := m.osRelease()
	d.OSName, d.OSVersion = rel["NAME"], rel["VERSION_ID"]
	if system, role, err := host.VirtualizationWithContext(ctx); err == nil && role == "guest" {
		d.Virtual = system
	}
	logical := 0
	d.Processors, d.Cores, logical = m.topology()
	if d.Cores == 0 {
		if n, err := cpu.CountsWithContext(ctx, false); err == nil {
			d.Cores = int64(n)
		}
		if n, err := cpu.CountsWithContext(ctx, true); err == nil {
			logical = n
		}
	}
	if hypervisor := m.hypervisor(); d.Virtual == "" && hypervisor {
		d.Virtual = "hypervisor"
	}
	d.Kind = "client"
	if d.Virtual != "" {
		d.Kind, d.VirtualCores = "virtual_machine", int64(logical)
	}
	if info, err := cpu.InfoWithContext(ctx); err == nil && len(info) > 0 {
		d.Processor = info[0].ModelName
	} else if err != nil {
		miss("the processor's model", err)
	}
	if v, err := mem.VirtualMemoryWithContext(ctx); err == nil {
		d.MemoryMB = int64(v.Total >> 20)
	} else {
		miss("memory", err)
	}
	for _, x := range []struct {
		file string
		into *string
	}{
		{"product_name", &d.Model},
		{"sys_vendor", &d.Maker},
		{"product_serial", &d.Serial},
		{"product_uuid", &d.MachineID},
	} {
		text, err := os.ReadFile(m.path("/sys/class/dmi/id/" + x.file))
		if err == nil {
			*x.into = strings.TrimSpace(string(text))
		} else if os.IsPermission(err) {
			miss("what the board says of itself", err)
		}
	}
	// SMBIOS: 8 to 11, 14, 30 to 32 are portable
	if chassis, err := os.ReadFile(m.path("/sys/class/dmi/id/chassis_type")); err == nil {
		n, err := strconv.Atoi(strings.TrimSpace(string(chassis)))
		if err == nil {
			d.Portable = strconv.FormatBool(slices.Contains([]int{8, 9, 10, 11, 14, 30, 31, 32}, n))
			if slices.Contains([]int{17, 23, 25, 28}, n) && d.Kind == "client" {
				d.Kind = "server"
			}
		}
	}
	d.IPAddress = addresses()
	d.HardwareAddresses = m.hardwareAddresses()
	return d
}

// hardwareAddresses are those of the network hardware: an interface that is made up has no device behind it.
func (m *Machine) hardwareAddresses() []string {
	files, err := filepath.Glob(m.path("/sys/class/net/*/address"))
	if err != nil {
		return nil
	}
	var out []string
	for _, f := range files {
		if _, err := os.Stat(filepath.Join(filepath.Dir(f), "device")); err != nil {
			continue
		}
		if text, err := os.ReadFile(f); err == nil {
			if a := strings.TrimSpace(string(text)); a != "" && !slices.Contains(out, a) {
				out = append(out, a)
			}
		}
	}
	slices.Sort(out)
	return out
}

// topology counts the processors (sockets), their cores and the logical processors that are online, as the kernel
// lays them out.
func (m *Machine) topology() (sockets, cores int64, logical int) {
	files, err := filepath.Glob(m.path("/sys/devices/system/cpu/cpu[0-9]*/topology"))
	if err != nil {
		return 0, 0, 0
	}
	packages, siblings := map[string]bool{}, map[string]bool{}
	read := func(folder string, names ...string) string {
		for _, n := range names {
			if text, err := os.ReadFile(filepath.Join(folder, n)); err == nil {
				return strings.TrimSpace(string(text))
			}
		}
		return ""
	}
	for _, f := range files {
		if on, err := os.ReadFile(filepath.Join(filepath.Dir(f), "online")); err == nil &&
			strings.TrimSpace(string(on)) == "0" {
			continue
		}
		logical++
		packages[read(f, "package_cpus_list", "core_siblings_list")] = true
		siblings[read(f, "core_cpus_list", "thread_siblings_list")] = true
	}
	delete(packages, "")
	delete(siblings, "")
	return int64(len(packages)), int64(len(siblings)), logical
}

// hypervisor reports whether the processor says that it is a virtual one.
func (m *Machine) hypervisor() bool {
	text, err := os.ReadFile(m.path("/proc/cpuinfo"))
	if err != nil {
		return false
	}
	for _, line := range strings.Split(string(text), "\n") {
		if strings.HasPrefix(line, "flags") {
			return slices.Contains(strings.Fields(line), "hypervisor")
		}
	}
	return false
}

// addresses lists the machine's addresses, without those of itself and of the link.
func addresses() string {
	list, err := net.InterfaceAddrs()
	if err != nil {
		return ""
	}
	var out []string
	for _, a := range list {
		if n, ok := a.(*net.IPNet); ok && n.IP.IsGlobalUnicast() {
			out = append(out, n.IP.String())
		}
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

// people notes who is logged on.
func (m *Machine) people(ctx context.Context, s *formats.Scan) {
	list, err := host.UsersWithContext(ctx)
	if err != nil {
		s.Missing = append(s.Missing, formats.ScanMissing{Part: "logons", Reason: err.Error()})
		return
	}
	seen := map[string]bool{}
	for _, u := range list {
		if u.User == "" || seen[u.User] {
			continue
		}
		seen[u.User] = true
		s.Logons = append(s.Logons, formats.ScanLogon{User: u.User, At: s.At})
	}
}

const maxSessions = 2_000

// processes notes which programs run, for whom and since when. Kernel threads are none.
func (m *Machine) processes(ctx context.Context, s *formats.Scan) {
	list, err := process.ProcessesWithContext(ctx)
	if err != nil {
		s.Missing = append(s.Missing, formats.ScanMissing{Part: "processes", Reason: err.Error()})
		return
	}
	type key struct{ user, file string }
	first := map[key]int64{}
	hidden := 0
	for _, p := range list {
		exe, err := p.ExeWithContext(ctx)
		if err != nil || exe == "" {
			if line, err := p.CmdlineWithContext(ctx); err != nil || line == "" {
				continue // a kernel thread, or gone
			}
			if exe, err = p.NameWithContext(ctx); err != nil || exe == "" {
				continue
			}
			hidden++
		}
		user, err := p.UsernameWithContext(ctx)
		if err != nil {
			user = ""
		}
		since, err := p.CreateTimeWithContext(ctx)
		if err != nil {
			continue
		}
		k := key{user, strings.TrimSuffix(filepath.Base(exe), " (deleted)")}
		if known, ok := first[k]; !ok || since < known {
			first[k] = since
		}
	}
	for k, since := range first {
		start := time.UnixMilli(since).UTC().Truncate(time.Second)
		if start.After(s.At) {
			start = s.At
		}
		s.Sessions = append(s.Sessions, formats.ScanSession{User: k.user, FileName: k.file, Start: start})
	}
	slices.SortFunc(s.Sessions, func(a, b formats.ScanSession) int {
		return strings.Compare(a.FileName+"\x1f"+a.User, b.FileName+"\x1f"+b.User)
	})
	if len(s.Sessions) > maxSessions {
		s.Sessions = s.Sessions[:maxSessions]
	}
	if hidden > 0 {
		s.Missing = append(
			s.Missing,
			formats.ScanMissing{
				Part:   "processes",
				Reason: strconv.Itoa(hidden) + " processes of other users: known by their short names alone",
			},
		)
	}
}
