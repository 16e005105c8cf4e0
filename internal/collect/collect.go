// Package collect reads the machine it runs on: installed packages, SWID tags, desktop entries, programs that no
// package owns, hardware, who is logged on and what runs. It works as a plain user with what that user may see, and
// says what it could not.
package collect

import (
	"bufio"
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ensomet/internal/formats"
)

// The parts of the list of software.
const (
	partDpkg    = "dpkg"
	partRPM     = "rpm"
	partSWID    = "swid"
	partDesktop = "desktop"
	partFiles   = "files"
)

// Machine is where to look. The zero value of a field is the real machine.
type Machine struct {
	Root     string // the folder that stands for /
	DeviceID string // empty is made of the machine's own id
	Run      func(ctx context.Context, name string, args ...string) ([]byte, error)
	Look     func(name string) (string, error) // finds a command
	Now      func() time.Time
}

func (m *Machine) path(p string) string { return filepath.Join(m.root(), p) }

func (m *Machine) root() string {
	if m.Root == "" {
		return "/"
	}
	return m.Root
}

func (m *Machine) now() time.Time {
	if m.Now != nil {
		return m.Now().UTC()
	}
	return time.Now().UTC()
}

func (m *Machine) look(name string) bool {
	look := m.Look
	if look == nil {
		look = exec.LookPath
	}
	_, err := look(name)
	return err == nil
}

func (m *Machine) run(ctx context.Context, name string, args ...string) ([]byte, error) {
	if m.Run != nil {
		return m.Run(ctx, name, args...)
	}
	c := exec.CommandContext(ctx, name, args...)
	c.Env = append(os.Environ(), "LC_ALL=C")
	return c.Output()
}

// Scan reads the machine. A part that cannot be read is left out of what the scan covers, so that nothing of it is
// taken for gone.
func (m *Machine) Scan(ctx context.Context) (*formats.Scan, error) {
	at := m.now().Truncate(time.Second)
	s := &formats.Scan{Format: formats.ScanFormat, At: at}
	s.Device = m.device(ctx, s)
	s.ID = s.Device.ID + "@" + at.Format(time.RFC3339)
	parts := []struct {
		name string
		read func(context.Context, *formats.Scan) error
	}{{partDpkg, m.dpkg}, {partRPM, m.rpm}, {partSWID, m.tags}, {partDesktop, m.desktop}, {partFiles, m.programs}}
	whole := true
	var covers []string
	for _, p := range parts {
		before := len(s.Installs)
		if err := p.read(ctx, s); err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			s.Installs = s.Installs[:before]
			s.Missing = append(s.Missing, formats.ScanMissing{Part: p.name, Reason: err.Error()})
			whole = false
			continue
		}
		covers = append(covers, p.name)
	}
	if !whole {
		s.Covers = covers
		s.Files = slices.DeleteFunc(s.Files, func(f formats.ScanFile) bool { return !slices.Contains(covers, f.Part) })
	}
	m.people(ctx, s)
	m.processes(ctx, s)
	return s, s.Check()
}

// idKey keeps the machine's own id to itself: what is sent is made of it and cannot be turned back.
const idKey = "ensomet collector"

// id is what the device is known by: the operating system's machine id, hashed, else its name.
func (m *Machine) id(host string) string {
	if m.DeviceID != "" {
		return m.DeviceID
	}
	for _, p := range []string{"/etc/machine-id", "/var/lib/dbus/machine-id"} {
		if text, err := os.ReadFile(m.path(p)); err == nil && len(bytes.TrimSpace(text)) > 0 {
			h := hmac.New(sha256.New, []byte(idKey))
			h.Write(bytes.TrimSpace(text))
			return hex.EncodeToString(h.Sum(nil))[:24]
		}
	}
	return host
}

// osRelease reads what the operating system calls itself.
func (m *Machine) osRelease() map[string]string {
	out := map[string]string{}
	for _, p := range []string{"/etc/os-release", "/usr/lib/os-release"} {
		text, err := os.ReadFile(m.path(p))
		if err != nil {
			continue
		}
		for _, line := range strings.Split(string(text), "\n") {
			if name, value, ok := strings.Cut(line, "="); ok {
				out[name] = strings.Trim(value, `"'`)
			}
		}
		return out
	}
	return out
}

// swidFolders are where ISO/IEC 19770-2 tags are kept on Linux: the standard's folder under the file system's root of
// each installation, and those that package managers use (common practice).
var swidFolders = []string{
	"/usr/share/swidtag",
	"/usr/lib/swidtag",
	"/usr/local/share/swidtag",
	"/var/lib/swidtag",
	"/opt/*/swidtag",
	"/etc/swid/swidtags.d",
}

const (
	maxTags     = 5_000
	maxTagBytes = 4 << 20
)

