package titles

import (
	"fmt"
	"maps"
	"slices"

	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// CheckReleases compares the devices stored of each title with those that have it by the evidence.
func CheckReleases(tx *sqlite.Tx, now int64) ([]string, error) {
	facts, err := titlesdb.ReleaseFacts(tx)
	if err != nil {
		return nil, err
	}
	devices, err := titlesdb.DevicesOfTitles(tx, slices.Sorted(maps.Keys(facts)), now)
	if err != nil {
		return nil, err
	}
	var wrong []string
	for _, id := range slices.Sorted(maps.Keys(facts)) {
		if f := facts[id]; f.Devices != devices[id] {
			wrong = append(
				wrong,
				fmt.Sprintf(
					"title %d is stored as being on %d devices, and the evidence has it on %d",
					id,
					f.Devices,
					devices[id],
				),
			)
		}
	}
	return wrong, nil
}
