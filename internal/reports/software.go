package reports

import (
	"context"
	"io"

	"ensomet/internal/formats"
)

// WriteLicences writes the entitlements as a CycloneDX document with their licensing objects.
func (svc *Service) WriteLicences(ctx context.Context, out io.Writer) error {
	var lines []map[string]string
	if err := svc.Export(ctx, formats.Entitlements.Name, 0, func([]string) error { return nil },
		func(row []string) error {
			one := map[string]string{}
			for i, c := range formats.Entitlements.Columns {
				one[c] = row[i]
			}
			lines = append(lines, one)
			return nil
		}); err != nil {
		return err
	}
	return formats.WriteLicences(out, lines, svc.Clock.Now())
}
