package directoryhttp

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/directory"
	"ensomet/internal/persons"
	"ensomet/internal/rest"
	"ensomet/internal/wire"
)

// PersonRow is one person, whatever he is called.
type PersonRow struct {
	Key        string `json:"key" doc:"the user_id, or the name that evidence has"`
	Name       string `json:"name"`
	Mail       string `json:"mail"`
	Unit       string `json:"unit"`
	Site       string `json:"site"`
	CostCentre string `json:"costCentre"`
	State      string `json:"state" enum:"active,left,unlisted,nobody"`
	Also       string `json:"also" doc:"the other names, separated by |"`
	Names      int64  `json:"names"`
	Devices    int64  `json:"devices" doc:"of which he is the main user"`
	Seats      int64  `json:"seats"`
	Uses       int64  `json:"uses" doc:"products that he used in the window"`
}

func toPersonRow(v directory.Row) PersonRow { return PersonRow(v) }

// PersonName is what a list or evidence calls a person.
type PersonName struct {
	Key         string   `json:"key"`
	Listed      bool     `json:"listed" doc:"a list of users has it"`
	LogOns      []string `json:"logOns"`
	Mail        string   `json:"mail"`
	DirectoryID string   `json:"directoryId"`
	Devices     int64    `json:"devices" doc:"on which it logged on"`
}

func toPersonName(v directory.Named) PersonName { return PersonName(v) }

// PersonMachine is a device of a person.
type PersonMachine struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Kind   string `json:"kind"`
	Status string `json:"status"`
}

func toPersonMachine(v directory.Machine) PersonMachine { return PersonMachine(v) }

// PersonUse is a product that a person was the last to use on a device.
type PersonUse struct {
	Product int64  `json:"product"`
	Name    string `json:"name"`
	Device  string `json:"device"`
	Class   string `json:"class"`
	Last    string `json:"last"`
}

func toPersonUse(v directory.Used) PersonUse { return PersonUse(v) }

// PersonMove is a joining, moving or leaving.
type PersonMove struct {
	On   civil.Day `json:"on"`
	What string    `json:"what"`
	From string    `json:"from"`
	To   string    `json:"to"`
}

func toPersonMove(v directory.Move) PersonMove { return PersonMove(v) }

// AlikeAct is a decision of somebody about which names are one person.
type AlikeAct struct {
	ID       int64    `json:"id"`
	Together bool     `json:"together" doc:"that they are one; else that they are two"`
	Reason   string   `json:"reason"`
	Author   string   `json:"author"`
	At       int64    `json:"at" unit:"unix"`
	EndedAt  int64    `json:"endedAt" unit:"unix" doc:"when it was taken back, 0 where it holds"`
	EndedBy  string   `json:"endedBy"`
	Names    []string `json:"names"`
}

func toAlikeAct(v persons.Act) AlikeAct { return AlikeAct(v) }

// Person is all that is known of somebody.
type Person struct {
	Row      PersonRow       `json:"row"`
	Manager  string          `json:"manager"`
	LeftOn   civil.Day       `json:"leftOn"`
	Mark     string          `json:"mark" enum:",person,nobody" doc:"what somebody said of the account by hand"`
	Account  string          `json:"account" enum:",person,shared,service" doc:"what a list says of it"`
	Revision int64           `json:"revision" doc:"of the mark"`
	Named    []PersonName    `json:"named"`
	Machines []PersonMachine `json:"machines"`
	Used     []PersonUse     `json:"used"`
	Moves    []PersonMove    `json:"moves"`
	Acts     []AlikeAct      `json:"acts"`
}

func toPerson(v directory.Person) Person {
	return Person{
		Row:      toPersonRow(v.Row),
		Manager:  v.Manager,
		LeftOn:   v.LeftOn,
		Mark:     string(v.Mark),
		Account:  v.Account,
		Revision: v.Revision,
		Named:    rest.Each(v.Named, toPersonName),
		Machines: rest.Each(v.Machines, toPersonMachine),
		Used:     rest.Each(v.Used, toPersonUse),
		Moves:    rest.Each(v.Moves, toPersonMove),
		Acts:     rest.Each(v.Acts, toAlikeAct),
	}
}

