package money

import (
	"cmp"
	"math/bits"
	"slices"

	"github.com/shopspring/decimal"
)

// Apportion splits a whole number by weights, none of them below zero, so that the parts add up to it exactly: each
// part is its exact share without the fraction, and what is left goes one by one to the largest fractions, of equal
// ones to the first. It is known as the method of largest remainders. Without any weight it returns nil.
func Apportion(total int64, weights []int64) []int64 {
	var sum uint64
	for _, w := range weights {
		sum += uint64(w)
	}
	if sum == 0 {
		return nil
	}
	negative := total < 0
	left := uint64(max(total, -total))
	whole := left
	out := make([]int64, len(weights))
	rests := make([]uint64, len(weights))
	order := make([]int, len(weights))
	for i, w := range weights {
		hi, lo := bits.Mul64(whole, uint64(w))
		part, rest := bits.Div64(hi, lo, sum) // hi < sum, since w is at most sum
		out[i], rests[i], order[i] = int64(part), rest, i
		left -= part
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(rests[b], rests[a]) })
	for _, i := range order[:left] {
		out[i]++
	}
	if negative {
		for i := range out {
			out[i] = -out[i]
		}
	}
	return out
}

// Split splits an amount by weights into parts with so many decimals, which add up to the amount rounded to them. An
// amount is at most some nine million million.
func Split(amount decimal.Decimal, decimals int32, weights []int64) []decimal.Decimal {
	parts := Apportion(amount.Round(decimals).Shift(decimals).IntPart(), weights)
	out := make([]decimal.Decimal, len(parts))
	for i, p := range parts {
		out[i] = decimal.New(p, -decimals)
	}
	return out
}
