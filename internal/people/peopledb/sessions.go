package peopledb

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"

	"github.com/alexedwards/scs/v2"
)

// SessionAccount is the key under which a session holds the number of its account; it holds nothing else.
const SessionAccount = "account"

// SessionEntered is the key under which a session that begins says by which password it was entered (Entered). It is
// looked at when the session is kept, and not kept itself.
const SessionEntered = "entered"

// Entered is what is told apart of passwords: a part of a hash of their hash.
func Entered(hash string) string { return hashed(hash)[:16] }

// errOldPassword refuses a session that was entered by a password that was changed while it was being checked.
var errOldPassword = refuse.New("the password of this account was changed while you signed in: sign in once more")

// WebSessions keeps signed-in browsers; it serves as the store of the session package, so that a restart signs nobody
// out. Of a browser's token its hash alone is kept: whoever reads the file can enter nowhere. A session of which
// nothing was heard for Idle has ended.
type WebSessions struct {
	DB   *sqlite.DB
	Idle time.Duration
	Now  func() time.Time
}

// hashed is what is kept of a token. Tokens are 256 random bits, so that a plain hash is enough.
func hashed(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// Find returns the data of a session that has not ended.
func (w WebSessions) Find(token string) ([]byte, bool, error) {
	var data []byte
	now := w.Now()
	err := w.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		return tx.QueryRow("SELECT data FROM web_session WHERE token = ? AND expiry > ? AND seen > ?",
			hashed(token), now.Unix(), now.Add(-w.Idle).Unix()).Scan(&data)
	})
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// errNoAccount says that a session was to be kept that belongs to nobody.
var errNoAccount = errors.New("a session without an account cannot be kept")

// Commit keeps a session that begins, and forgets those that have ended. One whose password was changed between its
// being checked and now is refused: a new password ends all sessions of its account, also those that are on their way.
func (w WebSessions) Commit(token string, data []byte, expiry time.Time) error {
	deadline, values, err := scs.GobCodec{}.Decode(data)
	if err != nil {
		return err
	}
	entered, asked := values[SessionEntered].(string)
	delete(values, SessionEntered)
	if data, err = (scs.GobCodec{}).Encode(deadline, values); err != nil {
		return err
	}
	account, _ := values[SessionAccount].(int64)
	if account == 0 {
		return errNoAccount
	}
	now := w.Now()
	return w.DB.Update(context.Background(), func(tx *sqlite.Tx) error {
		var hash string
		if err := tx.QueryRow("SELECT coalesce(max(hash), '') FROM account WHERE id = ?", account).
			Scan(&hash); err != nil {
			return err
		}
		if asked && Entered(hash) != entered {
			return errOldPassword
		}
		if _, err := tx.Exec("DELETE FROM web_session WHERE expiry <= ? OR seen <= ?",
			now.Unix(), now.Add(-w.Idle).Unix()); err != nil {
			return err
		}
		_, err := tx.Exec("INSERT INTO web_session(token, account_id, data, seen, expiry) VALUES (?, ?, ?, ?, ?)",
			hashed(token), account, data, now.Unix(), expiry.Unix())
		return err
	})
}

// Delete ends a session.
func (w WebSessions) Delete(token string) error {
	return w.DB.Update(context.Background(), func(tx *sqlite.Tx) error {
		_, err := tx.Exec("DELETE FROM web_session WHERE token = ?", hashed(token))
		return err
	})
}

// touchEvery is how often it is written down that something was heard of a session.
const touchEvery = time.Minute

// Touch notes that something was heard of a session. One that has ended meanwhile stays ended.
func (w WebSessions) Touch(ctx context.Context, token string) error {
	now, hash := w.Now(), hashed(token)
	var seen int64
	err := w.DB.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRow("SELECT seen FROM web_session WHERE token = ?", hash).Scan(&seen)
	})
	if errors.Is(err, sql.ErrNoRows) || err == nil && now.Unix() < seen+int64(touchEvery.Seconds()) {
		return nil
	}
	if err != nil {
		return err
	}
	return w.DB.Update(ctx, func(tx *sqlite.Tx) error {
		_, err := tx.Exec("UPDATE web_session SET seen = ?1 WHERE token = ?2 AND seen BETWEEN ?3 AND ?1",
			now.Unix(), hash, now.Add(-w.Idle).Unix()+1)
		return err
	})
}
