package sqlite

// One runs a change that must touch one row.
func (tx *Tx) One(text string, args ...any) error {
	res, err := tx.Exec(text, args...)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}
