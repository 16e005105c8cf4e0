// Package secret keeps the secret that licence keys are sealed with and that users' answers are known by. It lies in a
// file of its own beside the data, readable by the program's account alone: whoever gets a copy of the data has no key.
package secret

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
)

// Size is the length of the secret, in bytes.
const Size = 32

// File is where the secret lies.
type File string

// Beside is the secret of a data file.
func Beside(data string) File { return File(data + ".key") }

// Read reads the secret. It fails where there is none.
func (f File) Read() ([]byte, error) {
	secret, err := os.ReadFile(string(f))
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("the file %s, which opens licence keys and users' answers, is not there: "+
			"put it back from where it is kept: %w", f, err)
	}
	if err != nil {
		return nil, err
	}
	if len(secret) != Size {
		return nil, fmt.Errorf("the file %s is not what this program wrote: put it back from where it is kept", f)
	}
	return secret, nil
}

// HashKey is by what a licence key, folded, is known: an HMAC (RFC 2104, SHA-256) under the secret, in hexadecimal.
// Without the secret nobody can try keys against it.
func HashKey(secret []byte, folded string) string {
	mac := hmac.New(sha256.New, secret)
	mac.Write([]byte("licence key " + folded))
	return hex.EncodeToString(mac.Sum(nil))
}

// ReadOrMake reads the secret, and makes it where there is none. Of several that make it at once, in one program or in
// several, one wins, and all get what it made.
func (f File) ReadOrMake() ([]byte, error) {
	secret, err := f.Read()
	if !errors.Is(err, os.ErrNotExist) {
		return secret, err
	}
	made := make([]byte, Size)
	if _, err := rand.Read(made); err != nil {
		return nil, err
	}
	whole, err := os.CreateTemp(filepath.Dir(string(f)), ".key-*") // readable by this account alone
	if err != nil {
		return nil, err
	}
	defer os.Remove(whole.Name())
	_, err = whole.Write(made)
	if err := errors.Join(err, whole.Sync(), whole.Close()); err != nil {
		return nil, err
	}
	// A link is made by one alone, and what it names is whole.
	if err := os.Link(whole.Name(), string(f)); err != nil && !errors.Is(err, os.ErrExist) {
		return nil, err
	}
	return f.Read()
}
