package evidence

import (
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
)

// Word is what somebody says of a device by hand. It goes before what sources say, from a day on.
type Word struct {
	Field  string // one of WordFields, or one of the house's own after OwnField
	Value  string
	From   civil.Day
	Reason string
	Author string
	At     int64 // seconds since 1970
}

// OwnField stands before the name of a field of the house's own.
const OwnField = "own:"

// WordFields are the facts that can be said by hand, each with the values that it takes; none is a text or a number.
var WordFields = []struct {
	Name    string
	Choices []string
	Number  bool
}{
	{Name: "status", Choices: namesOf(DeviceStatuses)},
	{Name: "kind", Choices: namesOf(DeviceKinds)},
	{Name: "environment", Choices: namesOf(Environments)},
	{Name: "org_unit"},
	{Name: "site"},
	{Name: "country"},
	{Name: "primary_user"},
	{Name: "host_id"},
	{Name: "cluster"},
	{Name: "pinned", Choices: []string{string(Yes), string(No)}},
	{Name: "portable", Choices: []string{string(Yes), string(No)}},
	{Name: "core_factor"},
	{Name: "processors", Number: true},
	{Name: "cores", Number: true},
	{Name: "virtual_cores", Number: true},
}

func namesOf[T ~string](list []T) []string {
	var out []string
	for _, v := range list {
		out = append(out, string(v))
	}
	return out
}

// The most that a word holds.
const (
	mostWordCores  = 1_000_000
	mostWordText   = 300
	mostFieldsName = 60
)

// CheckWord returns the value of a field as it is kept, or says why it cannot be said.
func CheckWord(field, value string) (string, error) {
	value = strings.TrimSpace(value)
	if len(value) > mostWordText {
		return "", refuse.Errorf("%s is longer than %d characters", field, mostWordText)
	}
	if name, own := strings.CutPrefix(field, OwnField); own {
		if name = strings.TrimSpace(name); name == "" || len(name) > mostFieldsName {
			return "", refuse.Errorf("a field of your own needs a name of at most %d characters", mostFieldsName)
		}
		return value, nil
	}
	for _, f := range WordFields {
		if f.Name != field {
			continue
		}
		switch {
		case f.Choices != nil && !slices.Contains(f.Choices, value):
			return "", refuse.Errorf("%s is one of %s, not %q", field, strings.Join(f.Choices, ", "), value)
		case f.Number:
			n, err := strconv.ParseInt(value, 10, 64)
			if err != nil || n < 0 || n > mostWordCores {
				return "", refuse.Errorf("%s is a whole number from 0 to %d, not %q", field, mostWordCores, value)
			}
			return strconv.FormatInt(n, 10), nil
		case field == "core_factor" && value != "":
			d, err := decimal.NewFromString(value)
			if err != nil || !d.IsPositive() || d.GreaterThan(decimal.NewFromInt(100)) {
				return "", refuse.Errorf("a core factor is a number above 0 such as 0.5, not %q", value)
			}
			return d.String(), nil
		case field == "org_unit":
			return strings.Trim(value, "/"), nil
		}
		return value, nil
	}
	return "", refuse.Errorf("%q cannot be said of a device by hand", field)
}

// Holding returns of each field the word that holds on a day: the one from the latest day up to it; of several from one
// day, as of devices that were joined, the one that was said last.
func Holding(words []Word, day civil.Day) map[string]Word {
	out := map[string]Word{}
	for _, w := range words {
		if w.From > day {
			continue
		}
		had, known := out[w.Field]
		if !known || w.From > had.From || w.From == had.From && w.At >= had.At {
			out[w.Field] = w
		}
	}
	return out
}
