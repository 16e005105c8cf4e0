package position

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

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

	Scope   *StatementScope      `json:"scope,omitempty"`
	Opened  bool                 `json:"opened,omitempty"` // the units of demand are kept too
	Records map[int64]keptRecord `json:"records,omitempty"`
}

// StatementScope is whom or what a statement speaks of; where nothing is said, it is the whole house.
type StatementScope struct {
	Publisher string  `json:"publisher,omitempty"`
	Contract  string  `json:"contract,omitempty"` // the products that it has lines of
	Unit      string  `json:"unit,omitempty"`     // with all below it: what is needed, used or kept there
	Products  []int64 `json:"products,omitempty"`
}

// words says whom or what a statement speaks of.
func (s *StatementScope) words() string {
	var out []string
	if s.Publisher != "" {
		out = append(out, s.Publisher)
	}
	if s.Contract != "" {
		out = append(out, "contract "+s.Contract)
	}
	if s.Unit != "" {
		out = append(out, "in "+s.Unit)
	}
	if len(out) == 0 && len(s.Products) > 0 {
		out = append(out, fmt.Sprintf("%d products", len(s.Products)))
	}
	return strings.Join(out, ", ")
}

// keptRecord is what a machine reported, as it was.
type keptRecord struct {
	Publisher string `json:"publisher,omitempty"`
	Name      string `json:"name"`
	Version   string `json:"version,omitempty"`
}

// keptUnit is a unit of demand as it was: who or what needed how many, what covered it, or why nothing did.
type keptUnit struct {
	Device   string  `json:"device,omitempty"`
	Name     string  `json:"name,omitempty"`
	User     string  `json:"user,omitempty"`
	UserName string  `json:"userName,omitempty"`
	Unit     string  `json:"unit,omitempty"`
	Count    int64   `json:"count"`
	Needs    string  `json:"needs,omitempty"`
	Line     string  `json:"line,omitempty"`
	Reason   string  `json:"reason"`
	Why      string  `json:"why,omitempty"`
	Calc     string  `json:"calc,omitempty"`
	LastSeen int64   `json:"lastSeen,omitempty"`
	Records  []int64 `json:"records,omitempty"`
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
	Units    []keptUnit  `json:"units,omitempty"`
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
