// Command make writes the starter catalogue out of the AppStream component data that apt has fetched on this Debian
// machine, and out of the release dates of distro-info-data and node-releases that are kept beside their tests.
package main

import (
	"compress/gzip"
	"fmt"
	"log"
	"os"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/opendata"
)

func main() {
	if err := run(); err != nil {
		log.Fatal(err)
	}
}

func run() error {
	path, err := opendata.FindComponents()
	if err != nil {
		return err
	}
	components, err := opendata.ReadComponents(path)
	if err != nil {
		return err
	}
	entries := opendata.StarterEntries(components)
	for _, name := range []string{"debian.csv", "ubuntu.csv", "node-release-schedule.json"} {
		f, err := os.Open("internal/opendata/testdata/" + name)
		if err != nil {
			return err
		}
		read := opendata.ReadDistroInfo
		if name == "node-release-schedule.json" {
			read = opendata.ReadNodeReleases
		}
		more, err := read(f)
		f.Close()
		if err != nil {
			return err
		}
		entries = append(entries, more...)
	}
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	out, err := os.Create("internal/starter/catalogue.json.gz")
	if err != nil {
		return err
	}
	z, err := gzip.NewWriterLevel(out, gzip.BestCompression)
	if err != nil {
		return err
	}
	if err := formats.WriteCatalogueJSON(z, entries, info.ModTime().Truncate(24*time.Hour)); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	fmt.Printf("%d titles\n", len(entries))
	return out.Close()
}
