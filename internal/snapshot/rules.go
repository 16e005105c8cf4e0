package snapshot

import (
	"slices"
)

func Distinct(list []int64) []int64 {
	slices.Sort(list)
	return slices.Compact(list)
}
