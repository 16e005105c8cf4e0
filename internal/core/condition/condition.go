// Package condition has and/or/not conditions over the facts of a device. Groups, policies, schedules and filters
// share them.
package condition

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
)

// Type says what a field holds, and so how it may be asked about.
type Type string

// The types of fields.
const (
	Text    Type = "text"    // is, like
	Path    Type = "path"    // is, under, like
	Number  Type = "number"  // at_least, at_most, is
	Network Type = "network" // within
	Title   Type = "title"   // has, lacks; the value is a product's number
	Group   Type = "group"   // in; the value is a group's name
)

// Field is something that a condition may ask about.
type Field struct {
	Name string
	Type Type
}

// Fields lists what a condition may ask about.
var Fields = []Field{{"name", Text}, {"unit", Path}, {"directory_path", Path}, {"network", Network}, {"user", Text},
	{"environment", Text}, {"kind", Text}, {"site", Text}, {"country", Text},
	{"hosting", Text}, {"status", Text}, {"os", Text}, {"age", Text}, {"portable", Text}, {"processors", Number},
	{
		"cores",
		Number,
	}, {"virtual_cores", Number}, {"memory_mb", Number}, {"cluster", Text}, {"title", Title}, {"group", Group}}

// OwnField stands before the name of a field of the house's own, of which a condition on devices may ask as of a text.
const OwnField = "own:"

// UserField stands before the name of a field of the house's own of a device's main user, of which a condition on
// devices may ask as of a text.
const UserField = "user:"

// mostOwnName is how long the name of a field of the house's own may be, in bytes.
const mostOwnName = 60

// label is what people call a field.
func label(field string) string {
	if name, of := strings.CutPrefix(field, UserField); of {
		return "main user's " + strings.ReplaceAll(name, "_", " ")
	}
	return strings.ReplaceAll(strings.TrimPrefix(field, OwnField), "_", " ")
}

// RecordFields lists what a condition on raw software records may ask about. A title is one that the record was
// recognised as.
var RecordFields = []Field{{"name", Text}, {"publisher", Text}, {"version", Text}, {"edition", Text},
	{
		"architecture",
		Text,
	}, {"language", Text}, {"file_name", Text}, {"tag_id", Text}, {"purl", Text}, {"cpe", Text},
	{"piece", Text}, {"title", Title}}

// Operators lists how each type may be asked about. like is a pattern with * and ?; under is a path and all below it;
// within is a range of addresses in CIDR notation (RFC 4632, RFC 4291).
var Operators = map[Type][]string{
	Text:    {"is", "like"},
	Path:    {"under", "is", "like"},
	Number:  {"at_least", "at_most", "is"},
	Network: {"within"},
	Title:   {"has", "lacks"},
	Group:   {"in"},
}

// Condition is one question, or several joined. Exactly one of All, Any, Not and Field is set; the zero Condition
// holds for every device.
type Condition struct {
	All   []Condition `json:"all,omitempty"`
	Any   []Condition `json:"any,omitempty"`
	Not   *Condition  `json:"not,omitempty"`
	Field string      `json:"field,omitempty"`
	Op    string      `json:"op,omitempty"`
	Value string      `json:"value,omitempty"`
}

// Facts are what is known of a device. An unknown text is empty; an unknown number is 0.
type Facts interface {
	Text(field string) string
	Number(field string) int64
	Has(product int64) bool
	In(group string) bool
}

// Names gives the name of a product for people.
type Names func(product int64) string

// typeOf finds a field of devices or records; those that both have are of one type.
func typeOf(field string) (Type, bool) {
	if strings.HasPrefix(field, OwnField) || strings.HasPrefix(field, UserField) {
		return Text, true
	}
	for _, list := range [...][]Field{Fields, RecordFields} {
		for i := range list {
			if list[i].Name == field {
				return list[i].Type, true
			}
		}
	}
	return "", false
}

// maxDepth is how deep conditions may be nested: deeper ones can only be a mistake or an attack.
const maxDepth = 12

// maxParts is how many questions and joins a condition may have: each is asked of every device.
const maxParts = 500

// maxValue is how long a value may be, in bytes.
const maxValue = 1_000

// Check reports what is wrong with a condition on devices.
func (c Condition) Check() error { return c.checkAll(Fields) }

func (c Condition) checkAll(fields []Field) error {
	left := maxParts
	return c.check(0, fields, &left)
}

// CheckRecord reports what is wrong with a condition on records. Where recognised is false it may not ask for the
// title, which is yet to be found.
func (c Condition) CheckRecord(recognised bool) error {
	fields := RecordFields
	if !recognised {
		fields = slices.DeleteFunc(slices.Clone(fields), func(f Field) bool { return f.Type == Title })
	}
	return c.checkAll(fields)
}

