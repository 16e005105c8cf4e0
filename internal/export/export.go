// Package export writes what is stored as lines of the files of the contract.
package export

import (
	"database/sql"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// weekdays writes the days of a policy as mon|tue.
var weekdays = func() string {
	text := "trim("
	for i, d := range []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"} {
		text += fmt.Sprintf("CASE WHEN q.days >> %d & 1 THEN '%s|' ELSE '' END || ", i, d)
	}
	return text + "'', '|')"
}()

// statedOf reads what lists state of a device, by the names of its columns.
func statedOf(names ...string) string {
	for i, n := range names {
		names[i] = "CASE WHEN stated = '' THEN '' ELSE coalesce(stated ->> '$." + n + "', '') END"
	}
	return strings.Join(names, ", ")
}

var exports = map[string]string{
	"publishers": "SELECT name, aliases, successor FROM publisher ORDER BY name_key",
	"titles": `SELECT p.publisher, p.name, t.edition, ` + sqlite.Number("t.edition_rank") + `,
 t.version, t.category, t.licence_model, coalesce(t.list_price, ''), t.currency, t.default_metric, t.suite, ` +
		sqlite.Date(
			"t.released",
		) + `, ` + sqlite.Date("t.general_end") + `, ` + sqlite.Date("t.extended_end") + `, ` + sqlite.Date(
		"t.end_of_life",
	) + `, t.aliases
		FROM title t JOIN product p ON p.id = t.product_id ORDER BY p.publisher, p.name, t.edition, t.version`,
	"rates": "SELECT currency, " + sqlite.Date("on_day") + ", per_eur FROM rate ORDER BY currency, on_day",
	"sources": "SELECT name, covers, " + sqlite.Number("trust") + ", " + sqlite.Number("silent_days") +
		", CASE WHEN retired_on > 0 THEN 'retired' ELSE 'active' END, " + sqlite.Date("retired_on") +
		" FROM source_life ORDER BY name",
	"contracts": "SELECT code, publisher, name, " + sqlite.Date("start") + ", " + sqlite.Date("contract.end") + ", " +
		sqlite.Number("notice_days") + ", CASE WHEN renews THEN 'true' ELSE 'false' END, owner, note FROM contract " +
		"ORDER BY code",
	"users": "SELECT code, name, email, org_unit, site, status, " + sqlite.Date(
		"left_on",
	) + ", log_ons, manager, cost_centre, directory_id, account FROM person ORDER BY code",
	"devices": `SELECT code, name, kind, environment, org_unit, site, country, ip_address, directory_path,
		primary_user, os_name, os_version, ` + sqlite.Number("processors") + `, ` + sqlite.Number("cores") + `,
 ` + sqlite.Number("virtual_cores") + `,
		core_factor, host_id, cluster, pinned, portable, status, ` + sqlite.Instant(
		"last_scan",
	) + `, ` + statedOf("serial", "maker", "model", "machine_id", "hardware_addresses", "directory_id", "memory_mb") +
		` FROM device ORDER BY code`,
	"transactions": "SELECT e.code, t.type, " + sqlite.Date(
		"t.on_day",
	) + ", t.quantity, " + sqlite.Date("t.end_day") + `, coalesce(t.price, ''), t.currency, t.order_no, t.note,
		t.request,
		CASE t.nth WHEN 1 THEN '' ELSE t.nth END FROM txn t JOIN entitlement e ON e.id = t.entitlement_id
		WHERE e.withdrawn_at = 0 AND t.gone_at IS NULL ORDER BY e.code, t.on_day, t.id`,
	"assignments": `SELECT e.code, coalesce(u.code, ''), coalesce(d.code, ''), ` + sqlite.Date(
		"a.from_day",
	) + `, ` + sqlite.Date(
		"a.until_day",
	) + ` FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id
		LEFT JOIN person u ON u.id = a.person_id LEFT JOIN device d ON d.id = a.device_id WHERE e.withdrawn_at = 0
		ORDER BY e.code, 2,
		3`,
	"policies": `SELECT coalesce(p.publisher, q.publisher), coalesce(p.name, ''), q.category, q.group_name, q.stance,
		` + weekdays +
		`, CASE WHEN q.from_minute = 0 AND q.to_minute = 0 THEN '' ELSE printf('%02d:%02d', q.from_minute / 60, q.from_minute % 60) END, CASE WHEN q.from_minute = 0 AND q.to_minute = 0 THEN '' ELSE printf('%02d:%02d', q.to_minute / 60, q.to_minute % 60) END, q.reason, q.owner, ` + sqlite.Date(
		"q.until_day",
	) + ` FROM policy q LEFT JOIN product p ON p.id = q.product_id WHERE q.ended_at IS NULL ORDER BY q.id`,
	"pools": `SELECT l.code, p.publisher, p.name, l.server, l.quantity, ` + sqlite.Date(
		"l.expires",
	) + ` FROM pool l JOIN product p ON p.id = l.product_id ORDER BY l.code`,
	"pool_events": `SELECT l.code, e.event, e.session, e.person_code, e.device_code, ` + sqlite.Instant(
		"e.at",
	) + `, e.licences, CASE WHEN e.active < 0 THEN '' ELSE e.active END FROM pool_event e
		JOIN pool l ON l.id = e.pool_id ORDER BY l.code, e.at, e.session, e.event`,
	"process_events": `SELECT d.code, CASE e.kind WHEN 0 THEN 'start' WHEN 1 THEN 'stop' ELSE 'boot' END,
		` + sqlite.Instant(
		"e.at",
	) + `, CASE WHEN e.kind = 2 THEN '' ELSE e.pid END, coalesce(n.file_name, ''), e.person_code, ` + sqlite.Instant(
		"e.started",
	) + `, ` + sqlite.Number(
		"e.active",
	) + ` FROM process_event e JOIN device d ON d.id = e.device_id
		LEFT JOIN use_name n ON n.id = e.name_id ORDER BY d.code, e.at, e.kind`,
	"usage": `SELECT d.code, s.person_code, n.file_name, n.product, ` + sqlite.Instant(
		"s.started_at",
	) + `, ` + sqlite.Instant(
		"s.ended_at",
	) + `, ` + sqlite.Number(
		"s.active",
	) + ` FROM use_session s JOIN device d ON d.id = s.device_id JOIN use_name n ON n.id = s.name_id
		ORDER BY d.code, s.started_at`,
}

