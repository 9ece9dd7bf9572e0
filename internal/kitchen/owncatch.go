package kitchen

import (
	"context"
	"errors"
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
	a := ActorFrom(ctx)
	line := lot.Received{SpeciesID: c.SpeciesID, Form: "whole", Count: c.Count, WeightKg: c.WeightKg, Ice: "none",
		PlaceID: c.PlaceID, OwnCatch: true}
	bad := slices.Clone(c.Unread)
	if c.Caught.Vessel == "" {
		bad.Add("vessel", "name the boat")
	}
	w, err := k.newEnvironment(ctx, k.DB.Queries, a.Site)
	if err != nil {
		return uuid.Nil, err
	}
	landed := lot.Event{ID: c.ID, HappenedAt: c.LandedAt}
	admit := func(s *lot.State, p lot.Payload) {
		_, err := lot.Admit(s, w.Facts(), landed, p)
		var wrong invalid.Errors
		errors.As(err, &wrong)
		for _, e := range wrong {
			if e.Field == "happened_at" {
				e.Field = "landed_at"
			}
			if !slices.Contains(bad, e) {
				bad = append(bad, e)
			}
		}
	}
	admit(nil, line)
	admit(lot.AfterReceipt(a.Site.Catalogue(), line, c.LandedAt), c.Caught)
	if err := bad.Err(); err != nil {
		return uuid.Nil, err
	}
	err = k.Receive(ctx, Delivery{ID: c.ID, Supplier: c.Caught.Vessel, ArrivedAt: c.LandedAt, Caught: &c.Caught,
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
	site := ActorFrom(ctx).Site
	list, err := k.DB.BoardOnDeck(ctx, store.BoardOnDeckParams{SiteID: site.ID, Since: since})
	if err != nil {
		return nil, fmt.Errorf("loading the catches: %w", err)
	}
	return rowsAt(site.Catalogue(), list, k.Now())
}
