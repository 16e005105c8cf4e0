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
	most   int // tokens; 0 is as many as there are, where they are not kept
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
	if s.depth > maxXMLDepth || s.most > 0 && s.tokens > s.most {
		return nil, &FileError{
			fmt.Sprintf("the file is nested more than %d deep or has more than %d parts", maxXMLDepth, s.most),
		}
	}
	return t, nil
}

// safeXML decodes XML without document types.
func safeXML(in io.Reader) *xml.Decoder { return tokensOf(in, maxXMLTokens) }

// decoderOf decodes XML that is read piece by piece, however many there are.
func decoderOf(in io.Reader) *xml.Decoder { return tokensOf(in, 0) }

func tokensOf(in io.Reader, most int) *xml.Decoder {
	raw := xml.NewDecoder(&shortPieces{in: in})
	// safeTokens has refused others
	raw.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	return xml.NewTokenDecoder(&safeTokens{d: raw, most: most})
}

// maxXMLPiece is how long a piece of XML between two tags, or a tag, may be, in bytes.
const maxXMLPiece = 8 << 20

// shortPieces hands XML on, and refuses a piece that no evidence needs before it is held.
type shortPieces struct {
	in  io.Reader
	run int // since the last tag began
}

func (s *shortPieces) Read(p []byte) (int, error) {
	n, err := s.in.Read(p)
	if last := bytes.LastIndexByte(p[:n], '<'); last >= 0 {
		s.run = n - last
	} else if s.run += n; s.run > maxXMLPiece {
		return 0, &FileError{fmt.Sprintf("a piece of the file is longer than %d MB", maxXMLPiece>>20)}
	}
	return n, err
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
