package worklistdb

import (
	"database/sql"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// Standing is a standing decision as it is stored. Its state is running, paused or ended. Times are in seconds since
// 1970.
type Standing struct {
	ID          int64
	Ground      casework.Ground
	Seen        int64  // the revision of its ground that whoever answers for it has seen
	Group       string // empty is every device
	PerDay      int
	MaxFails    int // percent of the answered orders that may fail before it pauses
	HoldMinutes int // how long its orders wait before they leave the house
	Until       civil.Day
	Note        string
	Author      string // who answers for it
	At          int64  // since when
	ApprovedBy  string
	ApprovedAt  int64
	State       string
	Why         string // why it is paused
	StateAt     int64  // since when it runs or is paused
	EndedAt     int64
	EndedBy     string
}

const standingColumns = `SELECT id, ground, ground_id, ground_revision, group_name, per_day, max_fails, hold_minutes,
	until_day, note, author, at, approved_by, approved_at, state, why, state_at, ended_at, ended_by FROM standing`

func scanStanding(r *sql.Rows, s *Standing) error {
	return r.Scan(&s.ID, &s.Ground.Kind, &s.Ground.ID, &s.Seen, &s.Group, &s.PerDay, &s.MaxFails, &s.HoldMinutes,
		&s.Until, &s.Note, &s.Author, &s.At, &s.ApprovedBy, &s.ApprovedAt, &s.State, &s.Why, &s.StateAt, &s.EndedAt,
		&s.EndedBy)
}

// StandingDecisions reads those that have not ended, by their numbers.
func StandingDecisions(tx *sqlite.Tx) ([]Standing, error) {
	return sqlite.Query(tx, scanStanding, standingColumns+" WHERE ended_at = 0 ORDER BY id")
}

// StandingByID reads one, ended or not.
func StandingByID(tx *sqlite.Tx, id int64) (Standing, error) {
	list, err := sqlite.Query(tx, scanStanding, standingColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Standing{}, err
	}
	return list[0], nil
}

// PutStanding writes one, with ID 0 a new one, and returns its number.
func PutStanding(tx *sqlite.Tx, s Standing) (int64, error) {
	values := []any{
		s.Ground.Kind,
		s.Ground.ID,
		s.Seen,
		s.Group,
		s.PerDay,
		s.MaxFails,
		s.HoldMinutes,
		s.Until,
		s.Note,
		s.Author,
		s.At,
		s.ApprovedBy,
		s.ApprovedAt,
		s.State,
		s.Why,
		s.StateAt,
		s.EndedAt,
		s.EndedBy,
	}
	if s.ID == 0 {
		return tx.Insert(`INSERT INTO standing(ground, ground_id, ground_revision, group_name, per_day, max_fails,
			hold_minutes, until_day, note, author, at, approved_by, approved_at, state, why, state_at, ended_at, ended_by)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, values...)
	}
	return s.ID, tx.One(`UPDATE standing SET ground = ?, ground_id = ?, ground_revision = ?, group_name = ?,
		per_day = ?, max_fails = ?, hold_minutes = ?, until_day = ?, note = ?, author = ?, at = ?, approved_by = ?,
		approved_at = ?, state = ?, why = ?, state_at = ?, ended_at = ?, ended_by = ? WHERE id = ?`,
		append(values, s.ID)...)
}

// fits says in SQL which cases a standing decision may take: open ones of its ground and group, none twice. It returns
// the arguments too.
func (s *Standing) fits(inGroup bool) (string, []any) {
	kinds := s.Ground.Sends()
	words := make([]string, len(kinds))
	for i, k := range kinds {
		words[i] = "'" + string(k) + "'"
	}
	where := ` FROM worklist_case c JOIN device d ON d.id = c.device_id WHERE c.ground = ? AND c.ground_id = ?
		AND c.state = 'open' AND c.kind IN (` + strings.Join(words, ", ") + `) AND NOT EXISTS (SELECT 1 FROM
		standing_case t WHERE t.case_id = c.id AND t.opened_at = c.opened_at)`
	args := []any{s.Ground.Kind, s.Ground.ID}
	if inGroup && s.Group != "" {
		where += ` AND CASE WHEN EXISTS (SELECT 1 FROM device_group g WHERE g.name = ?)
			THEN d.id IN (SELECT m.device_id FROM group_member m JOIN device_group g ON g.id = m.group_id WHERE g.name = ?)
			ELSE ? IN (d.site, d.kind, d.environment) OR substr(d.org_unit || '/', 1, length(?) + 1) = ? || '/' END`
		args = append(args, s.Group, s.Group, s.Group, s.Group, s.Group)
	}
	if s.Ground.Kind == casework.OnPlan { // what moves goes once what it moves to is there
		where += ` AND NOT EXISTS (SELECT 1 FROM release_plan p WHERE p.id = c.ground_id AND p.what = 'move'
			AND NOT EXISTS (SELECT 1 FROM install i JOIN recognition n ON n.record_id = i.record_id
				JOIN title t ON t.id = n.title_id WHERE i.device_id = c.device_id AND i.until IS NULL
				AND t.product_id = p.to_product AND p.to_version IN ('', t.version)))`
	}
	return where, args
}

// CasesFor lists the cases that a standing decision may take now, the oldest first, at most so many.
func CasesFor(tx *sqlite.Tx, s *Standing, most int) ([]int64, error) {
	where, args := s.fits(true)
	return sqlite.Select[int64](
		tx,
		"SELECT c.id"+where+" ORDER BY c.opened_at, c.id LIMIT ?",
		append(args, most)...)
}

// CountFor counts the cases that a standing decision may take now, in its group and on all devices.
func CountFor(tx *sqlite.Tx, s *Standing) (inGroup, all int, err error) {
	for into, group := range map[*int]bool{&inGroup: true, &all: false} {
		where, args := s.fits(group)
		if err := tx.QueryRowContext(tx.Ctx, "SELECT count(*)"+where, args...).Scan(into); err != nil {
			return 0, 0, err
		}
	}
	return inGroup, all, nil
}

// TakeCase keeps that a standing decision took a case as it was opened.
func TakeCase(tx *sqlite.Tx, standing int64, c *casework.Case, at int64) error {
	_, err := tx.Exec("INSERT INTO standing_case(case_id, opened_at, standing_id, at) VALUES (?, ?, ?, ?)",
		c.ID, c.OpenedAt, standing, at)
	return err
}

// StandingSofar is what came of a standing decision.
type StandingSofar struct {
	Taken   int // cases, in all
	Today   int // of them today
	Left    int // orders that left today, or are tried in this moment
	Waiting int // orders
	Out     int // sent, without an answer
	Done    int // the tool says that it did them; evidence decides
	Failed  int
	// of the answers, those since it was last let go on
	DoneSince, FailedSince int
}

// CountStanding counts what came of a standing decision; today is when the day began.
func CountStanding(tx *sqlite.Tx, s *Standing, today, wall int64) (n StandingSofar, err error) {
	if err = tx.QueryRowContext(tx.Ctx,
		"SELECT count(*), coalesce(sum(at >= ?), 0) FROM standing_case WHERE standing_id = ?", today,
		s.ID).Scan(&n.Taken, &n.Today); err != nil {
		return n, err
	}
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce(sum(d.sent_at >= ?2 OR d.state = 'waiting' AND d.claimed_until > ?3), 0),
		coalesce(sum(d.state = 'waiting'), 0), coalesce(sum(d.state = 'sent'), 0), coalesce(sum(d.state = 'done'), 0),
		coalesce(sum(d.state = 'failed'), 0), coalesce(sum(d.state = 'done' AND d.answered_at >= ?4), 0),
		coalesce(sum(d.state = 'failed' AND d.answered_at >= ?4), 0)
		FROM wave w JOIN deployment d ON d.wave_id = w.id WHERE w.standing_id = ?1`, s.ID, today, wall, s.StateAt).
		Scan(&n.Left, &n.Waiting, &n.Out, &n.Done, &n.Failed, &n.DoneSince, &n.FailedSince)
	return n, err
}

// WavesOf lists the waves of a standing decision that have orders which wait.
func WavesOf(tx *sqlite.Tx, standing int64) ([]Wave, error) {
	return sqlite.Query(tx, scanWave, waveColumns+` w WHERE standing_id = ? AND EXISTS (SELECT 1 FROM deployment d
		WHERE d.wave_id = w.id AND d.state = 'waiting') ORDER BY id`, standing)
}

// NewestWaveOf is the number of the newest wave of a standing decision that runs and was made at a second or later; 0
// where there is none.
func NewestWaveOf(tx *sqlite.Tx, standing, since int64) (id int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce(max(id), 0) FROM wave WHERE standing_id = ? AND at >= ? AND state = 'running'`,
		standing, since).
		Scan(&id)
	return id, err
}

// RoleOf is the role of an account; empty where there is none of that name.
func RoleOf(tx *sqlite.Tx, name string) (role string, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(role), '') FROM account WHERE name = ?", name).Scan(&role)
	return role, err
}
