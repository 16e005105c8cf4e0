package snapshot

import (
	"ensomet/internal/core/position"

	"github.com/shopspring/decimal"
)

// Figures are figures of a position, or by how much they changed.
type Figures struct {
	Owned    int64  `json:"owned"`
	Needed   int64  `json:"needed"`
	Covered  int64  `json:"covered"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
	Low      int64  `json:"low"`
	High     int64  `json:"high"`
	Exposure string `json:"exposure"`
}

func FiguresOf(f position.Figures) Figures {
	return Figures{
		f.Owned,
		f.Needed,
		f.Covered,
		f.Short,
		f.Surplus,
		f.Low,
		f.High,
		decimal.New(f.Exposure, -4).String(),
	}
}
