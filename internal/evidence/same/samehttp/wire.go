package samehttp

import (
	"ensomet/internal/evidence/same"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// NamedAs is what one source calls a machine, with the signs that it gave.
type NamedAs struct {
	Record    int64    `json:"record"`
	Source    string   `json:"source" doc:"empty for the house's own lists"`
	Key       string   `json:"key" doc:"what the source calls it"`
	Names     []string `json:"names" doc:"the newest first"`
	Serial    string   `json:"serial"`
	Maker     string   `json:"maker"`
	MachineID string   `json:"machineId"`
	Directory string   `json:"directory" doc:"its object in the directory"`
	Addresses []string `json:"addresses" doc:"of its network hardware"`
	IP        string   `json:"ip"`
	First     int64    `json:"first" unit:"unix"`
	Last      int64    `json:"last" unit:"unix"`
}

func toNamedAs(v same.NamedAs) NamedAs { return NamedAs(v) }

// SameSide is one of two devices that may be one.
type SameSide struct {
	Code     string    `json:"code"`
	Name     string    `json:"name"`
	Kind     string    `json:"kind"`
	Unit     string    `json:"unit"`
	User     string    `json:"user"`
	LastSeen int64     `json:"lastSeen" unit:"unix"`
	Installs int64     `json:"installs"`
	NamedAs  []NamedAs `json:"namedAs"`
}

func toSameSide(v same.Side) SameSide {
	return SameSide{
		Code:     v.Code,
		Name:     v.Name,
		Kind:     v.Kind,
		Unit:     v.Unit,
		User:     v.User,
		LastSeen: v.LastSeen,
		Installs: v.Installs,
		NamedAs:  rest.Each(v.NamedAs, toNamedAs),
	}
}

// SameSign is a sign in words.
type SameSign struct {
	Weight string `json:"weight" enum:"certain,likely,against"`
	Words  string `json:"words"`
}

func toSameSign(v same.Sign) SameSign { return SameSign(v) }

// SamePair is two devices that may be one machine.
type SamePair struct {
	A     SameSide   `json:"a"`
	B     SameSide   `json:"b"`
	Waits bool       `json:"waits" doc:"a sign that is certain speaks for it, and another one against"`
	Signs []SameSign `json:"signs"`
}

func toSamePair(v same.Pair) SamePair {
	return SamePair{A: toSameSide(v.A), B: toSameSide(v.B), Waits: v.Waits, Signs: rest.Each(v.Signs, toSameSign)}
}

// SameList is what may be one machine.
type SameList struct {
	Total int64      `json:"total" doc:"how many pairs there are"`
	Waits int64      `json:"waits" doc:"how many of them wait for somebody, since signs disagree"`
	Pairs []SamePair `json:"pairs" doc:"the first of them"`
}

func toSameList(v same.List) SameList {
	return SameList{Total: v.Total, Waits: v.Waits, Pairs: rest.Each(v.Pairs, toSamePair)}
}

// SameAct is a decision of somebody about what machines are one.
type SameAct struct {
	ID       int64    `json:"id"`
	Together bool     `json:"together" doc:"that they are one; else that they are two"`
	Reason   string   `json:"reason"`
	Author   string   `json:"author"`
	At       int64    `json:"at" unit:"unix"`
	EndedAt  int64    `json:"endedAt" unit:"unix" doc:"when it was taken back, 0 where it holds"`
	EndedBy  string   `json:"endedBy"`
	About    []string `json:"about" doc:"what sources call the machines"`
}

func toSameAct(v same.Act) SameAct { return SameAct(v) }

// DeviceNames is what a device is called, and what people decided about it.
type DeviceNames struct {
	NamedAs []NamedAs `json:"namedAs"`
	Acts    []SameAct `json:"acts"`
}

func toDeviceNames(v same.DeviceNames) DeviceNames {
	return DeviceNames{NamedAs: rest.Each(v.NamedAs, toNamedAs), Acts: rest.Each(v.Acts, toSameAct)}
}

// SameDraft is what somebody decides of machines.
type SameDraft struct {
	Pairs    [][]string `json:"pairs" doc:"of device_ids, two each"`
	Together bool       `json:"together" doc:"each pair is one machine; else they are two"`
	Device   string     `json:"device" doc:"whose records are parted from it"`
	Records  []int64    `json:"records" doc:"what goes"`
	Reason   string     `json:"reason"`
}

func fromSameDraft(v SameDraft) same.Draft { return same.Draft(v) }

// SameEffect is what a decision does.
type SameEffect struct {
	Before int64                 `json:"before" doc:"devices"`
	After  int64                 `json:"after"`
	Acts   []int64               `json:"acts" doc:"by which it can be taken back"`
	Device string                `json:"device" doc:"the device that it is about, afterwards"`
	Moves  []wire.PositionChange `json:"moves"`
}

func toSameEffect(v same.Effect) SameEffect {
	out := SameEffect{Before: v.Before, After: v.After, Acts: v.Acts, Device: v.Device,
		Moves: rest.Each(v.Moves, wire.ToPositionChange)}
	if out.Acts == nil {
		out.Acts = []int64{}
	}
	return out
}

// JoinRules is what joins without anybody.
type JoinRules struct {
	Names     bool  `json:"names" doc:"machines that are alike by name"`
	Addresses bool  `json:"addresses" doc:"machines that are alike by hardware address"`
	Revision  int64 `json:"revision" doc:"that was seen; a save on an older one is refused"`
}

func toJoinRules(v same.JoinRules) JoinRules { return JoinRules(v) }

func fromJoinRules(v JoinRules) same.JoinRules { return same.JoinRules(v) }
