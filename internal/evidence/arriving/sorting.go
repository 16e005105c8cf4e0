package arriving

import (
	"bufio"
	"cmp"
	"container/heap"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"unsafe"

	"ensomet/internal/core/civil"
)

// scanLine is an install line in a compact form: a million of them fit in 40 MB.
type scanLine struct {
	device, source int32
	record, place  int32
	key            int32 // a licence key that was found, 0 where there is none
	installed      civil.Day
	lastUsed       civil.Day
	at             int64
}

const lineSize = 36

func (l *scanLine) write(b []byte) {
	for i, v := range [...]int32{l.device, l.source, l.record, l.place, l.key, int32(l.installed), int32(l.lastUsed)} {
		binary.LittleEndian.PutUint32(b[4*i:], uint32(v))
	}
	binary.LittleEndian.PutUint64(b[28:], uint64(l.at))
}

func (l *scanLine) read(b []byte) {
	at := func(i int) int32 { return int32(binary.LittleEndian.Uint32(b[4*i:])) }
	*l = scanLine{at(0), at(1), at(2), at(3), at(4), civil.Day(at(5)), civil.Day(at(6)),
		int64(binary.LittleEndian.Uint64(b[28:]))}
}

func inOrder(a, b scanLine) int {
	return cmp.Or(
		cmp.Compare(a.device, b.device),
		cmp.Compare(a.source, b.source),
		cmp.Compare(a.at, b.at),
		cmp.Compare(a.record, b.record),
		cmp.Compare(a.place, b.place),
	)
}

// mostInMemory is how many lines are sorted in memory. More are put into files beside, which are merged, so that a
// file may have more lines than fit.
const mostInMemory = 80 << 20 / int(unsafe.Sizeof(scanLine{}))

// sorter puts lines in the order of devices, sources and times.
type sorter struct {
	most  int    // in memory
	dir   string // of the files
	lines []scanLine
	files []*os.File // each in order
	heads []run      // a heap, the first line first
}

// add adds a line.
func (s *sorter) add(l scanLine) error {
	if len(s.lines) < s.most {
		s.lines = append(s.lines, l)
		return nil
	}
	if err := s.spill(); err != nil {
		return err
	}
	s.lines = append(s.lines, l)
	return nil
}

func (s *sorter) sort() {
	if !slices.IsSortedFunc(s.lines, inOrder) {
		slices.SortFunc(s.lines, inOrder)
	}
}

// spill puts the lines that are in memory into a file, which nobody else sees and which goes with the program.
func (s *sorter) spill() error {
	s.sort()
	f, err := os.CreateTemp(s.dir, ".ensomet-lines-*")
	if err != nil {
		return fmt.Errorf("lines cannot be put aside: %w", err)
	}
	s.files = append(s.files, f)
	_ = os.Remove(f.Name()) // where an open file cannot be removed, close does
	w := bufio.NewWriterSize(f, 1<<20)
	var b [lineSize]byte
	for i := range s.lines {
		s.lines[i].write(b[:])
		if _, err := w.Write(b[:]); err != nil {
			return fmt.Errorf("lines cannot be put aside: %w", err)
		}
	}
	s.lines = s.lines[:0]
	if err := w.Flush(); err != nil {
		return fmt.Errorf("lines cannot be put aside: %w", err)
	}
	_, err = f.Seek(0, io.SeekStart)
	return err
}

// close throws away what was put aside.
func (s *sorter) close() {
	for _, f := range s.files {
		_ = f.Close()
		_ = os.Remove(f.Name())
	}
}

// run is a part of the lines in order, of which line is the first that was not taken.
type run struct {
	line scanLine
	next func(l *scanLine) error // io.EOF at the end
}

func (s *sorter) Len() int           { return len(s.heads) }
func (s *sorter) Less(i, j int) bool { return inOrder(s.heads[i].line, s.heads[j].line) < 0 }
func (s *sorter) Swap(i, j int)      { s.heads[i], s.heads[j] = s.heads[j], s.heads[i] }
func (s *sorter) Push(any)           {} // it only becomes smaller
func (s *sorter) Pop() any {
	s.heads = s.heads[:len(s.heads)-1]
	return nil
}

// begin ends adding: what follows takes lines in order.
func (s *sorter) begin() error {
	s.sort()
	at := 0
	s.heads = []run{{next: func(l *scanLine) error {
		if at == len(s.lines) {
			return io.EOF
		}
		*l = s.lines[at]
		at++
		return nil
	}}}
	for _, f := range s.files {
		r := bufio.NewReaderSize(f, 1<<16)
		var b [lineSize]byte
		s.heads = append(s.heads, run{next: func(l *scanLine) error {
			if _, err := io.ReadFull(r, b[:]); err != nil {
				return err
			}
			l.read(b[:])
			return nil
		}})
	}
	left := s.heads[:0]
	for _, r := range s.heads {
		switch err := r.next(&r.line); {
		case errors.Is(err, io.EOF):
		case err != nil:
			return fmt.Errorf("lines that were put aside cannot be read: %w", err)
		default:
			left = append(left, r)
		}
	}
	s.heads = left
	heap.Init(s)
	return nil
}

// first is the next line, where there is one.
func (s *sorter) first() (l scanLine, there bool) {
	if len(s.heads) == 0 {
		return l, false
	}
	return s.heads[0].line, true
}

// group appends to list the next lines of one source on one device. It is empty at the end.
func (s *sorter) group(list []scanLine) ([]scanLine, error) {
	from := len(list)
	for {
		l, there := s.first()
		if !there || len(list) > from && (l.device != list[from].device || l.source != list[from].source) {
			return list, nil
		}
		list = append(list, l)
		switch err := s.heads[0].next(&s.heads[0].line); {
		case errors.Is(err, io.EOF):
			s.heads[0] = s.heads[len(s.heads)-1]
			s.Pop()
			if len(s.heads) > 0 {
				heap.Fix(s, 0)
			}
		case err != nil:
			return list, fmt.Errorf("lines that were put aside cannot be read: %w", err)
		case len(s.heads) > 1:
			heap.Fix(s, 0)
		}
	}
}