// AccountMark is what somebody says of an account by hand.
type AccountMark struct {
	Mark     string `json:"mark" enum:",person,nobody"`
	Revision int64  `json:"revision"`
}

func fromAccountMark(v AccountMark) directory.MarkDraft {
	return directory.MarkDraft{Mark: persons.Mark(v.Mark), Revision: v.Revision}
}

// AlikeSign is a sign in words.
type AlikeSign struct {
	Weight string `json:"weight" enum:"certain,likely,against"`
	Words  string `json:"words"`
}

func toAlikeSign(v directory.Sign) AlikeSign { return AlikeSign(v) }

// AlikeSide is one of two people who may be one.
type AlikeSide struct {
	Key     string       `json:"key"`
	Name    string       `json:"name"`
	Mail    string       `json:"mail"`
	Unit    string       `json:"unit"`
	State   string       `json:"state"`
	Devices int64        `json:"devices"`
	Named   []PersonName `json:"named"`
}

func toAlikeSide(v directory.Side) AlikeSide {
	return AlikeSide{Key: v.Key, Name: v.Name, Mail: v.Mail, Unit: v.Unit, State: v.State, Devices: v.Devices,
		Named: rest.Each(v.Named, toPersonName)}
}

// AlikePair is two people who may be one.
type AlikePair struct {
	A     AlikeSide   `json:"a"`
	B     AlikeSide   `json:"b"`
	Waits bool        `json:"waits" doc:"a sign that is certain speaks for it, and another one against"`
	Signs []AlikeSign `json:"signs"`
}

func toAlikePair(v directory.Pair) AlikePair {
	return AlikePair{
		A:     toAlikeSide(v.A),
		B:     toAlikeSide(v.B),
		Waits: v.Waits,
		Signs: rest.Each(v.Signs, toAlikeSign),
	}
}

// Alike is who may be one person.
type Alike struct {
	Total int64       `json:"total" doc:"how many pairs there are"`
	Waits int64       `json:"waits" doc:"how many of them wait for somebody, since signs disagree"`
	Pairs []AlikePair `json:"pairs" doc:"the first of them"`
}

func toAlike(v directory.Alike) Alike {
	return Alike{Total: v.Total, Waits: v.Waits, Pairs: rest.Each(v.Pairs, toAlikePair)}
}

// AlikeDraft is what somebody decides of names.
type AlikeDraft struct {
	Pairs    [][]string `json:"pairs" doc:"of names, two each"`
	Together bool       `json:"together" doc:"each pair is one person; else they are two"`
	Person   string     `json:"person" doc:"whose names are parted from him"`
	Names    []string   `json:"names" doc:"what goes"`
	Reason   string     `json:"reason"`
}

func fromAlikeDraft(v AlikeDraft) directory.Draft { return directory.Draft(v) }

// AlikeEffect is what a decision does.
type AlikeEffect struct {
	Before int64                 `json:"before" doc:"people"`
	After  int64                 `json:"after"`
	Acts   []int64               `json:"acts" doc:"by which it can be taken back"`
	Person string                `json:"person" doc:"whom it is about, afterwards"`
	Moves  []wire.PositionChange `json:"moves"`
}

func toAlikeEffect(v directory.Effect) AlikeEffect {
	return AlikeEffect{
		Before: v.Before,
		After:  v.After,
		Acts:   rest.Each(v.Acts, func(id int64) int64 { return id }),
		Person: v.Person,
		Moves:  rest.Each(v.Moves, wire.ToPositionChange),
	}
}

// AlikeRules is which names count as one person without anybody.
type AlikeRules struct {
	Names    bool  `json:"names" doc:"those that are alike, where nothing speaks against it and nobody else is like them"`
	Revision int64 `json:"revision"`
}

func toAlikeRules(v directory.Rules) AlikeRules   { return AlikeRules(v) }
func fromAlikeRules(v AlikeRules) directory.Rules { return directory.Rules(v) }
