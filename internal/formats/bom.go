package formats

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/package-url/packageurl-go"
	spdxjson "github.com/spdx/tools-golang/json"
	"github.com/spdx/tools-golang/spdx/v2/common"
	spdx "github.com/spdx/tools-golang/spdx/v2/v2_3"
)

// The names under which values that CycloneDX and SPDX have no place for are written and found again.
const ours = "ensomet:"

// extras are such values of an install.
func extras(in *ScanInstall) [][2]string {
	var out [][2]string
	for _, x := range [][2]string{{"edition", in.Edition}, {"architecture", in.Architecture},
		{"language", in.Language}, {"install_date", in.InstallDate}, {"install_path", in.InstallPath},
		{"file_name", in.FileName}, {"last_used", in.LastUsed}, {"part", in.Part}} {
		if x[1] != "" {
			out = append(out, x)
		}
	}
	return out
}

func setExtra(in *ScanInstall, name, value string) {
	for n, into := range map[string]*string{"edition": &in.Edition, "architecture": &in.Architecture,
		"language": &in.Language, "install_date": &in.InstallDate, "install_path": &in.InstallPath,
		"file_name": &in.FileName, "last_used": &in.LastUsed, "part": &in.Part} {
		if n == name {
			*into = value
		}
	}
}

// WriteCycloneDX writes a device's software as a CycloneDX 1.6 bill of materials in JSON, or in XML.
func WriteCycloneDX(out io.Writer, s *Scan, asXML bool) error {
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{
		Timestamp: s.At.UTC().Format(time.RFC3339),
		Component: &cdx.Component{
			BOMRef: "device",
			Type:   cdx.ComponentTypeDevice,
			Name:   s.Device.Name,
			Properties: &[]cdx.Property{{Name: ours + "device_id", Value: s.Device.ID},
				{Name: ours + "source", Value: s.Source}},
		},
	}
	list := []cdx.Component{}
	for i := range s.Installs {
		in := &s.Installs[i]
		c := cdx.Component{
			BOMRef:     fmt.Sprintf("c%d", i+1),
			Type:       cdx.ComponentTypeApplication,
			Name:       in.Name,
			Version:    in.Version,
			Publisher:  in.Publisher,
			CPE:        in.CPE,
			PackageURL: in.PURL,
		}
		if in.TagID != "" {
			c.SWID = &cdx.SWID{TagID: in.TagID, Name: in.Name, Version: in.Version}
		}
		var props []cdx.Property
		for _, x := range extras(in) {
			props = append(props, cdx.Property{Name: ours + x[0], Value: x[1]})
		}
		if props != nil {
			c.Properties = &props
		}
		list = append(list, c)
	}
	bom.Components = &list
	format := cdx.BOMFileFormatJSON
	if asXML {
		format = cdx.BOMFileFormatXML
	}
	return cdx.NewBOMEncoder(out, format).SetPretty(true).EncodeVersion(bom, cdx.SpecVersion1_6)
}

// billSource is the source of bills of materials of applications, in whatever form they are written.
const billSource = "bill of materials"

// application makes of a scan what the bill of materials of one application says: it speaks for that application alone,
// by its package URL without version, else its name, and the application is an install itself. A root without a name
// leaves the bill to stand by its number.
func (s *Scan) application(root ScanInstall, number string) {
	part := strings.TrimLeft(strings.TrimSpace(root.Name), "# ")
	if p, err := packageurl.FromString(root.PURL); err == nil && p.Name != "" {
		part = strings.TrimPrefix(path.Join(p.Type, p.Namespace, p.Name), "/")
	}
	if root.Name == "" {
		part = ""
	}
	if part == "" {
		part = strings.TrimLeft(strings.TrimSpace(number), "# ")
	} else {
		s.Installs = append([]ScanInstall{root}, s.Installs...)
	}
	if r := []rune(part); len(r) > 200 {
		part = string(r[:200])
	}
	if part == "" {
		part = "without a name"
	}
	s.Source, s.Covers = billSource, []string{part}
	for i := range s.Installs {
		s.Installs[i].Part = part
	}
	for i := range s.Files {
		s.Files[i].Part = part
	}
}

