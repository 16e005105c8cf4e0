package program

import (
	"context"
	"strings"
	"testing"

	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// A line that was withdrawn, with its transactions and the seats that it once gave, is in no list, no count and no
// file any more.
func TestWithdrawnLinesAreNowhere(t *testing.T) {
	ctx := context.Background()
	prog, product := office(t)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end",
		"GONE-1,Brack,Notes,named_user,3,subscription,2025-10-01,2026-12-31",
	)
	take(t, prog, formats.Transactions, "entitlement_id,type,on,quantity", "GONE-1,buy,2025-10-01,3")
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from,until", "GONE-1,u4,2025-10-01,2025-12-31")
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	type counts struct{ list, seats, ofProduct, ofPublisher, overview, ending, files int64 }
	count := func() (n counts) {
		t.Helper()
		lines, err := listed(prog, prog.Entitlements.Entitlements, sqlite.ListQuery{})
		if err != nil {
			t.Fatal(err)
		}
		seats, err := listed(prog, prog.Entitlements.Seats, sqlite.ListQuery{})
		if err != nil {
			t.Fatal(err)
		}
		n.list, n.seats = int64(len(lines.Rows)), int64(len(seats.Rows))
		if lines.Total != len(lines.Rows) || seats.Total != len(seats.Rows) {
			t.Errorf("%d of %d lines, %d of %d seats", len(lines.Rows), lines.Total, len(seats.Rows), seats.Total)
		}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			products, err := lists.ProductList().Page(tx, sqlite.ListQuery{})
			if err != nil {
				return err
			}
			for _, p := range products.Rows {
				if p.ID == product {
					n.ofProduct = p.Rights
				}
			}
			publishers, err := titlesdb.PublisherList().Page(tx, sqlite.ListQuery{})
			for _, p := range publishers.Rows {
				if p.Publisher == "Brack" {
					n.ofPublisher = p.Rights
				}
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		course, err := prog.Reports.Overview(ctx)
		if err != nil {
			t.Fatal(err)
		}
		n.overview, n.ending = course.Entitlements, course.EndingSoon
		for _, kind := range []*formats.Kind{formats.Entitlements, formats.Transactions, formats.Assignments} {
			if err := prog.Reports.Export(ctx, kind.Name, 0, func([]string) error { return nil },
				func(row []string) error {
					if strings.Contains(strings.Join(row, ","), "GONE-1") {
						n.files++
					}
					return nil
				}); err != nil {
				t.Fatal(err)
			}
		}
		return n
	}
	before := count()
	if before.files != 3 {
		t.Fatalf("the line is not in every file: %+v", before)
	}
	if err := prog.Entitlements.WithdrawLine(ctx, "GONE-1",
		seenAt(t, prog, edits.Thing{Kind: edits.Line, Key: "GONE-1"}), "entered twice", "me"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	after := count()
	want := counts{before.list - 1, before.seats - 1, before.ofProduct - 1, before.ofPublisher - 1,
		before.overview - 1, before.ending, 0}
	want.ending = after.ending // whether it ends soon depends on the day
	if after != want {
		t.Errorf("with the line %+v,\nwithout %+v,\nwant    %+v", before, after, want)
	}
}
