package titlesdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/sqlite"
)

// RecognitionRun says what a recognition of everything anew changed.
type RecognitionRun struct {
	ID       int64
	At       int64
	Records  int64 // distinct records that were looked at
	Found    int64 // of them newly recognised
	Moved    int64 // of them recognised as something else than before
	Lost     int64 // of them no longer recognised
	Installs int64 // of all these
	TookMS   int64
	Detail   []RecordsMoved
}

// RecordsMoved are records that were one product and are another; 0 is none.
type RecordsMoved struct {
	From     int64  `json:"from"`
	To       int64  `json:"to"`
	FromName string `json:"fromName"`
	ToName   string `json:"toName"`
	Records  int64  `json:"records"`
	Installs int64  `json:"installs"`
}

// AddRecognitionRun keeps what a recognition of everything changed.
func AddRecognitionRun(tx *sqlite.Tx, r RecognitionRun) error {
	detail, err := json.Marshal(r.Detail)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO recognition_run(at, records, found, moved, lost, installs, took_ms, detail) VALUES (?, ?, ?, ?, "+
			"?, ?, ?, ?)",
		r.At,
		r.Records,
		r.Found,
		r.Moved,
		r.Lost,
		r.Installs,
		r.TookMS,
		string(detail),
	)
	return err
}

// RecognitionRuns reads the newest runs.
func RecognitionRuns(tx *sqlite.Tx, most int) ([]RecognitionRun, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *RecognitionRun) error {
		var detail string
		if err := r.Scan(&v.ID, &v.At, &v.Records, &v.Found, &v.Moved, &v.Lost, &v.Installs, &v.TookMS,
			&detail); err != nil {
			return err
		}
		return json.Unmarshal([]byte(detail), &v.Detail)
	}, "SELECT id, at, records, found, moved, lost, installs, took_ms, detail FROM recognition_run ORDER BY id DESC "+
		"LIMIT ?", most)
}
