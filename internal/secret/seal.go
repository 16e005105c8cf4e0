package secret

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
)

// Seal seals a text with the secret, which is made where there is none: AES-256 in GCM (NIST SP 800-38D), the nonce
// first.
func (f File) Seal(text []byte) ([]byte, error) {
	known, err := f.ReadOrMake()
	if err != nil {
		return nil, err
	}
	seal, err := sealer(known)
	if err != nil {
		return nil, err
	}
	nonce := make([]byte, seal.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, err
	}
	return seal.Seal(nonce, nonce, text, nil), nil
}

// Open opens what Seal sealed.
func (f File) Open(sealed []byte) ([]byte, error) {
	known, err := f.Read()
	if err != nil {
		return nil, err
	}
	seal, err := sealer(known)
	if err != nil {
		return nil, err
	}
	n := seal.NonceSize()
	if len(sealed) <= n {
		return nil, errors.New("what was sealed is too short")
	}
	text, err := seal.Open(nil, sealed[:n], sealed[n:], nil)
	if err != nil {
		return nil, fmt.Errorf("it does not open with %s: it was sealed with another: %w", f, err)
	}
	return text, nil
}

func sealer(known []byte) (cipher.AEAD, error) {
	block, err := aes.NewCipher(known)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCM(block)
}
