package collect

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ensomet/internal/formats"
)

// dpkg reads the database of Debian packages, of which those count that are installed.
func (m *Machine) dpkg(_ context.Context, s *formats.Scan) error {
	files := []string{m.path("/var/lib/dpkg/status")}
	more, err := filepath.Glob(m.path("/var/lib/dpkg/status.d/*"))
	if err != nil {
		return err
	}
	for _, f := range more { // images without a package manager keep one file a package
		if !strings.HasSuffix(f, ".md5sums") {
			files = append(files, f)
		}
	}
	distro := strings.ToLower(m.osRelease()["ID"])
	if distro == "" {
		distro = "debian"
	}
	for i, path := range files {
		f, err := os.Open(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return fmt.Errorf("the database of packages cannot be read: %w", err)
		}
		list, err := parseDpkg(f, i > 0)
		if err := errors.Join(err, f.Close()); err != nil {
			return err
		}
		for _, p := range list {
			in := formats.ScanInstall{
				Part:         partDpkg,
				Publisher:    p.maintainer,
				Name:         p.name,
				Version:      p.version,
				Architecture: p.arch,
				PURL:         "pkg:deb/" + distro + "/" + p.name + "@" + purlEscape(p.version) + "?arch=" + p.arch,
			}
			for _, list := range []string{p.name + ".list", p.name + ":" + p.arch + ".list"} {
				if info, err := os.Stat(m.path("/var/lib/dpkg/info/" + list)); err == nil {
					in.InstallDate = info.ModTime().UTC().Format(time.DateOnly)
				}
			}
			s.Installs = append(s.Installs, in)
		}
	}
	return nil
}

// purlEscape writes a version into a package URL.
func purlEscape(v string) string {
	return strings.NewReplacer("%", "%25", ":", "%3A", "+", "%2B", "~", "~", " ", "%20", "?", "%3F", "#", "%23", "@",
		"%40").
		Replace(v)
}

type dpkgEntry struct{ name, version, arch, maintainer string }

// parseDpkg reads the form that deb822(5) describes. all takes packages without a status for installed.
func parseDpkg(in interface{ Read([]byte) (int, error) }, all bool) ([]dpkgEntry, error) {
	var out []dpkgEntry
	e, status := dpkgEntry{}, ""
	end := func() {
		if e.name != "" && (strings.HasSuffix(status, " installed") || all && status == "") {
			out = append(out, e)
		}
		e, status = dpkgEntry{}, ""
	}
	r := bufio.NewScanner(in)
	r.Buffer(make([]byte, 1<<16), 8<<20)
	for r.Scan() {
		line := r.Text()
		if line == "" {
			end()
			continue
		}
		name, value, ok := strings.Cut(line, ":")
		if !ok || line[0] == ' ' || line[0] == '\t' {
			continue
		}
		value = strings.TrimSpace(value)
		switch name {
		case "Package":
			e.name = value
		case "Version":
			e.version = value
		case "Architecture":
			e.arch = value
		case "Status":
			status = value
		case "Maintainer":
			e.maintainer, _, _ = strings.Cut(value, " <")
		}
	}
	end()
	return out, r.Err()
}

// rpmForm asks rpm for one package a line.
const rpmForm = `%{NAME}\t%|EPOCH?{%{EPOCH}:}:{}|%{VERSION}-%{RELEASE}\t%{ARCH}\t%{VENDOR}\t%{INSTALLTIME}\n`

// rpm asks the database of RPM packages, where there is one.
func (m *Machine) rpm(ctx context.Context, s *formats.Scan) error {
	if !m.look("rpm") {
		return nil
	}
	if _, err := os.Stat(m.path("/var/lib/dpkg/status")); err == nil {
		if _, err := os.Stat(m.path("/var/lib/rpm")); err != nil { // the tool alone, on a machine of another family
			return nil
		}
	}
	out, err := m.run(ctx, "rpm", "-qa", "--queryformat", rpmForm)
	if err != nil {
		return fmt.Errorf("rpm did not answer: %w", err)
	}
	distro := strings.ToLower(m.osRelease()["ID"])
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		f := strings.Split(line, "\t")
		if len(f) != 5 || f[0] == "gpg-pubkey" {
			continue
		}
		for i := range f {
			if f[i] == "(none)" {
				f[i] = ""
			}
		}
		in := formats.ScanInstall{
			Part:         partRPM,
			Name:         f[0],
			Version:      f[1],
			Architecture: f[2],
			Publisher:    f[3],
			PURL:         "pkg:rpm/" + distro + "/" + f[0] + "@" + purlEscape(f[1]) + "?arch=" + f[2],
		}
		var unix int64
		if _, err := fmt.Sscan(f[4], &unix); err == nil && unix > 0 {
			in.InstallDate = time.Unix(unix, 0).UTC().Format(time.DateOnly)
		}
		s.Installs = append(s.Installs, in)
	}
	return nil
}