// check looks at no more parts than are left, so that what a condition costs to refuse is bounded, too.
func (c Condition) check(depth int, fields []Field, left *int) error {
	if *left--; *left < 0 {
		return refuse.Errorf(
			"the condition has more than %d parts: make groups of some of them and ask for these, or use patterns",
			maxParts,
		)
	}
	if depth > maxDepth {
		return refuse.Errorf(
			"the condition is nested more than %d deep: make groups of its parts and ask for these",
			maxDepth,
		)
	}
	set := 0
	for _, on := range []bool{c.All != nil, c.Any != nil, c.Not != nil, c.Field != ""} {
		if on {
			set++
		}
	}
	if set > 1 {
		return refuse.Errorf("a condition asks one thing or joins several, not both")
	}
	if c.Field != "" {
		return c.checkQuestion(fields)
	}
	for _, p := range c.parts() {
		if err := p.check(depth+1, fields, left); err != nil {
			return err
		}
	}
	return nil
}

func (c Condition) parts() []Condition {
	parts := append(slices.Clone(c.All), c.Any...)
	if c.Not != nil {
		parts = append(parts, *c.Not)
	}
	return parts
}

func (c Condition) checkQuestion(fields []Field) error {
	typ, _ := typeOf(c.Field)
	has := func(name string) bool {
		return slices.ContainsFunc(fields, func(f Field) bool { return f.Name == name })
	}
	name, own := strings.CutPrefix(c.Field, OwnField)
	if !own {
		name, own = strings.CutPrefix(c.Field, UserField)
	}
	if own = own && has("group"); own && (strings.TrimSpace(name) == "" || len(name) > mostOwnName) {
		return refuse.Errorf("a field of your own has a name of at most %d characters", mostOwnName)
	}
	if !own && !has(c.Field) {
		var names []string
		for _, f := range fields {
			names = append(names, f.Name)
		}
		return refuse.Errorf("there is no field %q to ask about; there are %s", c.Field, strings.Join(names, ", "))
	}
	if !slices.Contains(Operators[typ], c.Op) {
		return refuse.Errorf(
			"%s cannot be asked about with %q; there are %s",
			c.Field,
			c.Op,
			strings.Join(Operators[typ], ", "),
		)
	}
	if len(c.Value) > maxValue {
		return refuse.Errorf("what %s is asked for is longer than %d characters", c.Field, maxValue)
	}
	switch typ {
	case Network:
		_, err := ParseRange(c.Value)
		return err
	case Number, Title:
		if n, err := strconv.ParseInt(c.Value, 10, 64); err != nil || n < 0 {
			return refuse.Errorf("%s: %q is not a whole number", c.Field, c.Value)
		}
	case Group:
		if c.Value == "" {
			return refuse.Errorf("name the group")
		}
	}
	return nil
}

// ParseRange reads a range of addresses in CIDR notation, or a single address. Bits beyond the prefix are passed over.
func ParseRange(s string) (netip.Prefix, error) {
	s = strings.TrimSpace(s)
	if p, err := netip.ParsePrefix(s); err == nil {
		return p.Masked(), nil
	}
	if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()), nil
	}
	return netip.Prefix{}, refuse.Errorf(
		"%q is not a range of addresses: write it as 10.24.0.0/13 or 2001:db8::/32",
		s,
	)
}

// Addresses reads the addresses of a device, which may be several, apart by white space, commas or semicolons. What
// is no address is passed over.
func Addresses(s string) []netip.Addr {
	var out []netip.Addr
	for _, part := range strings.FieldsFunc(s,
		func(r rune) bool { return r == ' ' || r == ',' || r == ';' || r == '\t' }) {
		part, _, _ = strings.Cut(part, "/")
		if a, err := netip.ParseAddr(part); err == nil {
			out = append(out, a.WithZone("").Unmap())
		}
	}
	return out
}

func inside(value string, text string) (netip.Addr, bool) {
	p, err := ParseRange(value)
	if err != nil {
		return netip.Addr{}, false
	}
	for _, a := range Addresses(text) {
		if p.Contains(a) {
			return a, true
		}
	}
	return netip.Addr{}, false
}

// Holds reports whether a device fits.
func (c Condition) Holds(f Facts) bool {
	switch {
	case c.All != nil:
		for _, p := range c.All {
			if !p.Holds(f) {
				return false
			}
		}
		return true
	case c.Any != nil:
		for _, p := range c.Any {
			if p.Holds(f) {
				return true
			}
		}
		return false
	case c.Not != nil:
		return !c.Not.Holds(f)
	case c.Field == "":
		return true
	}
	return c.answer(f)
}

