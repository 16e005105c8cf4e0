package entitlementsdb

import "ensomet/internal/sqlite"

// KeyRow is a licence key as it stands: found, booked or both.
type KeyRow struct {
	ID        int64  `column:"id"` // its number among those that were found, or below 0
	Hint      string `column:"hint"`
	State     string `column:"state"`     // over, unbought, in use, nowhere
	ProductID int64  `column:"productId"` // 0 where nobody knows
	Publisher string `column:"publisher"`
	Product   string `column:"product"`
	Devices   int64  `column:"devices"`  // that have it
	Together  int64  `column:"together"` // that have it or another key of its lines
	Bought    int64  `column:"bought"`   // licences of its lines; below 0 where they count no machines
	Lines     string `column:"lines"`    // their codes
	Since     int64  `column:"since"`    // seconds since 1970, 0 where it is nowhere
	FoundID   int64  `column:"foundId"`  // 0 where it was never found
}

// KeyList is the list of licence keys.
func KeyList() *sqlite.List[KeyRow] {
	return &sqlite.List[KeyRow]{
		From: "key_fact k LEFT JOIN product p ON p.id = k.product_id",
		Key:  "k.id",
		Sort: "state",
		Orders: map[string]string{
			"state": "(CASE k.state WHEN 'over' THEN 0 WHEN 'unbought' THEN 1 WHEN 'in use' THEN 2 ELSE 3 END)",
		},
		Columns: []sqlite.Column{
			sqlite.Plain("id", "k.id"),
			sqlite.Searched("hint", "k.hint"),
			sqlite.Plain("state", "k.state"),
			sqlite.Plain("productId", "k.product_id"),
			sqlite.Searched("publisher", "coalesce(p.publisher, '')"),
			sqlite.Searched("product", "coalesce(p.name, '')"),
			sqlite.Plain("devices", "k.devices"),
			sqlite.Plain("together", "k.together"),
			sqlite.Plain("bought", "k.bought"),
			sqlite.Searched("lines", "k.lines"),
			sqlite.Plain("since", "k.since"),
			sqlite.Plain("foundId", "k.found_id"),
		},
	}
}
