package snapshot

import (
	"database/sql"
	"encoding/json"
	"fmt"

	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
)

// SiteZones reads the time zones of sites.
func SiteZones(tx *sqlite.Tx) (map[string]string, error) {
	type pair struct{ site, zone string }
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, p *pair) error { return r.Scan(&p.site, &p.zone) },
		"SELECT substr(key, 6), value FROM setting WHERE key LIKE 'zone:%'",
	)
	out := map[string]string{}
	for _, p := range list {
		out[p.site] = p.zone
	}
	return out, err
}

// Limits reads after how many days evidence is stale, by kind of device ("" is every other) and kind of evidence.
func Limits(tx *sqlite.Tx) (evidence.Limits, error) {
	out := evidence.Limits{"": {}}
	text, err := tx.Setting("limits")
	if err != nil || text == "" {
		return out, err
	}
	if err := json.Unmarshal([]byte(text), &out); err != nil {
		return out, fmt.Errorf("the limits of age cannot be read: %w", err)
	}
	if out[""] == nil {
		out[""] = map[evidence.Kind]int{}
	}
	return out, nil
}

// SetLimits writes after how many days evidence is stale.
func SetLimits(tx *sqlite.Tx, l evidence.Limits) error {
	text, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return tx.SetSetting("limits", string(text))
}
