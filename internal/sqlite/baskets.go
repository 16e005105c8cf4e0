package sqlite

import (
	"errors"
)

// ErrChangedMeanwhile says that somebody else changed what is being saved.
var ErrChangedMeanwhile = errors.New("somebody else changed it meanwhile: look at what it is now, then do it again")
