package formats

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/catalogue"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

// CatalogueFormat is the name by which a catalogue in JSON says what it is.
const CatalogueFormat = "ensomet-catalogue-1"

// Entry is what a file says of a title, or of a publisher where the key has no product.
type Entry struct {
	catalogue.Key
	Says catalogue.Says
}

// Publisher is a line of publishers.csv.
type Publisher struct {
	Name, Successor string
	Aliases         []string
}

// ParsePublisher reads a line of publishers.csv.
func ParsePublisher(row *Row) (Publisher, error) {
	p := &parser{row: row, kind: Publishers}
	out := Publisher{Name: p.need("publisher"), Successor: p.col("successor"), Aliases: parts(p.col("aliases"))}
	if out.Successor == out.Name && out.Name != "" {
		p.fail("successor is the publisher itself")
	}
	return out, p.err()
}

func parts(s string) []string {
	var out []string
	for _, w := range strings.Split(s, "|") {
		if w = strings.TrimSpace(w); w != "" {
			out = append(out, w)
		}
	}
	return out
}

// Entry is what a line of publishers.csv says.
func (p *Publisher) Entry() Entry {
	return Entry{
		catalogue.Key{Publisher: p.Name},
		known(catalogue.Says{catalogue.Aliases: strings.Join(p.Aliases, "|"), catalogue.Successor: p.Successor}),
	}
}

// Entry is what a line of titles.csv says: the columns of the file by name, the price with its currency, and its
// custom fields.
func (t *Title) Entry() Entry {
	says := catalogue.Says{
		"category":             t.Category,
		"licence_model":        string(t.Model),
		"default_metric":       t.DefaultMetric,
		"suite":                t.Suite,
		"released":             t.Released.String(),
		"general_support_end":  t.GeneralEnd.String(),
		"extended_support_end": t.ExtendedEnd.String(),
		"end_of_life":          t.EndOfLife.String(),
		catalogue.Aliases:      strings.Join(t.Aliases, "|"),
	}
	if t.EditionRank > 0 {
		says["edition_rank"] = strconv.Itoa(t.EditionRank)
	}
	if t.ListPrice.Valid {
		says["list_price"] = t.ListPrice.Decimal.String() + " " + t.Currency
	}
	for name, v := range t.Custom {
		says[name] = v
	}
	return Entry{
		catalogue.Key{Publisher: t.Publisher, Product: t.Product, Edition: t.Edition, Version: t.Version},
		known(says),
	}
}

func known(says catalogue.Says) catalogue.Says {
	maps.DeleteFunc(says, func(_, v string) bool { return v == "" })
	return says
}

// TitleOf reads a title out of what is said of it, as a line of titles.csv is read; the error says which value cannot
// be and why.
func TitleOf(e Entry) (Title, error) {
	row := titleRow(e)
	return ParseTitle(row)
}

// titleRow writes what is said of a title as a line of titles.csv.
func titleRow(e Entry) *Row {
	header := slices.Clone(Titles.Columns)
	values := map[string]string{
		"publisher": e.Publisher,
		"product":   e.Product,
		"edition":   e.Edition,
		"version":   e.Version,
	}
	for name, v := range e.Says {
		if name == "list_price" {
			price, currency, _ := strings.Cut(v, " ")
			values["list_price"], values["currency"] = price, currency
			continue
		}
		values[name] = v
		if !slices.Contains(header, name) {
			header = append(header, name)
		}
	}
	slices.Sort(header[len(Titles.Columns):])
	row := &Row{Line: 1, header: header}
	for i, name := range header {
		row.fields = append(row.fields, values[name])
		if i < len(Titles.Columns) {
			row.pos = append(row.pos, i)
		} else {
			row.custom = append(row.custom, i)
		}
	}
	row.Content = csvLine(row.fields)
	return row
}

// catalogueDocument is a catalogue in JSON. Fields of a title have the names of the columns of titles.csv, other
// names besides.
type catalogueDocument struct {
	Format     string              `json:"format"`
	Made       string              `json:"made,omitempty"`
	Publishers []map[string]string `json:"publishers"`
	Titles     []map[string]string `json:"titles"`
}

