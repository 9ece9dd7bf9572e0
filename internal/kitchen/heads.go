package kitchen

import (
	"bytes"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Heads are the last links of all chains of a kitchen at a time. Kept elsewhere, they prove later that
// nothing was cut off or rewritten since: CheckHeads.
type Heads struct {
	Kitchen string    `json:"kitchen"` // as in its address
	At      time.Time `json:"at"`
	Audit   Head      `json:"audit"`
	Lots    []LotHead `json:"lots"`
}

// Head is the last link of a chain; number 0 is an empty one.
type Head struct {
	Seq  int64 `json:"seq"`
	Hash Hash  `json:"hash"`
}

// LotHead is that of a lot.
type LotHead struct {
	ID uuid.UUID `json:"id"`
	Head
}

// Hash is written in hexadecimal digits.
type Hash []byte

// MarshalText implements encoding.TextMarshaler.
func (h Hash) MarshalText() ([]byte, error) { return []byte(hex.EncodeToString(h)), nil }

// UnmarshalText implements encoding.TextUnmarshaler.
func (h *Hash) UnmarshalText(text []byte) (err error) {
	*h, err = hex.DecodeString(string(text))
	return err
}

// HeadsOf are the heads of a kitchen now.
func (k *Kitchen) HeadsOf(ctx context.Context, site Site) (Heads, error) {
	ctx = store.Everywhere(ctx)
	out := Heads{Kitchen: site.Slug, At: k.Now().UTC().Truncate(time.Second), Lots: []LotHead{}}
	audit, err := k.DB.AuditHead(ctx, site.ID)
	if err != nil && !errors.Is(err, ErrNotFound) {
		return out, err
	}
	out.Audit = Head{audit.Seq, audit.Hash}
	lots, err := k.DB.LotHeads(ctx, site.ID)
	for _, l := range lots {
		out.Lots = append(out.Lots, LotHead{l.ID, Head{l.HeadSeq, l.HeadHash}})
	}
	return out, err
}

// CheckHeads returns an error that names the first chain that does not lead to where it did. The
// chains themselves are verified by CheckChains and CheckAudit.
func (k *Kitchen) CheckHeads(ctx context.Context, kept Heads) error {
	ctx = store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(ctx, kept.Kitchen)
	if err != nil {
		return fmt.Errorf("the kitchen is gone: %w", err)
	}
	differs := func(what string, h Head, hash []byte, err error) error {
		switch {
		case h.Seq == 0:
			return nil
		case errors.Is(err, ErrNotFound):
			return fmt.Errorf("%s: entry %d is gone, which was there on %s", what, h.Seq, kept.At.Format(time.DateOnly))
		case err != nil:
			return err
		case !bytes.Equal(hash, h.Hash):
			return fmt.Errorf("%s: entry %d is another than on %s", what, h.Seq, kept.At.Format(time.DateOnly))
		}
		return nil
	}
	hash, err := k.DB.AuditAt(ctx, store.AuditAtParams{SiteID: site.ID, Seq: kept.Audit.Seq})
	if err := differs("the audit", kept.Audit, hash, err); err != nil {
		return err
	}
	for _, l := range kept.Lots {
		hash, err := k.DB.EventHash(ctx, store.EventHashParams{SiteID: site.ID, LotID: l.ID, Seq: l.Seq})
		if errors.Is(err, ErrNotFound) { // its time may be over
			if gone, goneErr := k.DB.GoneLot(ctx, store.GoneLotParams{SiteID: site.ID, ID: l.ID}); goneErr == nil && gone.HeadSeq > l.Seq {
				continue
			} else if goneErr == nil {
				hash, err = gone.HeadHash, nil
			}
		}
		if err := differs("lot "+l.ID.String(), l.Head, hash, err); err != nil {
			return err
		}
	}
	return nil
}

// CheckChains verifies the hash chains of all lots of a site, up to the head of each, and returns how
// many it checked. It stops at the first that is broken or cut off.
func (k *Kitchen) CheckChains(ctx context.Context, site Site) (int, error) {
	ctx = store.Everywhere(ctx) // a fence that is broken must hide nothing
	heads, err := k.DB.LotHeads(ctx, site.ID)
	if err != nil {
		return 0, err
	}
	for chunk := range slices.Chunk(heads, staleBatch) {
		ids := make([]uuid.UUID, len(chunk))
		for i, h := range chunk {
			ids[i] = h.ID
		}
		events, err := k.events(ctx, k.DB.Queries, site.ID, ids...)
		if err != nil {
			return 0, err
		}
		for _, h := range chunk {
			chain := events[h.ID]
			if err := lot.CheckChain(chain); err != nil {
				return 0, err
			}
			var last lot.Event
			if n := len(chain); n > 0 {
				last = chain[n-1]
			}
			if int64(last.Seq) != h.HeadSeq || !bytes.Equal(last.Hash, h.HeadHash) {
				return 0, fmt.Errorf("lot %s: its events end at number %d, its head is number %d: the end was cut off or replaced",
					h.ID, last.Seq, h.HeadSeq)
			}
		}
	}
	return len(heads), nil
}

// CheckAudit verifies the chain of a site's audit, up to its head, and returns how many entries it
// has. It stops at the first that is broken.
func (k *Kitchen) CheckAudit(ctx context.Context, site int64) (int64, error) {
	ctx = store.Everywhere(ctx)
	head, err := k.DB.AuditHead(ctx, site) // first: entries may be added meanwhile
	if err != nil && !errors.Is(err, ErrNotFound) {
		return 0, err
	}
	var last access.Entry
	for {
		rows, err := k.DB.AuditFrom(ctx, store.AuditFromParams{SiteID: site, Seq: last.Seq, Limit: auditPage})
		if err != nil {
			return last.Seq, err
		}
		if len(rows) == 0 {
			break
		}
		entries := make([]access.Entry, len(rows))
		for i, r := range rows {
			entries[i] = auditEntry(r)
		}
		if err := access.CheckAudit(last, entries); err != nil {
			return last.Seq, err
		}
		last = entries[len(entries)-1]
	}
	if last.Seq < head.Seq {
		return last.Seq, fmt.Errorf("the audit ends at entry %d, its head is entry %d: the end was cut off", last.Seq, head.Seq)
	}
	if at, err := k.DB.AuditAt(ctx, store.AuditAtParams{SiteID: site, Seq: head.Seq}); head.Seq > 0 && (err != nil || !bytes.Equal(at, head.Hash)) {
		return last.Seq, errors.Join(fmt.Errorf("entry %d of the audit is not its head", head.Seq), err)
	}
	return last.Seq, nil
}