// ReadCycloneDX reads a CycloneDX bill of materials: of a device or an operating system as all software of a device, of
// anything else as what that application brings. device names the device where the document does not; at is the time
// where the document has none.
func ReadCycloneDX(text []byte, asXML bool, device string, at time.Time) (*Scan, error) {
	var bom cdx.BOM
	format := cdx.BOMFileFormatJSON
	if asXML {
		format = cdx.BOMFileFormatXML
		if err := checkXML(text); err != nil {
			return nil, err
		}
	}
	if err := cdx.NewBOMDecoder(bytes.NewReader(text), format).Decode(&bom); err != nil {
		return nil, &FileError{"the CycloneDX document cannot be read: " + err.Error()}
	}
	s := &Scan{Format: ScanFormat, At: at, Source: "CycloneDX", Device: ScanDevice{ID: device}}
	if m := bom.Metadata; m != nil {
		if t, err := time.Parse(time.RFC3339, m.Timestamp); err == nil {
			s.At = t
		}
		if c := m.Component; c != nil {
			if c.Type == cdx.ComponentTypeDevice && device == "" {
				s.Device.Name = c.Name
			}
			for _, p := range properties(c.Properties) {
				switch p.Name {
				case ours + "device_id":
					if device == "" {
						s.Device.ID = p.Value
					}
				case ours + "source":
					s.Source = p.Value
				}
			}
		}
	}
	if s.Device.ID == "" && s.Device.Name == "" {
		return nil, &FileError{"the document does not say of which device it is the software: choose the device"}
	}
	s.addComponents(bom.Components, 0)
	root := componentOf(&bom)
	if root == nil || root.Type != cdx.ComponentTypeDevice && root.Type != cdx.ComponentTypeOS {
		var in ScanInstall
		if root != nil {
			in = ofComponent(root)
			s.addComponents(root.Components, 1)
		}
		s.application(in, bom.SerialNumber)
	}
	return s, s.Check()
}

// componentOf is what a bill of materials is about; nil where it does not say.
func componentOf(bom *cdx.BOM) *cdx.Component {
	if bom.Metadata == nil {
		return nil
	}
	return bom.Metadata.Component
}

// addComponents adds components, and those inside them, to a scan.
func (s *Scan) addComponents(list *[]cdx.Component, depth int) {
	if list == nil || depth > 20 {
		return
	}
	for i := range *list {
		c := &(*list)[i]
		s.addComponents(c.Components, depth+1)
		switch c.Type {
		case cdx.ComponentTypeFile:
			folder, name := splitPath(c.Name)
			s.Files = append(s.Files, ScanFile{Folder: folder, Name: name, Version: c.Version})
		case cdx.ComponentTypeDevice, cdx.ComponentTypeData, cdx.ComponentTypeCryptographicAsset:
		default:
			s.Installs = append(s.Installs, ofComponent(c))
		}
	}
}

func ofComponent(c *cdx.Component) ScanInstall {
	in := ScanInstall{Publisher: c.Publisher, Name: c.Name, Version: c.Version, PURL: c.PackageURL, CPE: c.CPE}
	if in.Publisher == "" && c.Supplier != nil {
		in.Publisher = c.Supplier.Name
	}
	if in.Publisher == "" && c.Manufacturer != nil {
		in.Publisher = c.Manufacturer.Name
	}
	if in.Publisher == "" && c.Group != "" {
		in.Publisher = c.Group
	}
	if c.SWID != nil {
		in.TagID = c.SWID.TagID
	}
	for _, p := range properties(c.Properties) {
		if name, ok := strings.CutPrefix(p.Name, ours); ok {
			setExtra(&in, name, p.Value)
		}
	}
	return in
}

func properties(list *[]cdx.Property) []cdx.Property {
	if list == nil {
		return nil
	}
	return *list
}