// File writes a kind of file row by row, in the order of its columns.
func File(tx *sqlite.Tx, kind string, write func([]string) error) error {
	if kind == formats.Entitlements.Name {
		lines, err := stored.BareLines(tx)
		for i := range lines {
			if err := write(lines[i].Texts()); err != nil {
				return err
			}
		}
		return err
	}
	text, ok := exports[kind]
	if !ok {
		return refuse.Errorf("%s cannot be exported", kind)
	}
	rows, err := tx.QueryContext(tx.Ctx, text)
	if err != nil {
		return err
	}
	values, into, err := textRow(rows)
	if err != nil {
		return err
	}
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		out := make([]string, len(values))
		for i, v := range values {
			out[i] = v.String
		}
		return write(out)
	})
}

func textRow(rows *sql.Rows) ([]sql.NullString, []any, error) {
	cols, err := rows.Columns()
	if err != nil {
		return nil, nil, err
	}
	values := make([]sql.NullString, len(cols))
	into := make([]any, len(cols))
	for i := range values {
		into[i] = &values[i]
	}
	return values, into, nil
}

// Installs writes the installs present at a time, of one device_id or of all where code is empty. Operating
// systems stand with the devices.
func Installs(tx *sqlite.Tx, at int64, code string, write func(snapshot.ExportedInstall) error) error {
	one, args := "", []any{at}
	if code != "" { // written into the statement, so that the device's installs alone are read
		one, args = " AND i.device_id = (SELECT id FROM device WHERE code = ?2)", append(args, code)
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		`SELECT d.code, r.publisher, r.name, r.version, r.edition, r.architecture, r.language, `+sqlite.Date(
			"i.install_date",
		)+`, pl.path, r.file_name, r.tag_id, r.purl, r.cpe,
		`+sqlite.Date(
			"coalesce((SELECT max(used_on) FROM last_use l WHERE l.device_id = i.device_id AND l.record_id = "+
				"i.record_id), 0)",
		)+`, s.name,
		`+sqlite.Instant(
			"(SELECT max(at) FROM scan c WHERE c.device_id = i.device_id AND c.source_id IN (SELECT id FROM source o "+
				"WHERE o.root = s.root) AND c.at <= ?1)",
		)+`,
		coalesce((SELECT '…' || f.hint FROM install_key k JOIN found_key f ON f.id = k.key_id
			WHERE k.device_id = i.device_id AND k.source_id = i.source_id AND k.record_id = i.record_id AND k.since <= ?1
			AND (k.until IS NULL OR k.until > ?1) ORDER BY k.key_id LIMIT 1), ''),
		CASE WHEN pl.included THEN 'included' ELSE '' END,
		coalesce(p.publisher, ''), coalesce(p.name, ''), coalesce(n.edition, ''), coalesce(n.title_version, ''),
		coalesce(n.step, ''), i.device_id, coalesce(n.product_id, 0), coalesce(n.why_not, 'not recognised'), r.id
		FROM install i JOIN device d ON d.id = i.device_id JOIN record r ON r.id = i.record_id
		JOIN place pl ON pl.id = i.place_id JOIN source s ON s.id = i.source_id
		LEFT JOIN recognition n ON n.record_id = r.id LEFT JOIN product p ON p.id = n.product_id
		WHERE s.part <> '`+snapshot.SystemPart+`' AND i.since <= ?1 AND (i.until IS NULL OR i.until > ?1)`+one+` ORDER BY d.code, r.name, r.version, pl.path, 15`,
		args...)
	if err != nil {
		return err
	}
	values := make([]string, 23)
	var out snapshot.ExportedInstall
	into := make([]any, 0, 27)
	for i := range values {
		into = append(into, &values[i])
	}
	into = append(into, &out.Device, &out.Product, &out.WhyNot, &out.Record)
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		out.Values = append([]string(nil), values...)
		return write(out)
	})
}

// DeviceLines returns a device's present installs as lines of installs.csv, up to seen_at, which is set to a time.
func DeviceLines(tx *sqlite.Tx, code string, seenAt time.Time) ([][]string, error) {
	var out [][]string
	err := Installs(tx, civil.Of(seenAt).EndUnix(), code, func(e snapshot.ExportedInstall) error {
		v := e.Values[:16]
		v[15] = seenAt.UTC().Format(time.RFC3339)
		out = append(out, v)
		return nil
	})
	return out, err
}
