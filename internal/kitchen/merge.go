package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// PutTogether is a lot that is put together with another, which ends.
type PutTogether struct {
	EventID    uuid.UUID
	LotID      uuid.UUID // that goes on
	Seen       int
	With       uuid.UUID
	HappenedAt time.Time
}

// Merge puts two lots of one species and form together, in one transaction: the worse of both counts from then on.
// Errors are those of Append, and one on the field with.
func (k *Kitchen) Merge(ctx context.Context, in PutTogether) error {
	return k.change(ctx, func(c *change) error {
		put := uuid.NewSHA1(in.EventID, []byte("put")) // sent twice, it counts once
		lots, err := c.open(ctx, Write{EventID: in.EventID, LotID: in.LotID, Seen: in.Seen}, Write{EventID: put, LotID: in.With})
		if err != nil || lots[0] == nil || lots[1] == nil {
			return err
		}
		merged, with, err := lot.Merge(lots[0].state, lots[1].state, lots[1].head.HeadHash)
		if err != nil {
			return err
		}
		if err := c.append(ctx, lots[0], Write{EventID: in.EventID, HappenedAt: in.HappenedAt, Payload: merged}); err != nil {
			return err
		}
		return c.append(ctx, lots[1], Write{EventID: put, HappenedAt: in.HappenedAt, Payload: with})
	})
}

// Alike lists the lots on hand that one could be put together with.
func (k *Kitchen) Alike(ctx context.Context, s *lot.State) ([]Row, error) {
	if s.KeepsToItself() != "" {
		return nil, nil
	}
	site := ActorFrom(ctx).Site
	list, err := k.DB.BoardAlike(ctx, store.BoardAlikeParams{SiteID: site.ID, Species: s.Received.SpeciesID, Form: s.Form})
	if err != nil {
		return nil, fmt.Errorf("loading lots that are alike: %w", err)
	}
	rows, err := rowsAt(site.Catalogue(), list, k.Now())
	return slices.DeleteFunc(rows, func(r Row) bool {
		return r.LotID == s.ID || r.Frozen || r.FrozenStatus != nil || r.Hold != "" || r.AgeingStatus != nil
	}), err
}
