package worklisthttp

import (
	"ensomet/internal/rest"
	"ensomet/internal/worklist"
)

// StandingDraft is a standing decision to be set.
type StandingDraft struct {
	ID          int64  `json:"id" doc:"0 is a new one"`
	Revision    int64  `json:"revision" minimum:"0" doc:"that was seen; a save on an older one is refused"`
	Kind        string `json:"kind" enum:"stance,reclaim,plan" doc:"what it rests on"`
	Ground      int64  `json:"ground" minimum:"0" doc:"the number of the stance, the rule or the plan; 0 is the usual rule of when to reclaim"`
	Group       string `json:"group,omitempty" doc:"empty is every device"`
	PerDay      int    `json:"perDay" minimum:"1" maximum:"5000" doc:"how many cases it takes, and how many orders leave, on one day"`
	MaxFails    int    `json:"maxFails" minimum:"0" maximum:"100" unit:"percent" doc:"of the answered orders that may fail before it pauses"`
	HoldMinutes int    `json:"holdMinutes" minimum:"0" maximum:"10080" doc:"how long its orders wait before they leave the house; never shorter than the house asks"`
	Until       string `json:"until,omitempty" doc:"its last day; empty is none"`
	Note        string `json:"note,omitempty" maxLength:"500"`
}

func toStandingDraft(v worklist.StandingDraft) StandingDraft {
	return StandingDraft{
		ID:          v.ID,
		Revision:    v.Revision,
		Kind:        v.Kind,
		Ground:      v.Ground,
		Group:       v.Group,
		PerDay:      v.PerDay,
		MaxFails:    v.MaxFails,
		HoldMinutes: v.HoldMinutes,
		Until:       v.Until,
		Note:        v.Note,
	}
}

func fromStandingDraft(v StandingDraft) worklist.StandingDraft {
	return worklist.StandingDraft{
		ID:          v.ID,
		Revision:    v.Revision,
		Kind:        v.Kind,
		Ground:      v.Ground,
		Group:       v.Group,
		PerDay:      v.PerDay,
		MaxFails:    v.MaxFails,
		HoldMinutes: v.HoldMinutes,
		Until:       v.Until,
		Note:        v.Note,
	}
}

// StandingView is a standing decision, and what came of it.
type StandingView struct {
	Says       StandingDraft `json:"says" doc:"as somebody would set it who changes nothing"`
	What       string        `json:"what" doc:"what it rests on, in words"`
	Running    bool          `json:"running"`
	Why        string        `json:"why" doc:"why it does not run"`
	StateAt    int64         `json:"stateAt" unit:"unix" doc:"since when it runs or does not"`
	Author     string        `json:"author" doc:"who answers for it"`
	At         int64         `json:"at" unit:"unix" doc:"since when"`
	ApprovedBy string        `json:"approvedBy" doc:"the second person; empty is nobody"`
	Ready      int           `json:"ready" doc:"cases that it may take, today or later"`
	Taken      int           `json:"taken" doc:"cases, in all"`
	Today      int           `json:"today" doc:"of them today"`
	Left       int           `json:"left" doc:"orders that left today, or are tried in this moment"`
	Waiting    int           `json:"waiting" doc:"orders that have not left"`
	Out        int           `json:"out" doc:"orders without an answer"`
	Done       int           `json:"done" doc:"orders that the tool says it did; evidence decides"`
	Failed     int           `json:"failed"`
	DoneSince  int           `json:"doneSince" doc:"since it was last let go on"`

	FailedSince int `json:"failedSince" doc:"since it was last let go on"`
}

func toStandingView(v worklist.StandingView) StandingView {
	return StandingView{
		Says:        toStandingDraft(v.Says),
		What:        v.What,
		Running:     v.Running,
		Why:         v.Why,
		StateAt:     v.StateAt,
		Author:      v.Author,
		At:          v.At,
		ApprovedBy:  v.ApprovedBy,
		Ready:       v.Ready,
		Taken:       v.Taken,
		Today:       v.Today,
		Left:        v.Left,
		Waiting:     v.Waiting,
		Out:         v.Out,
		Done:        v.Done,
		Failed:      v.Failed,
		DoneSince:   v.DoneSince,
		FailedSince: v.FailedSince,
	}
}

// StandingGround is what a standing decision can be set for.
type StandingGround struct {
	Kind   string `json:"kind" enum:"stance,reclaim,plan"`
	Ground int64  `json:"ground"`
	What   string `json:"what" doc:"in words"`
	Cases  int    `json:"cases" doc:"open ones that can be sent"`
}

func toStandingGround(v worklist.GroundView) StandingGround {
	return StandingGround(v)
}

// StandingList is the standing decisions that have not ended, and what else one can be set for.
type StandingList struct {
	Decisions []StandingView   `json:"decisions"`
	Grounds   []StandingGround `json:"grounds"`
	Groups    []string         `json:"groups"`
	Connected bool             `json:"connected" doc:"a deployment tool is"`
	House     int              `json:"house" doc:"how many minutes orders wait at least"`
}

func toStandingList(v worklist.StandingList) StandingList {
	return StandingList{
		Decisions: rest.Each(v.Decisions, toStandingView),
		Grounds:   rest.Each(v.Grounds, toStandingGround),
		Groups:    v.Groups,
		Connected: v.Connected,
		House:     v.House,
	}
}

// StandingEffect says what a standing decision would take.
type StandingEffect struct {
	Ready   int      `json:"ready" doc:"cases that it may take"`
	Outside int      `json:"outside" doc:"open ones of the same ground on devices outside of its group"`
	Today   int      `json:"today" doc:"how many it would take on the first day"`
	Days    int      `json:"days" doc:"on how many days it would take them all"`
	Samples []string `json:"samples"`
	Waits   string   `json:"waits" doc:"why it would not run at once"`
}

func toStandingEffect(v worklist.StandingEffect) StandingEffect { return StandingEffect(v) }
