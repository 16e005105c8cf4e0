package snapshot

import (
	"github.com/shopspring/decimal"
)

// PlainFigure brings amounts to one form for comparing.
func PlainFigure(f Figure) Figure {
	for _, s := range []*string{&f.Exposure, &f.SpareValue} {
		if d, err := decimal.NewFromString(*s); err == nil {
			*s = d.String()
		}
	}
	return f
}
