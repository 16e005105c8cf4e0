package position

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/allocate"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// grouping has the units that one right may cover together: two devices of a user by the right to a second device,
// and the virtual machines of a host by the right to virtual use. Groups that are alike are one to the allocation.
type grouping struct {
	problem []allocate.Group
	options [][]groupOption // by group and option
	members [][]member      // by group
}

type groupOption struct {
	key   string
	sinks []int
	edges []groupEdge
}

type groupEdge struct {
	line    int
	reasons []entitle.Reason // by unit of the option
}

// member is one user or host, with what it would take for each option.
type member struct {
	key   string
	picks []pick
}

// pick is the units of an option, the one that the right sits on first. host is the host that the right sits on where
// that is no unit itself.
type pick struct {
	units []int
	host  int64
}

func (c *cover) groups() *grouping {
	g := &grouping{}
	if c.p.Metric != entitle.Device {
		return g
	}
	var members []member
	var options [][]groupOption
	collect := func(list []groupOption, picks []pick) {
		if len(list) == 0 {
			return
		}
		order := make([]int, len(list))
		for i := range order {
			order[i] = i
		}
		slices.SortFunc(order, func(a, b int) int { return cmp.Compare(list[a].key, list[b].key) })
		var sorted []groupOption
		var sortedPicks []pick
		var key []string
		for _, i := range order {
			sorted, sortedPicks, key = append(sorted, list[i]), append(sortedPicks, picks[i]), append(key, list[i].key)
		}
		members, options = append(members, member{strings.Join(key, ";"), sortedPicks}), append(options, sorted)
	}
	second, virtual := c.linesWith(entitle.SecondDevice), c.linesWith(entitle.VirtualUse)
	if len(second) > 0 {
		c.secondDevices(second, collect)
	}
	if len(virtual) > 0 {
		c.hosts(virtual, collect)
	}
	at := map[string]int{}
	for i, m := range members {
		k, known := at[m.key]
		if !known {
			k = len(g.problem)
			at[m.key] = k
			group := allocate.Group{}
			for _, o := range options[i] {
				option := allocate.Option{Sinks: o.sinks}
				for _, e := range o.edges {
					rank := int64(0)
					for _, r := range e.reasons {
						rank += int64(r)
					}
					option.Edges = append(
						option.Edges,
						allocate.OptionEdge{
							Source:    e.line,
							Rank:      rank,
							Yesterday: c.in.Yesterday[c.way(o.key, e.line)],
						},
					)
				}
				group.Options = append(group.Options, option)
			}
			g.problem, g.options, g.members = append(g.problem, group), append(g.options, options[i]), append(
				g.members,
				nil,
			)
		}
		g.problem[k].Count++
		g.members[k] = append(g.members[k], m)
	}
	return g
}

func (c *cover) linesWith(r entitle.Right) []int {
	var out []int
	for i := range c.p.Lines {
		if c.p.Lines[i].Effect.Quantity > 0 && c.p.Lines[i].Line.Has(r) {
			out = append(out, i)
		}
	}
	return out
}

// reason is why a line may cover a unit, and whether it may.
func (c *cover) reason(unit, line int) (entitle.Reason, bool) {
	for _, e := range c.classes[c.of[unit]].edges {
		if e.line == line {
			return e.reason, true
		}
	}
	return 0, false
}

// secondDevices offers, for each user with several devices, one right for a device and one portable device more.
// Clients and mobiles alone take part. Pairs of like devices are one option.
func (c *cover) secondDevices(lines []int, collect func([]groupOption, []pick)) {
	byUser := map[int64][]int{}
	var users []int64
	for i := range c.units {
		h := &c.found.Holdings[c.units[i].Holdings[0]]
		if h.User == 0 || h.Kind != evidence.Client && h.Kind != evidence.Mobile ||
			c.found.Hardware.Virtual(h.Device, h.Kind) {
			continue
		}
		if byUser[h.User] == nil {
			users = append(users, h.User)
		}
		byUser[h.User] = append(byUser[h.User], i)
	}
	slices.Sort(users)
	for _, user := range users {
		units := byUser[user]
		if len(units) < 2 {
			continue
		}
		slices.SortFunc(units, func(a, b int) int { return cmp.Compare(c.units[a].Device, c.units[b].Device) })
		var options []groupOption
		var picks []pick
		known := map[string]bool{}
		for _, a := range units {
			for _, b := range units {
				if a == b || !c.found.Holdings[c.units[b].Holdings[0]].Portable {
					continue
				}
				o := groupOption{sinks: []int{c.of[a], c.of[b]}}
				for _, line := range lines {
					first, ok := c.reason(a, line)
					_, also := c.reason(b, line)
					if ok && also {
						o.edges = append(o.edges, groupEdge{line, []entitle.Reason{first, entitle.SecondDeviceUse}})
					}
				}
				if len(o.edges) == 0 {
					continue
				}
				o.key = "second:" + c.classes[c.of[a]].key + "+" + c.classes[c.of[b]].key
				if known[o.key] {
					continue
				}
				known[o.key] = true
				options, picks = append(options, o), append(picks, pick{units: []int{a, b}})
			}
		}
		collect(options, picks)
	}
}

// hosts offers, for each host, one right for it and all virtual machines on it that the line may cover.
func (c *cover) hosts(lines []int, collect func([]groupOption, []pick)) {
	guests := map[int64][]int{}
	own := map[int64]int{}
	var hosts []int64
	for i := range c.units {
		device := c.units[i].Device
		m := c.found.Hardware.Machine(device)
		if m == nil || m.Host == 0 {
			own[device] = i
			continue
		}
		if guests[m.Host] == nil {
			hosts = append(hosts, m.Host)
		}
		guests[m.Host] = append(guests[m.Host], i)
	}
	slices.Sort(hosts)
	for _, host := range hosts {
		units := guests[host]
		slices.SortFunc(units, func(a, b int) int { return cmp.Compare(c.units[a].Device, c.units[b].Device) })
		var options []groupOption
		var picks []pick
		at := map[string]int{}
		for _, line := range lines {
			p := pick{host: host}
			var reasons []entitle.Reason
			if u, ok := own[host]; ok {
				r, ok := c.reason(u, line)
				if !ok {
					continue
				}
				p.host, p.units, reasons = 0, []int{u}, []entitle.Reason{r}
			} else if m := c.found.Hardware.Machine(host); m != nil {
				if _, gaps := c.p.Lines[line].Line.Covers(nil, m.Place); len(gaps) > 0 {
					continue
				}
			}
			for _, u := range units {
				if _, ok := c.reason(u, line); ok {
					p.units, reasons = append(p.units, u), append(reasons, entitle.OtherUse)
				}
			}
			if len(p.units) == 0 || p.host == 0 && len(p.units) == 1 {
				continue
			}
			same := fmt.Sprint(p.units)
			k, known := at[same]
			if !known {
				k = len(options)
				at[same] = k
				var keys []string
				o := groupOption{}
				for _, u := range p.units {
					o.sinks, keys = append(o.sinks, c.of[u]), append(keys, c.classes[c.of[u]].key)
				}
				o.key = "host:" + strings.Join(keys, "+")
				if p.host == 0 {
					o.key = "on " + o.key
				}
				options, picks = append(options, o), append(picks, p)
			}
			options[k].edges = append(options[k].edges, groupEdge{line, reasons})
		}
		collect(options, picks)
	}
}
