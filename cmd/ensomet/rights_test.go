package main

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// Rights that cannot be right are said with their line, and nothing else is lost: the good lines count, and what
// rests on itself is no right.
func TestBadRights(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	file := d.file("bad.csv", strings.Join([]string{
		"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency,base,rights",
		"OK-1,Ostwick,Skerrymap,device,3,perpetual,2025-01-01,,10,EUR,,",
		"NEG,Ostwick,Skerrymap,device,-4,perpetual,,,,,,",
		"HUGE,Ostwick,Skerrymap,device,99999999999999999999,perpetual,,,,,,",
		"LARGE,Ostwick,Skerrymap,device,9999999999999,perpetual,,,,,,",
		"BACK,Ostwick,Skerrymap,device,1,subscription,2026-01-01,2025-01-01,,,,",
		"FAR,Ostwick,Skerrymap,device,1,perpetual,31.12.99999,,,,,",
		"FLY,Ostwick,Skerrymap,device,1,perpetual,,,,,,flying",
		"SELF,Ostwick,Skerrymap,device,1,upgrade,,,,,SELF,",
		"RING-A,Ostwick,Skerrymap,device,5,upgrade,2025-01-01,,,,RING-B,",
		"RING-B,Ostwick,Skerrymap,device,5,upgrade,2025-01-01,,,,RING-A,",
		"SEK,Ostwick,Skerrymap,device,2,perpetual,2025-01-01,,70,SEK,,",
		"9999,Ostwick,Skerrymap,device,1,subscription,2025-01-01,9999-12-31,,,,",
		"NOBODY,Ostwick,Skerrymap Ultra,device,1,perpetual,,,,,,",
	}, "\n")+"\n")
	_, says := d.must(3, "import", "entitlements", file)
	for line, reason := range map[int]string{3: "quantity is -4: it must be 0 or more", 4: "is not a whole number",
		5: "more than a million million cannot be meant", 6: "it ends on 2025-01-01, before it starts on 2026-01-01",
		7: "is not a date", 8: `"flying" is none of`, 9: "base names the entitlement itself",
		14: "the catalogue has no product"} {
		if want := fmt.Sprintf("bad.csv:%d: ", line); !strings.Contains(says, want) ||
			!strings.Contains(says[strings.Index(says, want):], reason) {
			t.Errorf("line %d does not say %q:\n%s", line, reason, says)
		}
	}
	out, _ := d.must(0, "position")
	if r := rowsOf(t, out)[0]; r["owned"] != "7" || r["surplus"] != "5" {
		t.Errorf("%v", r) // E1, OK-1, SEK and 9999; a ring of upgrades is nothing
	}
	d.must(0, "check")
	// As CycloneDX licences they go out and come back without a change.
	text, _ := d.must(0, "export", "entitlements", "--format", "cyclonedx")
	if _, says = d.must(0, "import", "entitlements", d.file("licences.cdx.json", text)); !strings.Contains(
		says,
		"0 new, 0 changed",
	) {
		t.Errorf("there and back: %s", says)
	}
	d.must(1, "export", "devices", "--format", "cyclonedx")
}

// A long file with an error in its last line: the good ones go in, and the bad one is named and kept. ENSOMET_LINES is
// how many lines it has, in place of 150,000.
func TestALongFileAndABadLast(t *testing.T) {
	d := small(t)
	d.must(0, "import", filepath.Join(d.dir, "in"))
	f, err := os.Create(filepath.Join(d.dir, "large.csv"))
	if err != nil {
		t.Fatal(err)
	}
	w := bufio.NewWriter(f)
	fmt.Fprintln(w, "device_id,publisher,name,version,seen_at")
	lines, each := 150_000, 1000
	if n, err := strconv.Atoi(os.Getenv("ENSOMET_LINES")); err == nil {
		lines = n
	}
	var machines strings.Builder
	machines.WriteString("device_id,name,kind\n")
	for i := range lines / each {
		fmt.Fprintf(&machines, "M%d,m%d,client\n", i, i)
	}
	d.must(0, "import", "devices", d.file("machines.csv", machines.String()))
	for i := range lines - 1 {
		fmt.Fprintf(w, "M%d,Ostwick,Part %d,%d,2026-06-29T11:00:00Z\n", i/each, i%each, i/each%3)
	}
	fmt.Fprintln(w, "D9,Ostwick,Skerrymap,6,2026-06-29T11:00:00Z")
	if err := w.Flush(); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	_, says := d.must(3, "import", "installs", f.Name())
	if !strings.Contains(says, fmt.Sprintf("large.csv:%d: there is no device", lines+1)) ||
		!strings.Contains(says, fmt.Sprintf("%d lines", lines)) {
		t.Errorf("%s", says)
	}
	d.must(0, "check")
}
