package formats

import (
	"bytes"
	"encoding/xml"
	"io"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/recognise"
)

// swidSpace is the name space of ISO/IEC 19770-2:2015.
const swidSpace = "http://standards.iso.org/iso/19770/-2/2015/schema.xsd"

// SWIDTag is a software identification tag by ISO/IEC 19770-2:2015. What the schema leaves to others (further
// attributes and elements) is kept as it is.
type SWIDTag struct {
	XMLName       xml.Name     `xml:"http://standards.iso.org/iso/19770/-2/2015/schema.xsd SoftwareIdentity"`
	Name          string       `xml:"name,attr"`
	TagID         string       `xml:"tagId,attr"`
	TagVersion    string       `xml:"tagVersion,attr,omitempty"`
	Version       string       `xml:"version,attr,omitempty"`
	VersionScheme string       `xml:"versionScheme,attr,omitempty"`
	Corpus        string       `xml:"corpus,attr,omitempty"`
	Patch         string       `xml:"patch,attr,omitempty"`
	Supplemental  string       `xml:"supplemental,attr,omitempty"`
	Media         string       `xml:"media,attr,omitempty"`
	Attrs         []xml.Attr   `xml:",any,attr"`
	Entities      []SWIDEntity `xml:"Entity"`
	Links         []SWIDLink   `xml:"Link"`
	Meta          []SWIDMeta   `xml:"Meta"`
	Payload       *SWIDFound   `xml:"Payload"`
	Evidence      *SWIDFound   `xml:"Evidence"`
	Other         []SWIDAny    `xml:",any"`
}

// SWIDEntity is an organisation in its roles: softwareCreator, tagCreator, licensor, aggregator, distributor,
// maintainer.
type SWIDEntity struct {
	Name       string     `xml:"name,attr"`
	RegID      string     `xml:"regid,attr,omitempty"`
	Role       string     `xml:"role,attr"`
	Thumbprint string     `xml:"thumbprint,attr,omitempty"`
	Attrs      []xml.Attr `xml:",any,attr"`
	Meta       []SWIDMeta `xml:"Meta"`
	Other      []SWIDAny  `xml:",any"`
}

// HasRole reports whether the entity has a role.
func (e SWIDEntity) HasRole(role string) bool { return slices.Contains(strings.Fields(e.Role), role) }

// SWIDLink points to something else: a parent, a patch, a requirement.
type SWIDLink struct {
	Artifact  string     `xml:"artifact,attr,omitempty"`
	Href      string     `xml:"href,attr"`
	Media     string     `xml:"media,attr,omitempty"`
	Ownership string     `xml:"ownership,attr,omitempty"`
	Rel       string     `xml:"rel,attr"`
	Type      string     `xml:"type,attr,omitempty"`
	Use       string     `xml:"use,attr,omitempty"`
	Attrs     []xml.Attr `xml:",any,attr"`
}

// SWIDMeta holds free attributes; the standard names product, edition, colloquialVersion, revision and others.
type SWIDMeta struct {
	Attrs []xml.Attr `xml:",any,attr"`
}

