package secret

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// Whoever makes the secret first wins, and all get the same one: a key that was sealed can be opened again.
func TestMadeOnce(t *testing.T) {
	for range 50 {
		f := Beside(filepath.Join(t.TempDir(), "data.db"))
		got := make([][]byte, 16)
		var ready, done sync.WaitGroup
		ready.Add(1)
		for i := range got {
			done.Go(func() {
				ready.Wait()
				secret, err := f.ReadOrMake()
				if err != nil {
					t.Error(err)
				}
				got[i] = secret
			})
		}
		ready.Done()
		done.Wait()
		kept, err := f.Read()
		if err != nil {
			t.Fatal(err)
		}
		for _, secret := range got {
			if !bytes.Equal(secret, kept) {
				t.Fatal("somebody got a secret that is not the one that was kept")
			}
		}
		left, err := os.ReadDir(filepath.Dir(string(f)))
		if err != nil || len(left) != 1 {
			t.Fatalf("beside the secret there is %v, %v", left, err)
		}
	}
}

func TestFile(t *testing.T) {
	f := Beside(filepath.Join(t.TempDir(), "data.db"))
	if _, err := f.Read(); err == nil || !strings.Contains(err.Error(), "put it back") {
		t.Errorf("without a file: %v", err)
	}
	if _, err := f.ReadOrMake(); err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(string(f)); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the file has the mode %v, %v", info.Mode(), err)
	}
	if err := os.WriteFile(string(f), []byte("short"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := f.ReadOrMake(); err == nil || !strings.Contains(err.Error(), "not what this program wrote") {
		t.Errorf("a file that is cut: %v", err)
	}
}
