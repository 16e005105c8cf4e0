package titles

import (
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// What this station answers as its tables and the snapshot have it.
type (
	Batch           = titlesdb.Batch
	CatalogueChange = titlesdb.CatalogueChange
	CatalogueUpdate = titlesdb.CatalogueUpdate
	Plan            = snapshot.Plan
	ProductRow      = lists.ProductRow
	PublisherRow    = titlesdb.PublisherRow
	QueueDay        = titlesdb.QueueDay
	RecognitionRun  = titlesdb.RecognitionRun
	RecordsMoved    = titlesdb.RecordsMoved
	ReleaseRow      = titlesdb.ReleaseRow
	SightingRow     = titlesdb.SightingRow
)

// NameList lists the names that were found.
func NameList() *sqlite.List[lists.NameRow] { return lists.NameList() }

// ProductList lists the products of the catalogue.
func ProductList() *sqlite.List[ProductRow] { return lists.ProductList() }

// PublisherList lists the publishers.
func PublisherList() *sqlite.List[PublisherRow] { return titlesdb.PublisherList() }
