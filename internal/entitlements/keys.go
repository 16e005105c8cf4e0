package entitlements

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"strings"

	"ensomet/internal/core/licencekey"
	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/secret"
	"ensomet/internal/sqlite"
)

// Keys does what can be done with licence keys: those that were bought, sealed, and what is known of those found.
type Keys struct{ *Service }

// sealed is a key as it is kept: sealed, by what it is known among those that are found, and its last signs.
type sealed struct {
	sealed     []byte
	hash, hint string
}

func (svc *Keys) sealer(anew bool) (cipher.AEAD, []byte, error) {
	read := svc.Secret.Read
	if anew {
		read = svc.Secret.ReadOrMake
	}
	known, err := read()
	if err != nil {
		return nil, nil, err
	}
	block, err := aes.NewCipher(known)
	if err != nil {
		return nil, nil, err
	}
	seal, err := cipher.NewGCM(block)
	return seal, known, err
}

// hashOf is by what a key is known among those that are found; a dash where it cannot be compared.
func hashOf(known []byte, key string) string {
	if folded := licencekey.Fold(key); folded != "" {
		return secret.HashKey(known, folded)
	}
	return "-"
}

func (svc *Keys) seal(key string) (sealed, error) {
	seal, known, err := svc.sealer(true)
	if err != nil {
		return sealed{}, err
	}
	nonce := make([]byte, seal.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return sealed{}, err
	}
	hint := key[max(0, len(key)-min(4, len(key)/3)):]
	if folded := licencekey.Fold(key); folded != "" {
		hint = licencekey.Hint(folded)
	}
	return sealed{seal.Seal(nonce, nonce, []byte(key), nil), hashOf(known, key), "…" + hint}, nil
}

// AddKey keeps a licence key of a line, sealed.
func (svc *Keys) AddKey(ctx context.Context, code, key, note, who string) error {
	if key = strings.TrimSpace(key); key == "" {
		return refuse.New("the key is empty")
	}
	k, err := svc.seal(key)
	if err != nil {
		return err
	}
	return svc.onLine(ctx, code, who, "kept a licence key", k.hint, func(tx *sqlite.Tx, id int64) error {
		_, err := svc.keep(tx, id, k, note, who)
		return err
	})
}

// keep writes a key of a line, unless the line has it already.
func (svc *Keys) keep(tx *sqlite.Tx, line int64, k sealed, note, who string) (sqlite.Change, error) {
	if k.hash != "-" {
		had, err := entitlementsdb.HasKey(tx, line, k.hash)
		if err != nil || had {
			return sqlite.Same, err
		}
	}
	if err := entitlementsdb.AddKey(tx, entitlementsdb.KeptKey{
		Line:   line,
		Hint:   k.hint,
		Note:   note,
		Author: who,
		At:     svc.Clock.Now().Unix(),
		Sealed: k.sealed,
		Hash:   k.hash,
	}); err != nil {
		return sqlite.Same, err
	}
	return sqlite.Added, renewal.Mark(tx, false)
}

// keyWriter takes in keys.csv.
func (svc *Keys) keyWriter(in intake.Arrival) (*intake.Writer, error) {
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		r, err := formats.ParseKey(row)
		if err != nil {
			return sqlite.Same, err
		}
		if strings.ContainsRune(r.Key, '…') {
			return sqlite.Same, intake.Refuse(
				row,
				"only the last signs of the key were kept: type it in whole, or send "+
					"its file again",
			)
		}
		line, err := entitlementsdb.LineID(in.Tx, r.Entitlement)
		if errors.Is(err, sqlite.ErrNotFound) {
			return sqlite.Same, intake.Refuse(row, "there is no entitlement %q", r.Entitlement)
		}
		if err != nil {
			return sqlite.Same, err
		}
		k, err := svc.seal(r.Key)
		if err != nil {
			return sqlite.Same, err
		}
		return svc.keep(in.Tx, line, k, r.Note, in.Author)
	}), nil
}

// ShowKey opens a licence key. That somebody looked is kept.
func (svc *Keys) ShowKey(ctx context.Context, id int64, who string) (string, error) {
	var plain []byte
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		k, err := entitlementsdb.Key(tx, id)
		if err != nil {
			return err
		}
		seal, _, err := svc.sealer(false)
		if err != nil {
			return err
		}
		if plain, err = open(seal, k.Sealed); err != nil {
			return fmt.Errorf("the key does not open with %s: it was sealed with another: %w", svc.Secret, err)
		}
		return tx.Note(svc.Clock.Now(), who, "looked at a licence key", fmt.Sprint(id), k.Hint)
	})
	return string(plain), err
}

func open(seal cipher.AEAD, text []byte) ([]byte, error) {
	n := seal.NonceSize()
	if len(text) <= n {
		return nil, refuse.New("too short")
	}
	return seal.Open(nil, text[:n], text[n:], nil)
}

// HashOlder works out by what those keys are known that were kept before keys were compared. Without the secret they
// stay as they are: nobody can open them either.
func (svc *Keys) HashOlder(ctx context.Context) error {
	var list []entitlementsdb.KeptKey
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		list, err = entitlementsdb.KeysWithoutHash(tx)
		return err
	}); err != nil || len(list) == 0 {
		return err
	}
	seal, known, err := svc.sealer(false)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for _, k := range list {
			plain, err := open(seal, k.Sealed)
			if err != nil {
				continue // sealed with another secret
			}
			if err := entitlementsdb.PutKeyHash(tx, k.ID, hashOf(known, string(plain))); err != nil {
				return err
			}
		}
		return renewal.Mark(tx, false)
	})
}

// DropKey takes a key away.
func (svc *Keys) DropKey(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if err := entitlementsdb.DropKey(tx, id, svc.Clock.Now().Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, "took a licence key away", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return renewal.Mark(tx, false)
	})
}

// KeyRow is a licence key as it stands.
type KeyRow = entitlementsdb.KeyRow

// KeyList is the list of licence keys: where each is, and how that stands to what was bought.
func KeyList() *sqlite.List[KeyRow] { return entitlementsdb.KeyList() }
