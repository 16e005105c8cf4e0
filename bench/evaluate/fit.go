package main

import (
	"fmt"
	"math"

	"ensomet/internal/core/recognise"
)

// fit finds the weights of the score by logistic regression (gradient descent with a small penalty on size) on
// proposals for names that were not decided.
func fit(path string) error {
	type row struct {
		x [7]float64
		y float64
	}
	var rows []row
	for fold := range uint32(10) {
		products, choose, _, err := openData(path, fold)
		if err != nil {
			return err
		}
		w := recognise.New(recognise.NewCatalogue(recognise.Source{Products: products}), nil).Worker()
		for i := range choose {
			n := &choose[i]
			if res, _ := w.Decide(&n.record); res.Product != 0 {
				continue
			}
			for _, c := range w.Candidates(&n.record, 3) {
				f := c.Features
				x := [7]float64{1, f.OfRecord, f.OfName, f.Letters, f.Publisher, f.Lead, f.Telling}
				y := 0.0
				if c.Product == n.product {
					y = 1
				}
				rows = append(rows, row{x, y})
			}
		}
	}
	var beta, m, v [7]float64
	for step := 1; step <= 1500; step++ {
		var grad [7]float64
		for _, r := range rows {
			z := 0.0
			for i := range beta {
				z += beta[i] * r.x[i]
			}
			d := 1/(1+math.Exp(-z)) - r.y
			for i := range beta {
				grad[i] += d * r.x[i]
			}
		}
		for i := range beta { // Adam (Kingma, Ba 2015)
			grad[i] = grad[i]/float64(len(rows)) + 1e-4*beta[i]
			m[i] = 0.9*m[i] + 0.1*grad[i]
			v[i] = 0.999*v[i] + 0.001*grad[i]*grad[i]
			beta[i] -= 0.05 * m[i] / (1 - math.Pow(0.9,
				float64(step))) / (math.Sqrt(v[i]/(1-math.Pow(0.999, float64(step)))) + 1e-9)
		}
	}
	fmt.Printf(
		"fitted on %d proposals\nscoreBias    = %.3f\nscoreWeights = [...]float64{%.3f, %.3f, %.3f, %.3f, %.3f, "+
			"%.3f}\n",
		len(rows),
		beta[0],
		beta[1],
		beta[2],
		beta[3],
		beta[4],
		beta[5],
		beta[6],
	)
	return nil
}
