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
		sqlite.Plain("id", "s.id", func(r *AsideRow) any { return &r.ID }),
		sqlite.Plain("kind", "s.kind", func(r *AsideRow) any { return &r.Kind }),
		sqlite.Searched("file", "s.file", func(r *AsideRow) any { return &r.File }),
		sqlite.Plain("line", "s.line", func(r *AsideRow) any { return &r.Line }),
		sqlite.Searched("content", "s.content", func(r *AsideRow) any { return &r.Content }),
		sqlite.Searched("reason", "s.reason", func(r *AsideRow) any { return &r.Reason }),
		sqlite.Plain("state", "s.state", func(r *AsideRow) any { return &r.State }),
		sqlite.Plain("changedAt", "s.changed_at", func(r *AsideRow) any { return &r.ChangedAt }),
		sqlite.Plain("author", "s.author", func(r *AsideRow) any { return &r.Author }),
	}}
	return l.Page(tx, q)
}
