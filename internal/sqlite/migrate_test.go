package sqlite_test

import (
	"context"
	"database/sql"
	"io/fs"
	"path/filepath"
	"testing"

	"ensomet/internal/core/casework"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
	"ensomet/internal/worklist/worklistdb"

	"github.com/pressly/goose/v3"
)

// A file of the version before keeps its cases with their steps, its stances and its sessions, which wait to be
// rolled up.
func TestAFileOfTheVersionBefore(t *testing.T) {
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "old.db")
	old, err := sql.Open(sqlite.DriverName, sqlite.DSN(path, sqlite.Writing))
	if err != nil {
		t.Fatal(err)
	}
	old.SetMaxOpenConns(1)
	files, err := fs.Sub(sqlite.Migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, old, files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(ctx, 5); err != nil {
		t.Fatal(err)
	}
	for _, s := range []string{
		"INSERT INTO product(id, publisher, name, publisher_key, name_key) VALUES (1, 'O', 'S', 'o', 's')",
		"INSERT INTO device(id, code, name, kind, environment, org_unit, site, country, ip_address, directory_path, " +
			"primary_user, os_name, os_version, processors, cores, virtual_cores, core_factor, host_id, cluster, " +
			"pinned, portable, status, last_scan, custom, hash) VALUES (7, 'D7', 'seven', '', '', '', '', '', '', " +
			"'', '', '', '', 0, 0, 0, '', '', '', '', '', 'in_service', 0, '{}', x'')",
		"INSERT INTO worklist_case(id, kind, device_id, product_id, state, opened_at, changed_at, sent_at, worth, " +
			"amount, currency, money_on, proof, came_back, keep_until) VALUES (3, 'idle', 7, 1, 'sent', 10, 20, 20, " +
			"'reuse', '0', 'EUR', 0, '[\"because\"]', 1, 0)",
		"INSERT INTO case_step(id, case_id, at, who, from_state, to_state, note) VALUES (1, 3, 10, 'evidence', '', " +
			"'open', 'found'), (2, 3, 20, 'w', 'agreed', 'sent', '')",
		"INSERT INTO policy(product_id, publisher, category, group_name, condition, stance, reason, author, at) " +
			"VALUES (1, '', '', '', '{}', 'restricted', 'r', 'w', 5)",
		"INSERT INTO use_name(id, file_name, product) VALUES (1, 'a.exe', '')",
		"INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active) VALUES (7, 1, 'u', " +
			"500, 900, 0), (7, 1, 'u', 100, 200, 0)",
		"INSERT INTO mail(address, subject, body, queued_at) VALUES ('a', 'b', 'c', 1)",
	} {
		if _, err := old.Exec(s); err != nil {
			t.Fatal(err, s)
		}
	}
	if err := old.Close(); err != nil {
		t.Fatal(err)
	}
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	err = db.View(ctx, func(tx *sqlite.Tx) error {
		cases, err := worklistdb.Cases(tx)
		if err != nil || len(cases) != 1 || cases[0].ID != 3 || cases[0].State != casework.Sent ||
			cases[0].CameBack != 1 ||
			cases[0].Quantity != 1 ||
			cases[0].Proof[0] != "because" {
			t.Errorf("%+v, %v", cases, err)
		}
		steps, err := worklistdb.Steps(tx, 3)
		if err != nil || len(steps) != 2 || steps[1].To != "sent" || steps[1].Undone {
			t.Errorf("%+v, %v", steps, err)
		}
		policies, err := stored.Policies(tx)
		if err != nil || len(policies) != 1 || !policies[0].Hours.Always() || policies[0].Until.Known() {
			t.Errorf("%+v, %v", policies, err)
		}
		due, err := usedb.UseDue(tx, 10, 1000)
		if err != nil || len(due) != 1 || due[7] != 100 {
			t.Errorf("%v, %v", due, err)
		}
		page, err := lists.CaseList().Page(tx, sqlite.ListQuery{})
		if err != nil || len(page.Rows) != 1 || page.Rows[0].About != "seven" {
			t.Errorf("%+v, %v", page.Rows, err)
		}
		mail, err := outbox.MailList().Page(tx, sqlite.ListQuery{})
		if err != nil || len(mail.Rows) != 1 || mail.Rows[0].Question != 0 {
			t.Errorf("%+v, %v", mail.Rows, err)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
