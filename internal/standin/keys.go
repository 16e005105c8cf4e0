package standin

import "strings"

// The demo's licence keys. One stands on a line of ten and is on more machines than that; one is in use as bought; one
// came from nobody knows where; one was bought and is nowhere.
const (
	keyOfTen     = "MSHD2-TERN4-KELP7-WRACK-10TEN"
	keyOfThirty  = "MSHD2-TERN4-KELP7-WRACK-30SEA"
	keyOfTide    = "OTIDE-9DUNE-GULL3-SHOAL-TIDE5"
	keyOfNobody  = "KSTUD-COVE8-EIDER-PLUME-QXW1Z"
	keyOfArchive = "SPARC-LOOM2-AUK44-BRINE-15ARC"
)

// bookedKeys are the lines of keys.csv.
var bookedKeys = [][]string{
	{"L-0009", keyOfTen, "from the reseller’s letter"},
	{"L-0008", keyOfThirty, ""},
	{"L-0016", keyOfTide, ""},
	{"L-0017", keyOfArchive, ""},
}

// keyOn is the licence key that scans find with an install, empty where they find none.
func keyOn(device, name string) string {
	switch {
	case strings.HasPrefix(name, "Murrelet Shade"):
		if last := device[len(device)-1]; last <= '4' {
			return keyOfTen
		}
		return keyOfThirty
	case strings.HasPrefix(name, "Oyster Tide"):
		return keyOfTide
	case strings.HasPrefix(name, "Kelpline Studio") && strings.HasSuffix(device, "7"):
		return keyOfNobody
	}
	return ""
}
