package entitlements

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"fmt"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/sqlite"
)

func (svc *Service) sealer(anew bool) (cipher.AEAD, error) {
	read := svc.Secret.Read
	if anew {
		read = svc.Secret.ReadOrMake
	}
	secret, err := read()
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(secret)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCM(block)
}

// AddKey keeps a licence key of a line, sealed.
func (svc *Service) AddKey(ctx context.Context, code, key, note, who string) error {
	if key = strings.TrimSpace(key); key == "" {
		return refuse.New("the key is empty")
	}
	seal, err := svc.sealer(true)
	if err != nil {
		return err
	}
	nonce := make([]byte, seal.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return err
	}
	hint := key[max(0, len(key)-min(4, len(key)/3)):]
	return svc.onLine(ctx, code, who, "kept a licence key", "…"+hint, func(tx *sqlite.Tx, id int64) error {
		return entitlementsdb.AddKey(
			tx,
			entitlementsdb.KeptKey{
				Line:   id,
				Hint:   "…" + hint,
				Note:   note,
				Author: who,
				At:     svc.Clock.Now().Unix(),
				Sealed: seal.Seal(nonce, nonce, []byte(key), nil),
			},
		)
	})
}

// ShowKey opens a licence key. That somebody looked is kept.
func (svc *Service) ShowKey(ctx context.Context, id int64, who string) (string, error) {
	var plain []byte
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		k, err := entitlementsdb.Key(tx, id)
		if err != nil {
			return err
		}
		seal, err := svc.sealer(false)
		if err != nil {
			return err
		}
		if n := seal.NonceSize(); len(k.Sealed) > n {
			plain, err = seal.Open(nil, k.Sealed[:n], k.Sealed[n:], nil)
		} else {
			err = refuse.New("too short")
		}
		if err != nil {
			return fmt.Errorf("the key does not open with %s: it was sealed with another: %w", svc.Secret, err)
		}
		return tx.Note(svc.Clock.Now(), who, "looked at a licence key", fmt.Sprint(id), k.Hint)
	})
	return string(plain), err
}

// DropKey takes a key away.
func (svc *Service) DropKey(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := entitlementsdb.DropKey(tx, id, svc.Clock.Now().Unix(), who); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "took a licence key away", fmt.Sprint(id), "")
	})
}
