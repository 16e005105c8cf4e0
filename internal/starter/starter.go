// Package starter has a catalogue of titles made from open data, for those who begin with an empty one: AppStream
// component data of Debian's archive (whose metadata is free of licence terms or under permissive ones), release
// dates of distro-info-data and of node-releases, and licence models by the SPDX licence list.
package starter

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"fmt"
	"io"

	"ensomet/internal/formats"
)

//go:embed catalogue.json.gz
var packed []byte

// Name is what the catalogue is called where its file is named.
const Name = "starter catalogue"

// Entries reads the catalogue.
func Entries() ([]formats.Entry, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	text, err := io.ReadAll(z)
	if err != nil {
		return nil, err
	}
	entries, bad, err := formats.ReadCatalogue(bytes.NewReader(text), int64(len(text)), formats.CatalogueJSON)
	if err == nil && len(bad) > 0 {
		err = fmt.Errorf("the starter catalogue has lines that cannot be read, the first one %w", bad[0])
	}
	return entries, err
}
