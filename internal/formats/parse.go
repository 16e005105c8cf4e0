package formats

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"

	"github.com/shopspring/decimal"
)

// parser reads typed values of one row and keeps the first reason why not.
type parser struct {
	row    *Row
	kind   *Kind
	reason string
	zone   *time.Location
}

func (p *parser) col(name string) string {
	return p.row.At(slices.Index(p.kind.Columns, name))
}

func (p *parser) fail(format string, args ...any) {
	if p.reason == "" {
		p.reason = fmt.Sprintf(format, args...)
	}
}

func (p *parser) need(name string) string {
	v := p.col(name)
	if v == "" {
		p.fail("%s is empty", name)
	}
	return v
}

func (p *parser) day(name string) civil.Day {
	v := p.col(name)
	d, err := civil.Parse(v)
	if err != nil {
		p.fail("%s: %v", name, err)
	}
	return d
}

// What a source may say of one machine: the largest built have some thousand processors and a hundred thousand cores
// (common practice); what is above is a mistake or an attack.
const (
	MaxProcessors = 10_000
	MaxCores      = 1_000_000
	MaxMemoryMB   = 1 << 30
)

// wholeTo is whole with a limit of its own.
func (p *parser) wholeTo(name string, most int64) int64 {
	n := p.whole(name, 0)
	if n > most {
		p.fail("%s is %d: more than %d cannot be meant", name, n, most)
	}
	return n
}

// mostCounted is the most that is taken for a number of anything.
const mostCounted = 1_000_000_000_000

func (p *parser) whole(name string, least int64) int64 {
	v := p.col(name)
	if v == "" {
		return 0
	}
	n, err := strconv.ParseInt(v, 10, 64)
	switch {
	case err != nil:
		p.fail("%s: %q is not a whole number", name, clip(v, 40))
	case n < least:
		p.fail("%s is %d: it must be %d or more", name, n, least)
	case n > mostCounted:
		p.fail("%s is %d: more than a million million cannot be meant", name, n)
	}
	return n
}

func (p *parser) money(name string) decimal.NullDecimal {
	v := p.col(name)
	if v == "" {
		return decimal.NullDecimal{}
	}
	d, err := decimal.NewFromString(v)
	if err != nil || strings.ContainsAny(v, "eE") {
		p.fail("%s: %q is not an amount written with a decimal point", name, clip(v, 40))
	} else if d.IsNegative() {
		p.fail("%s is %s: an amount cannot be negative", name, v)
	} else if d.GreaterThan(decimal.New(1, 12)) {
		p.fail("%s is %s: more than a million million cannot be meant", name, clip(v, 40))
	}
	return decimal.NewNullDecimal(d)
}

// oneOf reads a value that is one of some, or empty for one that is said to be meant then.
func oneOf[T ~string](p *parser, name string, allowed []T, empty T) T {
	v := T(strings.ToLower(p.col(name)))
	if v == "" {
		return empty
	}
	if !slices.Contains(allowed, v) {
		p.fail("%s: %q is none of %s", name, clip(string(v), 40), strings.Join(strs(allowed), ", "))
	}
	return v
}

// instant reads an ISO 8601 time; without offset it is of the site's zone, and a date alone is its midnight.
func (p *parser) instant(name string) int64 {
	v := p.col(name)
	if v == "" {
		return 0
	}
	t, err := ParseTime(v, p.zone)
	if err != nil {
		p.fail("%s: %v", name, err)
		return 0
	}
	return t.Unix()
}

// ParseTime reads an ISO 8601 time with or without offset, or a date.
func ParseTime(v string, zone *time.Location) (time.Time, error) {
	if zone == nil {
		zone = time.UTC
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04:05", "2006-01-02 15:04:05", "2006-01-02T15:04",
		"2006-01-02 15:04", "2006-01-02"} {
		if t, err := time.ParseInLocation(layout, v, zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, refuse.Errorf("%q is not a time written as YYYY-MM-DDThh:mm:ss with its offset", clip(v, 40))
}

func (p *parser) currency(name string) string {
	v := strings.ToUpper(p.col(name))
	if v != "" && (len(v) != 3 || strings.Trim(v, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "") {
		p.fail("%s: %q is not a currency code of three letters", name, clip(v, 40))
	}
	return v
}

func (p *parser) err() error {
	if p.reason == "" {
		return nil
	}
	return &LineError{p.row.Line, p.row.Content, p.reason}
}

func strs[T ~string](list []T) []string {
	var out []string
	for _, v := range list {
		out = append(out, string(v))
	}
	return out
}
