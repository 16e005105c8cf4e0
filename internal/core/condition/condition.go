// Package condition has and/or/not conditions over the facts of a device. Groups, policies and filters share them.
package condition

import (
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/entitle"
)

// Fields lists what a condition may ask about.
var Fields = []string{"name", "unit", "site", "country", "environment", "kind", "status", "directory_path", "user"}

// Operators lists how a condition may ask: is, under (a path and all below it), like (a pattern with * and ?).
var Operators = []string{"is", "under", "like"}

// Condition is one question, or several joined. Exactly one of All, Any, Not and Field is set; the zero Condition holds for every device.
type Condition struct {
	All   []Condition `json:"all,omitempty"`
	Any   []Condition `json:"any,omitempty"`
	Not   *Condition  `json:"not,omitempty"`
	Field string      `json:"field,omitempty"`
	Op    string      `json:"op,omitempty"`
	Value string      `json:"value,omitempty"`
}

// Check reports what is wrong with a condition.
func (c Condition) Check() error {
	set := 0
	for _, on := range []bool{c.All != nil, c.Any != nil, c.Not != nil, c.Field != ""} {
		if on {
			set++
		}
	}
	if set > 1 {
		return fmt.Errorf("a condition asks one thing or joins several, not both")
	}
	if c.Field != "" {
		if !slices.Contains(Fields, c.Field) {
			return fmt.Errorf("there is no field %q to ask about; there are %s", c.Field, strings.Join(Fields, ", "))
		}
		if !slices.Contains(Operators, c.Op) {
			return fmt.Errorf("there is no way to ask %q; there are %s", c.Op, strings.Join(Operators, ", "))
		}
	}
	parts := append(slices.Clone(c.All), c.Any...)
	if c.Not != nil {
		parts = append(parts, *c.Not)
	}
	for _, p := range parts {
		if err := p.Check(); err != nil {
			return err
		}
	}
	return nil
}

// Holds reports whether a device fits. fact gives the value of a field.
func (c Condition) Holds(fact func(field string) string) bool {
	switch {
	case c.All != nil:
		for _, p := range c.All {
			if !p.Holds(fact) {
				return false
			}
		}
		return true
	case c.Any != nil:
		for _, p := range c.Any {
			if p.Holds(fact) {
				return true
			}
		}
		return false
	case c.Not != nil:
		return !c.Not.Holds(fact)
	case c.Field == "":
		return true
	}
	v := fact(c.Field)
	switch c.Op {
	case "under":
		return entitle.InUnit(v, c.Value)
	case "like":
		return Like(strings.ToLower(v), strings.ToLower(c.Value))
	}
	return v == c.Value
}

// Like reports whether s fits a pattern in which * stands for any run of characters and ? for one.
func Like(s, pattern string) bool {
	rs, rp := []rune(s), []rune(pattern)
	i, j, star, mark := 0, 0, -1, 0
	for i < len(rs) {
		switch {
		case j < len(rp) && rp[j] == '*':
			star, mark = j, i
			j++
		case j < len(rp) && (rp[j] == '?' || rp[j] == rs[i]):
			i++
			j++
		case star >= 0:
			mark++
			i, j = mark, star+1
		default:
			return false
		}
	}
	for j < len(rp) && rp[j] == '*' {
		j++
	}
	return j == len(rp)
}

// Words says a condition as a person would.
func (c Condition) Words() string {
	join := func(parts []Condition, with string) string {
		var out []string
		for _, p := range parts {
			out = append(out, p.Words())
		}
		return strings.Join(out, with)
	}
	switch {
	case c.All != nil:
		return join(c.All, " and ")
	case c.Any != nil:
		return "(" + join(c.Any, " or ") + ")"
	case c.Not != nil:
		return "not " + c.Not.Words()
	case c.Field == "":
		return "all devices"
	}
	return strings.ReplaceAll(c.Field, "_", " ") + " " + c.Op + " " + c.Value
}
