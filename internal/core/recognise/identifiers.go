package recognise

import (
	"strings"

	"github.com/knqyf263/go-cpe/common"
	"github.com/knqyf263/go-cpe/matching"
	"github.com/knqyf263/go-cpe/naming"
	"github.com/package-url/packageurl-go"
)

// identifierKey brings an identifier of the catalogue to the form it is looked up by: a SWID tag as it stands, a
// package URL without version and qualifiers. Other text gives "".
func identifierKey(s string) string {
	switch {
	case strings.HasPrefix(s, "swid:"):
		return s
	case strings.HasPrefix(s, "pkg:"):
		return purlKey(s)
	}
	return ""
}

func purlKey(s string) string {
	p, err := packageurl.FromString(s)
	if err != nil {
		return ""
	}
	return "pkg:" + p.Type + "/" + p.Namespace + "/" + p.Name
}

// readCPE reads a CPE name in either binding of NIST IR 7695: the formatted string (cpe:2.3:...) or the URI (cpe:/...).
func readCPE(s string) (common.WellFormedName, bool) {
	unbind := naming.UnbindURI
	if strings.HasPrefix(s, "cpe:2.3:") {
		unbind = naming.UnbindFS
	}
	name, err := unbind(s)
	return name, err == nil
}

func cpeKey(w common.WellFormedName) string {
	return w.GetString(common.AttributePart) + ":" + w.GetString(common.AttributeVendor) + ":" + w.GetString(
		common.AttributeProduct,
	)
}

// cpeAlias is a CPE name of the catalogue with what it stands for.
type cpeAlias struct {
	name common.WellFormedName
	target
}

// cpeCovers says by name matching (NIST IR 7696, section 6) whether a name of the catalogue takes in that of a
// record: in part, vendor and product it must be the same or wider, and in nothing else may the two exclude each
// other. Versions and updates are left to the versions of the title.
func cpeCovers(alias, record common.WellFormedName) bool {
	for attribute, relation := range matching.CompareWFNs(alias, record) {
		switch attribute {
		case common.AttributeVersion, common.AttributeUpdate:
		case common.AttributePart, common.AttributeVendor, common.AttributeProduct:
			if relation != matching.EQUAL && relation != matching.SUPERSET {
				return false
			}
		default:
			if relation == matching.DISJOINT {
				return false
			}
		}
	}
	return true
}

func (c *Catalogue) addCPE(alias string, t target) bool {
	name, ok := readCPE(alias)
	if !ok {
		return false
	}
	key := cpeKey(name)
	if common.ContainsWildcards(name.GetString(common.AttributeVendor)) ||
		common.ContainsWildcards(name.GetString(common.AttributeProduct)) {
		key = "" // found by going through them
	}
	c.byCPE[key] = append(c.byCPE[key], cpeAlias{name, t})
	return true
}

// ofCPE finds what a CPE name of a record stands for: an alias that covers it, else a product whose publisher and
// name are its vendor and product, underscores as spaces.
func (c *Catalogue) ofCPE(text string) (target, bool) {
	name, ok := readCPE(text)
	if !ok {
		return target{}, false
	}
	for _, key := range []string{cpeKey(name), ""} {
		for _, a := range c.byCPE[key] {
			if cpeCovers(a.name, name) {
				return a.target, true
			}
		}
	}
	plain := func(attribute string) string {
		return strings.NewReplacer("_", " ", "\\", "").Replace(name.GetString(attribute))
	}
	for _, t := range c.byName[Clean(plain(common.AttributeProduct))] {
		if t.maker.clean == CleanPublisher(plain(common.AttributeVendor)) {
			return t, true
		}
	}
	return target{}, false
}

// byIdentifiers looks a record up by its identifiers.
func (c *Catalogue) byIdentifiers(r *Record) (target, string, bool) {
	if r.TagID != "" {
		if t, ok := c.byID["swid:"+r.TagID]; ok {
			return t, "tag " + r.TagID, true
		}
	}
	if r.PURL != "" {
		if t, ok := c.byID[purlKey(r.PURL)]; ok {
			return t, r.PURL, true
		}
	}
	if r.CPE != "" {
		if t, ok := c.ofCPE(r.CPE); ok {
			return t, r.CPE, true
		}
	}
	return target{}, "", false
}
