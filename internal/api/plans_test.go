package api

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/directory/directorydb"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
	"ensomet/internal/worklist/worklistdb"
)

// planned is a list whose plans can be asked for.
type planned interface {
	Plan(tx *sqlite.Tx, q sqlite.ListQuery) (page, count []string, err error)
	ColumnNames() []string
}

// large are the tables that grow with machines, people or time, and what each list calls them.
var large = map[string]string{
	"assignment":    "seats",
	"change_log":    "changes",
	"delivery":      "deliveries",
	"device":        "devices",
	"device_fact":   "devices",
	"idle_fact":     "use",
	"key_fact":      "keys",
	"mail":          "mail",
	"name_fact":     "names",
	"person_fact":   "people",
	"person_move":   "moves",
	"saving":        "savings",
	"scan_order":    "scan-orders",
	"set_aside":     "asides",
	"worklist_case": "cases",
}

// unserved are the columns of lists that no index can serve, and why. Such a list reads all its rows once.
var unserved = map[string]string{
	// made of several tables, of which one may have no row
	"cases about":          "the name of a device, a person or a pool",
	"cases age":            "of a device, which a case need not have",
	"cases device":         "of a device, which a case need not have",
	"cases deviceKind":     "of a device, which a case need not have",
	"cases environment":    "of a device, which a case need not have",
	"cases hosting":        "of a device, which a case need not have",
	"cases site":           "of a device or a person",
	"cases person":         "of a person, whom a case need not have",
	"cases pool":           "of a pool, which a case need not have",
	"cases unit":           "of a device or a person",
	"cases user":           "of a device or a person",
	"changes name":         "of a record or of a fact",
	"changes productId":    "of a record, which a change need not have",
	"changes publisher":    "of a record, which a change need not have",
	"changes source":       "a name put together",
	"keys lines":           "the codes of several lines",
	"keys product":         "of a product, which a key need not have",
	"keys publisher":       "of a product, which a key need not have",
	"deliveries code":      "of a device, which nobody may know",
	"deliveries device":    "of a device, which nobody may know",
	"savings device":       "of a device, which a case need not have",
	"savings unit":         "of a device, which a case need not have",
	"potential device":     "of a device, which a case need not have",
	"potential unit":       "of a device, which a case need not have",
	"scan-orders schedule": "of a schedule, which an order need not have",
	"seats device":         "of a device, where a device holds it",
	"seats deviceName":     "of a device, where a device holds it",
	"seats state":          "made of the seat, the line, the person and the day",
	"seats status":         "of a person, where a person holds it",
	"seats unit":           "of a person or a device",
	"seats user":           "of a person, where a person holds it",
	"seats userName":       "of a person, where a person holds it",
	"moves seats":          "counted",
	"use id":               "two numbers put together",
	"potential scanAt":     "always nothing",
	"potential note":       "always nothing",
	// sentences and contents, which people search for words
	"asides content":          "a whole line of a file",
	"asides reason":           "a sentence",
	"changes was":             "a value of any fact: an index would be larger than what it serves",
	"changes now":             "a value of any fact: an index would be larger than what it serves",
	"deliveries detail":       "a sentence",
	"mail body":               "a letter",
	"mail error":              "a sentence",
	"mail subject":            "a sentence",
	"savings note":            "a sentence",
	"scan-orders detail":      "a sentence",
	"scan-orders reason":      "a sentence",
	"names money filter":      "money is found as it is written",
	"cases amount filter":     "money is found as it is written",
	"savings amount filter":   "money is found as it is written",
	"potential amount filter": "money is found as it is written",
}

// fill writes n rows into a table, each column with as many values as rows but for every third, which has a few.
func fill(tx *sqlite.Tx, table string, n int) error {
	type column struct {
		name, kind string
		null, key  bool
	}
	columns, err := sqlite.Query(tx, func(r *sql.Rows, c *column) error {
		var notNull, pk int
		err := r.Scan(&c.name, &c.kind, &notNull, &pk)
		c.null, c.key = notNull == 0 && pk == 0, pk > 0
		return err
	}, "SELECT name, type, \"notnull\", pk FROM pragma_table_info(?)", table)
	if err != nil {
		return err
	}
	var names, values []string
	for i, c := range columns {
		value := "n"
		switch {
		case c.null:
			value = "NULL"
		case !c.key && i%3 == 2 && !strings.HasSuffix(c.name, "_id"):
			value = "1 + n % 7"
		case !c.key && strings.HasSuffix(c.name, "_id"):
			value = "1 + n % 3000"
		}
		if strings.HasSuffix(c.name, "_at") && table == "entitlement" {
			value = "0"
		}
		if c.kind == "TEXT" && value != "NULL" {
			value = "'v' || (" + value + ")"
		}
		names, values = append(names, c.name), append(values, value)
	}
	_, err = tx.Exec(
		fmt.Sprintf("WITH RECURSIVE count(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM count WHERE n < "+
			"%d) "+
			"INSERT OR REPLACE INTO %s(%s) SELECT %s FROM count", n, table, strings.Join(names, ", "),
			strings.Join(values, ", ")),
	)
	return err
}

