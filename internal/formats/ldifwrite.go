package formats

import (
	"bufio"
	"encoding/base64"
	"io"
)

// WriteLDIF writes an entry as LDIF (RFC 2849). The first one of a file is preceded by its version.
func WriteLDIF(w io.Writer, e *LDIFEntry) error {
	out := bufio.NewWriter(w)
	line := func(name, value string) {
		out.WriteString(name)
		if safeLDIF(value) {
			out.WriteString(": " + value)
		} else {
			out.WriteString(":: " + base64.StdEncoding.EncodeToString([]byte(value)))
		}
		out.WriteByte('\n')
	}
	line("dn", e.DN)
	if e.Change != "" {
		line("changetype", e.Change)
	}
	for _, a := range e.Attrs {
		line(a.Name, a.Value)
	}
	out.WriteByte('\n')
	return out.Flush()
}

// safeLDIF reports whether a value may stand as it is: a SAFE-STRING of RFC 2849 that does not end in a space.
func safeLDIF(v string) bool {
	if v == "" {
		return true
	}
	if v[0] == ' ' || v[0] == ':' || v[0] == '<' || v[len(v)-1] == ' ' {
		return false
	}
	for i := range len(v) {
		if v[i] == 0 || v[i] == '\n' || v[i] == '\r' || v[i] >= 0x80 {
			return false
		}
	}
	return true
}