func (c Condition) answer(f Facts) bool {
	switch c.Op {
	case "under":
		return entitle.InUnit(f.Text(c.Field), c.Value)
	case "like":
		return Like(strings.ToLower(f.Text(c.Field)), strings.ToLower(c.Value))
	case "within":
		_, ok := inside(c.Value, f.Text(c.Field))
		return ok
	case "at_least", "at_most", "has", "lacks":
		n, err := strconv.ParseInt(c.Value, 10, 64)
		switch {
		case err != nil:
			return false
		case c.Op == "has":
			return f.Has(n)
		case c.Op == "lacks":
			return !f.Has(n)
		case c.Op == "at_least":
			return f.Number(c.Field) >= n
		}
		return f.Number(c.Field) <= n
	case "in":
		return f.In(c.Value)
	}
	if typ, _ := typeOf(c.Field); typ == Number {
		n, err := strconv.ParseInt(c.Value, 10, 64)
		return err == nil && f.Number(c.Field) == n
	}
	return f.Text(c.Field) == c.Value
}

// Why reports whether a device fits, and the facts that decide it: all that had to hold, or the first that did not.
func (c Condition) Why(f Facts, names Names) (bool, []string) {
	switch {
	case c.All != nil:
		var all []string
		for _, p := range c.All {
			ok, why := p.Why(f, names)
			if !ok {
				return false, why
			}
			all = append(all, why...)
		}
		return true, all
	case c.Any != nil:
		var all []string
		for _, p := range c.Any {
			ok, why := p.Why(f, names)
			if ok {
				return true, why
			}
			all = append(all, why...)
		}
		return false, all
	case c.Not != nil:
		ok, why := c.Not.Why(f, names)
		return !ok, why
	case c.Field == "":
		return true, nil
	}
	return c.answer(f), []string{c.fact(f, names)}
}

// fact says what a device has of what the question asks about.
func (c Condition) fact(f Facts, names Names) string {
	typ, _ := typeOf(c.Field)
	label := label(c.Field)
	switch typ {
	case Number:
		return fmt.Sprintf("%s %d", label, f.Number(c.Field))
	case Title:
		id, _ := strconv.ParseInt(c.Value, 10, 64) // a value that is no number has no name either
		if f.Has(id) {
			return "has " + names(id)
		}
		return "lacks " + names(id)
	case Group:
		if f.In(c.Value) {
			return "in " + c.Value
		}
		return "not in " + c.Value
	case Network:
		if a, ok := inside(c.Value, f.Text(c.Field)); ok {
			return fmt.Sprintf("%s lies in %s", a, c.Value)
		}
	}
	v := f.Text(c.Field)
	if v == "" {
		return label + " unknown"
	}
	return label + " " + v
}

// Titles lists the products that a condition asks about, and Groups the groups.
func (c Condition) Titles() []int64 {
	var out []int64
	c.walk(func(q Condition) {
		if typ, _ := typeOf(q.Field); typ == Title {
			if id, err := strconv.ParseInt(q.Value, 10, 64); err == nil {
				out = append(out, id)
			}
		}
	})
	return out
}

// Groups lists the groups that a condition asks about.
func (c Condition) Groups() []string {
	var out []string
	c.walk(func(q Condition) {
		if typ, _ := typeOf(q.Field); typ == Group {
			out = append(out, q.Value)
		}
	})
	return out
}

// AsksUser reports whether a condition asks for a field of the house's own of main users.
func (c Condition) AsksUser() (asks bool) {
	c.walk(func(q Condition) { asks = asks || strings.HasPrefix(q.Field, UserField) })
	return asks
}

func (c Condition) walk(fn func(Condition)) {
	if c.Field != "" {
		fn(c)
	}
	for _, p := range c.parts() {
		p.walk(fn)
	}
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
func (c Condition) Words(names Names) string {
	join := func(parts []Condition, with string) string {
		var out []string
		for _, p := range parts {
			out = append(out, p.Words(names))
		}
		return strings.Join(out, with)
	}
	switch {
	case c.All != nil:
		return join(c.All, " and ")
	case c.Any != nil:
		return "(" + join(c.Any, " or ") + ")"
	case c.Not != nil:
		if c.Not.All != nil {
			return "not (" + c.Not.Words(names) + ")"
		}
		return "not " + c.Not.Words(names)
	case c.Field == "":
		return "all devices"
	}
	if typ, _ := typeOf(c.Field); typ == Title {
		id, _ := strconv.ParseInt(c.Value, 10, 64) // a value that is no number has no name either
		return c.Op + " " + names(id)
	}
	if c.Field == "group" {
		return "in " + c.Value
	}
	return label(c.Field) + " " + strings.ReplaceAll(c.Op, "_", " ") + " " + c.Value
}
