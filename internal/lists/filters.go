package lists

import (
	"strings"

	"ensomet/internal/sqlite"
)

// DeviceFilters are filters of every list of devices, or of something on devices, that are no columns: the group that
// it is in; the product, publisher, raw name, record or file that it has. d is the name of the table of devices.
func DeviceFilters(d string) map[string]func(string) (string, []any) {
	having := func(where string) func(string) (string, []any) {
		return func(v string) (string, []any) {
			return d +
					".id IN (SELECT i.device_id FROM recognition n JOIN install i ON i.record_id = n.record_id WHERE " +
					"i.until IS NULL AND " + where + ")", []any{
					v,
				}
		}
	}
	return map[string]func(string) (string, []any){
		"group": func(v string) (string, []any) {
			return d +
					".id IN (SELECT m.device_id FROM group_member m JOIN device_group g ON g.id = m.group_id WHERE " +
					"g.name = ?)", []any{
					v,
				}
		},
		"hasProduct": having("n.product_id = CAST(? AS INTEGER)"),
		"hasVersion": func(v string) (string, []any) { // product:version
			product, version, _ := strings.Cut(v, ":")
			return d +
					".id IN (SELECT i.device_id FROM recognition n JOIN install i ON i.record_id = n.record_id WHERE " +
					"i.until IS NULL AND n.product_id = CAST(? AS INTEGER) AND n.title_version = ?)", []any{
					product,
					version,
				}
		},
		"hasPublisher": having("n.product_id IN (SELECT id FROM product WHERE publisher = ?)"),
		"hasName":      having("n.key = ?"),
		"hasRecord":    having("n.record_id = CAST(? AS INTEGER)"),
		"hasKey": func(v string) (string, []any) {
			return d + ".id IN (SELECT device_id FROM install_key WHERE until IS NULL AND key_id = CAST(? AS INTEGER))",
				[]any{v}
		},
		"hasFile": func(v string) (string, []any) { // pattern, or pattern;v=version
			name, version, exact := strings.Cut(v, ";v=")
			p := FilePattern(name)
			if exact && version != "" {
				return d + `.id IN (SELECT t.device_id FROM file f JOIN device_file t ON t.file_id = f.id
					WHERE t.until IS NULL AND f.name LIKE ? ESCAPE '\' AND f.version = ?)`, []any{
						p,
						version,
					}
			}
			if exact {
				return d + `.id IN (SELECT t.device_id FROM file f JOIN device_file t ON t.file_id = f.id
					WHERE t.until IS NULL AND f.version = '' AND f.name LIKE ? ESCAPE '\'
					UNION SELECT i.device_id FROM record r JOIN install i ON i.record_id = r.id WHERE i.until IS NULL
					AND r.file_name <> '' AND r.file_name LIKE ? ESCAPE '\')`, []any{
						p,
						p,
					}
			}
			return d + `.id IN (SELECT t.device_id FROM file f JOIN device_file t ON t.file_id = f.id
				WHERE t.until IS NULL AND f.name LIKE ? ESCAPE '\'
				UNION SELECT i.device_id FROM record r JOIN install i ON i.record_id = r.id WHERE i.until IS NULL
				AND r.file_name <> '' AND r.file_name LIKE ? ESCAPE '\')`, []any{
					p,
					p,
				}
		},
	}
}

// FilePattern turns * and ? into those of SQL. A text without either is the whole name.
func FilePattern(v string) string {
	return strings.NewReplacer("*", "%", "?", "_").Replace(sqlite.EscapeLike(v))
}