func splitPath(p string) (folder, name string) {
	if i := strings.LastIndexAny(p, "/\\"); i >= 0 && i < len(p)-1 {
		return p[:i], p[i+1:]
	}
	return "", p
}

// WriteSPDX writes a device's software as an SPDX 2.3 document in JSON: the device is a package that contains the
// others.
func WriteSPDX(out io.Writer, s *Scan) error {
	doc := &spdx.Document{
		SPDXVersion:       spdx.Version,
		DataLicense:       spdx.DataLicense,
		SPDXIdentifier:    "DOCUMENT",
		DocumentName:      "software of " + s.Device.Name,
		DocumentNamespace: "urn:ensomet:device:" + s.Device.ID + ":" + s.At.UTC().Format(time.RFC3339),
		CreationInfo: &spdx.CreationInfo{
			Created:  s.At.UTC().Format(time.RFC3339),
			Creators: []common.Creator{{CreatorType: "Tool", Creator: "Ensomet"}},
		},
	}
	device := common.ElementID("Device")
	comment, err := json.Marshal(map[string]string{ours + "device_id": s.Device.ID, ours + "source": s.Source})
	if err != nil {
		return err
	}
	doc.Packages = append(
		doc.Packages,
		&spdx.Package{
			PackageName:               s.Device.Name,
			PackageSPDXIdentifier:     device,
			PackageDownloadLocation:   "NOASSERTION",
			PrimaryPackagePurpose:     "DEVICE",
			PackageComment:            string(comment),
			IsFilesAnalyzedTagPresent: true,
		},
	)
	doc.Relationships = append(
		doc.Relationships,
		&spdx.Relationship{
			RefA:         common.MakeDocElementID("", "DOCUMENT"),
			RefB:         common.MakeDocElementID("", string(device)),
			Relationship: "DESCRIBES",
		},
	)
	for i := range s.Installs {
		in := &s.Installs[i]
		id := fmt.Sprintf("Package-%d", i+1)
		p := &spdx.Package{
			PackageName:               in.Name,
			PackageSPDXIdentifier:     common.ElementID(id),
			PackageVersion:            in.Version,
			PackageDownloadLocation:   "NOASSERTION",
			PrimaryPackagePurpose:     "APPLICATION",
			IsFilesAnalyzedTagPresent: true,
		}
		if in.Publisher != "" {
			p.PackageSupplier = &common.Supplier{SupplierType: "Organization", Supplier: in.Publisher}
		}
		for _, ref := range []spdx.PackageExternalReference{{
			Category: "PACKAGE-MANAGER",
			RefType:  "purl",
			Locator:  in.PURL,
		}, {Category: "SECURITY", RefType: "cpe23Type", Locator: in.CPE},
			{Category: "SECURITY", RefType: "swid", Locator: in.TagID}} {
			if ref.Locator != "" {
				p.PackageExternalReferences = append(p.PackageExternalReferences, &ref)
			}
		}
		if x := extras(in); x != nil {
			more := map[string]string{}
			for _, e := range x {
				more[ours+e[0]] = e[1]
			}
			text, err := json.Marshal(more)
			if err != nil {
				return err
			}
			p.PackageComment = string(text)
		}
		doc.Packages = append(doc.Packages, p)
		doc.Relationships = append(
			doc.Relationships,
			&spdx.Relationship{
				RefA:         common.MakeDocElementID("", string(device)),
				RefB:         common.MakeDocElementID("", id),
				Relationship: "CONTAINS",
			},
		)
	}
	return spdxjson.Write(doc, out, spdxjson.Indent(" "))
}

