package worklistdb

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Question is what a user is asked about cases. The key of its page is kept as a hash alone.
type Question struct {
	ID, Person int64
	Address    string
	AskedAt    int64
	AskedBy    string
	AnswerBy   civil.Day
	Reminders  int64
	EndedAt    int64
}

const questionColumns = "SELECT id, person_id, address, asked_at, asked_by, answer_by, reminders, ended_at " +
	"FROM question"

func scanQuestion(r *sql.Rows, q *Question) error {
	return r.Scan(&q.ID, &q.Person, &q.Address, &q.AskedAt, &q.AskedBy, &q.AnswerBy, &q.Reminders, &q.EndedAt)
}

func oneQuestion(list []Question, err error) (Question, error) {
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Question{}, err
	}
	return list[0], nil
}

// AddQuestion writes a question and the cases that it is about, and returns its number.
func AddQuestion(tx *sqlite.Tx, q Question, cases []int64) (int64, error) {
	res, err := tx.Exec(
		"INSERT INTO question(person_id, address, asked_at, asked_by, answer_by) VALUES (?, ?, ?, ?, ?)",
		q.Person,
		q.Address,
		q.AskedAt,
		q.AskedBy,
		q.AnswerBy,
	)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	for _, c := range cases {
		if _, err := tx.Exec("INSERT INTO question_case(question_id, case_id) VALUES (?, ?)", id, c); err != nil {
			return 0, err
		}
	}
	return id, nil
}

// SetQuestionHash writes the hash of a question's key.
func SetQuestionHash(tx *sqlite.Tx, id int64, hash []byte) error {
	return tx.One("UPDATE question SET hash = ? WHERE id = ?", hash, id)
}

// QuestionByID reads one question.
func QuestionByID(tx *sqlite.Tx, id int64) (Question, error) {
	return oneQuestion(sqlite.Query(tx, scanQuestion, questionColumns+" WHERE id = ?", id))
}

// QuestionByHash finds the question that a key opens.
func QuestionByHash(tx *sqlite.Tx, hash []byte) (Question, error) {
	return oneQuestion(sqlite.Query(tx, scanQuestion, questionColumns+" WHERE hash = ?", hash))
}

// OpenQuestions reads the questions that may still be answered in time.
func OpenQuestions(tx *sqlite.Tx) ([]Question, error) {
	return sqlite.Query(tx, scanQuestion, questionColumns+" WHERE ended_at = 0 ORDER BY id")
}

// PutQuestion writes until when a question may be answered, how often its user was reminded, and whether it has ended.
func PutQuestion(tx *sqlite.Tx, q Question) error {
	return tx.One(
		"UPDATE question SET answer_by = ?, reminders = ?, ended_at = ? WHERE id = ?",
		q.AnswerBy,
		q.Reminders,
		q.EndedAt,
		q.ID,
	)
}

// Asking is one case of a question, with what was answered.
type Asking struct {
	Case       int64
	Answer     string // needed, not needed, or empty
	Note       string
	AnsweredAt int64
}

// Askings reads the cases of a question.
func Askings(tx *sqlite.Tx, question int64) ([]Asking, error) {
	return sqlite.Select[Asking](tx, `SELECT case_id AS "case", answer, note,
		answered_at FROM question_case WHERE question_id = ? ORDER BY case_id`,
		question,
	)
}

// PutAnswer writes what was answered about a case.
func PutAnswer(tx *sqlite.Tx, question int64, a Asking) error {
	return tx.One(
		"UPDATE question_case SET answer = ?, note = ?, answered_at = ? WHERE question_id = ? AND case_id = ?",
		a.Answer,
		a.Note,
		a.AnsweredAt,
		question,
		a.Case,
	)
}

// QuestionOf is the newest question about a case that has not ended, or 0.
func QuestionOf(tx *sqlite.Tx, id int64) (question int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(q.id), 0) FROM question q JOIN question_case c ON c.question_id = q.id WHERE c.case_id "+
			"= ? AND q.ended_at = 0", id).
		Scan(&question)
	return question, err
}

// NewestQuestion is the newest question about a case, ended or not; 0 where there is none.
func NewestQuestion(tx *sqlite.Tx, id int64) (question int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT coalesce(max(question_id), 0) FROM question_case WHERE case_id = ?", id).
		Scan(&question)
	return question, err
}

// DropAsking takes a case out of a question; a question without cases is gone, with its mail that has not left.
func DropAsking(tx *sqlite.Tx, question, id int64) error {
	if _, err := tx.Exec("DELETE FROM question_case WHERE question_id = ? AND case_id = ?", question, id); err != nil {
		return err
	}
	_, err := tx.Exec(
		"DELETE FROM question WHERE id = ?1 AND NOT EXISTS (SELECT 1 FROM question_case WHERE question_id = ?1)",
		question,
	)
	return err
}

// CaseGroup is cases that one decision may serve: of one kind, about one product, in one state.
type CaseGroup struct {
	Kind      string
	State     string
	ProductID int64
	Product   string
	Publisher string
	Count     int64
	Amount    string
	Currency  string
	InHouse   string // the same in the currency of the house today; empty where there is no rate
}

// house is the currency of the house, in SQL.
const house = "coalesce((SELECT nullif(value, '') FROM setting WHERE key = '" + snapshot.HouseCurrency + "'), 'EUR')"

// CaseGroups gathers the cases that wait for a decision or are under way, the largest lots first. A lot of several
// currencies is summed up in that of the house.
func CaseGroups(tx *sqlite.Tx, limit int) ([]CaseGroup, error) {
	own := "sum(" + sqlite.InEUR("c.amount", "c.currency") + ") / " + sqlite.InEUR("1", house)
	mixed := "count(DISTINCT CASE WHEN CAST(c.amount AS REAL) <> 0 THEN c.currency END) > 1"
	return sqlite.Query(tx, func(r *sql.Rows, g *CaseGroup) error {
		var amount int64
		err := r.Scan(&g.Kind, &g.State, &g.ProductID, &g.Product, &g.Publisher, &g.Count, &amount, &g.Currency)
		g.Amount = decimal.New(amount, -4).String()
		return err
	}, `SELECT c.kind, c.state, c.product_id, p.name, p.publisher, count(*), CASE WHEN
		`+mixed+` THEN CAST(round(`+own+` * 100) AS INTEGER) * 100
		ELSE sum(`+sqlite.TenThousandths("c.amount")+`) END,
		CASE WHEN `+mixed+` THEN `+house+` ELSE coalesce(max(CASE WHEN CAST(c.amount AS REAL) <> 0 THEN c.currency END),
			max(c.currency)) END
		FROM worklist_case c JOIN product p ON p.id = c.product_id
		WHERE c.state NOT IN ('gone', 'lapsed', 'kept') GROUP BY c.kind, c.state, c.product_id
		ORDER BY c.state IN ('open', 'answered', 'silent', 'failed') DESC, count(*) DESC,
		`+own+` DESC, p.name LIMIT ?`, limit)
}
