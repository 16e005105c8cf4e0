package main

import (
	"context"
	"fmt"
	"os"

	"ensomet/internal/program"
	"ensomet/internal/titles"
)

// measureAgain measures what a change of the catalogue costs on an estate whose installs are some 104,000 raw records.
func measureAgain(devices int) error {
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := generate(dir, devices, 13); err != nil {
		return err
	}
	fmt.Printf("\n%d devices, %d installs\n", devices, devices*perDevice)
	took, peak := map[string]float64{}, map[string]int64{}
	for _, step := range []string{"prepare", "import", "renew", "one", "twenty", "all"} {
		if err := run(dir, step, func(name string, seconds float64) { took[name] = seconds }, peak); err != nil {
			return err
		}
	}
	fmt.Printf(
		"  import                                                     %7.2f s, peak %d MB\n",
		took["import"],
		peak["import"],
	)
	fmt.Printf("  recognising every record from nothing                      %7.2f s\n", took["recognise"])
	fmt.Printf(
		"  renewing every figure                                      %7.2f s, peak %d MB\n",
		took["renew"],
		peak["renew"],
	)
	for _, step := range []string{"one", "twenty", "all"} {
		fmt.Printf(
			"  %-6s titles changed: names and the positions that change %6.2f s, ratio to everything %.3f; then "+
				"every list and figure in the background %6.2f s\n",
			step,
			took[step+" recognised"],
			took[step+" recognised"]/(took["recognise"]+took["renew"]),
			took[step+" renewed"],
		)
	}
	return nil
}

// again are the steps of measureAgain: the file is opened, something of the catalogue changes, and names and figures
// follow.
func again(ctx context.Context, prog *program.Program, step string, timed func(string, func() error) error) error {
	products := 0
	switch step {
	case "renew":
		return timed("renew", func() error { return prog.Pipeline.Refresh(ctx) })
	case "one":
		products = 1
	case "twenty":
		products = 20
	case "all":
		products = 2000
	default:
		return fmt.Errorf("there is no step %q", step)
	}
	for p := range products {
		ids, err := prog.Position.FindProducts(ctx, fmt.Sprintf("Weft%04d Loom", (p*97)%2000))
		if err != nil || len(ids) != 1 {
			return fmt.Errorf("products %v: %w", ids, err)
		}
		// a release of its own for version 3: every record of that version becomes another title
		edit := titles.TitleEdit{
			Product: ids[0],
			Version: map[int]string{1: "3", 20: "3.1", 2000: "4"}[products],
			Says:    map[string]string{"list_price": "90 EUR", "category": "utility", "licence_model": "commercial"},
		}
		if _, err := prog.Catalogue.EditTitle(ctx, edit, "bench"); err != nil {
			return err
		}
	}
	if err := timed(step+" recognised", func() error { return prog.Pipeline.RenewTouched(ctx) }); err != nil {
		return err
	}
	return timed(step+" renewed", func() error { return prog.Pipeline.Refresh(ctx) })
}
