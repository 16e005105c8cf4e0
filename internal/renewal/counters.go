package renewal

import (
	"strconv"

	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// The counters of changes. What is derived remembers up to which change it counts, so that a change that comes in
// while figures are being computed, by this program or by another on the same file, is not taken for done.
const (
	Changes          = "changes"           // of anything that figures rest on
	ComputedChanges  = "computed_changes"  // the value of changes that stored figures count
	CatalogueChanges = "catalogue_changes" // of the catalogue, after which every record is recognised anew
	RecognisedFor    = "recognised_for"    // the value of catalogueChanges that recognition counts
	InventoryChanges = "machine_changes"   // of devices, people, and how old evidence of them is
	ComputedFor      = "computed_for"      // the day for which everything was computed
	DerivedFor       = "derived_for"       // the value of catalogueChanges that everything was computed by
	moves            = "moves"             // how often something that is derived was written
)

// Moves says how often something that is derived was written, by this program or by another.
func Moves(tx *sqlite.Tx) (int64, error) {
	v, err := tx.Setting(moves)
	n, _ := strconv.ParseInt(v, 10, 64) // empty is never
	return n, err
}

// CountMove notes that something that is derived is written.
func CountMove(tx *sqlite.Tx) error {
	n, err := Moves(tx)
	if err != nil {
		return err
	}
	return tx.SetSetting(moves, sqlite.Itoa(n+1))
}

// Behind reports whether anything is to be computed anew for a day: something has changed since, or it was computed
// for another one.
func Behind(tx *sqlite.Tx, today civil.Day) (bool, error) {
	for _, two := range [][2]string{{Changes, ComputedChanges}, {CatalogueChanges, DerivedFor}} {
		now, err := tx.Setting(two[0])
		if err != nil {
			return false, err
		}
		if computed, err := tx.Setting(two[1]); err != nil || now != computed {
			return true, err
		}
	}
	day, err := tx.Setting(ComputedFor)
	if err != nil || day != today.String() {
		return true, err
	}
	if all, err := AllTouched(tx); err != nil || all {
		return all, err
	}
	return Interrupted(tx)
}

// Interrupted reports whether an import touched devices that are not counted yet, and has not counted its change: it
// goes on, or was broken off.
func Interrupted(tx *sqlite.Tx) (is bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM import WHERE state <> 'done') AND "+
		"EXISTS (SELECT 1 FROM touched_device WHERE counted = 0)").Scan(&is)
	return is, err
}

// Mark notes in the changing transaction that everything derived is to be computed again; all says that every record
// must be recognised anew.
func Mark(tx *sqlite.Tx, all bool) error {
	if err := TouchAll(tx); err != nil {
		return err
	}
	if all {
		return Count(tx, Changes, InventoryChanges, CatalogueChanges)
	}
	return Count(tx, Changes, InventoryChanges)
}

// MarkCatalogue notes that titles changed. Which products that touches follows from the log of the catalogue and from
// recognition.
func MarkCatalogue(tx *sqlite.Tx) error { return Count(tx, Changes, CatalogueChanges) }

// MarkProducts notes that what the positions of some products rest on has changed, and nothing else.
func MarkProducts(tx *sqlite.Tx, products ...int64) error {
	if err := Touch(tx, products); err != nil {
		return err
	}
	return Count(tx, Changes)
}

// Count moves counters on.
func Count(tx *sqlite.Tx, counters ...string) error {
	tx.Announce(Topic)
	for _, key := range counters {
		v, err := tx.Setting(key)
		if err != nil {
			return err
		}
		n, _ := strconv.Atoi(v) // empty is the first change
		next := strconv.Itoa(n + 1)
		if tx.Previewed() {
			next = v + " previewed" // what is kept for a state of the file is never that of a preview
		}
		if err := tx.SetSetting(key, next); err != nil {
			return err
		}
	}
	return nil
}
