package formats

import (
	"archive/zip"
	"fmt"
	"io"
)

// The limits of archives and workbooks: bytes when expanded, members, and how much larger than packed they may grow.
const (
	maxExpanded = 256 << 20
	maxMembers  = 50_000
	maxGrowth   = 200
)

// openArchive opens a zip and refuses one that expands beyond the limits. What the archive says of its sizes holds:
// the reader ends a member that is larger than it says.
func openArchive(in io.ReaderAt, size int64) (*zip.Reader, error) {
	z, err := zip.NewReader(in, size)
	if err != nil {
		return nil, &FileError{"the archive cannot be read: " + err.Error()}
	}
	if len(z.File) > maxMembers {
		return nil, &FileError{fmt.Sprintf("the archive has %d members, more than %d", len(z.File), maxMembers)}
	}
	var whole uint64
	for _, f := range z.File {
		whole += f.UncompressedSize64
		if f.UncompressedSize64 > maxExpanded || whole > maxExpanded {
			return nil, &FileError{fmt.Sprintf("the archive would expand to more than %d MB", maxExpanded>>20)}
		}
	}
	if whole > 1<<20 && whole > uint64(size)*maxGrowth {
		return nil, &FileError{
			fmt.Sprintf("the archive would expand to more than %d times its size: no list of software does",
				maxGrowth),
		}
	}
	return z, nil
}

// readMember reads one member of an archive whole.
func readMember(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, &FileError{fmt.Sprintf("%s in the archive cannot be read: %v", clip(f.Name, 80), err)}
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, maxExpanded+1))
	if err != nil || len(text) > maxExpanded {
		return nil, &FileError{fmt.Sprintf("%s in the archive is damaged or larger than it says", clip(f.Name, 80))}
	}
	return text, nil
}
