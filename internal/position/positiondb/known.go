package positiondb

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// LayInstallsOf says that of the installs those of some products alone matter, whatever was or is recognised as them.
func LayInstallsOf(tx *sqlite.Tx, products []int64) error {
	list, err := json.Marshal(products)
	if err != nil {
		return err
	}
	return tx.LayRows(
		"install",
		"record_id IN (SELECT record_id FROM recognition WHERE product_id IN (SELECT value "+
			"FROM json_each(?)))",
		string(list),
	)
}

// RecognisedSince lists the records that are or were recognised as something else since a mark.
func RecognisedSince(tx *sqlite.Tx, mark int64) ([]int64, error) {
	return tx.ChangedSince("recognition", mark)
}

// decidedOn writes down who did something when.
func decidedOn(what, who string, at int64) string {
	return fmt.Sprintf("%s by %s on %s", what, who, civil.OfUnix(at))
}

// DecidedBy says in words what makes a record what it is recognised as, and since when where a person did.
func DecidedBy(tx *sqlite.Tx, n stored.Recognition) (string, error) {
	type act struct {
		Who string
		At  int64
	}
	first := func(what, query string, args ...any) (string, error) {
		list, err := sqlite.Select[act](tx, query, args...)
		if err != nil || len(list) == 0 {
			return "", err
		}
		return decidedOn(what, list[0].Who, list[0].At), nil
	}
	switch n.Step {
	case recognise.ByDecision:
		return first(
			"decided",
			"SELECT author AS who, at FROM decision WHERE key = ? AND withdrawn_at IS NULL AND "+
				"state = 'holds'",
			n.Key,
		)
	case recognise.ByRule:
		names, err := sqlite.Select[string](tx, "SELECT name FROM name_rule WHERE id = ?", n.Rule)
		if err != nil || len(names) == 0 {
			return "", err
		}
		return first(
			"by the rule “"+names[0]+"”, made",
			"SELECT author AS who, at FROM name_rule WHERE id = ?",
			n.Rule,
		)
	}
	back, err := first(
		"the decision was taken back",
		"SELECT withdrawn_by AS who, withdrawn_at AS at FROM decision "+
			"WHERE key = ? AND withdrawn_at IS NOT NULL ORDER BY withdrawn_at DESC, id DESC LIMIT 1",
		n.Key,
	)
	if err != nil || back != "" {
		return back, err
	}
	if n.Product == 0 {
		return n.WhyNot, nil
	}
	return "by the catalogue", nil
}

// EnteredSince lists what was entered on lines and in the catalogue about a product since a mark, in words: a line for
// each, the newest first.
func EnteredSince(tx *sqlite.Tx, product, mark int64) ([]string, error) {
	since := map[string]string{}
	for _, table := range []string{"entitlement_change", "txn", "catalogue_change"} {
		ids, err := tx.ChangedSince(table, mark)
		if err != nil {
			return nil, err
		}
		list, err := json.Marshal(ids)
		if err != nil {
			return nil, err
		}
		since[table] = string(list)
	}
	type entry struct {
		What, Field, Was, Is, Who string
		On                        civil.Day
		At                        int64
	}
	list, err := sqlite.Select[entry](tx, `
		SELECT e.code AS what, c.field, c.was, c.is_now AS "is", 0 AS "on", c.author AS who, c.at FROM
			entitlement_change c JOIN entitlement e ON e.id = c.entitlement_id WHERE e.product_id = ?1 AND c.id IN
			(SELECT value FROM json_each(?2))
		UNION ALL SELECT e.code, CASE WHEN t.gone_at IS NULL THEN '' ELSE 'taken back: ' END || t.type, '', t.quantity,
			t.on_day, CASE WHEN t.gone_at IS NULL THEN t.author ELSE t.gone_by END, coalesce(t.gone_at, t.at) FROM txn t
			JOIN entitlement e ON e.id = t.entitlement_id WHERE e.product_id = ?1 AND t.id IN (SELECT value FROM
			json_each(?3))
		UNION ALL SELECT trim(coalesce(i.edition, '') || ' ' || coalesce(i.version, '')), c.field, c.was, c.is_now, 0,
			c.author, c.at FROM catalogue_change c LEFT JOIN title i ON i.id = c.title_id WHERE c.product_id = ?1 AND
			c.id IN (SELECT value FROM json_each(?4))
		ORDER BY 7 DESC, 1, 2 LIMIT 40`, product, since["entitlement_change"], since["txn"], since["catalogue_change"])
	out := make([]string, 0, len(list))
	for _, e := range list {
		text := cmp.Or(e.What, "the product") + ": " + strings.ReplaceAll(e.Field, "_", " ")
		if e.Was != "" {
			text += " " + e.Was + " →"
		}
		text += " " + e.Is
		if e.On.Known() {
			text += " of " + e.On.String()
		}
		out = append(out, decidedOn(text+", entered", e.Who, e.At))
	}
	return out, err
}
