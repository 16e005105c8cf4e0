package main

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"testing"
)

// The estates that are measured are files as the program takes them: each line has the columns of its header.
func TestEstatesAreWhole(t *testing.T) {
	dir := t.TempDir()
	if err := generate(dir, 20, 3); err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob(filepath.Join(dir, "*.csv"))
	if err != nil || len(files) < 4 {
		t.Fatalf("%v, %v", files, err)
	}
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := csv.NewReader(f).ReadAll(); err != nil {
			t.Errorf("%s: %v", filepath.Base(name), err)
		}
		if err := f.Close(); err != nil {
			t.Fatal(err)
		}
	}
}
