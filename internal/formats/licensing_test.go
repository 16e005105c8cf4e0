package formats

import (
	"bytes"
	"encoding/json"
	"io"
	"maps"
	"strings"
	"testing"
	"time"
)

func readLicences(t *testing.T, text string) ([]map[string]string, error) {
	t.Helper()
	f := bytes.NewReader([]byte(text))
	form, err := Sniff(f, int64(len(text)))
	if err != nil {
		return nil, err
	}
	rows, err := OpenTable(f, int64(len(text)), form, Entitlements, nil, time.Now())
	if err != nil {
		return nil, err
	}
	var out []map[string]string
	for {
		row, err := rows.Next()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			return out, err
		}
		e, err := ParseEntitlement(row)
		if err != nil {
			return out, err
		}
		out = append(
			out,
			map[string]string{
				"entitlement_id": e.Code,
				"publisher":      e.Publisher,
				"product":        e.Product,
				"metric":         string(e.Metric),
				"kind":           string(e.Kind),
				"order":          e.Order,
				"end":            e.End.String(),
				"start":          e.Start.String(),
				"contract":       e.Contract,
				"scope_unit":     e.ScopeUnit,
			},
		)
	}
}

// What is written comes back, whatever the object has no place for.
func TestLicencesThereAndBack(t *testing.T) {
	want := []map[string]string{
		{
			"entitlement_id": "L-1",
			"publisher":      "Ostwick",
			"product":        "Skerrymap",
			"metric":         "core",
			"kind":           "subscription",
			"order":          "PO-7",
			"start":          "2026-01-01",
			"end":            "2026-12-31",
			"contract":       "K",
			"scope_unit":     "Sea",
		},
		{
			"entitlement_id": "L-2",
			"publisher":      "Ostwick",
			"product":        "Skerrymap",
			"metric":         "site",
			"kind":           "upgrade",
			"order":          "",
			"start":          "",
			"end":            "",
			"contract":       "",
			"scope_unit":     "",
		},
	}
	lines := make([]map[string]string, len(want))
	for i := range want {
		lines[i] = maps.Clone(want[i])
		lines[i]["quantity"] = "5"
	}
	var b bytes.Buffer
	if err := WriteLicences(&b, lines, time.Date(2026, 6, 30, 0, 0, 0, 0, time.UTC)); err != nil {
		t.Fatal(err)
	}
	got, err := readLicences(t, b.String())
	if err != nil || len(got) != 2 || !maps.Equal(got[0], want[0]) || !maps.Equal(got[1], want[1]) {
		t.Errorf("%v, %v, want %v", got, err, want)
	}
	var doc struct {
		SpecVersion string
		Components  []struct {
			Licenses []struct {
				License struct {
					Licensing struct {
						AltIds       []string
						LicenseTypes []string
						Expiration   time.Time
					}
				}
			}
		}
	}
	if err := json.Unmarshal(b.Bytes(), &doc); err != nil {
		t.Fatal(err)
	}
	l := doc.Components[0].Licenses[0].License.Licensing
	if doc.SpecVersion != "1.6" || strings.Join(l.LicenseTypes, " ") != "core-points subscription" ||
		l.AltIds[0] != "L-1" ||
		l.Expiration.Year() != 2026 {
		t.Errorf("%+v", doc)
	}
}

// The commercial licence of the CycloneDX authoritative guide's example (licensing object: altIds, licensor,
// purchaseOrder, licenseTypes, lastRenewal, expiration; its shape from memory): what it says is read, and how many
// there are is asked for.
func TestForeignLicences(t *testing.T) {
	const text = `{"bomFormat":"CycloneDX","specVersion":"1.6","version":1,"components":[{"type":"application","name":"Skerrymap","version":"9.1.1","licenses":[{"license":{"name":"Commercial",
		"licensing":{"altIds":["acme","acme-license"],"licensor":{"organization":{"name":"Ostwick"}},"licensee":{"organization":{"name":"Example"}},"purchaseOrder":"PO-12345","licenseTypes":["appliance"],"lastRenewal":"2022-04-13T20:20:39+00:00","expiration":"2023-04-13T20:20:39+00:00"}}}]},
		{"type":"library","name":"free","licenses":[{"license":{"id":"MIT"}}]}]}`
	if _, err := readLicences(t, text); err == nil || !strings.Contains(err.Error(), "quantity is empty") {
		t.Errorf("how many there are is not asked for: %v", err)
	}
	got, err := componentLicences([]byte(text), false)
	if err != nil || len(got) != 1 || got[0]["metric"] != "device" || got[0]["publisher"] != "Ostwick" ||
		got[0]["end"] != "2023-04-13" ||
		got[0]["order"] != "PO-12345" ||
		got[0]["entitlement_id"] != "acme" {
		t.Errorf("%v, %v", got, err)
	}
	for name, bad := range map[string]string{"no rights": `{"bomFormat":"CycloneDX","specVersion":"1.6","version":1,"components":[]}`, "cut off": text[:200]} {
		if _, err := componentLicences([]byte(bad), false); err == nil {
			t.Errorf("%s is read", name)
		}
	}
}

func FuzzComponentLicences(f *testing.F) {
	f.Add(
		[]byte(
			`{"bomFormat":"CycloneDX","specVersion":"1.6","components":[{"name":"x","licenses":[{"license":{"licensing":{"licenseTypes":["device"]}}}]}]}`,
		),
	)
	f.Fuzz(func(t *testing.T, text []byte) {
		lines, err := componentLicences(text, false)
		if err == nil && len(lines) == 0 {
			t.Error("nothing was read, and nothing is said")
		}
	})
}
