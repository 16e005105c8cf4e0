package snapshot

import (
	"fmt"
	"strings"
)

// FindProduct finds a product by publisher, under any of its names, and name; without publisher, by a name that one
// product alone has.
func FindProduct(products map[string]int64, publisher, name string) (int64, string) {
	if publisher != "" {
		if id := products[ProductKey(publisher, name)]; id != 0 {
			return id, ""
		}
		return 0, fmt.Sprintf(
			"the catalogue has no product %q of publisher %q: add its title, or mend the name; the line is tried "+
				"again when titles come in",
			name,
			publisher,
		)
	}
	var found int64
	suffix := ProductKey("", name)
	for key, id := range products {
		if strings.HasSuffix(key, suffix) {
			if found != 0 && found != id {
				return 0, fmt.Sprintf("several publishers have a product %q: name the publisher", name)
			}
			found = id
		}
	}
	if found == 0 {
		return 0, fmt.Sprintf(
			"the catalogue has no product %q: add its title, or mend the name; the line is tried again when titles "+
				"come in",
			name,
		)
	}
	return found, ""
}