// ReadSPDX reads an SPDX 2.3 document: one that describes a device or an operating system as all software of a device,
// any other as what the application that it describes brings. device names the device where the document does not.
func ReadSPDX(text []byte, device string, at time.Time) (s *Scan, err error) {
	var doc spdx.Document
	if err := spdxjson.ReadInto(bytes.NewReader(text), &doc); err != nil {
		return nil, &FileError{"the SPDX document cannot be read: " + err.Error()}
	}
	s = &Scan{Format: ScanFormat, At: at, Source: "SPDX", Device: ScanDevice{ID: device}}
	if doc.CreationInfo != nil {
		if t, err := time.Parse(time.RFC3339, doc.CreationInfo.Created); err == nil {
			s.At = t
		}
	}
	about := described(&doc)
	var root ScanInstall
	whole := false
	for _, p := range doc.Packages {
		if p == nil {
			continue
		}
		whole = whole || about[p.PackageSPDXIdentifier] && p.PrimaryPackagePurpose == "OPERATING-SYSTEM"
		more := map[string]string{}
		if strings.HasPrefix(p.PackageComment, "{") {
			_ = json.Unmarshal([]byte(p.PackageComment), &more) // a comment that is no list of ours is a comment
		}
		if p.PrimaryPackagePurpose == "DEVICE" {
			if device == "" {
				s.Device.Name, s.Device.ID = p.PackageName, more[ours+"device_id"]
			}
			if more[ours+"source"] != "" {
				s.Source = more[ours+"source"]
			}
			whole = true
			continue
		}
		if slices.Contains([]string{"FILE", "SOURCE", "ARCHIVE"}, p.PrimaryPackagePurpose) &&
			!about[p.PackageSPDXIdentifier] {
			continue
		}
		in := ScanInstall{Name: p.PackageName, Version: p.PackageVersion, FileName: p.PackageFileName}
		if p.PackageSupplier != nil && p.PackageSupplier.Supplier != "NOASSERTION" {
			in.Publisher = unescaped(p.PackageSupplier.Supplier)
		}
		if in.Publisher == "" && p.PackageOriginator != nil && p.PackageOriginator.Originator != "NOASSERTION" {
			in.Publisher = unescaped(p.PackageOriginator.Originator)
		}
		for _, ref := range p.PackageExternalReferences {
			switch {
			case ref == nil:
			case ref.RefType == "purl":
				in.PURL = ref.Locator
			case ref.RefType == "cpe23Type":
				in.CPE = ref.Locator
			case ref.RefType == "swid":
				in.TagID = ref.Locator
			}
		}
		for name, value := range more {
			if n, ok := strings.CutPrefix(name, ours); ok {
				setExtra(&in, n, value)
			}
		}
		if about[p.PackageSPDXIdentifier] && root.Name == "" {
			root = in
			continue
		}
		s.Installs = append(s.Installs, in)
	}
	for _, f := range doc.Files {
		if f != nil && f.FileName != "" {
			folder, name := splitPath(f.FileName)
			s.Files = append(s.Files, ScanFile{Folder: folder, Name: name})
		}
	}
	if s.Device.ID == "" && s.Device.Name == "" {
		return nil, &FileError{"the document does not say of which device it is the software: choose the device"}
	}
	switch {
	case !whole:
		s.application(root, doc.DocumentName)
	case root.Name != "":
		s.Installs = append(s.Installs, root)
	}
	return s, s.Check()
}

// described says which package a document is about; several are none.
func described(doc *spdx.Document) map[common.ElementID]bool {
	out := map[common.ElementID]bool{}
	for _, r := range doc.Relationships {
		switch {
		case r == nil:
		case r.Relationship == "DESCRIBES" && r.RefA.ElementRefID == doc.SPDXIdentifier:
			out[r.RefB.ElementRefID] = true
		case r.Relationship == "DESCRIBED_BY" && r.RefB.ElementRefID == doc.SPDXIdentifier:
			out[r.RefA.ElementRefID] = true
		}
	}
	if len(out) > 1 {
		return nil
	}
	return out
}

// unescaped undoes JSON's escapes, which the library leaves in the names of suppliers and originators.
func unescaped(s string) string {
	var out string
	if strings.Contains(s, "\\") && json.Unmarshal([]byte(`"`+s+`"`), &out) == nil {
		return out
	}
	return s
}
