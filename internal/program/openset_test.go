package program

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"testing"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/formats"
)

// What an open set says comes in once; taken again it changes nothing, a newer one changes what nobody changed here,
// and what people changed stays. A set that says something impossible is not taken at all.
func TestOpenSetsKeepWhatPeopleChanged(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	set := func(general, end string) []formats.Entry {
		return []formats.Entry{{
			Key:  catalogue.Key{Publisher: "Ostwick", Product: "Skerrymap", Version: "6"},
			Says: catalogue.Says{"general_support_end": general, "end_of_life": end},
		}}
	}
	res, err := prog.Catalogue.TakeEntries(ctx, set("2026-01-31", "2027-01-31"), "set", "me")
	if err != nil || res.Changed != 1 {
		t.Fatalf("%+v, %v", res, err)
	}
	if res, err = prog.Catalogue.TakeEntries(ctx, set("2026-01-31", "2027-01-31"), "set", "me"); err != nil ||
		res.Changed+res.Added != 0 || res.Same != 1 {
		t.Errorf("again: %+v, %v", res, err)
	}
	edit(t, prog, "Skerrymap", "6", map[string]string{"end_of_life": "2030-01-31"})
	if res, err = prog.Catalogue.TakeEntries(ctx, set("2026-06-30", "2028-01-31"), "set of summer", "me"); err != nil ||
		res.Changed != 1 {
		t.Fatalf("%+v, %v", res, err)
	}
	rows := exported(t, prog, formats.Titles.Name, "2026-06-30")
	i := slices.IndexFunc(rows, func(r map[string]string) bool { return r["product"] == "Skerrymap" })
	if i < 0 || rows[i]["general_support_end"] != "2026-06-30" || rows[i]["end_of_life"] != "2030-01-31" {
		t.Errorf("%v", rows)
	}
	bad := append(set("2026-07-31", ""), formats.Entry{Key: catalogue.Key{Publisher: "Ostwick", Product: "Skerrymap"},
		Says: catalogue.Says{"end_of_life": "soon"}})
	if _, err := prog.Catalogue.TakeEntries(ctx, bad, "set", "me"); err == nil {
		t.Error("a day that is none was taken")
	}
	if rows := exported(t, prog, formats.Titles.Name, "2026-06-30"); rows[i]["general_support_end"] != "2026-06-30" {
		t.Errorf("half of a set was taken: %v", rows[i])
	}
}

// The parts of a position, by unit or country, come to the whole, right by right and gap by gap.
func TestPartsOfPositionsComeToTheWhole(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Devices, "device_id,kind,org_unit,country", "D1,client,A,NO", "D2,client,A/B,DK",
		"D3,client,C,NO", "D4,client,,")
	take(t, prog, formats.Installs, installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z", "D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z", "D4,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D4,Ostwick,Part,1,,,2026-06-29T10:00:00Z")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,scope_unit",
		"E-1,Ostwick,Skerrymap,device,1,A", "E-2,Ostwick,Skerrymap,device,1,")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 4 || f.Short != 2 {
		t.Fatalf("%+v", f)
	}
	for _, by := range []string{"unit", "country", "contract"} {
		type sums [4]int64 // needed, covered, short, and how many parts
		wholes, parts := map[string]sums{}, map[string]sums{}
		err := prog.Position.PositionsBy(ctx, 0, by, func(row []string) error {
			if len(row) != len(formats.Positions.Columns) {
				t.Fatalf("%d columns in %v", len(row), row)
			}
			n := func(i int) int64 {
				v, err := strconv.ParseInt(row[i], 10, 64)
				if err != nil && row[i] != "" {
					t.Fatal(row, err)
				}
				return v
			}
			into := wholes
			if row[3] != "" {
				into = parts
			}
			key := strings.Join(row[:3], "|")
			s := into[key]
			into[key] = sums{s[0] + n(5), s[1] + n(6), s[2] + n(7), s[3] + 1}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		if len(wholes) == 0 {
			t.Fatalf("%s: nothing was written", by)
		}
		for key, whole := range wholes {
			if by == "contract" && parts[key][3] == 0 {
				continue // what no contract covers is in no part
			}
			if p := parts[key]; by != "contract" && (p[0] != whole[0] || p[1] != whole[1] || p[2] != whole[2]) {
				t.Errorf("%s of %s: parts %v, whole %v", by, key, p, whole)
			}
		}
		if by == "unit" && parts["Ostwick|Skerrymap|device"][3] < 3 {
			t.Errorf("%v", parts)
		}
	}
}
