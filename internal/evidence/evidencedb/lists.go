package evidencedb

import (
	"ensomet/internal/sqlite"
)

// AsideRow is a line that was put aside.
type AsideRow struct {
	ID        int64  `json:"id"`
	Kind      string `json:"kind"`
	File      string `json:"file"`
	Line      int64  `json:"line"`
	Content   string `json:"content"`
	Reason    string `json:"reason"`
	State     string `json:"state"`
	ChangedAt int64  `json:"changedAt" unit:"unix"`
	Author    string `json:"author"`
}

// AsidePage reads a page of lines put aside.
func AsidePage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[AsideRow], error) {
	l := sqlite.List[AsideRow]{From: "set_aside s", Key: "s.id", Sort: "id", Columns: []sqlite.Column[AsideRow]{
		{Name: "id", Sql: "s.id", Into: func(r *AsideRow) any { return &r.ID }, Search: false}, {Name: "kind", Sql: "s.kind", Into: func(r *AsideRow) any { return &r.Kind }, Search: false}, {Name: "file", Sql: "s.file", Into: func(r *AsideRow) any { return &r.File }, Search: true},
		{Name: "line", Sql: "s.line", Into: func(r *AsideRow) any { return &r.Line }, Search: false}, {Name: "content", Sql: "s.content", Into: func(r *AsideRow) any { return &r.Content }, Search: true}, {Name: "reason", Sql: "s.reason", Into: func(r *AsideRow) any { return &r.Reason }, Search: true},
		{Name: "state", Sql: "s.state", Into: func(r *AsideRow) any { return &r.State }, Search: false}, {Name: "changedAt", Sql: "s.changed_at", Into: func(r *AsideRow) any { return &r.ChangedAt }, Search: false}, {Name: "author", Sql: "s.author", Into: func(r *AsideRow) any { return &r.Author }, Search: false},
	}}
	return l.Page(tx, q)
}
