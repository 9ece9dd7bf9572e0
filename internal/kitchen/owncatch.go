package kitchen

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// NewCatch is fish of our own as it comes on deck.
type NewCatch struct {
	ID        uuid.UUID // of its delivery, from the client: the same catch twice is one
	SpeciesID string
	Count     int
	WeightKg  float64
	PlaceID   int64 // where it lies until it is in ice
	LandedAt  time.Time
	Caught    lot.Caught     // its Vessel stands as the supplier
	Unread    invalid.Errors // what could not be read of it: with any of it nothing is stored
}

// LandCatch makes a lot of a catch, with its record begun, and returns its id.
// Errors are on the fields of the catch.
func (k *Kitchen) LandCatch(ctx context.Context, c NewCatch) (uuid.UUID, error) {
	line := lot.Received{SpeciesID: c.SpeciesID, Form: "whole", Count: c.Count, WeightKg: c.WeightKg, Ice: "none",
		PlaceID: c.PlaceID, OwnCatch: true}
	bad := slices.Clone(c.Unread)
	if c.Caught.Vessel == "" {
		bad.Add("vessel", "name the boat")
	}
	for _, e := range lot.CheckCatch(line, c.Caught, c.LandedAt, k.Now()) {
		if e.Field == "happened_at" {
			e.Field = "landed_at"
		}
		bad = append(bad, e)
	}
	if err := bad.Err(); err != nil {
		return uuid.Nil, err
	}
	err := k.Receive(ctx, Delivery{ID: c.ID, Supplier: c.Caught.Vessel, ArrivedAt: c.LandedAt, Caught: &c.Caught,
		Lines: []lot.Received{line}})
	if err != nil {
		return uuid.Nil, err
	}
	d, err := k.DeliveryNote(ctx, c.ID)
	if err != nil {
		return uuid.Nil, err
	}
	if len(d.Rows) == 0 {
		return uuid.Nil, fmt.Errorf("catch %s: %w", c.ID, ErrNotFound)
	}
	return d.Rows[0].LotID, nil
}

// Catches lists the lots of our own catch that came on deck since a time, the
// newest first.
func (k *Kitchen) Catches(ctx context.Context, since time.Time) ([]Row, error) {
	list, err := k.DB.BoardOnDeck(ctx, store.BoardOnDeckParams{SiteID: ActorFrom(ctx).Site.ID, Since: since})
	if err != nil {
		return nil, fmt.Errorf("loading the catches: %w", err)
	}
	return rowsAt(list, k.Now())
}
