package formats

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	cdx "github.com/CycloneDX/cyclonedx-go"
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

// ReadCycloneDX reads a CycloneDX bill of materials as the complete software of a device. device names it where the
// document does not; at is the time where the document has none.
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
	var walk func(list *[]cdx.Component, depth int)
	walk = func(list *[]cdx.Component, depth int) {
		if list == nil || depth > 20 {
			return
		}
		for _, c := range *list {
			walk(c.Components, depth+1)
			switch c.Type {
			case cdx.ComponentTypeFile:
				folder, name := splitPath(c.Name)
				s.Files = append(s.Files, ScanFile{Folder: folder, Name: name, Version: c.Version})
				continue
			case cdx.ComponentTypeDevice, cdx.ComponentTypeData, cdx.ComponentTypeCryptographicAsset:
				continue
			}
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
			s.Installs = append(s.Installs, in)
		}
	}
	walk(bom.Components, 0)
	return s, s.Check()
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

// ReadSPDX reads an SPDX 2.3 document as the complete software of a device. device names it where the document does
// not.
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
	for _, p := range doc.Packages {
		if p == nil {
			continue
		}
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
			continue
		}
		if slices.Contains([]string{"FILE", "SOURCE", "ARCHIVE"}, p.PrimaryPackagePurpose) {
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
	return s, s.Check()
}

// unescaped undoes JSON's escapes, which the library leaves in the names of suppliers and originators.
func unescaped(s string) string {
	var out string
	if strings.Contains(s, "\\") && json.Unmarshal([]byte(`"`+s+`"`), &out) == nil {
		return out
	}
	return s
}
