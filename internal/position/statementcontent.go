package position

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"

	"ensomet/internal/core/refuse"
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// statementContent is what a statement keeps: the figures as they were said, what each line came to, what demand was
// in groups, and what was known then. It is written as JSON and hashed, so that it has a form of its own, which no
// change of a page may change.
type statementContent struct {
	AsOf      string              `json:"asOf"`
	Evidence  keptEvidence        `json:"evidence"`
	Positions []statementPosition `json:"positions"`
}

type keptEvidence struct {
	Devices  int64  `json:"devices"`
	Fresh    int64  `json:"fresh"`
	Stale    int64  `json:"stale"`
	Never    int64  `json:"never"`
	LastScan int64  `json:"lastScan"`
	Change   string `json:"change"`
}

// statementPosition is a position as it was said.
type statementPosition struct {
	ProductID int64  `json:"productId"`
	Publisher string `json:"publisher"`
	Product   string `json:"product"`
	Metric    string `json:"metric"`
	keptFigures
	Currency string      `json:"currency"`
	Lines    []keptLine  `json:"lines"`
	Groups   []keptGroup `json:"groups"`
}

type keptFigures struct {
	Owned    int64  `json:"owned"`
	Needed   int64  `json:"needed"`
	Covered  int64  `json:"covered"`
	Short    int64  `json:"short"`
	Surplus  int64  `json:"surplus"`
	Low      int64  `json:"low"`
	High     int64  `json:"high"`
	Exposure string `json:"exposure"`
}

type keptLine struct {
	Code      string `json:"code"`
	Terms     string `json:"terms"`
	Effective int64  `json:"effective"`
	Used      int64  `json:"used"`
	Spare     int64  `json:"spare"`
	Why       string `json:"why"`
	Unmatched int64  `json:"unmatched"`
	Consumed  int64  `json:"consumed"`
	Contract  string `json:"contract"`
	Worth     string `json:"worth"`
}

type keptGroup struct {
	Key    string `json:"key"`
	Line   string `json:"line"`
	Reason string `json:"reason"`
	Count  int    `json:"count"`
}

// said is what a statement keeps of a product's position in a metric.
func said(f *snapshot.ProductFacts, m MetricPosition, figures snapshot.Figures) statementPosition {
	p := statementPosition{
		ProductID:   f.Id,
		Publisher:   f.Product.Publisher,
		Product:     f.Product.Name,
		Metric:      m.Metric,
		keptFigures: keptFigures(figures),
		Currency:    m.Currency,
		Lines:       []keptLine{},
		Groups:      []keptGroup{},
	}
	for _, l := range m.Lines {
		p.Lines = append(p.Lines, keptLine(l))
	}
	for _, g := range m.Groups {
		p.Groups = append(p.Groups, keptGroup(g))
	}
	return p
}

// pack writes what a statement keeps, compressed, with the hash of it.
func (c *statementContent) pack() (content []byte, hash string, err error) {
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	if err := errors.Join(json.NewEncoder(z).Encode(c), z.Close()); err != nil {
		return nil, "", err
	}
	sum := sha256.Sum256(packed.Bytes())
	return packed.Bytes(), hex.EncodeToString(sum[:]), nil
}

// openStatement reads a statement, after checking that it is what was kept.
func openStatement(tx *sqlite.Tx, id int64) (s positiondb.StoredStatement, c statementContent, err error) {
	if s, err = positiondb.Statement(tx, id); err != nil {
		return s, c, err
	}
	if sum := sha256.Sum256(s.Content); hex.EncodeToString(sum[:]) != s.SHA256 {
		return s, c, refuse.New("this statement is no longer what was handed over: its hash differs")
	}
	z, err := gzip.NewReader(bytes.NewReader(s.Content))
	if err != nil {
		return s, c, err
	}
	return s, c, json.NewDecoder(z).Decode(&c)
}
