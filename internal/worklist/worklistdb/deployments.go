package worklistdb

import (
	"database/sql"
	"time"

	"ensomet/internal/sqlite"
)

// Wave is orders that leave a few at a time. Its state is running, paused or called off.
type Wave struct {
	ID       int64
	Name     string
	PerDay   int64  // how many leave on one day; 0 is all at once
	MaxFails int64  // percent of the answered ones that may fail before it pauses
	State    string // running, paused, called off
	Why      string // why it paused
	Author   string
	At       int64
	Standing int64 // the standing decision whose orders it has; 0 where somebody sent them
	From     int64 // since when its answers count for its pausing
}

const waveColumns = "SELECT id, name, per_day, max_fails, state, why, author, at, standing_id, counts_from FROM wave"

// AddWave writes a wave and returns its number.
func AddWave(tx *sqlite.Tx, w Wave) (int64, error) {
	return tx.Insert(
		`INSERT INTO wave(name, per_day, max_fails, state, author, at, standing_id)
			VALUES (?, ?, ?, 'running', ?, ?, ?)`,
		w.Name,
		w.PerDay,
		w.MaxFails,
		w.Author,
		w.At,
		w.Standing,
	)
}

// SetWave writes the state of a wave, and why it has it.
func SetWave(tx *sqlite.Tx, id int64, state, why string) error {
	return tx.One("UPDATE wave SET state = ?, why = ? WHERE id = ?", state, why, id)
}

// LetWaveGoOn lets a wave run; from then on its answers count anew.
func LetWaveGoOn(tx *sqlite.Tx, id, now int64) error {
	return tx.One("UPDATE wave SET state = 'running', why = '', counts_from = ? WHERE id = ?", now, id)
}

// AnswersSince counts the answers to the orders of a wave at a second or later.
func AnswersSince(tx *sqlite.Tx, wave, since int64) (done, failed int, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce(sum(state = 'done'), 0), coalesce(sum(state = 'failed'), 0) FROM deployment
		WHERE wave_id = ? AND answered_at >= ?`, wave, since).
		Scan(&done, &failed)
	return done, failed, err
}

func scanWave(r *sql.Rows, w *Wave) error {
	return r.Scan(&w.ID, &w.Name, &w.PerDay, &w.MaxFails, &w.State, &w.Why, &w.Author, &w.At, &w.Standing, &w.From)
}

// Waves reads all waves, the newest first.
func Waves(tx *sqlite.Tx) ([]Wave, error) {
	return sqlite.Query(
		tx,
		scanWave,
		waveColumns+" ORDER BY id DESC",
	)
}

// WaveByID reads one wave.
func WaveByID(tx *sqlite.Tx, id int64) (Wave, error) {
	list, err := sqlite.Query(
		tx,
		scanWave,
		waveColumns+" WHERE id = ?",
		id,
	)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Wave{}, err
	}
	return list[0], nil
}

// Deployment is an order to the deployment tool about a case. Its state is waiting, sent, done, failed or withdrawn.
// Times are in seconds since 1970.
type Deployment struct {
	ID, Case, Wave           int64
	State                    string
	After, SentAt, Tries, At int64 // it leaves at After or later; At is when the tool answered
	DueAt, ClaimedUntil      int64 // when it is tried next, and until when whoever tries it has it for himself
	Reason                   string
}

const deploymentColumns = "SELECT id, case_id, wave_id, state, after, sent_at, tries, answered_at, " +
	"reason, due_at, claimed_until FROM deployment"

func scanDeployment(r *sql.Rows, d *Deployment) error {
	return r.Scan(&d.ID, &d.Case, &d.Wave, &d.State, &d.After, &d.SentAt, &d.Tries, &d.At, &d.Reason,
		&d.DueAt, &d.ClaimedUntil)
}

// AddDeployment writes an order that waits, and returns its number.
func AddDeployment(tx *sqlite.Tx, d Deployment) (int64, error) {
	return tx.Insert("INSERT INTO deployment(case_id, wave_id, state, after, due_at) VALUES (?, ?, 'waiting', ?, "+
		"?)",
		d.Case, d.Wave, d.After, d.After)
}

// PutDeployment writes how an order stands.
func PutDeployment(tx *sqlite.Tx, d Deployment) error {
	return tx.One(`UPDATE deployment SET state = ?, sent_at = ?, tries = ?, answered_at = ?, reason = ?, due_at = ?,
		claimed_until = ? WHERE id = ?`, d.State, d.SentAt, d.Tries, d.At, d.Reason, d.DueAt, d.ClaimedUntil, d.ID)
}

// WavesDue lists the running waves that have an order which is due and which nobody tries in this moment.
func WavesDue(tx *sqlite.Tx, now, wall int64) ([]Wave, error) {
	return sqlite.Query(tx, scanWave, waveColumns+` w
		WHERE state = 'running' AND EXISTS (SELECT 1 FROM deployment d WHERE d.wave_id = w.id AND d.state = 'waiting'
		AND d.due_at <= ? AND d.claimed_until <= ?) ORDER BY id`, now, wall)
}

// NextOf is the order of a wave that is due for the longest and that nobody tries in this moment.
func NextOf(tx *sqlite.Tx, wave, now, wall int64) (Deployment, error) {
	list, err := sqlite.Query(tx, scanDeployment, deploymentColumns+` WHERE wave_id = ? AND state = 'waiting'
		AND due_at <= ? AND claimed_until <= ? ORDER BY due_at, id LIMIT 1`, wave, now, wall)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Deployment{}, err
	}
	return list[0], nil
}

// DeploymentByID reads one order.
func DeploymentByID(tx *sqlite.Tx, id int64) (Deployment, error) {
	list, err := sqlite.Query(tx, scanDeployment, deploymentColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Deployment{}, err
	}
	return list[0], nil
}

// DeploymentsIn reads the orders in a state, the oldest first.
func DeploymentsIn(tx *sqlite.Tx, state string) ([]Deployment, error) {
	return sqlite.Query(tx, scanDeployment, deploymentColumns+" WHERE state = ? ORDER BY id", state)
}

// DeploymentOf is the newest order about a case, or one with ID 0.
func DeploymentOf(tx *sqlite.Tx, id int64) (Deployment, error) {
	list, err := sqlite.Query(
		tx,
		scanDeployment,
		deploymentColumns+" WHERE case_id = ? ORDER BY id DESC LIMIT 1",
		id,
	)
	if err != nil || len(list) == 0 {
		return Deployment{}, err
	}
	return list[0], nil
}

// WaveSofar counts the orders of a wave by their states; Today is those sent at a time or later.
type WaveSofar struct {
	Waiting int
	Out     int // sent, without an answer
	Today   int
	Done    int // the tool says that it did them; evidence decides
	Failed  int
	Trying  int   // tried in this moment
	Next    int64 // when the first of those that wait may leave; 0 where none waits
}

// CountWave counts the orders of a wave.
func CountWave(tx *sqlite.Tx, wave, since int64) (s WaveSofar, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT coalesce(sum(state = 'waiting'), 0), coalesce(sum(state = 'sent'), 0),
		coalesce(sum(sent_at >= ?2), 0), coalesce(sum(state = 'done'), 0), coalesce(sum(state = 'failed'), 0),
		coalesce(sum(state = 'waiting' AND claimed_until > ?3), 0),
		coalesce(min(CASE WHEN state = 'waiting' THEN due_at END), 0)
		FROM deployment WHERE wave_id = ?1`, wave, since, time.Now().Unix()).
		Scan(&s.Waiting, &s.Out, &s.Today, &s.Done, &s.Failed, &s.Trying, &s.Next)
	return s, err
}
