package usehttp

import "ensomet/internal/rest"

// OfPool names a pool, and how many days up to today are looked at.
type OfPool struct {
	rest.ByID
	Days  int    `query:"days" default:"90" minimum:"1" maximum:"800"`
	Watch string `query:"watch" maxLength:"60" doc:"a key of your own, under which you can ask how far it is"`
}

// WatchDraft says who is to be told by mail of what is to be looked at in a pool.
type WatchDraft struct {
	Pool    int64  `json:"pool" doc:"0 is every pool"`
	Address string `json:"address" minLength:"1" maxLength:"200"`
}
