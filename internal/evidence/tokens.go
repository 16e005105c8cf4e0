package evidence

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"ensomet/internal/core/access"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// tokenPrefix begins every token, so that one is known when it is found where it should not be.
const tokenPrefix = "ensomet_"

// NewToken makes a token for a source. The secret is returned once and kept as a hash alone: it has 256 random bits,
// so that a plain SHA-256 is enough.
func (svc *Collecting) NewToken(ctx context.Context, source, findsBy, who string) (secret string, id int64,
	err error) {
	source = strings.TrimSpace(source)
	switch {
	case source == "":
		return "", 0, refuse.New("name the source: what is it that sends scans?")
	case findsBy != "id" && findsBy != "name":
		return "", 0, refuse.Errorf("devices are found by id or by name, not by %q", findsBy)
	}
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return "", 0, err
	}
	secret = tokenPrefix + base64.RawURLEncoding.EncodeToString(raw)
	hash := sha256.Sum256([]byte(secret))
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if id, err = evidencedb.AddToken(tx,
			evidencedb.Token{
				Source:    source,
				Hint:      secret[:len(tokenPrefix)+4],
				FindsBy:   findsBy,
				CreatedAt: now.Unix(),
				Author:    who,
			}, hash[:]); err != nil {
			return err
		}
		return tx.Note(now, who, "made a token", source, "")
	})
	return secret, id, err
}

// TokenView is a token without its secret.
type TokenView struct {
	ID        int64
	Source    string
	Hint      string
	FindsBy   string
	CreatedAt int64
	Author    string
	LastUsed  int64
	LastFrom  string
	RevokedAt int64
	RevokedBy string
	Scans     int64
	Devices   int64
}

// Tokens lists all tokens.
func (svc *Collecting) Tokens(ctx context.Context) ([]TokenView, error) {
	out := []TokenView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := evidencedb.Tokens(tx)
		for _, t := range list {
			out = append(out, TokenView(t))
		}
		return err
	})
	return out, err
}

// RevokeToken takes a token out of use.
func (svc *Collecting) RevokeToken(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := evidencedb.RevokeToken(tx, id, now.Unix(), who); err != nil {
			return err
		}
		return tx.Note(now, who, "revoked a token", fmt.Sprint(id), "")
	})
}

// Sender finds the source of a token. It returns ErrToken where there is none.
func (svc *Collecting) Sender(ctx context.Context, secret, from string) (access.Sender, error) {
	var out access.Sender
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		hash := sha256.Sum256([]byte(secret))
		t, err := evidencedb.TokenByHash(tx, hash[:])
		if errors.Is(err, sqlite.ErrNotFound) || err == nil && t.RevokedAt != 0 {
			return access.ErrToken
		}
		out = access.Sender{Token: t.ID, Source: t.Source, FindsBy: t.FindsBy, From: from}
		return err
	})
	return out, err
}

// mostWaiting is how many scans may wait to be taken in: more would wait longer than those who send them, and fill the
// memory.
const mostWaiting = 1_000

// Busy reports whether so many scans wait to be taken in that another has to come later.
func (svc *Collecting) Busy() bool { return svc.DB.WaitingTogether() >= mostWaiting }

// Deliver takes in a scan that came over HTTP, and notes that it came. A scan is stored whole or not at all; what was
// wrong with one that is refused is noted too.
func (svc *Collecting) Deliver(ctx context.Context, from access.Sender, s *formats.Scan, bytes int64) (
	out arriving.Taken, err error) {
	now := svc.Clock.Now().Unix()
	err = svc.DB.UpdateTogether(ctx, func(tx *sqlite.Tx) (err error) {
		if out, err = svc.Take(tx, from.Source, from.FindsBy, s); err != nil {
			return err
		}
		device, err := snapshot.FindDevice(tx, out.Device)
		if err != nil {
			return err
		}
		if err := evidencedb.TokenUsed(tx, from.Token, now, from.From); err != nil {
			return err
		}
		return evidencedb.AddDelivery(
			tx,
			from.Token,
			evidencedb.Delivery{
				ReceivedAt: now,
				DeviceID:   device,
				ScanAt:     s.At.Unix(),
				Bytes:      bytes,
				Outcome:    out.Outcome,
			},
		)
	})
	return out, err
}

// Refuse notes that a delivery was refused, and why.
func (svc *Collecting) Refuse(ctx context.Context, from access.Sender, device string, bytes int64,
	reason string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		id, err := snapshot.FindDevice(tx, device)
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		if err := evidencedb.TokenUsed(tx, from.Token, now, from.From); err != nil {
			return err
		}
		return evidencedb.AddDelivery(
			tx,
			from.Token,
			evidencedb.Delivery{ReceivedAt: now, DeviceID: id, Bytes: bytes, Outcome: "refused", Detail: reason},
		)
	})
}

// keepDeliveries is how long it is remembered which scan came when; the scans themselves stay.
const keepDeliveries = 90 * 24 * time.Hour

// ForgetDeliveries deletes old notes of deliveries.
func (svc *Collecting) ForgetDeliveries(ctx context.Context) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		return evidencedb.ForgetDeliveries(tx, svc.Clock.Now().Add(-keepDeliveries).Unix())
	})
}