// WriteCatalogueJSON writes a catalogue in JSON: what is known of publishers and titles by the names of the columns
// of titles.csv and publishers.csv.
func WriteCatalogueJSON(out io.Writer, entries []Entry, made time.Time) error {
	doc := catalogueDocument{
		Format:     CatalogueFormat,
		Made:       made.UTC().Format(time.RFC3339),
		Publishers: []map[string]string{},
		Titles:     []map[string]string{},
	}
	for _, e := range entries {
		one := maps.Clone(map[string]string(e.Says))
		if one == nil {
			one = map[string]string{}
		}
		if price, currency, ok := strings.Cut(one["list_price"], " "); ok {
			one["list_price"], one["currency"] = price, currency
		}
		one["publisher"] = e.Publisher
		if e.Product == "" {
			doc.Publishers = append(doc.Publishers, one)
			continue
		}
		one["product"] = e.Product
		for name, v := range map[string]string{"edition": e.Edition, "version": e.Version} {
			if v != "" {
				one[name] = v
			}
		}
		doc.Titles = append(doc.Titles, one)
	}
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", " ")
	return enc.Encode(doc)
}

// WriteCatalogueCycloneDX writes titles as the components of a CycloneDX 1.6 document in JSON; what it has no place
// for stands in properties.
func WriteCatalogueCycloneDX(out io.Writer, entries []Entry, made time.Time) error {
	bom := cdx.NewBOM()
	bom.Metadata = &cdx.Metadata{
		Timestamp: made.UTC().Format(time.RFC3339),
		Component: &cdx.Component{BOMRef: "catalogue", Type: cdx.ComponentTypeData, Name: "catalogue of titles"},
	}
	list := []cdx.Component{}
	for i, e := range entries {
		if e.Product == "" {
			continue
		}
		c := cdx.Component{
			BOMRef:    "t" + strconv.Itoa(i+1),
			Type:      cdx.ComponentTypeApplication,
			Publisher: e.Publisher,
			Name:      e.Product,
			Version:   e.Version,
		}
		props := []cdx.Property{}
		if e.Edition != "" {
			props = append(props, cdx.Property{Name: ours + "edition", Value: e.Edition})
		}
		var names []string
		for _, a := range parts(e.Says[catalogue.Aliases]) {
			switch {
			case strings.HasPrefix(a, "pkg:") && c.PackageURL == "":
				c.PackageURL = a
			case strings.HasPrefix(a, "cpe:2.3:") && c.CPE == "":
				c.CPE = a
			default:
				names = append(names, a)
			}
		}
		for _, name := range slices.Sorted(maps.Keys(e.Says)) {
			v := e.Says[name]
			if name == catalogue.Aliases {
				v = strings.Join(names, "|")
			}
			if v != "" {
				props = append(props, cdx.Property{Name: ours + name, Value: v})
			}
		}
		c.Properties = &props
		list = append(list, c)
	}
	bom.Components = &list
	return cdx.NewBOMEncoder(out, cdx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(bom, cdx.SpecVersion1_6)
}

// documentTable reads the publishers or the titles of a catalogue in JSON, or the components of a CycloneDX document
// as titles or, by their licensing objects, as entitlements, as a table of their kind.
func documentTable(f File, size int64, form Form, kind *Kind) (Rows, error) {
	if size > maxDocument {
		return nil, &FileError{"the document is larger than 64 MB: part it, or write it as CSV"}
	}
	text, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	var said []map[string]string
	if form == CatalogueJSON {
		var doc catalogueDocument
		if err := json.Unmarshal(text, &doc); err != nil {
			return nil, &FileError{"the catalogue cannot be read: " + err.Error()}
		}
		if said = doc.Titles; kind == Publishers {
			said = doc.Publishers
		}
	} else if kind == Entitlements {
		if said, err = componentLicences(text, form == CycloneDXXML); err != nil {
			return nil, err
		}
	} else if said, err = componentTitles(text, form == CycloneDXXML); err != nil {
		return nil, err
	}
	header := slices.Clone(kind.Columns)
	for _, one := range said {
		for _, name := range slices.Sorted(maps.Keys(one)) {
			if !slices.Contains(header, name) {
				header = append(header, name)
			}
		}
	}
	rows, lines := make([][]string, len(said)), make([]int, len(said))
	for i, one := range said {
		lines[i] = i + 1
		for _, name := range header {
			rows[i] = append(rows[i], one[name])
		}
	}
	return newTable(header, rows, lines, kind, nil)
}

// componentTitles reads the components of a CycloneDX document as titles.
func componentTitles(text []byte, asXML bool) ([]map[string]string, error) {
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
	if bom.Components == nil {
		return nil, nil
	}
	var out []map[string]string
	for _, c := range *bom.Components {
		switch c.Type {
		case cdx.ComponentTypeFile, cdx.ComponentTypeDevice, cdx.ComponentTypeData,
			cdx.ComponentTypeCryptographicAsset:
			continue
		}
		one := map[string]string{"publisher": c.Publisher, "product": c.Name, "version": c.Version}
		if one["publisher"] == "" && c.Supplier != nil {
			one["publisher"] = c.Supplier.Name
		}
		if one["publisher"] == "" && c.Manufacturer != nil {
			one["publisher"] = c.Manufacturer.Name
		}
		if one["publisher"] == "" {
			one["publisher"] = c.Group
		}
		var names []string
		for _, id := range []string{c.PackageURL, c.CPE} {
			if id != "" {
				names = append(names, id)
			}
		}
		if c.SWID != nil && c.SWID.TagID != "" {
			names = append(names, "swid:"+c.SWID.TagID)
		}
		if c.Licenses != nil {
			var all []string
			for _, l := range *c.Licenses {
				if l.License != nil {
					all = append(all, l.License.ID)
				} else {
					all = append(all, "( "+l.Expression+" )")
				}
			}
			one["licence_model"] = string(ModelOfLicence(strings.Join(all, " AND ")))
		}
		for _, p := range properties(c.Properties) {
			name, isOurs := strings.CutPrefix(p.Name, ours)
			switch {
			case !isOurs:
			case name == catalogue.Aliases:
				names = append(parts(p.Value), names...)
			case name == "list_price":
				one["list_price"], one["currency"], _ = strings.Cut(p.Value, " ")
			default:
				one[name] = p.Value
			}
		}
		one[catalogue.Aliases] = strings.Join(names, "|")
		out = append(out, one)
	}
	return out, nil
}

// ReadCatalogue reads a whole catalogue: a catalogue in JSON with its publishers and titles, a CycloneDX document, or
// a table of titles or, if it has no column for products, of publishers. Lines that cannot be read are returned
// apart.
func ReadCatalogue(f File, size int64, form Form) (entries []Entry, bad []*LineError, err error) {
	kinds := []*Kind{Titles}
	switch form {
	case CatalogueJSON:
		kinds = []*Kind{Publishers, Titles}
	case CSV, XLSX:
		header, _, err := Head(f, size, form, 1)
		if err != nil {
			return nil, nil, err
		}
		if Titles.Lacks(header) && !Publishers.Lacks(header) {
			kinds = []*Kind{Publishers}
		}
	case CycloneDXJSON, CycloneDXXML:
	default:
		return nil, nil, &FileError{"this is no catalogue: bring titles as CSV, XLSX, JSON or CycloneDX"}
	}
	for _, kind := range kinds {
		rows, err := OpenTable(f, size, form, kind, nil, time.Time{})
		if err != nil {
			return nil, nil, err
		}
		for {
			row, err := rows.Next()
			if err == io.EOF {
				break
			}
			var e Entry
			if err == nil {
				e, err = entryOf(row, kind)
			}
			var line *LineError
			if errors.As(err, &line) {
				bad = append(bad, line)
				continue
			}
			if err != nil {
				return nil, nil, err
			}
			entries = append(entries, e)
		}
	}
	return entries, bad, nil
}

func entryOf(row *Row, kind *Kind) (Entry, error) {
	if kind == Publishers {
		p, err := ParsePublisher(row)
		return p.Entry(), err
	}
	t, err := ParseTitle(row)
	return t.Entry(), err
}
