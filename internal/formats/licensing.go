package formats

import (
	"bytes"
	"io"
	"slices"
	"strings"
	"time"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

// The licence types of CycloneDX 1.6 (its JSON schema, licensing.licenseTypes) by our metrics and kinds. A metric
// that has none is a custom metric.
var (
	metricTypes = map[string]cdx.LicenseType{
		"device":       cdx.LicenseTypeDevice,
		"installation": cdx.LicenseTypeNodeLocked,
		"named_user":   cdx.LicenseTypeNamedUser,
		"concurrent":   cdx.LicenseTypeConcurrentUser,
		"core":         cdx.LicenseTypeCorePoints,
		"processor":    cdx.LicenseTypeProcessorPoints,
	}
	kindTypes = map[string]cdx.LicenseType{
		"perpetual":    cdx.LicenseTypePerpetual,
		"subscription": cdx.LicenseTypeSubscription,
		"trial":        cdx.LicenseTypeEvaluation,
	}
	// what a foreign document may say of the same
	otherMetrics = map[cdx.LicenseType]string{
		cdx.LicenseTypeUser:         "named_user",
		cdx.LicenseTypeAppliance:    "device",
		cdx.LicenseTypeClientAccess: "named_user",
	}
)

// placed are the columns of entitlements.csv that the licensing object, or the component, has a place for.
var placed = []string{"entitlement_id", "publisher", "product", "version", "order", "end"}

// WriteLicences writes lines of entitlements.csv, by column, as a CycloneDX 1.6 document in JSON: a component for
// each line, with its licensing object. What that has no place for stands in properties of the component.
func WriteLicences(out io.Writer, lines []map[string]string, made time.Time) error {
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{Timestamp: made.UTC().Format(time.RFC3339)}
	list := []cdx.Component{}
	for _, l := range lines {
		types := []cdx.LicenseType{cdx.LicenseTypeCustomMetric}
		if t, ok := metricTypes[l["metric"]]; ok {
			types[0] = t
		}
		if t, ok := kindTypes[l["kind"]]; ok {
			types = append(types, t)
		}
		licensing := &cdx.Licensing{
			AltIDs:        &[]string{l["entitlement_id"]},
			PurchaseOrder: l["order"],
			LicenseTypes:  &types,
			Expiration:    dateTime(l["end"]),
			LastRenewal:   dateTime(l["start"]),
		}
		if l["publisher"] != "" {
			licensing.Licensor = &cdx.OrganizationalEntityOrContact{
				Organization: &cdx.OrganizationalEntity{Name: l["publisher"]},
			}
		}
		var props []cdx.Property
		for _, c := range Entitlements.Columns {
			if l[c] != "" && !slices.Contains(placed, c) {
				props = append(props, cdx.Property{Name: ours + c, Value: l[c]})
			}
		}
		list = append(
			list,
			cdx.Component{
				BOMRef:     l["entitlement_id"],
				Type:       cdx.ComponentTypeApplication,
				Name:       l["product"],
				Version:    l["version"],
				Publisher:  l["publisher"],
				Properties: &props,
				Licenses: &cdx.Licenses{
					{License: &cdx.License{Name: l["product"] + " " + l["entitlement_id"], Licensing: licensing}},
				},
			},
		)
	}
	bom.Components = &list
	return cdx.NewBOMEncoder(out, cdx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(bom, cdx.SpecVersion1_6)
}

// dateTime is a day as the date-time that the licensing object wants; empty where the day is unknown.
func dateTime(day string) string {
	if day == "" {
		return ""
	}
	return day + "T00:00:00Z"
}

// componentLicences reads the licensing objects of a CycloneDX document as lines of entitlements.csv. A licence
// without a licensing object is no right that was acquired, and is passed over. A foreign document does not say how
// many: its lines wait for their quantity.
func componentLicences(text []byte, asXML bool) ([]map[string]string, error) {
	var bom cdx.BOM
	format := cdx.BOMFileFormatJSON
	if asXML {
		format = cdx.BOMFileFormatXML
		if err := checkXML(text); err != nil {
			return nil, err
		}
	}
	if err := cdx.NewBOMDecoder(bytes.NewReader(text), format).Decode(&bom); err != nil {
		return nil, &FileError{"the CycloneDX document cannot be read: " + err.Error()}
	}
	var out []map[string]string
	components := []cdx.Component{}
	if bom.Metadata != nil && bom.Metadata.Component != nil {
		components = append(components, *bom.Metadata.Component)
	}
	if bom.Components != nil {
		components = append(components, *bom.Components...)
	}
	for _, c := range components {
		if c.Licenses == nil {
			continue
		}
		for _, l := range *c.Licenses {
			if l.License == nil || l.License.Licensing == nil {
				continue
			}
			out = append(out, licenceLine(&c, l.License.Licensing))
		}
	}
	if out == nil {
		return nil, &FileError{
			"the document has no licensing objects: it lists software, and says nothing of rights that were acquired",
		}
	}
	return out, nil
}

func licenceLine(c *cdx.Component, l *cdx.Licensing) map[string]string {
	day := func(s string) string {
		d, _, _ := strings.Cut(s, "T")
		return d
	}
	one := map[string]string{
		"publisher": c.Publisher,
		"product":   c.Name,
		"version":   c.Version,
		"order":     l.PurchaseOrder,
		"start":     day(l.LastRenewal),
		"end":       day(l.Expiration),
	}
	if one["publisher"] == "" && l.Licensor != nil && l.Licensor.Organization != nil {
		one["publisher"] = l.Licensor.Organization.Name
	}
	if one["publisher"] == "" && c.Supplier != nil {
		one["publisher"] = c.Supplier.Name
	}
	if l.AltIDs != nil && len(*l.AltIDs) > 0 {
		one["entitlement_id"] = (*l.AltIDs)[0]
	}
	if l.LicenseTypes != nil {
		for _, t := range *l.LicenseTypes {
			for metric, is := range metricTypes {
				if is == t {
					one["metric"] = metric
				}
			}
			for kind, is := range kindTypes {
				if is == t {
					one["kind"] = kind
				}
			}
			if m, ok := otherMetrics[t]; ok && one["metric"] == "" {
				one["metric"] = m
			}
		}
	}
	for _, p := range properties(c.Properties) {
		if name, ok := strings.CutPrefix(p.Name, ours); ok {
			one[name] = p.Value
		}
	}
	return one
}
