package facts

import (
	"fmt"

	"ensomet/internal/sqlite"
)

// What the tally calls the installs that are used in some way, the cases in a state, and those of them that came back.
const (
	UseTally  = "use: "
	CaseTally = "case: "
	BackTally = "came back: "
)

// Tally reads how many devices, installs and unrecognised installs there are, installs by how they are used, and cases
// by their state; what there is none of may be missing.
func Tally(tx *sqlite.Tx) (map[string]int64, error) {
	return tx.Numbers("SELECT what, n FROM tally WHERE n <> 0")
}

// UseByClass reads how many installs are used in each way, and how many of them rest on stale evidence or on none.
func UseByClass(tx *sqlite.Tx) ([]sqlite.Part, error) {
	return sqlite.Select[sqlite.Part](tx, `SELECT substr(t.what, 6) AS value, t.n AS count,
		coalesce((SELECT n FROM tally WHERE what = 'use stale: ' || substr(t.what, 6)), 0) AS stale,
		coalesce((SELECT n FROM tally WHERE what = 'use never: ' || substr(t.what, 6)), 0) AS never
		FROM tally t WHERE t.what > 'use: ' AND t.what < 'use;' AND t.n <> 0 ORDER BY 2 DESC, 1`)
}

// CheckTally counts what the tally says, and says what differs.
func CheckTally(tx *sqlite.Tx) (wrong []string, err error) {
	is, err := tx.Numbers(`SELECT 'devices', count(*) FROM device
		UNION ALL SELECT 'installs', coalesce(sum(installs), 0) FROM device_fact
		UNION ALL SELECT 'unrecognised', coalesce(sum(unrecognised), 0) FROM device_fact
		UNION ALL SELECT ?1 || class, count(*) FROM idle_fact GROUP BY class
		UNION ALL SELECT 'use ' || f.age || ': ' || i.class, count(*) FROM device_fact f
			JOIN idle_fact i ON i.device_id = f.device_id WHERE f.age IN ('stale', 'never') GROUP BY 1
		UNION ALL SELECT ?2 || state, count(*) FROM worklist_case GROUP BY state
		UNION ALL SELECT 'source scans: ' || name, count(*) FROM (SELECT DISTINCT s.name, c.device_id, c.at FROM scan c
			JOIN source s ON s.id = c.source_id) GROUP BY name
		UNION ALL SELECT 'source devices: ' || name, count(*) FROM (SELECT DISTINCT s.name, c.device_id FROM scan c
			JOIN source s ON s.id = c.source_id) GROUP BY name
		UNION ALL SELECT 'source heard: ' || s.name, max(c.at) FROM scan c JOIN source s ON s.id = c.source_id GROUP BY 1
		UNION ALL SELECT ?3 || state, count(*) FROM worklist_case WHERE came_back > 0 GROUP BY state`, UseTally,
		CaseTally, BackTally)
	if err != nil {
		return nil, err
	}
	said, err := Tally(tx)
	if err != nil {
		return nil, err
	}
	for what := range said {
		if _, known := is[what]; !known {
			is[what] = 0
		}
	}
	for what, n := range is {
		if said[what] != n {
			wrong = append(wrong, fmt.Sprintf("the tally of %s is %d, and %d are there", what, said[what], n))
		}
	}
	return wrong, nil
}
