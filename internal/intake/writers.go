package intake

import (
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Writer takes the lines of one kind. put returns a *formats.LineError for a line that cannot go in; finish writes what
// put has gathered.
type Writer struct {
	Put    func(row *formats.Row) (sqlite.Change, error)
	Finish func(res *ImportResult) error
	// InSteps says that the transaction may be written in steps between two lines, and that finish writes it in steps
	// where many wait.
	InSteps bool
	// Close is called when all is over, however it ended; nil is nothing to do.
	Close func()
}

// Arrival is what is known of lines that arrive, besides themselves: when they hold where they do not say, who
// brought them, and from which file.
type Arrival struct {
	Tx           *sqlite.Tx
	Settings     *snapshot.Settings
	AsOf         time.Time
	Author, File string
	From         string // what the lines are of, where that is no list of the house's own, such as a directory
	// Stepped is called before each step of finish is written; nil is nobody.
	Stepped func(res *ImportResult) error
}

// WriterMaker makes what takes the lines of a kind.
type WriterMaker func(in Arrival) (*Writer, error)

func PlainWriter(put func(row *formats.Row) (sqlite.Change, error)) *Writer {
	return &Writer{Put: put, Finish: func(*ImportResult) error { return nil }}
}

func Refuse(row *formats.Row, format string, args ...any) error {
	return &formats.LineError{Line: row.Line, Content: row.Content, Reason: fmt.Sprintf(format, args...)}
}

// RefuseFor refuses a line for the reason that an error gives. An error that is no refusal is a fault, and stays one.
func RefuseFor(row *formats.Row, err error) error {
	if refuse.Is(err) {
		return Refuse(row, "%v", err)
	}
	return err
}

// UpsertWriter takes lines that stand for one thing each.
func UpsertWriter[T any](
	tx *sqlite.Tx,
	prepare func(*sqlite.Tx) (*sqlite.Upserter, error),
	parse func(*formats.Row) (string, T, error),
	put func(*sqlite.Upserter, T, *formats.Row) (sqlite.Change, error),
) (*Writer, error) {
	u, err := prepare(tx)
	return NoTwice(parse, func(v T, row *formats.Row) (sqlite.Change, error) { return put(u, v, row) }), err
}

// oneMustGo ends the reason of a line that says otherwise what an earlier line of its file said.
const oneMustGo = "one of the two must go"

// ForSomebody reports whether a line was put aside for a reason that only somebody can settle: trying it again would
// let it in, since the line that it stood against is not read again.
func ForSomebody(reason string) bool { return strings.HasSuffix(reason, oneMustGo) }

// NoTwice refuses the same thing twice in one file with other values: nobody can say which is right.
func NoTwice[T any](
	parse func(*formats.Row) (string, T, error),
	put func(T, *formats.Row) (sqlite.Change, error),
) *Writer {
	type seen struct {
		line    int
		content string
	}
	before := map[string]seen{}
	return PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		key, v, err := parse(row)
		if err != nil {
			return sqlite.Same, err
		}
		if b, twice := before[key]; twice && b.content != row.Content {
			return sqlite.Same, Refuse(
				row,
				"%s stands already on line %d with other values: "+oneMustGo,
				key,
				b.line,
			)
		}
		change, err := put(v, row)
		if err == nil {
			before[key] = seen{row.Line, row.Content}
		}
		return change, err
	})
}
