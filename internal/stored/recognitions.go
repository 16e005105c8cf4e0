package stored

import (
	"database/sql"
	"encoding/json"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
	"strings"
)

// Recognition is what a record was recognised as, in the form that is  Line is the catalogue's line that price
// and category come from.
type Recognition struct {
	Record                int64
	Key                   string
	Product, Title, Line  int64
	Edition               string
	EditionRank           int
	TitleVersion, Version string
	Step                  recognise.Step
	WhyNot                string
	Whole, NotSoftware    bool
	Rule                  int64 // that decided
}

// StateOfName is how a raw name stands by one more of its records, after those before it; empty is none before it.
func (n *Recognition) StateOfName(before string) string {
	switch {
	case n.Product == 0 && !n.NotSoftware:
		return "unrecognised"
	case before != "":
		return before
	case n.Step == recognise.ByDecision:
		return "decided"
	case n.Step == recognise.ByRule:
		return "rule"
	}
	return "recognised"
}

// NewRecognitions writes recognitions.
func NewRecognitions(tx *sqlite.Tx) (*sqlite.Bulk, error) {
	var set []string
	for c := range strings.SplitSeq(recognitionColumns, ",") {
		c = strings.TrimSpace(c)
		set = append(set, c+" = excluded."+c)
	}
	return tx.Bulk(14, "INSERT INTO recognition("+recognitionColumns+")", " ON CONFLICT(record_id) DO UPDATE SET "+
		strings.Join(set[1:], ", "))
}

// AddRecognition takes one recognition.
func AddRecognition(b *sqlite.Bulk, n Recognition) error {
	return b.Add(
		n.Record,
		n.Key,
		n.Product,
		n.Title,
		n.Line,
		n.Edition,
		n.EditionRank,
		n.TitleVersion,
		n.Version,
		string(n.Step),
		n.WhyNot,
		n.Whole,
		n.NotSoftware,
		n.Rule,
	)
}

const recognitionColumns = "record_id, key, product_id, title_id, line_id, edition, edition_rank, title_version, " +
	"version, step, why_not, whole, not_software, rule_id"

func scanRecognition(r *sql.Rows, v *Recognition) error {
	return r.Scan(
		&v.Record,
		&v.Key,
		&v.Product,
		&v.Title,
		&v.Line,
		&v.Edition,
		&v.EditionRank,
		&v.TitleVersion,
		&v.Version,
		&v.Step,
		&v.WhyNot,
		&v.Whole,
		&v.NotSoftware,
		&v.Rule,
	)
}

// Recognitions reads all recognitions.
func Recognitions(tx *sqlite.Tx) ([]Recognition, error) {
	return sqlite.Query(tx, scanRecognition, "SELECT "+recognitionColumns+" FROM recognition")
}

// RecognitionsAs reads the recognitions of records that are one of some products.
func RecognitionsAs(tx *sqlite.Tx, products []int64) ([]Recognition, error) {
	list, err := json.Marshal(products)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(
		tx,
		scanRecognition,
		"SELECT "+recognitionColumns+" FROM recognition WHERE product_id IN (SELECT value FROM json_each(?))",
		string(list),
	)
}

// RecognitionsOf reads the recognitions of some records.
func RecognitionsOf(tx *sqlite.Tx, records []int64) ([]Recognition, error) {
	list, err := json.Marshal(records)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(
		tx,
		scanRecognition,
		"SELECT "+recognitionColumns+" FROM recognition WHERE record_id IN (SELECT value FROM json_each(?))",
		string(list),
	)
}

// RecognitionsOn reads the recognitions of records that are or were on some devices.
func RecognitionsOn(tx *sqlite.Tx, devices []int64) ([]Recognition, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(tx, scanRecognition, "SELECT "+recognitionColumns+" FROM recognition WHERE record_id IN "+
		"(SELECT record_id FROM install WHERE device_id IN (SELECT value FROM json_each(?)))", string(list))
}