// tags reads SWID tags.
func (m *Machine) tags(ctx context.Context, s *formats.Scan) error {
	n := 0
	for _, pattern := range swidFolders {
		folders, err := filepath.Glob(m.path(pattern))
		if err != nil {
			return err
		}
		for _, folder := range folders {
			err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
				if err != nil || d.IsDir() || !strings.HasSuffix(path, ".swidtag") || n >= maxTags {
					return ctx.Err()
				}
				n++
				if err := m.tag(path, s); err != nil {
					s.Missing = append(
						s.Missing,
						formats.ScanMissing{Part: partSWID, Reason: m.shown(path) + ": " + err.Error()},
					)
				}
				return ctx.Err()
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

func (m *Machine) tag(path string, s *formats.Scan) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	if info.Size() > maxTagBytes {
		return fmt.Errorf("the tag is larger than %d MB", maxTagBytes>>20)
	}
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	t, err := formats.ReadSWID(f)
	if err != nil {
		return err
	}
	if t.Corpus == "true" || t.Supplemental == "true" {
		return nil
	}
	in := t.Install(partSWID)
	if in.InstallPath == "" {
		in.InstallPath = m.shown(filepath.Dir(path))
	}
	s.Installs = append(s.Installs, in)
	s.Files = append(s.Files, t.Files(partSWID)...)
	return nil
}

// shown is a path as the machine knows it.
func (m *Machine) shown(path string) string {
	if rest, ok := strings.CutPrefix(path, strings.TrimSuffix(m.root(), "/")); ok && m.Root != "" {
		return rest
	}
	return path
}

// desktop reads the desktop entries of programs that people start, by the freedesktop.org Desktop Entry Specification.
func (m *Machine) desktop(_ context.Context, s *formats.Scan) error {
	folders := []string{
		"/usr/share/applications",
		"/usr/local/share/applications",
		"/var/lib/flatpak/exports/share/applications",
		"/var/lib/snapd/desktop/applications",
		"/opt/*/share/applications",
		"/home/*/.local/share/applications",
		"/root/.local/share/applications",
	}
	for _, pattern := range folders {
		files, err := filepath.Glob(m.path(pattern) + "/*.desktop")
		if err != nil {
			return err
		}
		for _, path := range files {
			f, err := os.Open(path)
			if err != nil {
				s.Missing = append(s.Missing, formats.ScanMissing{Part: partDesktop, Reason: err.Error()})
				continue
			}
			in, ok := parseDesktop(f)
			if err := f.Close(); err != nil {
				return err
			}
			if ok {
				in.Part = partDesktop
				s.Installs = append(s.Installs, in)
			}
		}
	}
	if homes, err := os.ReadDir(m.path("/home")); err == nil && m.Root == "" {
		for _, h := range homes {
			if _, err := os.ReadDir(m.path("/home/" + h.Name())); errors.Is(err, fs.ErrPermission) {
				s.Missing = append(
					s.Missing,
					formats.ScanMissing{
						Part:   partDesktop,
						Reason: "programs that " + h.Name() + " installed in the own folder: it may not be read",
					},
				)
			}
		}
	}
	return nil
}

// parseDesktop reads the group [Desktop Entry]; ok is false for what is no program, or hidden.
func parseDesktop(in interface{ Read([]byte) (int, error) }) (out formats.ScanInstall, ok bool) {
	r := bufio.NewScanner(in)
	inside, values := false, map[string]string{}
	for r.Scan() {
		line := strings.TrimSpace(r.Text())
		if strings.HasPrefix(line, "[") {
			inside = line == "[Desktop Entry]"
			continue
		}
		if name, value, found := strings.Cut(line, "="); inside && found && !strings.HasPrefix(line, "#") {
			values[strings.TrimSpace(name)] = strings.TrimSpace(value)
		}
	}
	if values["Type"] != "Application" || values["Name"] == "" || values["NoDisplay"] == "true" ||
		values["Hidden"] == "true" {
		return out, false
	}
	out.Name, out.Version = values["Name"], values["X-AppVersion"]
	command := values["TryExec"]
	if command == "" {
		command, _, _ = strings.Cut(strings.TrimPrefix(values["Exec"], "env "), " ")
	}
	command = strings.Trim(command, `"`)
	out.FileName = filepath.Base(command)
	if out.FileName == "." || out.FileName == "/" {
		out.FileName = ""
	}
	if filepath.IsAbs(command) {
		out.InstallPath = filepath.Dir(command)
	}
	return out, true
}

const maxPrograms = 4_000

// programs lists the executables in folders that no package manager fills: what was put there by hand.
func (m *Machine) programs(ctx context.Context, s *formats.Scan) error {
	n := 0
	for _, folder := range []string{"/usr/local/bin", "/usr/local/sbin", "/opt"} {
		err := filepath.WalkDir(m.path(folder), func(path string, d fs.DirEntry, err error) error {
			switch {
			case ctx.Err() != nil:
				return ctx.Err()
			case err != nil:
				if errors.Is(err, fs.ErrPermission) {
					s.Missing = append(
						s.Missing,
						formats.ScanMissing{Part: partFiles, Reason: m.shown(path) + " may not be read"},
					)
				}
				return nil
			case !d.Type().IsRegular() || n >= maxPrograms:
				return nil
			}
			info, err := d.Info()
			if err != nil || info.Mode()&0o111 == 0 || strings.Contains(filepath.Base(path), ".so") {
				return nil // it went while we looked
			}
			n++
			s.Files = append(
				s.Files,
				formats.ScanFile{
					Part:   partFiles,
					Folder: m.shown(filepath.Dir(path)),
					Name:   filepath.Base(path),
					Size:   info.Size(),
				},
			)
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}
