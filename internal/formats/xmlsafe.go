package formats

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
)

const (
	maxXMLDepth  = 64
	maxXMLTokens = 4_000_000
)

// safeTokens hands XML on and refuses what no evidence needs: document types (and with them entities of one's own),
// and endless nesting.
type safeTokens struct {
	d      *xml.Decoder
	depth  int
	tokens int
}

func (s *safeTokens) Token() (xml.Token, error) {
	t, err := s.d.RawToken()
	if err != nil {
		return t, err
	}
	s.tokens++
	switch t := t.(type) {
	case xml.Directive:
		return nil,
			&FileError{"the file declares a document type or entities: these are not read; take them out and " +
				"send it again"}
	case xml.StartElement:
		s.depth++
	case xml.EndElement:
		s.depth--
	case xml.ProcInst:
		if t.Target == "xml" && bytes.Contains(bytes.ToLower(t.Inst), []byte("encoding")) &&
			!bytes.Contains(bytes.ToLower(t.Inst), []byte("utf-8")) &&
			!bytes.Contains(bytes.ToLower(t.Inst), []byte("us-ascii")) {
			return nil, &FileError{"the file is not written in UTF-8: save it as UTF-8 and send it again"}
		}
	}
	if s.depth > maxXMLDepth || s.tokens > maxXMLTokens {
		return nil, &FileError{
			fmt.Sprintf("the file is nested more than %d deep or has more than %d parts", maxXMLDepth, maxXMLTokens),
		}
	}
	return t, nil
}

// safeXML decodes XML without document types.
func safeXML(in io.Reader) *xml.Decoder {
	raw := xml.NewDecoder(in)
	// safeTokens has refused others
	raw.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	return xml.NewTokenDecoder(&safeTokens{d: raw})
}

// checkXML walks a whole file, so that a library that reads it next meets nothing that is not wanted.
func checkXML(text []byte) error {
	d := safeXML(bytes.NewReader(text))
	for {
		if _, err := d.Token(); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return xmlError(err)
		}
	}
}

// xmlError puts a decoder's complaint in words.
func xmlError(err error) error {
	var file *FileError
	if errors.As(err, &file) {
		return file
	}
	return &FileError{"the XML cannot be read: " + err.Error()}
}
