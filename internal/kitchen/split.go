package kitchen

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// NewSplit is a lot to be split. LotID and Code of the parts are filled in here.
type NewSplit struct {
	EventID    uuid.UUID
	LotID      uuid.UUID
	Seen       int
	HappenedAt time.Time
	Parts      []lot.SplitLot
}

// Split ends a lot and begins one for each of its parts, with its clocks; parts
// that are refused leave at once. A part whose fish were inspected is judged
// again by those alone. All of it is one transaction; the errors are those of
// Append.
func (k *Kitchen) Split(ctx context.Context, in NewSplit) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		ids, err := k.split(ctx, tx, a, in)
		if err != nil || len(ids) == 0 {
			return err
		}
		if err := k.refresh(ctx, tx, a.Site, ids...); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// split splits a lot and returns it and its parts, which are not refreshed yet;
// none where it was split by the same event before.
func (k *Kitchen) split(ctx context.Context, tx *store.Tx, a Actor, in NewSplit) ([]uuid.UUID, error) {
	head, known, err := k.lock(ctx, tx, a, in.LotID, in.EventID, in.Seen)
	if err != nil || known {
		return nil, err
	}
	states, err := k.states(ctx, tx.Queries, a.Site.ID, in.LotID)
	if err != nil {
		return nil, err
	}
	before := states[0]
	ids := []uuid.UUID{in.LotID}
	for i := range in.Parts {
		n, err := tx.TakeLotNumber(ctx, a.Site.ID)
		if err != nil {
			return nil, err
		}
		in.Parts[i].LotID, in.Parts[i].Code = NewID(), lot.Code(int(n))
		ids = append(ids, in.Parts[i].LotID)
	}
	if head, err = k.append(ctx, tx, a, head, Write{EventID: in.EventID, LotID: in.LotID, HappenedAt: in.HappenedAt,
		Payload: lot.Split{Parts: in.Parts}}); err != nil {
		return nil, err
	}
	judged, err := k.splitInspection(ctx, tx.Queries, a, before)
	if err != nil {
		return nil, err
	}
	for _, part := range in.Parts {
		inspected, err := judged(part)
		if err != nil {
			return nil, err
		}
		first := lot.Inherit(before, head.HeadHash, part, inspected)
		if err := k.openSplit(ctx, tx, a, first, part, in.HappenedAt); err != nil {
			return nil, err
		}
	}
	return ids, nil
}

// openSplit adds the lot of a part with its first event, and its second where it
// is refused.
func (k *Kitchen) openSplit(ctx context.Context, tx *store.Tx, a Actor, first lot.SplitFrom, part lot.SplitLot,
	at time.Time) error {
	if err := tx.AddLot(ctx, store.AddLotParams{SiteID: a.Site.ID, ID: part.LotID, Code: part.Code,
		DocketID: first.Received.DeliveryID}); err != nil {
		return fmt.Errorf("adding lot %s: %w", part.Code, err)
	}
	head := store.Lot{SiteID: a.Site.ID, ID: part.LotID, HeadHash: []byte{}}
	head, err := k.append(ctx, tx, a, head, Write{EventID: NewID(), LotID: part.LotID, HappenedAt: at, Payload: first})
	if err != nil || part.Refused == "" {
		return err
	}
	_, err = k.append(ctx, tx, a, head, Write{EventID: NewID(), LotID: part.LotID, HappenedAt: at,
		Payload: lot.Refused{Reason: part.Refused}})
	return err
}

// splitInspection returns what the last inspection of a lot would have been of a
// part's own fish: nil where none of them was seen. A refused part keeps the
// hold until it leaves.
func (k *Kitchen) splitInspection(ctx context.Context, q *store.Queries, a Actor,
	s *lot.State) (func(lot.SplitLot) (*lot.Inspected, error), error) {
	last, ok := s.Inspection()
	if !ok {
		return func(lot.SplitLot) (*lot.Inspected, error) { return nil, nil }, nil
	}
	scheme, err := k.schemeVersion(ctx, q, a.Site, last.Scheme, last.SchemeVersion)
	if err != nil {
		return nil, fmt.Errorf("scheme %s, version %d: %w", last.Scheme, last.SchemeVersion, err)
	}
	w, err := k.environmentFor(ctx, q, a.Site, s)
	if err != nil {
		return nil, err
	}
	claimed, _ := assess.DeclaredAgeAt(s, w.Env, last.At)
	clock := assess.Assess(s, w.Env).Histamine
	return func(part lot.SplitLot) (*lot.Inspected, error) {
		if len(part.Fish) == 0 {
			return nil, nil
		}
		seen := last.Of(part.Fish)
		var err error
		if seen.Reading, seen.Proposed, err = judge(a, s, scheme, seen.Fish, 0, claimed, clock); err != nil {
			return nil, err
		}
		seen.Decision, seen.Reason, seen.ByManager = seen.Proposed.Decision, "", false
		if part.Refused != "" && seen.Decision == freshness.Refuse {
			seen.Decision = freshness.Hold // it is refused by the event that follows
		}
		return &seen, nil
	}, nil
}
