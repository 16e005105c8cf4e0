package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/sqlite"
)

// PoliciesInForce reads the policies that hold on a day.
func PoliciesInForce(tx *sqlite.Tx, day civil.Day) ([]policy.Policy, error) {
	list, err := Policies(tx)
	var out []policy.Policy
	for _, p := range list {
		if !p.Until.Known() || p.Until >= day {
			out = append(out, p.Policy)
		}
	}
	return out, err
}
