package opendata

import (
	"bufio"
	"os"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/formats"
)

func dates(t *testing.T, e formats.Entry) lifecycle.Dates {
	t.Helper()
	title, err := formats.TitleOf(e)
	if err != nil {
		t.Fatal(err)
	}
	return lifecycle.Dates{
		Released: title.Released,
		General:  title.GeneralEnd,
		Extended: title.ExtendedEnd,
		End:      title.EndOfLife,
	}
}

func distro(t *testing.T, name string) []formats.Entry {
	t.Helper()
	f, err := os.Open("testdata/" + name + ".csv")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	list, err := ReadDistroInfo(f)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// The phases of Debian's and Ubuntu's releases, by the dates of the Debian package distro-info-data 0.58, against
// what the tools of the package distro-info 1.5 answer, on the first and the last day of each phase since 1996. On
// the very day of an end the tools take support to be over already, where here it is the last day of it; what ends
// that day is left out.
func TestPhasesOfDistributions(t *testing.T) {
	releases := map[string][]formats.Entry{"debian": distro(t, "debian"), "ubuntu": distro(t, "ubuntu")}
	f, err := os.Open("testdata/distro-info-tool.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	checked := 0
	for lines := bufio.NewScanner(f); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "#") {
			continue
		}
		fields := strings.Fields(lines.Text())
		dist, day, phase, want := fields[0], civil.MustParse(fields[1]), fields[2], fields[3:]
		var got []string
		for _, e := range releases[dist] {
			d := dates(t, e)
			if slices.ContainsFunc(d.Changes(), func(c lifecycle.Change) bool { return c.On == day }) {
				want = slices.DeleteFunc(want, func(v string) bool { return v == e.Version })
			} else if string(d.Phase(day)) == phase {
				got = append(got, e.Version)
			}
		}
		if !slices.Equal(got, want) {
			t.Errorf("%s on %s, %s: %v, the tool says %v", dist, day, phase, got, want)
		}
		checked++
	}
	if checked < 300 {
		t.Fatalf("only %d days were checked", checked)
	}
}

// Dates of Node.js as the npm package node-releases 2.0.65 has them.
func TestPhasesOfNode(t *testing.T) {
	f, err := os.Open("testdata/node-release-schedule.json")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	list, err := ReadNodeReleases(f)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		version, day string
		want         lifecycle.Phase
	}{
		{"6", "2016-04-25", lifecycle.Before}, {"6", "2016-04-26", lifecycle.General},
		{"6", "2018-04-29", lifecycle.General}, {"6", "2018-04-30", lifecycle.Extended},
		{"6", "2019-04-30", lifecycle.Extended},
		{"6", "2019-05-01", lifecycle.Ended}, {"0.12", "2016-12-31", lifecycle.General},
		{"0.12", "2017-01-01", lifecycle.Ended}, {"4", "2018-04-30", lifecycle.Extended},
		{"4", "2018-05-01", lifecycle.Ended},
		{"18", "2025-04-30", lifecycle.Extended}, {"18", "2025-05-01", lifecycle.Ended},
		{"20", "2026-04-30", lifecycle.Extended}, {"20", "2026-05-01", lifecycle.Ended},
	} {
		at := slices.IndexFunc(list, func(e formats.Entry) bool { return e.Version == c.version })
		if at < 0 {
			t.Fatalf("no Node.js %s", c.version)
		}
		if got := dates(t, list[at]).Phase(civil.MustParse(c.day)); got != c.want {
			t.Errorf("Node.js %s on %s is %s, want %s", c.version, c.day, got, c.want)
		}
	}
}

func TestReleasesThatAreNone(t *testing.T) {
	for _, text := range []string{"", "a,b\n1,2\n",
		"version,codename,series,created,release,eol\n1,A,a,,soon,later\n"} {
		if _, err := ReadDistroInfo(strings.NewReader(text)); err == nil {
			t.Errorf("%q was read", text)
		}
	}
	for _, text := range []string{"", "[]", `{"v9":{}}`,
		`{"v9":{"start":"2020-01-01","end":"2021-01-01","maintenance":"soon"}}`} {
		if _, err := ReadNodeReleases(strings.NewReader(text)); err == nil {
			t.Errorf("%q was read", text)
		}
	}
}