// Get returns an attribute's value.
func (m SWIDMeta) Get(name string) string {
	for _, a := range m.Attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// SWIDFound is a Payload (what was to be installed) or an Evidence (what was found, when and where).
type SWIDFound struct {
	Date        string          `xml:"date,attr,omitempty"`
	DeviceID    string          `xml:"deviceId,attr,omitempty"`
	Attrs       []xml.Attr      `xml:",any,attr"`
	Directories []SWIDDirectory `xml:"Directory"`
	Files       []SWIDFile      `xml:"File"`
	Processes   []SWIDAny       `xml:"Process"`
	Resources   []SWIDAny       `xml:"Resource"`
	Other       []SWIDAny       `xml:",any"`
}

// SWIDDirectory is a folder with what is in it.
type SWIDDirectory struct {
	Name        string          `xml:"name,attr"`
	Root        string          `xml:"root,attr,omitempty"`
	Location    string          `xml:"location,attr,omitempty"`
	Key         string          `xml:"key,attr,omitempty"`
	Attrs       []xml.Attr      `xml:",any,attr"`
	Directories []SWIDDirectory `xml:"Directory"`
	Files       []SWIDFile      `xml:"File"`
}

// SWIDFile is a file.
type SWIDFile struct {
	Name     string     `xml:"name,attr"`
	Size     int64      `xml:"size,attr,omitempty"`
	Version  string     `xml:"version,attr,omitempty"`
	Root     string     `xml:"root,attr,omitempty"`
	Location string     `xml:"location,attr,omitempty"`
	Key      string     `xml:"key,attr,omitempty"`
	Attrs    []xml.Attr `xml:",any,attr"`
	Meta     []SWIDMeta `xml:"Meta"`
}

// SWIDAny is an element of another name space or of a kind that is only kept.
type SWIDAny struct {
	XMLName  xml.Name
	Attrs    []xml.Attr `xml:",any,attr"`
	Text     string     `xml:",chardata"`
	Children []SWIDAny  `xml:",any"`
}

// ReadSWID reads one tag. Anything wrong is a *FileError.
func ReadSWID(in io.Reader) (*SWIDTag, error) {
	var t SWIDTag
	if err := safeXML(io.LimitReader(in, maxExpanded)).Decode(&t); err != nil {
		return nil, xmlError(err)
	}
	t.tidy()
	switch {
	case t.Name == "":
		return nil, &FileError{"the tag has no name"}
	case t.TagID == "":
		return nil, &FileError{"the tag has no tagId"}
	case len(t.Entities) == 0:
		return nil, &FileError{"the tag names no Entity: the standard wants one with the role tagCreator"}
	}
	return &t, nil
}

// WriteSWID writes a tag.
func WriteSWID(out io.Writer, t *SWIDTag) error {
	if _, err := io.WriteString(out, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(out)
	e.Indent("", "  ")
	return e.Encode(t)
}

// tidy takes away the declarations of name spaces, which writing makes anew.
func (t *SWIDTag) tidy() {
	clean := func(list *[]xml.Attr) {
		*list = slices.DeleteFunc(
			*list,
			func(a xml.Attr) bool { return a.Name.Space == "xmlns" || a.Name.Local == "xmlns" },
		)
		if len(*list) == 0 {
			*list = nil
		}
	}
	var other func(list []SWIDAny)
	other = func(list []SWIDAny) {
		for i := range list {
			clean(&list[i].Attrs)
			list[i].Text = strings.TrimSpace(list[i].Text)
			other(list[i].Children)
		}
	}
	meta := func(list []SWIDMeta) {
		for i := range list {
			clean(&list[i].Attrs)
		}
	}
	files := func(list []SWIDFile) {
		for i := range list {
			clean(&list[i].Attrs)
			meta(list[i].Meta)
		}
	}
	var dirs func(list []SWIDDirectory)
	dirs = func(list []SWIDDirectory) {
		for i := range list {
			clean(&list[i].Attrs)
			files(list[i].Files)
			dirs(list[i].Directories)
		}
	}
	clean(&t.Attrs)
	for i := range t.Entities {
		clean(&t.Entities[i].Attrs)
		meta(t.Entities[i].Meta)
		other(t.Entities[i].Other)
	}
	for i := range t.Links {
		clean(&t.Links[i].Attrs)
	}
	meta(t.Meta)
	other(t.Other)
	for _, f := range []*SWIDFound{t.Payload, t.Evidence} {
		if f != nil {
			clean(&f.Attrs)
			dirs(f.Directories)
			files(f.Files)
			other(f.Processes)
			other(f.Resources)
			other(f.Other)
		}
	}
}

// Publisher is the entity that made the software; where the tag does not say, who licenses it, else who made the tag.
func (t *SWIDTag) Publisher() string {
	for _, role := range []string{"softwareCreator", "licensor", "aggregator", "distributor", "tagCreator"} {
		for _, e := range t.Entities {
			if e.HasRole(role) {
				return e.Name
			}
		}
	}
	return t.Entities[0].Name
}

// Corpus tags describe media from which something can be installed, not an install.
func (t *SWIDTag) isCorpus() bool { return t.Corpus == "true" || t.Corpus == "1" }

// Install is the raw record that a tag stands for, at its part of the list. A patch says so in its name, since it is
// a piece of another product.
func (t *SWIDTag) Install(part string) ScanInstall {
	in := ScanInstall{Part: part, Publisher: t.Publisher(), Name: t.Name, Version: t.Version, TagID: t.TagID}
	if (t.Patch == "true" || t.Patch == "1") && !strings.Contains(strings.ToLower(t.Name), "patch") &&
		!strings.Contains(strings.ToLower(t.Name), "update") {
		in.Name += " patch"
	}
	for _, m := range t.Meta {
		if in.Edition == "" {
			in.Edition = m.Get("edition")
		}
	}
	files := t.Files(part)
	for _, f := range files {
		if f.runs() || len(files) == 1 {
			in.FileName, in.InstallPath = f.Name, f.Folder
			break
		}
	}
	return in
}

// runs reports whether a file looks like a program: by its ending, or by a folder for programs (common practice).
func (f ScanFile) runs() bool {
	return strings.HasSuffix(strings.ToLower(f.Name), ".exe") ||
		!strings.Contains(f.Name, ".") && (strings.HasSuffix(f.Folder, "/bin") || strings.HasSuffix(f.Folder, "/sbin"))
}

// Files lists the files of the payload or of the evidence, with their folders.
func (t *SWIDTag) Files(part string) []ScanFile {
	var out []ScanFile
	add := func(folder string, files []SWIDFile) {
		for _, f := range files {
			out = append(
				out,
				ScanFile{
					Part:    part,
					Folder:  joinPath(folder, f.Root, f.Location),
					Name:    f.Name,
					Size:    f.Size,
					Version: f.Version,
				},
			)
		}
	}
	var walk func(folder string, list []SWIDDirectory)
	walk = func(folder string, list []SWIDDirectory) {
		for _, d := range list {
			here := joinPath(folder, d.Root, d.Location, d.Name)
			add(here, d.Files)
			walk(here, d.Directories)
		}
	}
	for _, f := range []*SWIDFound{t.Evidence, t.Payload} {
		if f != nil {
			add("", f.Files)
			walk("", f.Directories)
		}
		if len(out) > 0 {
			return out
		}
	}
	return out
}

func joinPath(parts ...string) string {
	var out []string
	for i, p := range parts {
		if p = strings.TrimRight(p, "/\\"); p != "" || i == 0 && len(parts) > 0 && strings.HasPrefix(parts[i], "/") {
			out = append(out, p)
		}
	}
	return strings.Join(out, "/")
}

// TagOf makes a tag of a raw record. Without a tagId of its own it has one made of publisher, name and version, and
// Ensomet's user stands as nobody: the tag's creator is the publisher as far as is known.
func TagOf(r recognise.Record, seenAt time.Time, device string) *SWIDTag {
	publisher := r.Publisher
	if publisher == "" {
		publisher = "unknown"
	}
	t := &SWIDTag{
		Name:     r.Name,
		TagID:    r.TagID,
		Version:  r.Version,
		Entities: []SWIDEntity{{Name: publisher, Role: "softwareCreator tagCreator"}},
	}
	t.XMLName = xml.Name{Space: swidSpace, Local: "SoftwareIdentity"}
	if t.TagID == "" {
		t.TagID = strings.ToLower(
			strings.Join(
				strings.Fields(publisher+" "+r.Name+" "+r.Version+" "+r.Edition+" "+r.Architecture+" "+r.Language),
				"-",
			),
		)
	}
	if r.Edition != "" {
		t.Meta = []SWIDMeta{{Attrs: []xml.Attr{{Name: xml.Name{Local: "edition"}, Value: r.Edition}}}}
	}
	t.Evidence = &SWIDFound{Date: seenAt.UTC().Format(time.RFC3339), DeviceID: device}
	if r.FileName != "" {
		t.Evidence.Files = []SWIDFile{{Name: r.FileName}}
	}
	return t
}

// swidScans makes scans of tags. One tag alone speaks for itself; many in an archive are the complete list of each
// device in it. device serves tags whose evidence names none, and members of an archive that lie in no folder; a
// folder's name is a device otherwise.
func swidScans(tags []namedTag, alone bool, device string, at time.Time) ([]*Scan, []*LineError, error) {
	by := map[string]*Scan{}
	var order []*Scan
	var bad []*LineError
	for i, n := range tags {
		if n.err != nil {
			bad = append(
				bad,
				&LineError{
					Line:    i + 1,
					Content: unreadTag(n, device, at),
					Reason:  clip(n.file, 200) + ": " + n.err.Error(),
				},
			)
			continue
		}
		if n.tag.isCorpus() {
			continue
		}
		d, when := device, at
		if n.folder != "" && device == "" {
			d = n.folder
		}
		if e := n.tag.Evidence; e != nil {
			if device == "" && e.DeviceID != "" {
				d = e.DeviceID
			}
			if t, err := time.Parse(time.RFC3339, e.Date); err == nil {
				when = t
			}
		}
		if d == "" {
			return nil, nil, &FileError{
				"the tag does not say on which device it was found: choose the device, or put the tags of each " +
					"device in a folder named after it",
			}
		}
		part := ""
		if alone {
			part = "tag " + n.tag.TagID
		}
		s := by[d]
		if s == nil {
			s = &Scan{Format: ScanFormat, At: when, Source: "SWID tags", Device: ScanDevice{ID: d}}
			by[d] = s
			order = append(order, s)
			if alone {
				s.Covers = []string{part}
			}
		}
		if when.After(s.At) {
			s.At = when
		}
		s.Installs = append(s.Installs, n.tag.Install(part))
		s.Files = append(s.Files, n.tag.Files(part)...)
	}
	return order, bad, nil
}

// unreadTag is what is known of a tag that cannot be read, as a line of installs.csv: somebody who can read it writes
// the name in, and the line joins the scan.
func unreadTag(n namedTag, device string, at time.Time) string {
	if device == "" {
		device = n.folder
	}
	fields := make([]string, len(Installs.Columns))
	fields[inDevice], fields[inSource], fields[inSeenAt] = device, "SWID tags", at.UTC().Format(time.RFC3339)
	return csvLine(fields)
}

type namedTag struct {
	file, folder string
	tag          *SWIDTag
	err          error
}

func readTag(file, folder string, text []byte) namedTag {
	t, err := ReadSWID(bytes.NewReader(text))
	return namedTag{file, folder, t, err}
}
