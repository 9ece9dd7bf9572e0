package kitchen

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
	"leancatch/internal/store"
)

// Waste is fish that nobody ate: what was thrown away, and what a count did not find.
type Waste struct {
	lot.Exit
	LotID    uuid.UUID
	Code     string
	Species  species.Species
	Supplier string
}

// Worth is what the fish on hand cost.
type Worth struct {
	Kg, Cents float64
	PricedKg  float64 // of which that is known
}

// Worth adds up what the lots on hand cost delivered, cut and shared over their parts.
func (k *Kitchen) Worth(ctx context.Context) (Worth, error) {
	row, err := k.DB.Worth(ctx, ActorFrom(ctx).Site.ID)
	return Worth{row.Kg, row.Cents, row.PricedKg}, err
}

// wasteKinds are the kinds of event by which fish is lost.
var wasteKinds = []string{string(lot.KindFor[lot.Taken]()), string(lot.KindFor[lot.Cut]()),
	string(lot.KindFor[lot.Discarded]()), string(lot.KindFor[lot.NotFound]())}

// Waste lists what was lost since a moment, the last first, as it stands after corrections.
func (k *Kitchen) Waste(ctx context.Context, since time.Time) ([]Waste, error) {
	site := ActorFrom(ctx).Site
	ids, err := k.DB.LotsWithEvents(ctx, store.LotsWithEventsParams{SiteID: site.ID, HappenedAt: since, Kinds: wasteKinds})
	if err != nil {
		return nil, err
	}
	states, err := k.states(ctx, k.DB.Queries, site, ids...)
	if err != nil {
		return nil, err
	}
	suppliers, err := k.SupplierNames(ctx)
	if err != nil {
		return nil, err
	}
	names := map[int64]string{}
	for _, s := range suppliers {
		names[s.ID] = s.Name
	}
	var list []Waste
	for _, s := range states {
		for _, x := range s.Exits {
			if lost := x.EndUse == lot.UsedWaste || x.EndUse == lot.NotCounted; lost && !x.At.Before(since) {
				list = append(list, Waste{x, s.ID, s.Received.Code, s.Species(), names[s.Received.SupplierID]})
			}
		}
	}
	slices.SortFunc(list, func(a, b Waste) int {
		return cmp.Or(b.At.Compare(a.At), cmp.Compare(a.Code, b.Code))
	})
	return list, nil
}