// Every list, in every order and by every filter of a column, is read on a large file by indexes: no large table is
// read as a whole and sorted where an index could serve. What cannot be served is listed above with its reason, and
// the list is held against what is.
func TestListsAreReadByIndexes(t *testing.T) {
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "large.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.Update(t.Context(), func(tx *sqlite.Tx) error {
		for _, table := range []string{"product", "title", "entitlement", "person", "token", "source", "schedule",
			"record", "recognition", "pool", "import"} {
			if err := fill(tx, table, 3_000); err != nil {
				return fmt.Errorf("%s: %w", table, err)
			}
		}
		for table := range large {
			if err := fill(tx, table, 20_000); err != nil {
				return fmt.Errorf("%s: %w", table, err)
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if err := db.Analyse(t.Context()); err != nil {
		t.Fatal(err)
	}
	lists := map[string]planned{
		"asides":      evidencedb.AsideList(),
		"cases":       lists.CaseList(),
		"changes":     evidencedb.ChangeList(),
		"deliveries":  evidencedb.DeliveryList(),
		"devices":     lists.DeviceList(),
		"keys":        entitlementsdb.KeyList(),
		"mail":        outbox.MailList(),
		"moves":       evidencedb.MoveList(),
		"names":       lists.NameList(),
		"people":      directorydb.List(),
		"potential":   worklistdb.PotentialList(),
		"savings":     worklistdb.SavingList(),
		"scan-orders": evidencedb.OrderList(),
		"seats":       entitlementsdb.SeatList(civil.MustParse("2026-06-30")),
		"use":         usedb.UseList(),
	}
	for _, list := range large {
		if lists[list] == nil {
			t.Errorf("nobody looks at the plans of %s", list)
		}
	}
	served := map[string]bool{}
	tried := 0
	err = db.View(t.Context(), func(tx *sqlite.Tx) error {
		for name, list := range lists {
			for _, column := range list.ColumnNames() {
				key := name + " " + column
				for _, down := range []bool{false, true} {
					page, _, err := list.Plan(tx, sqlite.ListQuery{Sort: column, Descending: down, Limit: 100})
					if err != nil {
						return err
					}
					tried++
					if why := sorts(page); why == "" {
						served[key] = true
					} else if unserved[key] == "" {
						t.Errorf("%s in the order of %s (down %v): %s\n  %s", name, column, down, why,
							strings.Join(page, "\n  "))
					}
				}
				_, count, err := list.Plan(tx, sqlite.ListQuery{
					Filters: map[string]string{column: value(list, tx, column)},
					Limit:   100,
				})
				if err != nil {
					return err
				}
				tried++
				if why := scans(count); why == "" {
					served[key+" filter"] = true
				} else if unserved[key] == "" && unserved[key+" filter"] == "" {
					t.Errorf("%s where %s is something: %s\n  %s", name, column, why, strings.Join(count, "\n  "))
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for key := range unserved {
		if served[key] && served[key+" filter"] {
			t.Errorf("%s is served by an index after all", key)
		}
	}
	t.Logf("%d plans of %d lists", tried, len(lists))
}

// value is one that the column takes: a text, a number, or yes.
func value(list planned, tx *sqlite.Tx, column string) string {
	for _, v := range []string{"v5", "5", "1"} {
		if _, _, err := list.Plan(tx, sqlite.ListQuery{Filters: map[string]string{column: v}}); err == nil {
			return v
		}
	}
	return ""
}

// sorts says where a plan puts many rows in order itself.
func sorts(plan []string) string {
	for _, step := range plan {
		if step == "USE TEMP B-TREE FOR ORDER BY" {
			return "rows are sorted one by one"
		}
	}
	return ""
}

// scans says where a plan reads a large table as a whole.
func scans(plan []string) string {
	short := []string{"SCAN c", "SCAN d", "SCAN f", "SCAN i", "SCAN m", "SCAN n", "SCAN o", "SCAN s", "SCAN a",
		"SCAN v"}
	for _, step := range plan {
		if slices.Contains(short, strings.TrimSpace(strings.SplitN(step, " USING ", 2)[0])) {
			return "a whole table is read: " + step
		}
	}
	return ""
}
