package formats

import (
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"

	"github.com/shopspring/decimal"
)

// Entitlement is a line of entitlements.csv.
type Entitlement struct {
	Publisher, Product string
	entitle.Line
	Custom map[string]string
}

// cell is one value of a line: how it is read from a column, and how it is written.
type cell struct {
	column string
	read   func(p *parser, column string)
	write  func() string
}

// cells are the columns of entitlements.csv in the order of the contract. A column stands here and nowhere else.
func (e *Entitlement) cells() []cell {
	return []cell{
		needed("entitlement_id", &e.Code),
		text("publisher", &e.Publisher),
		needed("product", &e.Product),
		text("edition", &e.Edition),
		text("version", &e.Version),
		neededChoice("metric", &e.Metric, entitle.Metrics),
		neededWhole("quantity", &e.Quantity),
		choice("kind", &e.Kind, entitle.Kinds, entitle.Perpetual),
		date("start", &e.Start),
		date("end", &e.End),
		date("maintenance_end", &e.MaintenanceEnd),
		amount("unit_price", &e.UnitPrice),
		currency("currency", &e.Currency),
		date("purchased", &e.Purchased),
		text("order", &e.Order),
		text("contract", &e.Contract),
		unitPath("scope_unit", &e.ScopeUnit),
		text("scope_country", &e.ScopeCountry),
		severalOf("rights", &e.Rights, entitle.Rights),
		whole("min_per_processor", &e.MinPerProcessor, 0),
		whole("min_per_server", &e.MinPerServer, 0),
		whole("pack_size", &e.PackSize, 1),
		choice("capacity", &e.Capacity, []string{"full", "sub"}, "full"),
		choice("versions_counted", &e.VersionsCounted, []entitle.VersionsCounted{entitle.Once, entitle.Each}, ""),
		text("base", &e.Base),
	}
}

func entitlementColumns() []string {
	var out []string
	for _, c := range new(Entitlement).cells() {
		out = append(out, c.column)
	}
	return out
}

// ParseEntitlement reads a line of entitlements.csv.
func ParseEntitlement(row *Row) (Entitlement, error) {
	p := &parser{row: row, kind: Entitlements}
	e := Entitlement{Custom: row.Custom()}
	for _, c := range e.cells() {
		c.read(p, c.column)
	}
	if e.Start.Known() && e.End.Known() && e.End < e.Start {
		p.fail("it ends on %s, before it starts on %s", e.End, e.Start)
	}
	if e.UnitPrice.Valid && e.Currency == "" {
		e.Currency = "EUR"
	}
	if e.Base == e.Code && e.Base != "" {
		p.fail("base names the entitlement itself")
	}
	return e, p.err()
}

// Texts writes a line as entitlements.csv has it, in the order of its columns.
func (e *Entitlement) Texts() []string {
	cells := e.cells()
	out := make([]string, len(cells))
	for i, c := range cells {
		out[i] = c.write()
	}
	return out
}

func text(column string, v *string) cell {
	return cell{column, func(p *parser, name string) { *v = p.col(name) }, func() string { return *v }}
}

func needed(column string, v *string) cell {
	return cell{column, func(p *parser, name string) { *v = p.need(name) }, func() string { return *v }}
}

func unitPath(column string, v *string) cell {
	return cell{column, func(p *parser, name string) { *v = strings.Trim(p.col(name), "/") },
		func() string { return *v }}
}

func currency(column string, v *string) cell {
	return cell{column, func(p *parser, name string) { *v = p.currency(name) }, func() string { return *v }}
}

// whole is a number of at least least; nothing stands for 0.
func whole(column string, v *int64, least int64) cell {
	return cell{column, func(p *parser, name string) { *v = p.whole(name, least) }, func() string {
		if *v == 0 {
			return ""
		}
		return strconv.FormatInt(*v, 10)
	}}
}

func neededWhole(column string, v *int64) cell {
	return cell{column, func(p *parser, name string) {
		p.need(name)
		*v = p.whole(name, 0)
	}, func() string { return strconv.FormatInt(*v, 10) }}
}

func date(column string, v *civil.Day) cell {
	return cell{column, func(p *parser, name string) { *v = p.day(name) }, func() string { return v.String() }}
}

func amount(column string, v *decimal.NullDecimal) cell {
	return cell{column, func(p *parser, name string) { *v = p.money(name) }, func() string {
		if !v.Valid {
			return ""
		}
		return v.Decimal.String()
	}}
}

// choice is one of some words; nothing stands for empty.
func choice[T ~string](column string, v *T, of []T, empty T) cell {
	return cell{column, func(p *parser, name string) { *v = oneOf(p, name, of, empty) },
		func() string { return string(*v) }}
}

func neededChoice[T ~string](column string, v *T, of []T) cell {
	return cell{column, func(p *parser, name string) {
		p.need(name)
		*v = oneOf(p, name, of, "")
	}, func() string { return string(*v) }}
}

// severalOf is any of some words, between bars.
func severalOf[T ~string](column string, v *[]T, of []T) cell {
	return cell{column, func(p *parser, name string) {
		for _, s := range strings.Split(p.col(name), "|") {
			if s = strings.ToLower(strings.TrimSpace(s)); s == "" {
				continue
			}
			if !slices.Contains(of, T(s)) {
				p.fail("%s: %q is none of %s", name, clip(s, 40), strings.Join(strs(of), ", "))
			}
			*v = append(*v, T(s))
		}
	}, func() string { return strings.Join(strs(*v), "|") }}
}
