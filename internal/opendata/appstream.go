// Package opendata reads data that others publish: component data of AppStream, release dates of distributions and of
// Node.js, and the packages of a Debian machine. It serves the evaluation, the starter catalogue and dates of the
// life cycle.
package opendata

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// Component is a piece of software as AppStream describes it (DEP-11, the YAML form of the AppStream specification
// 0.16).
type Component struct {
	ID        string
	Type      string
	Package   string
	Developer string
	Group     string            // the project that it belongs to
	Names     map[string]string // by language; C is the untranslated one
	Licence   string            // an SPDX expression
	Homepage  string
	Category  []string
	Releases  []Release
}

// Release is a version with the time it came out.
type Release struct {
	Version string
	On      time.Time
}

// ReadComponents reads a DEP-11 file, compressed with gzip or not. Components without a name are left out.
func ReadComponents(path string) ([]Component, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	in := bufio.NewReader(f)
	var r io.Reader = in
	if head, err := in.Peek(2); err == nil && head[0] == 0x1f && head[1] == 0x8b {
		if r, err = gzip.NewReader(in); err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
	}
	text, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return parseComponents(text)
}

func parseComponents(text []byte) ([]Component, error) {
	var out []Component
	for i, doc := range bytes.Split(text, []byte("\n---\n")) {
		doc = wanted(doc)
		var raw struct {
			DeveloperName  map[string]string `yaml:"DeveloperName"`
			ProjectGroup   string            `yaml:"ProjectGroup"`
			ProjectLicense string            `yaml:"ProjectLicense"`
			ID             string            `yaml:"ID"`
			Type           string            `yaml:"Type"`
			Package        string            `yaml:"Package"`
			Name           map[string]string `yaml:"Name"`
			Url            map[string]string `yaml:"Url"`
			Categories     []string          `yaml:"Categories"`
			Releases       []struct {
				Version string `yaml:"version"`
				Unix    int64  `yaml:"unix-timestamp"`
			} `yaml:"Releases"`
		}
		if err := yaml.Unmarshal(doc, &raw); err != nil {
			return nil, fmt.Errorf("component %d: %w", i, err)
		}
		if raw.Name["C"] == "" {
			continue
		}
		c := Component{
			ID:        raw.ID,
			Type:      raw.Type,
			Package:   raw.Package,
			Developer: raw.DeveloperName["C"],
			Group:     raw.ProjectGroup,
			Names:     raw.Name,
			Licence:   raw.ProjectLicense,
			Homepage:  raw.Url["homepage"],
			Category:  raw.Categories,
		}
		for _, r := range raw.Releases {
			c.Releases = append(c.Releases, Release{r.Version, time.Unix(r.Unix, 0).UTC()})
		}
		out = append(out, c)
	}
	slices.SortFunc(out, func(a, b Component) int { return strings.Compare(a.ID+a.Package, b.ID+b.Package) })
	return out, nil
}

// wanted keeps the keys that are read, since descriptions and screenshots in forty languages are most of the text.
func wanted(doc []byte) []byte {
	keys := []string{
		"ID:",
		"Type:",
		"Package:",
		"Name:",
		"DeveloperName:",
		"ProjectGroup:",
		"ProjectLicense:",
		"Url:",
		"Categories:",
		"Releases:",
	}
	var out bytes.Buffer
	keep := false
	for line := range bytes.Lines(doc) {
		if len(line) > 0 && line[0] >= 'A' && line[0] <= 'Z' {
			keep = slices.ContainsFunc(keys, func(k string) bool { return bytes.HasPrefix(line, []byte(k)) })
		}
		if keep {
			out.Write(line)
		}
	}
	return out.Bytes()
}

// Maker is who makes a component: its developer, else its project, else the owner in its reversed domain name, else
// nobody known.
func (c *Component) Maker() string {
	if c.Developer != "" {
		return c.Developer
	}
	if c.Group != "" {
		return c.Group
	}
	parts := strings.Split(c.ID, ".")
	if len(parts) < 3 ||
		!slices.Contains([]string{"org", "com", "net", "io", "de", "fr", "eu", "info", "app", "dev"}, parts[0]) {
		return ""
	}
	if slices.Contains([]string{"github", "gitlab", "sourceforge", "codeberg", "bitbucket", "freedesktop"}, parts[1]) {
		if len(parts) < 4 {
			return ""
		}
		return parts[2]
	}
	return parts[1]
}

// FindComponents returns the component data that apt has fetched on this machine, and how to get it where there is
// none.
func FindComponents() (string, error) {
	list, err := filepath.Glob("/var/lib/apt/lists/*_dep11_Components-*.yml*")
	if err != nil || len(list) == 0 {
		return "", fmt.Errorf(
			"there is no component data here: on Debian,  apt-get install appstream && apt-get update  fetches it",
		)
	}
	return slices.Max(list), nil
}
