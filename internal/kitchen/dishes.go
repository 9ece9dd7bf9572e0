package kitchen

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/planning"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// Dish is a dish of the kitchen.
type Dish struct {
	planning.Dish
	ID         uuid.UUID // from the client: the same dish twice is one
	StationID  int64     // where it is put up; 0: it stays where it lies
	PriceCents int64
}

// Dishes lists the dishes of the kitchen by name.
func (k *Kitchen) Dishes(ctx context.Context) ([]Dish, error) {
	rows, err := k.DB.Dishes(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, dishOf)
}

// Dish returns one, also one that is not on the menu any more.
func (k *Kitchen) Dish(ctx context.Context, id uuid.UUID) (Dish, error) {
	row, err := k.DB.Dish(ctx, store.DishParams{SiteID: ActorFrom(ctx).Site.ID, ID: id})
	return dishOf(row), err
}

func dishOf(r store.Dish) Dish {
	d := Dish{ID: r.ID, PriceCents: r.PriceCents, Dish: planning.Dish{Name: r.Name, Species: r.Species, Part: r.Part, Pieces: int(r.Pieces),
		PieceG: r.PieceG, FishG: species.Range{Lo: r.FishLoG, Hi: r.FishHiG}, Raw: r.Raw, Aged: r.Aged, Salt: minutes(r.SaltMinutes),
		Cut: minutes(r.CutMinutes), PutUp: minutes(r.PutUpMinutes)}}
	if r.StationID != nil {
		d.StationID = *r.StationID
	}
	return d
}

func minutes(n int64) time.Duration { return time.Duration(n) * time.Minute }

// SaveDish adds a dish, or changes it. Errors are by the JSON names of its fields.
func (k *Kitchen) SaveDish(ctx context.Context, d Dish) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	var bad invalid.Errors
	d.Name = strings.TrimSpace(d.Name)
	if d.Part == planning.WholeFish {
		d.Pieces, d.PieceG = 1, d.FishG.Mid()
	}
	d.Check(a.Site.Catalogue(), &bad)
	if d.PriceCents < 0 || d.PriceCents > 10_000_000 {
		bad.Add("price", "must be between 0 and 100 000")
	}
	row := store.PutDishParams{SiteID: a.Site.ID, ID: d.ID, Name: d.Name, Species: d.Species, Part: d.Part, Pieces: int64(d.Pieces),
		PieceG: d.PieceG, FishLoG: d.FishG.Lo, FishHiG: d.FishG.Hi, Raw: d.Raw, Aged: d.Aged, SaltMinutes: int64(d.Salt.Minutes()),
		CutMinutes: int64(d.Cut.Minutes()), PutUpMinutes: int64(d.PutUp.Minutes()), PriceCents: d.PriceCents}
	if d.StationID != 0 {
		row.StationID = &d.StationID
		l, err := k.layoutOf(ctx, k.DB.Queries, a.Site)
		if err != nil {
			return err
		}
		if _, ok := l.places[d.StationID]; !ok {
			bad.Add("station_id", "choose a place of this kitchen")
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.PutDish(ctx, row); err != nil {
			return fmt.Errorf("saving the dish: %w", err)
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}

// RetireDish takes a dish off the menu; services that have it keep it.
func (k *Kitchen) RetireDish(ctx context.Context, id uuid.UUID) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	now := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		n, err := tx.RetireDish(ctx, store.RetireDishParams{SiteID: a.Site.ID, ID: id, RetiredAt: &now})
		if err != nil {
			return fmt.Errorf("retiring the dish: %w", err)
		}
		if n == 0 {
			return ErrNotFound
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
